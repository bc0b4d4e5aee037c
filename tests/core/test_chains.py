"""Chains: what is wrong with one, and what a walk of one does."""

import json

import pytest

from epistem.core.chains.depends import ledger, names_in
from epistem.core.chains.faults import faults_of
from epistem.core.chains.walking import Changes, Walk, answer_text
from epistem.core.engine.needs import (
    LATE,
    LATE_DIGEST,
    Note,
    PersonSaid,
    Take,
    Together,
)
from epistem.core.engine.run import Noted, Run, given_by, replayed
from epistem.core.errors import WireError
from epistem.core.prompts.tools import ToolResult
from epistem.starters import patterns
from tests.kit.chains import INNER, PAUSE, SPEAKERS, World, ask, chain, prompt, put, walked


class TestSteps:
    def test_an_answer_goes_on_to_the_next_step(self):
        found, world = walked(chain(ask("draft"), ask("again", "{{ said }}!", "said")))
        assert (found.ended, found.outputs) == ("done", {"said": "WHEN?!"})
        assert world.asked == ["1.1", "2.1"]
        assert [(each.at, each.given, each.wrote) for each in found.steps] == [
            ("1", {"question": "when?"}, {"said": "WHEN?"}),
            ("2", {"said": "WHEN?"}, {"said": "WHEN?!"}),
        ]
        assert found.steps[0].cents == pytest.approx(10 * 0.001 + 5 * 0.002)

    def test_fields_of_an_answer_are_written_by_expressions(self):
        writes = {"label": "json.label", "long": "size(text) > 5", "why": "reasoning"}
        told = chain(
            ask("sort", writes=writes),
            state=("label", "long", "why"),
            outputs={"label": "label", "long": "long"},
        )
        found, _ = walked(told, say=lambda text, need: 'Here: {"label": "fare"}')
        assert found.outputs == {"label": "fare", "long": True}

    def test_values_replace_append_and_merge(self):
        state = ["one", {"name": "all", "how": "append"}, {"name": "facts", "how": "merge"}]
        told = chain(
            put("a", one="1", all="'x'", facts="{'a': 1}"),
            put("b", one="one + 1", all="['y', 'z']", facts="{'b': one}"),
            state=state,
            outputs={"all": "all", "facts": "facts", "one": "one"},
        )
        assert walked(told)[0].outputs == {
            "all": ["x", "y", "z"],
            "facts": {"a": 1, "b": 1},
            "one": 2,
        }

    def test_looking_up_and_a_tool(self):
        tool = {
            "name": "tide",
            "by_example": [{"arguments": {"pier": "when?"}, "answer": '{"high": 6}'}],
        }
        told = chain(
            {"kind": "look_up", "name": "rules", "looking": {"collection": "rules"}, "question": "question",
             "writes": "found"},
            {"kind": "tool", "name": "tide", "tool": tool, "arguments": {"pier": "question"}, "writes": "tide"},
            state=("found", "tide"),
            outputs={"text": "found[0].text", "high": "tide.high"},
        )  # fmt: skip
        assert walked(told)[0].outputs == {"text": "about when?", "high": 6}

    def test_a_route_takes_the_first_way_that_is_true(self):
        way = {
            "name": "late",
            "when": "question.contains('late')",
            "steps": [put("a", said="'sorry'")],
        }
        told = chain(
            {"kind": "route", "name": "which", "ways": [way, {**way, "name": "never", "steps": []}],
             "otherwise": [put("b", said="'hello'")]},
        )  # fmt: skip
        assert walked(told, "so late")[0].outputs == {"said": "sorry"}
        found, _ = walked(told)
        assert found.outputs == {"said": "hello"}
        assert [(each.at, each.told) for each in found.steps] == [
            ("1", "otherwise"),
            ("1.otherwise.1", ""),
        ]

    def test_a_loop_ends_when_it_is_true_and_else_keeps_its_best_round(self):
        loop = {"kind": "repeat", "name": "better", "most": 4, "until": "n >= 3",
                "steps": [put("more", n="n + 1", said="'v' + string(n)")]}  # fmt: skip
        state = ["said", {"name": "n", "start": 0}]
        found, _ = walked(chain(loop, state=state))
        assert (found.outputs, found.steps[0].told) == ({"said": "v2"}, "after round 3")
        best = {**loop, "until": "n > 9", "best": "n == 2 ? 9 : n"}
        found, _ = walked(chain(best, state=state))
        assert (found.outputs, found.steps[0].told) == ({"said": "v1"}, "not after 4 rounds")

    def test_items_side_by_side_come_in_order_and_keep_to_themselves(self):
        each = {"kind": "each", "name": "all", "over": "['a', 'b', 'c']", "gives": "said", "writes": "sums",
                "steps": [ask("one", "{{ item }}?")]}  # fmt: skip
        found, world = walked(chain(each, state=("said", "sums"), outputs={"sums": "sums"}))
        assert found.outputs == {"sums": ["A?", "B?", "C?"]}
        assert "said" not in found.state
        assert world.asked == ["1.i1.1.1", "1.i2.1.1", "1.i3.1.1"]

    def test_branches_are_joined_in_their_order(self):
        state = ["said", {"name": "all", "how": "append"}]
        both = {"kind": "both", "name": "two", "branches": [
            {"name": "x", "steps": [put("a", said="'x'", all="'1'"), put("b", all="size(all)")]},
            {"name": "y", "steps": [put("c", said="'y'", all="size(all)")]},
        ]}  # fmt: skip
        found, _ = walked(chain(both, state=state, outputs={"all": "all", "said": "said"}))
        assert found.outputs == {"all": ["1", 1, 0], "said": "y"}

    def test_a_branch_joins_what_its_best_round_left(self):
        state = [{"name": "n", "start": 0}, {"name": "all", "how": "append"}]
        loop = {"kind": "repeat", "name": "r", "most": 3, "until": "false", "best": "n == 2 ? 9 : n",
                "steps": [put("a", n="n + 1", all="n")]}  # fmt: skip
        both = {"kind": "both", "name": "two", "branches": [
            {"name": "x", "steps": [loop]}, {"name": "y", "steps": [put("b", all="'y'")]}]}  # fmt: skip
        found, _ = walked(chain(both, state=state, outputs={"n": "n", "all": "all"}))
        assert found.outputs == {"n": 2, "all": [0, 1, "y"]}

    def test_a_vote_takes_what_comes_most_often(self):
        vote = {
            "kind": "vote",
            "name": "three",
            "prompt": prompt(),
            "model": "small",
            "times": 5,
            "writes": "said",
        }
        say = lambda text, need: ["b", "a", "a", "c", "b"][need.seed - 1]  # noqa: E731
        assert walked(chain(vote), say=say)[0].outputs == {"said": "b"}
        fails = lambda text, need: WireError("broke") if need.seed < 5 else "z"  # noqa: E731
        found, _ = walked(chain(vote), say=fails)
        assert (found.outputs, found.steps[0].told) == ({"said": "z"}, "1 of 1")

    def test_a_check_records_or_halts(self):
        check = {"kind": "check", "name": "short", "of": "question", "writes": "wrong",
                 "checks": [{"check": "structure.length", "options": {"most": 2}}]}  # fmt: skip
        state = ("wrong",)
        found, _ = walked(chain(check, state=state, outputs={"n": "size(wrong)"}), "one two three")
        assert (found.ended, found.outputs) == ("done", {"n": 1})
        found, _ = walked(
            chain({**check, "on_failure": "halt"}, state=state, outputs={"n": "size(wrong)"}),
            "one two three",
        )
        assert (found.ended, found.outputs) == ("halted", {})
        assert "Step 1, short" in found.why

    def test_a_step_is_passed_over_and_one_is_asked_again(self):
        late = ask("late", only_if="question == 'no'")
        found, world = walked(chain(late, put("b", said="'x'")))
        assert (found.steps[0].passed_over, world.asked) == (True, [])
        broke = iter([WireError("broke"), "fine"])
        found, world = walked(chain(ask("again", retries=2)), say=lambda text, need: next(broke))
        assert (found.outputs, world.asked) == ({"said": "fine"}, ["1.1", "1~1.1"])


