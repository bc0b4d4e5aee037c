"""What a step of a chain took, and which caps hold: on all its attempts, of all its calls."""

import json

import pytest

from epistem.core.chains.walking import Walk
from epistem.core.engine.run import Run, settled
from epistem.core.errors import WireError
from epistem.core.wire.reply import NOT_TOLD, Reply, ToolCall, Usage
from tests.kit.chains import SPEAKERS, World, ask, chain, prompt, walked

CENTS = 10 * 0.001 + 5 * 0.002
TIDE = {"name": "tide", "by_example": [{"arguments": {"pier": "A"}, "answer": "6"}]}
ASKS = (ToolCall("1", "tide", '{"pier": "A"}'),)
CALL = Reply("", "tool_calls", Usage(10, 5), "small", tool_calls=ASKS)


def vote(**more):
    told = {"prompt": prompt(), "model": "small", "times": 3, "writes": "said", **more}
    return {"kind": "vote", "name": "three", **told}


def once_with_a_tool(text, need):
    """Asks for the tool in the first round of an answer."""
    told = json.loads(need.body.content)["messages"]
    return "fine" if any(each["role"] == "tool" for each in told) else CALL


def took(step):
    return step.calls, step.input_tokens, step.output_tokens, pytest.approx(step.cents)


class TestWhatAStepTook:
    def test_all_rounds_of_tools_count(self):
        found, world = walked(chain(ask("act", prompt=prompt(tools=[TIDE]))), say=once_with_a_tool)
        assert (found.outputs, world.asked) == ({"said": "fine"}, ["1.1", "1.1.1", "1.2"])
        assert took(found.steps[0]) == (2, 20, 10, 2 * CENTS)

    def test_attempts_that_led_to_nothing_count(self):
        said = iter(["no record", '{"label": "fare"}'])
        told = chain(ask("sort", writes={"said": "json.label"}, retries=1))
        found, _ = walked(told, say=lambda text, need: next(said))
        assert (found.outputs, took(found.steps[0])) == ({"said": "fare"}, (2, 20, 10, 2 * CENTS))

    def test_a_step_that_fails_tells_what_it_took(self):
        told = chain(ask("sort", writes={"said": "json.label"}, retries=2))
        found, _ = walked(told, say=lambda text, need: "no record")
        assert (found.ended, took(found.steps[0])) == ("failed", (3, 30, 15, 3 * CENTS))

    def test_what_holds_steps_counts_its_own_calls_only(self):
        way = {"name": "fare", "about": "of fares", "steps": [ask("tell")]}
        chooser = {"of": "question", "model": "large"}
        route = {"kind": "route", "name": "sort", "chooser": chooser, "ways": [way]}
        found, _ = walked(chain(route), say=lambda text, need: "fare")
        assert {step.at: step.calls for step in found.steps} == {"1": 1, "1.fare.1": 1}

    def test_a_check_counts_its_judges(self):
        judge = {"check": "judge.yes_no", "options": {"question": "Is it kind?", "model": "large"}}
        check = {
            "kind": "check",
            "name": "kind",
            "of": "question",
            "writes": "said",
            "checks": [judge],
        }
        found, world = walked(chain(check), say=lambda text, need: "Kind. Verdict: yes")
        assert (len(world.asked), found.steps[0].calls) == (1, 1), found

    def test_a_server_that_does_not_tell_is_estimated_and_kept_within_the_cap(self):
        silent = lambda text, need: Reply("word " * 50, "stop", NOT_TOLD, "small")  # noqa: E731
        found, _ = walked(chain(ask("draft")), say=silent)
        assert found.steps[0].output_tokens >= 50
        short = {"settings": {"max_tokens": 60}}
        told = chain(
            ask("draft", **short), ask("again", "{{ said }}", **short), caps={"cents": 0.3}
        )
        found, world = walked(told, say=silent)
        assert (found.ended, world.asked) == ("cap", ["1.1"])

    def test_a_server_that_counts_more_than_it_was_asked_for_ends_it_too(self):
        short = ask("draft", settings={"max_tokens": 5})
        much = lambda text, need: Reply("word", "stop", Usage(10, 900), "small")  # noqa: E731
        found, _ = walked(chain(short, caps={"cents": 0.5}), say=much)
        assert (found.ended, found.outputs) == ("cap", {})
        assert "a server counts more tokens" in found.why


class TestVotes:
    def test_each_may_use_tools(self):
        told = chain(vote(prompt=prompt(tools=[TIDE])))
        found, _ = walked(told, say=once_with_a_tool)
        assert (found.outputs, found.steps[0].told) == ({"said": "fine"}, "3 of 3")
        assert took(found.steps[0]) == (6, 60, 30, 6 * CENTS)

    def test_they_share_the_calls_that_are_left(self):
        tight = chain(vote(prompt=prompt(tools=[TIDE])), caps={"calls": 5})
        found, world = walked(tight, say=once_with_a_tool)
        assert found.ended == "cap"
        assert len([path for path in world.asked if path.count(".") == 2]) == 5
        assert "5 calls are allowed" in found.why
        found, world = walked(chain(vote(), caps={"calls": 2}))
        assert (found.ended, len(world.asked)) == ("cap", 2)

    def test_one_that_gets_no_answer_says_why(self):
        away = WireError("small can't be reached")
        found, _ = walked(chain(vote()), say=lambda text, need: away)
        assert (found.ended, found.trouble) == ("failed", away)
        assert "small can't be reached" in found.why

    @pytest.mark.parametrize("fails", [set(), {1}, {1, 2}, {1, 2, 3}])
    def test_replayed_it_took_the_same(self, fails):
        say = lambda text, need: WireError("broke") if need.seed in fails else text  # noqa: E731
        walk = Walk(chain(vote()), SPEAKERS, 1)
        run = Run(walk.program({"question": "x"}))
        first = settled(run, World(say))
        again = settled(Run(walk.program({"question": "x"}), dict(run.record)), World(say))
        assert again == first or fails == {1, 2, 3}
        assert again.steps == first.steps
