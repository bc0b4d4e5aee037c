"""A person who answers by rules: what they say, when asked again, and how the talk ends."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.cases.content import Case
from epistem.core.cases.person import Person, doubts_of
from epistem.core.cases.talk import likely_answers, most_answers, talked
from epistem.core.words import alternatives, stands_in

LOST = Case.from_json(
    {
        "inputs": {"message": "I lost something"},
        "person": {
            "rules": [
                {"asked": "colour | color", "say": ["Red.", "I said red."]},
                {"asked": "date | which day", "say": ["Tuesday"], "leaves": True},
                {"asked": "goodbye | is noted"},
                {"asked": "passport", "leaves": True},
            ],
            "otherwise": ["What do you mean?", "Never mind that."],
            "most_turns": 5,
        },
    }
)


@pytest.mark.parametrize(
    ("answers", "said", "ended"),
    [
        (["Which COLOUR is it?"], ["Red."], None),
        (["What colour, and on which\nday?"], ["Red. Tuesday"], None),
        (["The colour?", "The colour please?", "Colour!"], ["Red.", "I said red.", "I said red."], None),
        (["Colourful?"], ["What do you mean?"], None),
        (["Hm", "Hm", "Hm"], ["What do you mean?", "Never mind that.", "Never mind that."], None),
        (["What date?", "Which day was it?"], ["Tuesday"], "gave up"),
        (["It is noted. Goodbye"], [], "done"),
        (["Your passport number?"], [], "gave up"),
        (["Hm"] * 9, ["What do you mean?", *["Never mind that."] * 4], "too long"),
    ],
)  # fmt: skip
def test_the_person_answers_by_the_rules(answers, said, ended):
    assert talked(LOST, answers) == (said, ended)


def test_recorded_turns_come_first_and_without_a_person_the_talk_is_done_after_them():
    lines = Case.from_json({"inputs": {"m": "a"}, "turns": ["b", "c"]})
    assert talked(lines, ["x"]) == (["b"], None)
    assert talked(lines, ["x", "y", "z"]) == (["b", "c"], "done")
    both = LOST.model_copy(update={"turns": ["first"]})
    assert talked(both, ["colour?", "colour?"]) == (["first", "Red."], None)
    assert (most_answers(both), likely_answers(both)) == (7, 5)


def test_rules_that_contradict_are_pointed_out():
    person = Person.from_json(
        {
            "rules": [
                {"asked": "day | date", "say": ["Monday"]},
                {"asked": "Date", "say": ["Tuesday"]},
                {"asked": " | "},
            ]
        }
    )
    told = doubts_of(person)
    assert told[0].startswith("Rule 3 has no words")
    assert "Rules 1 and 2 are both met by “date”" in told[1]
    assert doubts_of(LOST.person) == []


words = st.lists(st.sampled_from(["date", "colour", "hm", "bye", "a b"]), max_size=3).map(
    " | ".join
)
rules = st.fixed_dictionaries(
    {
        "asked": words,
        "say": st.lists(st.sampled_from(["date", "x"]), max_size=2),
        "leaves": st.booleans(),
    }
)
people = st.fixed_dictionaries(
    {
        "rules": st.lists(rules, max_size=4),
        "otherwise": st.lists(st.just("date?"), max_size=2),
        "most_turns": st.integers(1, 6),
    }
)


@settings(max_examples=200, deadline=None)
@given(
    person=people,
    turns=st.lists(st.just("t"), max_size=3),
    answers=st.lists(words, min_size=60, max_size=60),
)
def test_every_talk_ends_and_what_was_said_never_changes_afterwards(person, turns, answers):
    """Also with rules that meet each other's words for ever."""
    case = Case.from_json({"inputs": {}, "turns": turns, "person": person})
    whole = talked(case, answers)
    assert whole.ended is not None
    assert len(whole.said) < most_answers(case) <= 60
    for number in range(1, len(whole.said) + 1):
        assert talked(case, answers[:number]) == (whole.said[:number], None)
    assert talked(case, answers[: len(whole.said) + 1]) == whole


def test_whole_words_are_found_whatever_their_capitals_and_line_breaks():
    assert alternatives("Date | which  Day |") == ["date", "which day"]
    assert stands_in("which day", "Which\n DAY was it?")
    assert not stands_in("date", "Updated")
    assert not stands_in("", "anything")