class TestPeople:
    told = chain(
        put("draft", said="'hi ' + question"),
        {"kind": "pause", "name": "may it", "shows": {"text": "said"}, "edits": "said", "writes": "word"},
        state=("said", "word"),
        outputs={"said": "said", "word": "word.word"},
    )  # fmt: skip

    def test_what_is_approved_goes_on_and_what_is_edited_goes_on_so(self):
        seen = []
        found, _ = walked(
            self.told, person=lambda need: seen.append(need) or PersonSaid("approved")
        )
        assert found.outputs == {"said": "hi when?", "word": "approved"}
        assert (seen[0].shows, seen[0].value, seen[0].then) == (
            {"text": "hi when?"},
            "hi when?",
            "refuse",
        )
        found, _ = walked(self.told, person=lambda need: PersonSaid("edited", "mine", "ada"))
        assert found.outputs == {"said": "mine", "word": "edited"}

    def test_what_is_refused_ends_it_unless_it_goes_on(self):
        refuse = lambda need: PersonSaid("refused", note="wrong pier")  # noqa: E731
        found, _ = walked(self.told, person=refuse)
        assert (found.ended, "wrong pier" in found.why) == ("refused", True)
        self.told.steps[1].on_refusal = "go_on"
        assert walked(self.told, person=refuse)[0].outputs["word"] == "refused"

    @pytest.mark.parametrize(("in_trials", "ended"), [("approve", "done"), ("refuse", "refused")])
    def test_in_a_trial_nobody_is_asked(self, in_trials, ended):
        told = self.told.model_copy(deep=True)
        told.steps[1].in_trials, told.steps[1].on_refusal = in_trials, "halt"
        found, world = walked(told, where="trial")
        assert (found.ended, world.asked) == (ended, [])


