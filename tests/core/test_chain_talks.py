"""Chains that converse: turns with a state that lasts, facts that are found out, what a step sees of the talk."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.chains.facts import placed_value
from epistem.core.chains.faults import faults_of
from epistem.core.chains.kinds import CollectedField
from epistem.core.chains.walking import Walk
from epistem.core.engine.run import Run, replayed, settled
from epistem.core.errors import EpistemError
from tests.kit.chains import SPEAKERS, World, ask, chain, prompt, put, walked

FIELDS = [
    {"name": "pier", "kind": "choice", "choices": ["Hollin", "Marrow Steps"], "question": "Which pier?"},
    {"name": "seats", "kind": "whole", "least": 1, "most": 40, "question": "How many seats?",
     "why": "The boat has 40."},
    {"name": "phone", "question": "A phone number?", "required": False},
]  # fmt: skip


def collecting(**more):
    step = {
        "kind": "collect",
        "name": "facts",
        "fields": FIELDS,
        "model": "small",
        "writes": "said",
    }
    return chain({**step, "begins": "question", **more}, put("end", done="'booked'"), state=("said", {"name": "done"}),
                 outputs={"facts": "said", "done": "done"})  # fmt: skip


def notes(*told):
    """A model that takes these down, one after the other."""
    waiting = list(told)
    none = {
        "pier": None,
        "seats": None,
        "phone": None,
        "refused": [],
        "asks_why": False,
        "right": None,
    }
    return lambda text, need: json.dumps({**none, **waiting.pop(0)})


class TestCollect:
    def test_all_is_taken_from_one_message_and_one_thing_is_asked_at_a_time(self):
        say = notes({"seats": "three"}, {"pier": "from hollin, please"}, {"phone": "0123"})
        found, world = walked(collecting(), "three seats", say, hears=["from Hollin", "0123"])
        assert found.outputs["facts"] == {"pier": "Hollin", "seats": 3, "phone": "0123"}
        assert world.said == ["Which pier?", "A phone number?"]
        assert found.steps[0].calls == 3
        assert [tuple(each) for each in found.talk][:2] == [
            ("Which pier?", "from Hollin"),
            ("A phone number?", "0123"),
        ]

    def test_what_is_no_value_is_asked_again_in_other_words(self):
        told = notes(
            {},
            {"pier": "the old one"},
            {"pier": "Hollin", "seats": "90"},
            {"seats": "4"},
            {"phone": "1"},
        )
        found, world = walked(collecting(), say=told, hears=["a", "b", "c", "d"])
        assert world.said[1] == (
            "I could not make that out. Which pier? It can be Hollin or Marrow Steps."
        )
        assert (
            world.said[2]
            == "I could not make that out. How many seats? A number from 1 to 40, please."
        )
        assert found.outputs["facts"]["seats"] == 4

    def test_a_refusal_is_told_why_then_what_is_required_ends_it_and_the_rest_is_let_go(self):
        no = {"refused": ["seats"]}
        told = notes({"pier": "Hollin"}, no, no)
        found, world = walked(collecting(), say=told, hears=["no", "still no"])
        assert world.said == [
            "How many seats?",
            "The boat has 40. How many seats? A number from 1 to 40, please.",
        ]
        assert (found.ended, found.steps[-1].name) == ("halted", "facts")
        assert "was refused" in found.why
        assert found.talk[-1].says.startswith("I can’t go on without that.")
        told = notes({"pier": "Hollin", "seats": 2}, {"refused": ["phone"]})
        found, _ = walked(collecting(), say=told, hears=["no"])
        assert (found.ended, found.outputs["facts"]) == ("done", {"pier": "Hollin", "seats": 2})

    def test_it_gives_up_after_so_many_times_and_may_go_on_without(self):
        told = collecting(asks=2, on_giving_up="go_on")
        found, world = walked(told, say=notes({}, {}, {}), hears=["hm", "hm", "hm"])
        assert len(world.said) == 2
        assert (found.ended, found.outputs) == ("done", {"facts": {}, "done": "booked"})
        assert "asked for 2 times" in found.steps[0].fault

    def test_silence_is_followed_up_once(self):
        told = notes({"seats": 2}, {"pier": "Hollin"}, {"phone": "1"})
        found, world = walked(
            collecting(follow_up_minutes=5), say=told, hears=[None, "Hollin", "1"]
        )
        assert world.said[:2] == ["Which pier?", "Are you still there? Which pier?"]
        assert found.ended == "done"
        found, _ = walked(collecting(), say=notes({"seats": 2}), hears=[None])
        assert (found.ended, found.why) == ("halted", "Step 1, facts: Nothing was said.")

    def test_it_reads_back_until_that_is_right(self):
        first = {"pier": "Hollin", "seats": 2, "phone": "1"}
        told = notes(first, {"right": False, "seats": 3}, {"right": True})
        found, world = walked(collecting(reads_back=True), say=told, hears=["no, three", "yes"])
        assert world.said == [
            "I noted pier: Hollin; seats: 2; phone: 1. Is that right?",
            "I noted pier: Hollin; seats: 3; phone: 1. Is that right?",
        ]
        assert found.outputs["facts"]["seats"] == 3

    def test_what_is_known_from_an_earlier_turn_is_neither_asked_nor_read_back_again(self):
        step = {"kind": "collect", "name": "facts", "fields": FIELDS, "model": "small", "writes": "said",
                "begins": "question", "reads_back": True}  # fmt: skip
        told = chain(step, outputs={"seats": "said.seats"}, talk={"words": "question"})
        say = notes(
            {"pier": "Hollin", "seats": 2}, {"refused": ["phone"]}, {"right": True},  # the first turn
            {}, {"seats": 3}, {"right": True},
        )  # fmt: skip
        found, world = walked(
            told, "two from Hollin", say, hears=["no", "yes", "thanks", "make it three", "yes"]
        )
        assert [each.partition(" pier")[0] for each in world.said] == [
            "A phone number?", "I noted", "2", "2", "I noted", "3",
        ]  # fmt: skip
        assert found.ended == "done"

    def test_what_is_no_plain_value_is_no_fact(self):
        odd = {"pier": ["Hollin"], "seats": {}, "phone": {"number": 1}, "refused": [{}, ["pier"]]}
        found, world = walked(collecting(asks=1), say=notes(odd, odd), hears=["x"])
        assert (found.ended, found.steps[0].wrote) == ("halted", {"said": {}})
        assert world.said == [
            "I could not make that out. Which pier? It can be Hollin or Marrow Steps."
        ]

    def test_a_model_that_takes_nothing_down_fails_the_step(self):
        found, _ = walked(collecting(), say=lambda text, need: "I would love to help!")
        assert (found.ended, "no JSON" in found.why) == ("failed", True)

    @pytest.mark.parametrize(("retries", "ended"), [(0, "failed"), (2, "done")])
    def test_what_is_not_taken_down_is_read_again_as_often_as_it_says(self, retries, ended):
        """The talk goes on where it was: nobody is asked for what they said already."""
        waiting = [{"pier": "Hollin"}, EpistemError("It is away."), "no record", {"seats": 2}]
        told = notes(*(each for each in waiting if isinstance(each, dict)), {"phone": "1"})

        def say(text, need):
            one = waiting.pop(0) if waiting else {}
            return told(text, need) if isinstance(one, dict) else one

        found, world = walked(collecting(retries=retries), say=say, hears=["two", "0123"])
        assert found.ended == ended
        assert world.said[0] == "How many seats?"
        assert len(world.said) == (2 if ended == "done" else 1)

    def test_any_talk_ends_and_is_resumed_from_its_record(self):
        told = notes({}, {"pier": "Hollin"}, {"seats": 2}, {"phone": "1"})
        run = Run(Walk(collecting(), SPEAKERS).program({"question": "x"}))
        found = settled(run, World(told, hears=["a", "b", "c"]))
        assert (
            replayed(Walk(collecting(), SPEAKERS).program({"question": "x"}), run.record) == found
        )

    @given(st.lists(st.dictionaries(
        st.sampled_from(["pier", "seats", "phone", "refused", "asks_why", "right", "other"]),
        st.sampled_from([None, "Hollin", "x", 3, True, ["pier"], ["phone", "seats"], {}, [{}], "9" * 400]),
        max_size=5,
    ), max_size=60))  # fmt: skip
    def test_it_ends_whatever_a_model_takes_down(self, told):
        waiting = list(told)
        say = lambda text, need: json.dumps(waiting.pop(0) if waiting else {})  # noqa: E731
        found, world = walked(collecting(reads_back=True), say=say, hears=["x"] * 200)
        assert found.ended in ("done", "halted")
        assert len(world.said) < 40


class TestFacts:
    @pytest.mark.parametrize(
        ("kind", "told", "value"),
        [
            ("whole", "about 1,200 people", 1200),
            ("whole", "2.5", None),
            ("whole", "3 or 4", None),
            ("number", "2,5", 2.5),
            ("number", "9" * 400, None),
            ("yes_no", "Yes, please", True),
            ("yes_no", "no thanks", False),
            ("yes_no", "maybe", None),
            ("date", "3 May 2027", "2027-05-03"),
            ("date", "2027-02-30", None),
            ("date", "next week", None),
            ("time", "at 2:30 pm", "14:30"),
            ("time", "25:00", None),
            ("time", "9", "09:00"),
            ("text", "  ", None),
        ],
    )
    def test_words_become_values_of_their_kind(self, kind, told, value):
        assert placed_value(CollectedField(name="x", kind=kind), told) == value

    @given(st.sampled_from(["number", "whole", "date", "time", "yes_no", "choice"]), st.text())
    def test_no_words_break_it(self, kind, told):
        field = CollectedField(name="x", kind=kind, choices=["a", "b"], least=1, most=5)
        value = placed_value(field, told)
        assert (
            value is None or kind in ("date", "time", "yes_no", "choice") or 1 <= float(value) <= 5
        )


TALK = {"words": "question", "turns": 4}


class TestTurns:
    def test_the_state_lasts_and_each_step_sees_what_it_declares(self):
        asked = []

        def say(text, need):
            asked.append([each["content"] for each in json.loads(need.body.content)["messages"]])
            return f"re {text}"

        told = chain(
            put("count", n="n + 1"),
            {**ask("all"), "sees": {"how": "all"}},
            {**ask("last", writes="other"), "sees": {"how": "last", "last": 1}},
            {**ask("none", writes="other")},
            state=({"name": "n", "start": 0}, "said", "other"),
            outputs={"said": "said + ' #' + string(n)"},
            talk=TALK,
        )
        found, world = walked(told, "one", say, hears=["two", "three"])
        assert world.said == ["re one #1", "re two #2", "re three #3"]
        assert found.outputs == {"said": "re three #3"}
        assert asked[6:] == [
            ["one", "re one #1", "two", "re two #2", "three"],
            ["re two #2", "three"],
            ["three"],
        ]
        assert (found.ended, found.why) == ("done", "Nothing more was said.")
        assert [each.at for each in found.steps][::4] == ["t1.1", "t2.1", "t3.1"]

    def test_it_is_over_after_its_turns_or_once_that_is_true(self):
        told = chain(ask("a"), talk={**TALK, "turns": 2})
        found, world = walked(told, hears=["x"] * 9)
        assert (len(world.said), found.why) == (2, "After 2 turns the talk is over.")
        found, world = walked(
            chain(ask("a"), talk={**TALK, "until": "said == 'BYE'"}), hears=["bye", "x"]
        )
        assert (len(world.said), found.why, found.talk[-1].says) == (1, "The talk is done.", "BYE")

    def test_a_summary_is_kept_and_seen(self):
        seen = []

        def say(text, need):
            if "Keep a talk in short" in need.body.content.decode():
                return f"short of {text}"
            seen.append([m["content"] for m in json.loads(need.body.content)["messages"]])
            return "ok"

        told = chain(
            {**ask("a"), "sees": {"how": "summary"}}, talk={**TALK, "summary": {"model": "large"}}
        )
        found, _ = walked(told, "one", say, hears=["two"])
        assert seen[1] == [
            "What was said so far, in short: short of The person: one\nThe answer: ok", "I know it.", "two",
        ]  # fmt: skip
        assert [each.kind for each in found.steps] == ["ask", "summary", "ask", "summary"]

    def test_in_a_trial_the_person_is_played_or_nobody_is_there(self):
        def person(answers):
            yield from ()
            return "more" if len(answers) < 3 else None

        found, world = walked(chain(ask("a"), talk=TALK), where="trial", person_says=person)
        assert [tuple(each) for each in found.talk] == [
            ("WHEN?", "more"),
            ("MORE", "more"),
            ("MORE", None),
        ]
        assert world.said == []
        found, _ = walked(chain(ask("a"), talk=TALK), where="trial")
        assert (found.ended, len(found.talk)) == ("done", 1)


class TestChoices:
    WAYS = (
        {"name": "fare", "about": "prices", "steps": [put("f", said="'2.40'")]},
        {"name": "lost", "about": "lost things", "steps": [put("l", said="'hut'")]},
    )

    def route(self, **more):
        chooser = {"model": "large", "of": "question"}
        return chain({"kind": "route", "name": "which", "ways": list(self.WAYS), "chooser": chooser,
                      "otherwise": [put("o", said="'hello'")], **more})  # fmt: skip

    def test_a_model_chooses_among_described_ways(self):
        found, _ = walked(self.route(), say=lambda text, need: '{"way": "Lost"}')
        assert (found.outputs, found.steps[0].told, found.steps[0].calls) == (
            {"said": "hut"},
            "lost",
            1,
        )

    def test_a_way_that_there_is_not_is_otherwise_and_told(self):
        found, _ = walked(self.route(), say=lambda text, need: "teleport")
        assert (found.ended, found.outputs) == ("done", {"said": "hello"})
        assert found.steps[0].fault == "large chose “teleport”, which is no way here."
        told = ["nowhere", "fare"]
        found, _ = walked(self.route(retries=1), say=lambda text, need: told.pop(0))
        assert found.outputs == {"said": "2.40"}

    def test_the_best_by_checks_and_all_merged_by_a_prompt(self):
        vote = {
            "kind": "vote",
            "name": "v",
            "prompt": prompt(),
            "model": "small",
            "times": 3,
            "writes": "said",
        }
        texts = ["far too long to be of any use", "short", "also short"]
        say = lambda text, need: texts[need.seed - 1]  # noqa: E731
        checks = [{"check": "structure.length", "options": {"most": 2}}]
        found, _ = walked(chain({**vote, "checks": checks}), say=say)
        assert found.outputs == {"said": "short"}
        assert "answer 2 of 3" in found.steps[0].told
        merge = {"model": "large", "prompt": prompt("{{ answers | join(' + ') }}")}
        both = lambda text, need: text if " + " in text else texts[need.seed - 1]  # noqa: E731
        found, _ = walked(chain({**vote, "merge": merge}), say=both)
        assert found.outputs == {"said": " + ".join(texts)}
        assert found.steps[0].calls == 4


SEND = {"kind": "send", "name": "tell", "address": "https://hook.example/in", "body": {"q": "question"},
        "writes": "said"}  # fmt: skip


class TestSend:
    def test_nothing_goes_out_unless_that_was_allowed_and_never_in_a_trial(self):
        for how in ({}, {"where": "trial", "sends": "w1"}):
            found, world = walked(chain(SEND), **how)
            assert (found.ended, world.asked) == ("done", [])
            assert "It would be: " in found.steps[0].told

    def test_each_sending_has_a_key_by_which_it_is_told_apart_and_retries_have_the_same(self):
        needs = []

        class Down(World):
            def __call__(self, need):
                needs.append(need)
                return super().__call__(need)

        told = chain({**SEND, "retries": 1})
        for name in ("w1", "w2"):
            settled(Run(Walk(told, SPEAKERS, sends=name).program({"question": "x"})), Down())
        keys = [need.at_hand.tools[0].does.headers[0].value for need in needs]
        assert len(keys) == 4
        assert keys[0] == keys[1] != keys[2] == keys[3]


class TestFaults:
    @pytest.mark.parametrize(
        ("step", "more", "said"),
        [
            ({"kind": "route", "name": "r", "ways": [{"name": "r1", "when": "true"}]}, {}, "called as “r1” is"),
            ({"kind": "route", "name": "r", "ways": [{"name": "a"}]}, {}, "Say when “a” is taken."),
            ({"kind": "route", "name": "r", "ways": [{"name": "a"}], "chooser": {"model": "small", "of": "question"}},
             {}, "the model chooses by that"),
            ({**ask("a"), "sees": {"how": "summary"}}, {"talk": TALK}, "No summary of the talk"),
            ({**ask("a"), "kind": "vote", "times": 2, "checks": [{"check": "judge.yes_no"}]}, {}, "by plain checks"),
            ({**ask("a"), "kind": "vote", "times": 2, "checks": [{"check": "nope"}]}, {}, "no check “nope”"),
            ({"kind": "check", "name": "c", "of": "question", "checks": [{"check": "nope", "on_failure": "repair"}]},
             {}, "no check “nope”"),
            (ask("a"), {"talk": {"words": "nothing"}}, "There is no input “nothing”"),
            ({"kind": "send", "name": "s", "address": "ftp://x", "body": {}}, {}, "no address that begins"),
            ({"kind": "collect", "name": "c", "model": "small", "writes": "said",
              "fields": [{"name": "a", "kind": "choice"}, {"name": "right"}]}, {}, "has no choices"),
        ],
    )  # fmt: skip
    def test_what_is_wrong_is_told_at_its_place(self, step, more, said):
        found = [fault for fault in faults_of(chain(step, **more)) if fault.stops]
        assert any(said in fault.message for fault in found), found

    @pytest.mark.parametrize(
        ("more", "in_vain"),
        [
            ({"writes": {"said": "question"}}, True),
            ({"writes": {"said": "'text'"}}, True),
            ({"writes": ""}, True),
            ({"writes": {"said": "question + text"}}, False),
            ({"writes": {"said": "json.a"}}, False),
            ({"writes": "said"}, False),
            ({"writes": "", "prompt": prompt(tools=[{"name": "ring"}])}, False),
        ],
    )
    def test_an_answer_that_is_thrown_away_is_a_doubt(self, more, in_vain):
        found = [
            f for f in faults_of(chain({**ask("a"), **more})) if "asked for nothing" in f.message
        ]
        assert [(f.at, f.stops) for f in found] == [("1", False)] * in_vain

    def test_a_collecting_step_stands_in_no_branch(self):
        collect = {
            "kind": "collect",
            "name": "c",
            "model": "small",
            "writes": "said",
            "fields": FIELDS,
        }
        each = {
            "kind": "each",
            "name": "e",
            "over": "[1]",
            "steps": [collect],
            "gives": "1",
            "writes": "said",
        }
        assert any("side by side" in fault.message for fault in faults_of(chain(each)))
