"""Programs: they end, a replay is the original, and resumed at any event they go on as if uninterrupted."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.engine.answers import MOST_AT_ONCE, Asking, answer, talk
from epistem.core.engine.looking import filled
from epistem.core.engine.needs import (
    AskModel,
    Found,
    FoundPassage,
    LookUp,
    SharedBody,
    UseTool,
    digest_of,
)
from epistem.core.engine.run import NotInRecord, Run, from_list, replayed
from epistem.core.errors import WireError
from epistem.core.prompts.content import Input, Prompt
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.tool import Tool
from epistem.core.prompts.tools import ToolResult, ToolsAtHand, answer_call
from epistem.core.wire.formats import FORMATS
from epistem.core.wire.reply import Reply, ToolCall, Usage

TOOLS = ToolsAtHand([Tool(name="tide", answer="high at six"), Tool(name="gate", answer="three")])
ROUNDS = TOOLS.choice.rounds + 1
LOOKS_UP = Prompt(
    messages=[{"role": "user", "parts": [{"name": "Said", "text": "{{ rules }} {{ said }}"}]}],
    inputs=[Input(name="rules", kind="passages", look_up=LookingUp(collection="rules"))],
)
CALL = st.builds(ToolCall, st.just("c"), st.sampled_from(["tide", "gate", "none"]), st.just("{}"))
REPLY = st.builds(
    lambda text, calls: Reply(text, "stop", Usage(1, 1), "m", "", tuple(calls)),
    st.text(max_size=5),
    st.one_of(st.just([]), st.lists(CALL, max_size=3)),
)
WIRE = st.sampled_from(sorted(FORMATS))


def body(*said):
    messages = [{"role": "user", "content": each} for each in said]
    content = json.dumps({"model": "m", "max_tokens": 9, "messages": messages}).encode()
    return Asking(SharedBody(content))


class World:
    """Answers needs by their digest, as a model with a fixed seed does; counts what it is asked."""

    def __init__(self, replies):
        self.replies, self.asked = replies, []

    def give(self, need):
        self.asked.append(need.path)
        if isinstance(need, UseTool):
            return answer_call(need.at_hand, need.name, need.arguments)
        if isinstance(need, LookUp):
            return Found(3, (FoundPassage(f"rules#{len(need.question)}", "", need.question, 1.0),))
        return self.replies[sum(need.digest) % len(self.replies)]


def program(wire, turns):
    form = FORMATS[wire]
    said = ["first", *turns]

    def asking_after(so_far):
        told, found = yield from filled(
            LOOKS_UP, {"said": said[0]}, so_far, f"{len(so_far) // 2}.look"
        )
        asking = body(said[0], *(turn.text for turn in so_far), json.dumps(told["rules"]))
        return asking._replace(found=found)

    def says(answers):
        yield from ()
        return turns[len(answers) - 1] if len(answers) <= len(turns) else None

    return talk(form, asking_after, says, 7, TOOLS)


def carried_out(run, world, most=10_000):
    for _ in range(most):
        if run.need is None:
            return run.result
        run.give(world.give(run.need))
    raise AssertionError("it does not end")


@given(WIRE, st.lists(st.text(max_size=4), max_size=3), st.lists(REPLY, min_size=1, max_size=6))
def test_a_talk_ends_and_its_replay_is_the_original(wire, turns, replies):
    world = World(replies)
    run = Run(program(wire, turns))
    result = carried_out(run, world)
    assert len(result) == len(turns) + 1
    assert len(world.asked) <= (len(turns) + 1) * ROUNDS * 4
    assert replayed(program(wire, turns), run.record) == result
    assert list(run.record) == world.asked


@given(
    WIRE,
    st.lists(st.text(max_size=4), max_size=3),
    st.lists(REPLY, min_size=1, max_size=6),
    st.data(),
)
def test_resumed_at_any_event_it_goes_on_as_if_uninterrupted(wire, turns, replies, data):
    whole, world = Run(program(wire, turns)), World(replies)
    result = carried_out(whole, world)
    cut = data.draw(st.integers(0, len(world.asked)))
    kept = {path: whole.record[path] for path in world.asked[:cut]}
    # Only what models said is kept; tools say the same again.
    of_models = {path: noted for path, noted in kept.items() if path.count(".") == 1}
    for record in (kept, of_models):
        again = World(replies)
        resumed = Run(program(wire, turns), dict(record))
        assert carried_out(resumed, again) == result
        assert set(again.asked).isdisjoint(record), "what is recorded was asked again"
        assert resumed.record == whole.record


def test_a_replay_departs_where_the_record_differs_first():
    replies = [Reply("a", "stop", Usage(1, 1), "m")]
    run = Run(program("chat_completions", ["next"]))
    carried_out(run, World(replies))
    assert sorted(run.record) == ["0.1", "0.look.rules", "1.1", "1.look.rules"]
    with pytest.raises(NotInRecord) as departed:
        replayed(program("chat_completions", ["another"]), run.record)
    assert departed.value.field == "1.look.rules"


def test_rounds_of_tools_by_a_list():
    asks = Reply("", "tool_calls", Usage(1, 1), "m", "", (ToolCall("c1", "tide", '{"pier": "x"}'),))
    said = Reply("at six", "stop", Usage(1, 1), "m")
    form = FORMATS["chat_completions"]
    needs, result = from_list(
        answer(form, body("when?"), 3, TOOLS), [asks, ToolResult("high at six"), said]
    )
    assert [need.path for need in needs] == ["0.1", "0.1.1", "0.2"]
    assert (result.reply, result.rounds, len(result.tools)) == (said, 2, 1)
    ask = needs[2]
    assert isinstance(ask, AskModel)
    assert ask.digest == digest_of(ask.body.hash, 3) != needs[0].digest
    told = json.loads(ask.body.content)["messages"]
    assert told[1]["content"] == ""  # some servers refuse a message without any
    assert told[2] == {"role": "tool", "tool_call_id": "c1", "content": "high at six"}


def test_a_need_that_fails_is_thrown_into_the_program():
    with pytest.raises(WireError, match="broke"):
        from_list(answer(FORMATS["messages"], body("x"), None), [WireError("it broke")])


def test_one_that_calls_tools_for_ever_is_taken_at_its_last_word():
    asks = Reply("hm", "tool_calls", Usage(1, 1), "m", "", (ToolCall("c", "tide", "{}"),))
    result = carried_out(Run(answer(FORMATS["messages"], body("x"), 1, TOOLS)), World([asks]))
    assert (result.rounds, result.reply.text) == (ROUNDS, "hm")


def test_ten_thousand_calls_in_one_reply_are_not_made():
    calls = tuple(ToolCall(f"c{n}", "tide", "{}") for n in range(10_000))
    asks = Reply("", "tool_calls", Usage(1, 1), "m", "", calls)
    said = Reply("at six", "stop", Usage(1, 1), "m")
    world = World([asks])
    run = Run(answer(FORMATS["chat_completions"], body("when?"), 3, TOOLS))
    while isinstance(run.need, UseTool) or not world.asked:
        run.give(world.give(run.need))
    assert len(world.asked) == 1 + MOST_AT_ONCE
    told = json.loads(run.need.body.content)["messages"]
    assert len(told) == 2 + 10_000
    assert "was not made" in told[-1]["content"]
    run.give(said)
    assert run.result.reply == said