class TestCalls:
    def test_another_chain_is_walked_from_inputs_of_its_own(self):
        call = {"kind": "call", "name": "louder", "chain": INNER, "given": {"word": "question + '?'"},
                "writes": {"said": "out"}}  # fmt: skip
        found, world = walked(chain(call))
        assert (found.outputs, world.asked) == ({"said": "WHEN??!"}, ["1.in.1.1"])
        assert [(each.at, each.name) for each in found.steps] == [
            ("1", "louder"),
            ("1.in.1", "shout"),
        ]

    def test_its_caps_are_those_of_both(self):
        inner = {
            **INNER,
            "caps": {"calls": 0 + 1},
            "steps": [ask("a", "x", "loud"), ask("b", "y", "loud")],
        }
        told = chain(
            {
                "kind": "call",
                "name": "c",
                "chain": inner,
                "given": {"word": "question"},
                "writes": "said",
            }
        )
        assert "another" in walked(told)[0].why
        outer = chain(
            {"kind": "call", "name": "c", "chain": INNER, "given": {"word": "question"}, "writes": "said"},
            ask("more"), caps={"calls": 1},
        )  # fmt: skip
        assert walked(outer)[0].ended == "cap"


class TestLimits:
    def test_a_tool_that_fails_is_called_again_and_written_once(self):
        answers = iter(['{"error": "busy"}', '{"high": 6}'])
        tool = {"name": "tide"}
        step = {
            "kind": "tool",
            "name": "tide",
            "tool": tool,
            "arguments": {},
            "writes": "all",
            "retries": 1,
        }
        told = chain(step, state=({"name": "all", "how": "append"},), outputs={"all": "all"})

        class Busy(World):
            def __call__(self, need):
                self.asked.append(need.path)
                answer = next(answers)
                return ToolResult(answer, "busy" if "error" in answer else None)

        world = Busy()
        found = given_by(Walk(told, SPEAKERS).program({"question": "x"}), world)
        assert (found.outputs, world.asked) == ({"all": [{"high": 6}]}, ["1", "1~1"])

    def test_a_step_may_not_cost_more_than_it_may(self):
        short = {"settings": {"max_tokens": 10}}
        dear = {**ask("dear", **short), "cents": 0.01}
        found, world = walked(chain(dear))
        assert (found.ended, "0.01 cents" in found.why, world.asked) == ("cap", True, [])
        fine = chain({**ask("fine", **short), "cents": 1.0}, ask("more", "x"))
        assert walked(fine)[0].ended == "done"

    def test_where_money_is_capped_an_answer_may_not_be_as_long_as_it_likes(self):
        limits = []

        def say(text, need):
            limits.append(json.loads(need.body.content).get("max_tokens"))
            return text

        walked(chain({**ask("capped"), "cents": 9.0}, ask("free")), say=say)
        assert limits == [2_048, None]

    def test_a_step_that_takes_too_long_has_failed_and_a_replay_says_the_same(self):
        slow = {**put("slow", said="'x'"), "seconds": 2}
        run = Run(Walk(chain(slow), SPEAKERS).program({"question": "x"}))
        while run.need is not None:
            if isinstance(run.need, Together):
                assert run.need.seconds == 2
                run.record[run.need.late_path(0)] = Noted(LATE_DIGEST, True)
                run.give([LATE])
            else:
                assert isinstance(run.need, Note | Take)
                run.give(None)
        assert (run.result.ended, "longer than 2 s" in run.result.why) == ("failed", True)
        again = replayed(Walk(chain(slow), SPEAKERS).program({"question": "x"}), run.record)
        assert again[:5] == run.result[:5]
        assert walked(chain(slow))[0].outputs == {"said": "x"}

    def test_a_judge_is_asked_in_a_step(self):
        use = {"check": "judge.yes_no", "options": {"question": "Is it kind?", "model": "large"}}
        check = {
            "kind": "check",
            "name": "kind",
            "of": "question",
            "writes": "wrong",
            "checks": [use],
        }
        told = chain(check, state=("wrong",), outputs={"n": "size(wrong)"})
        found, world = walked(told, say=lambda text, need: '{"answer": "no", "reason": "curt"}')
        assert found.outputs == {"n": 1}
        assert world.asked
        assert all(path.startswith("1.judge.") for path in world.asked)


