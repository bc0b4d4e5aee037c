"""A person who answers by rules: what they say, when asked again, and how the talk ends."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.core.cases.content import Case
from epistem.core.cases.person import Person, doubts_of
from epistem.core.cases.persona import instructions
from epistem.core.cases.silence import is_silence, spoken
from epistem.core.cases.talk import likely_answers, most_answers, talked
from epistem.core.checks.judge.asking import JudgeModel
from epistem.core.engine.needs import AskModel, SharedBody
from epistem.core.engine.run import Run, from_list, replayed
from epistem.core.errors import InvalidInput
from epistem.core.trials.talking import Person as Played
from epistem.core.trials.talking import PersonFailed
from epistem.core.wire.reply import Reply, Usage
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
    assert talked(LOST, answers)[:2] == (said, ended)


def test_recorded_turns_come_first_and_without_a_person_the_talk_is_done_after_them():
    lines = Case.from_json({"inputs": {"m": "a"}, "turns": ["b", "c"]})
    assert talked(lines, ["x"])[:2] == (["b"], None)
    assert talked(lines, ["x", "y", "z"])[:2] == (["b", "c"], "done")
    both = LOST.model_copy(update={"turns": ["first"]})
    assert talked(both, ["colour?", "colour?"])[:2] == (["first", "Red."], None)
    assert (most_answers(both), likely_answers(both)) == (7, 5)


def test_a_silence_is_a_turn_and_one_that_nothing_follows_ends_the_talk():
    case = Case.from_json(
        {"inputs": {"m": "a"}, "turns": ["(silence: 2 minutes)", "Sorry!", "(silence)"]}
    )
    told = talked(case, ["x", "y", "z", "are you there?"])
    quiet = ["(Nothing said for 2 minutes.)", "Sorry!", "(Nothing said for a while.)"]
    assert told[:2] == (quiet, "silent")
    assert [is_silence(words) for words in told.said] == [True, False, True]
    rules = {"rules": [{"asked": "date", "say": ["(silence: 1 hour)"]}, {"asked": "there"}]}
    person = Case.from_json({"inputs": {}, "person": rules})
    assert talked(person, ["The date?", "Still there?"])[:2] == (
        ["(Nothing said for 1 hour.)"],
        "silent",
    )
    assert spoken("nothing said for 2 minutes") == "nothing said for 2 minutes"


PLAYED = {
    "rules": [{"asked": "passport", "leaves": True}],
    "most_turns": 3,
    "persona": {
        "model": "actor",
        "about": "A hurried commuter",
        "goal": "To have the umbrella back",
        "facts": [
            {"what": "colour", "value": "black"},
            {"what": "pier", "value": "Ness", "freely": True},
        ],
        "withholds": ["name"],
        "manner": "Few words, no capitals",
    },
}


def test_a_model_is_asked_where_no_rule_is_met_and_may_end_the_talk():
    case = Case.from_json({"inputs": {"m": "hi"}, "turns": ["one"], "person": PLAYED})
    assert talked(case, ["x"]) == (["one"], None, False)
    assert talked(case, ["x", "y"]) == (["one"], None, True)
    assert talked(case, ["x", "y"], {1: " Me: black\n"})[:2] == (["one", "black"], None)
    assert talked(case, ["x", "y"], {1: "DONE."})[:2] == (["one"], "done")
    assert talked(case, ["x", "y"], {1: "**LEAVING**"})[:2] == (["one"], "gave up")
    assert talked(case, ["x", "y"], {1: "Done"})[:2] == (["one", "Done"], None)
    assert talked(case, ["x", "y"], {1: ""})[:2] == (["one", "(Nothing said for a while.)"], None)
    assert talked(case, ["x", "your passport?"])[:2] == (["one"], "gave up")
    many = dict.fromkeys(range(9), "and?")
    assert talked(case, ["x"] * 9, many)[:2] == (["one", "and?", "and?", "and?"], "too long")
    told = instructions(case.person.persona, "hi")
    for words in ("A hurried commuter", "- colour: black", "- name", "Few words", "“hi”"):
        assert words in told


def test_the_program_asks_the_person_in_turn_and_its_replay_is_the_original():
    case = Case.from_json({"inputs": {"m": "hi"}, "person": PLAYED})
    model = JudgeModel("actor", "actor-1")

    def program():
        person = Played(case, "hi", {"actor": model})
        answers: list[str] = []
        while True:
            reply = yield AskModel(f"{len(answers)}.1", SharedBody(b"{}"), 1)
            answers.append(reply.text)
            said = yield from person.says(answers)
            if said is None:
                return answers

    replies = [Reply(text, "stop", Usage(), "m") for text in ("Colour?", "black", "Thanks", "DONE")]
    run = Run(program())
    for each in replies:
        assert run.need is not None
        run.give(each)
    assert (run.need, run.result) == (None, ["Colour?", "Thanks"])
    assert list(run.record) == ["0.1", "0.person", "1.1", "1.person"]
    assert replayed(program(), run.record) == run.result
    needs, _ = from_list(program(), replies)
    asked = json.loads(needs[3].body.content)["messages"]
    assert [m["role"] for m in asked] == ["system", "user", "assistant", "user"]
    assert (needs[1].model, needs[1].seed, needs[3].path) == ("actor", 1, "1.person")
    cut = Run(Played(case, "hi", {"actor": model}).says(["Colour?"]))
    with pytest.raises(PersonFailed, match="was cut off before it said a word"):
        cut.give(Reply("", "length", Usage(), "m", reasoning="Well"))
    nobody = Played(case, "hi", {})
    with pytest.raises(InvalidInput, match="actor, which plays the person, is not in the list"):
        next(nobody.says(["Colour?"]))


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
        assert talked(case, answers[:number])[:2] == (whole.said[:number], None)
    assert talked(case, answers[: len(whole.said) + 1]) == whole


def test_whole_words_are_found_whatever_their_capitals_and_line_breaks():
    assert alternatives("Date | which  Day |") == ["date", "which day"]
    assert stands_in("which day", "Which\n DAY was it?")
    assert not stands_in("date", "Updated")
    assert not stands_in("", "anything")
