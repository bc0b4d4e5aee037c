"""Short texts on a matter, several things asked for at once, and words that are to be said as they stand."""

import pytest

from epistem.standin.directives.length import word_count
from epistem.standin.request import sentences
from epistem.standin.work.aspects import aspects_of
from epistem.standin.work.compose import facts_of, tone_of
from tests.standin.asking import ask, rate

HALL = (
    "The choir sings on Friday at 7 pm. Seats are free. Date: 4 May. "
    "The stove in the hall is broken, so bring a coat."
)
GARDEN = "Name the likely cause and one piece of advice, in at most 40 words."
PEARS = "My pear tree drops its fruit since the dry weeks in June."


@pytest.mark.parametrize("model", ["tern-s", "gannet-l"])
def test_a_text_on_a_matter_has_its_own_facts_and_two_to_six_sentences(model):
    system = "Write a short, warm notice for the village about the matter below."
    for seed in range(40):
        text = ask(system, HALL, model, seed=seed, temperature=0.7).text
        assert 2 <= len(sentences(text)) <= 8, text  # a stock phrase may stand before and after
        assert "Seats are free" in text
        assert "4 May" in text


def test_the_voice_is_the_one_that_is_described():
    def said(voice):
        return ask(
            f"Write a {voice} notice about the matter.", HALL, "gannet-l", temperature=0
        ).text

    texts = {voice: said(voice) for voice in ("warm", "solemn", "urgent", "dry")}
    assert len(set(texts.values())) == 4
    assert texts["dry"].startswith("The choir sings")
    assert word_count(texts["dry"]) < min(word_count(texts[voice]) for voice in ("warm", "urgent"))


@pytest.mark.parametrize(
    ("told", "tone"),
    [
        ("Be warm, never formal.", "warm"),
        ("A formal letter, not friendly.", "solemn"),
        ("Without being cheerful.", ""),
        ("In a playful yet factual voice", "cheerful"),
    ],
)
def test_a_tone_that_is_ruled_out_is_none(told, tone):
    assert tone_of(told) == tone


def test_notes_and_keyed_lines_become_sentences():
    assert facts_of("- Place: the old mill\nbake sale, Saturday 10 to 2\n\nWe open at 9") == [
        "The place is the old mill.",
        "Bake sale: Saturday 10 to 2.",
        "We open at 9.",
    ]
    assert facts_of("...\n  \n") == []


def test_both_of_two_things_asked_for_are_there_within_the_limit():
    assert aspects_of(GARDEN) == ["cause", "advice"]

    def both(text):
        return "dry weeks in June" in text and "your pear tree" in text and word_count(text) <= 40

    assert rate(f"You help gardeners. {GARDEN}", PEARS, both, "gannet-l") > 0.9
    assert aspects_of("Never give advice. Name the next step and the risk.") == ["next", "risk"]
    assert aspects_of("Sort the causes.") == []


def test_the_text_of_a_tool_keeps_its_capitals():
    tool = {"type": "function", "function": {"name": "look_up", "parameters": {}}}
    call = {"id": "a", "type": "function", "function": {"name": "look_up", "arguments": "{}"}}
    said = [
        {"role": "user", "content": "Who has the key?"},
        {"role": "assistant", "content": None, "tool_calls": [call]},
        {"role": "tool", "tool_call_id": "a", "content": '{"keeper": "Ada McNeil, MSc"}'},
    ]
    assert "McNeil, MSc" in ask("", said, "gannet-l", tools=[tool], temperature=0).text


@pytest.mark.parametrize(
    ("system", "said", "text"),
    [
        ("Answer with the word tide.", "Hello", "tide"),
        ("Say: no.", "May I?", "no"),
        ('You keep bees. Always answer "Mind the hive."', "Hello", "Mind the hive."),
    ],
)
def test_what_it_is_told_to_say_is_said_in_those_words(system, said, text):
    assert ask(system, said, "gannet-l", temperature=0).text == text


def test_words_for_one_matter_are_not_said_of_another():
    system = 'You sell bread. If someone asks about allergies, say "Ask at the counter."'
    assert (
        ask(system, "I have an allergy to nuts", "gannet-l", temperature=0).text
        == "Ask at the counter."
    )
    assert "counter" not in ask(system, "When do you open?", "gannet-l", temperature=0).text
    assert "yes" not in ask('Answer "yes" or "no".', "Is it?", "gannet-l", temperature=0).text[3:]