class TestChanges:
    def test_a_value_is_edited_before_a_step_and_a_step_writes_what_it_should_have(self):
        told = chain(ask("a"), ask("b", "{{ said }}!", "said"))
        edited, world = walked(told, changes=Changes(before={"2": {"said": "mine"}}))
        assert (edited.outputs, len(world.asked)) == ({"said": "MINE!"}, 2)
        right, world = walked(told, changes=Changes(instead={"1": {"said": "right"}}))
        assert (right.outputs, world.asked) == ({"said": "RIGHT!"}, ["2.1"])

    @pytest.mark.parametrize(
        ("outputs", "text"),
        [
            ({"a": "x"}, "x"),
            ({"a": {"b": 1}}, '{"b": 1}'),
            ({"a": 1, "b": "y"}, '{"a": 1, "b": "y"}'),
            ({}, "{}"),
        ],
    )
    def test_the_answer_of_a_chain_is_its_one_output_or_all_of_them(self, outputs, text):
        assert answer_text(outputs) == text


class TestEnds:
    @pytest.mark.parametrize(
        ("told", "ended", "why"),
        [
            (chain(put("a", said="1 / 0")), "failed", "Step 1, a: "),
            (chain(put("a", said="question.label")), "failed", "Step 1, a: "),
            (chain(ask("a", model="nobody")), "failed", "no model “nobody”"),
            (chain(put("a", said="1"), outputs={"x": "said.x"}), "failed", "The outputs: “said.x” can't be worked out"),
            (chain(*(put(f"s{n}", said="1") for n in range(9)), caps={"steps": 5}), "cap", "5 steps"),
            (chain(*(ask(f"a{n}") for n in range(9)), caps={"calls": 3}), "cap", "3 calls"),
            (chain(*(ask(f"a{n}", settings={"max_tokens": 5}) for n in range(9)), caps={"cents": 0.05}), "cap",
             "0.05 cents"),
            (chain({"kind": "each", "name": "e", "over": "question", "gives": "item", "writes": "said",
                    "steps": [put("a", said="item")]}), "failed", "not a list"),
        ],
        ids=range(8),
    )  # fmt: skip
    def test_it_says_why(self, told, ended, why):
        found, _ = walked(told)
        assert (found.ended, found.outputs) == (ended, {})
        assert why in found.why

    def test_ten_thousand_items_and_a_state_of_five_megabytes(self):
        each = {"kind": "each", "name": "e", "over": "said", "gives": "item", "writes": "said",
                "steps": [put("a", said="item")]}  # fmt: skip
        many = {"name": "said", "start": list(range(10_000))}
        assert "10,000 items; 200 at most" in walked(chain(each, state=[many]))[0].why
        found, _ = walked(chain(ask("a")), say=lambda text, need: "x" * 5_000_000)
        assert "2,000,000 at most" in found.why

    def test_one_that_fails_among_others_ends_the_walk_and_the_others_are_told(self):
        each = {"kind": "each", "name": "e", "over": "[1, 0, 2]", "gives": "said", "writes": "sums",
                "steps": [put("a", said="4 / item")]}  # fmt: skip
        found, _ = walked(chain(each, state=("said", "sums"), outputs={"l": "sums"}))
        assert found.ended == "failed"
        assert [each.wrote for each in found.steps[1:]] == [{"said": 4}, {}, {"said": 2}]


class TestFaults:
    @pytest.mark.parametrize(
        ("told", "at", "says"),
        [
            (chain(put("a", said="other")), "1", "reads other"),
            (chain({"kind": "each", "name": "e", "over": "[1]", "item": "said", "gives": "said", "writes": "said",
                    "steps": [put("a", said="1")]}), "1", "Call the item otherwise"),
            (chain({"kind": "both", "name": "b", "branches": [
                {"name": "x", "steps": [put("a", said="1")]}, {"name": "x", "steps": [put("c", said="1")]}]}),
             "1", "Each branch has a name"),
            (chain(put("a", other="1")), "1", "no value of the state"),
            (chain(put("a", said="1 +")), "1", "can't be read"),
            (chain(ask("a", "{{ said }}")), "1", "where nothing may have been written"),
            (chain(put("a", said="1"), put("a", said="2")), "", "Two steps are called"),
            (chain(put("a", said="1"), state=("said", "question")), "", "given twice"),
            (chain(put("a", said="1"), state=("said", "list")), "", "word of the expressions"),
            (chain({**put("a", said="1"), "only_if": "true"}, put("b", said="said")), "2", "nothing may have"),
            (chain(ask("a", "{{ nobody }}")), "1", "asks for nobody"),
            (chain({"kind": "route", "name": "r", "ways": [{"name": "w", "when": "true", "steps": []},
                    {"name": "v", "when": "false", "steps": []}]}), "1", "never taken"),
            (chain({"kind": "route", "name": "r", "ways": [{"name": "w", "when": "question == 'x'",
                    "steps": [put("a", said="1")]}]}, put("b", said="said")), "2", "nothing may have"),
            (chain({"kind": "check", "name": "c", "of": "question", "checks": [{"check": "nope"}]}), "1", "no check"),
            (chain({**put("a", said="1"), "retries": 2}), "1", "is tried again"),
            (chain(put("a", said="1"), personal=["nobody"]), "", "no input and no value"),
            (chain(PAUSE, state=("said", {"name": "all", "how": "append"})), "1", "can't edit it"),
            (chain({"kind": "call", "name": "c", "chain": INNER, "given": {"nope": "1"}, "writes": "said"}), "1",
             "no input nope"),
            (chain({"kind": "call", "name": "c", "chain": {**INNER, "outputs": {"out": "lost"}}, "writes": "said"}),
             "1", "In the chain that it calls"),
            (chain({"kind": "ask", "name": "a", "model": "small", "writes": {"said": "json.kind"},
                    "prompt": prompt(reply={"kind": "json", "json_schema": {"type": "object",
                    "properties": {"label": {}}}})}), "1", "has no field “kind”"),
        ],
        ids=range(20),
    )  # fmt: skip
    def test_what_stops_a_chain_is_said_at_its_place(self, told, at, says):
        found = [fault for fault in faults_of(told) if fault.stops]
        assert any(fault.at == at and says in fault.message for fault in found), found

    def test_doubts_do_not_stop_it(self):
        told = chain(put("a", said="1", other="2"), state=("said", "other"))
        assert [(f.at, f.message, f.stops) for f in faults_of(told)] == [
            ("1", "Nothing reads “other”.", False)
        ]

    @pytest.mark.parametrize("pattern", patterns.all_of(), ids=lambda each: each.title)
    def test_no_pattern_has_any(self, pattern):
        assert faults_of(pattern.chain) == []

    def test_a_sound_one_has_none(self):
        loop = {"kind": "repeat", "name": "r", "until": "size(wrong) == 0", "steps": [
            ask("draft", "{{ question }} {{ wrong }}"),
            {"kind": "check", "name": "c", "of": "said", "checks": [{"check": "structure.length"}], "writes": "wrong"},
        ]}  # fmt: skip
        told = chain(loop, state=["said", {"name": "wrong", "start": []}])
        assert faults_of(told) == []
        assert [(row.at, row.reads, row.writes) for row in ledger(told)] == [
            ("1", ("wrong",), ()),
            ("1.1", ("question", "wrong"), ("said",)),
            ("1.2", ("said",), ("wrong",)),
        ]

    @pytest.mark.parametrize(
        ("expression", "names"),
        [
            ("a + b.c", ["a", "b"]),
            ("size(a) > 1 && 'b' != a", ["a"]),
            ("a.all(x, x > b)", ["a", "b"]),
            ("{'k': a}['k'] == null", ["a"]),
            ("true", []),
        ],
    )
    def test_names_of_an_expression(self, expression, names):
        assert names_in(expression) == names


class TestAfterChecks:
    """What a step that judges does where its checks fail."""

    @pytest.mark.parametrize(
        ("does", "said", "ended", "wrong"),
        [
            ({"on_failure": "repair"}, "At nine", "done", 0),
            ({"on_failure": "decline", "decline_with": "Ask us."}, "Ask us.", "done", 1),
            ({"on_failure": "drop"}, None, "done", 1),
            ({"on_failure": "halt"}, None, "halted", 1),
            ({}, "At **nine**", "done", 1),
        ],
    )
    def test_what_it_judges_is_mended_replaced_left_out_or_ends_it(self, does, said, ended, wrong):
        step = {"kind": "check", "name": "c", "of": "said", "writes": "wrong",
                "checks": [{"check": "structure.plain_text", **does}]}  # fmt: skip
        told = chain(put("a", said="'At **nine**'"), step, state=("said", "wrong"))
        assert [fault for fault in faults_of(told) if fault.stops] == []
        found, _ = walked(told)
        assert (found.ended, found.outputs.get("said")) == (ended, said), found.why
        assert len(found.state["wrong"]) == wrong

    @pytest.mark.parametrize(
        ("use", "of", "says"),
        [
            ({"on_failure": "ask_again"}, "said", "Ask again by a loop"),
            ({"on_failure": "decline"}, "said", "Say what stands in its place"),
            ({"on_failure": "drop"}, "said + 'x'", "has to be a value of the state"),
        ],
    )
    def test_what_can_not_be_done_is_told_before(self, use, of, says):
        step = {
            "kind": "check",
            "name": "c",
            "of": of,
            "checks": [{"check": "structure.plain_text", **use}],
        }
        found = faults_of(chain(put("a", said="'x'"), step))
        assert any(says in fault.message for fault in found if fault.stops)
