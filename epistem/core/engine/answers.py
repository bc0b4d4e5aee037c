"""The programs that answer a prompt: rounds of tools, and a talk whose turns are given."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import orjson

from epistem.core.engine.looking import FoundIn
from epistem.core.engine.needs import AskModel, Program, SharedBody, UseTool
from epistem.core.prompts.dialogue import Turn
from epistem.core.prompts.tools import ToolResult, ToolsAtHand, faulty
from epistem.core.wire.formats import WireFormat
from epistem.core.wire.reply import Reply, ToolCall

NO_TOOLS = ToolsAtHand()
MOST_AT_ONCE = 32
"""Calls of tools in one reply; a server that sends ten thousand does not make ten thousand calls elsewhere."""


class ToolUsed(NamedTuple):
    call: ToolCall
    result: ToolResult


@dataclass(frozen=True)
class Answered:
    """The last reply, and the tools that were used on the way to it."""

    reply: Reply
    tools: list[ToolUsed] = field(default_factory=list)
    rounds: int = 1
    found: tuple[FoundIn, ...] = ()


class Asking(NamedTuple):
    """A request that is ready, and what was looked up for it."""

    body: SharedBody
    found: tuple[FoundIn, ...] = ()


def answer(
    wire: WireFormat,
    asking: Asking,
    seed: int | None,
    at_hand: ToolsAtHand = NO_TOOLS,
    turn: int | str = 0,
    model: str = "",
) -> Program[Answered]:
    """One answer, of another `model` where that is named. It may take several calls: the model asks for tools, is
    told what they say, and goes on. Paths are `turn.round`, and `turn.round.call` for a tool. After the rounds
    that the prompt allows it has to answer without; one that calls all the same is taken at its last word."""
    body = asking.body
    used: list[ToolUsed] = []
    most = at_hand.choice.rounds + 1
    for rounds in range(1, most + 1):
        at = f"{turn}.{rounds}"
        reply: Reply = yield AskModel(at, body, seed, model)
        if not reply.tool_calls or rounds == most:
            break
        now: list[ToolUsed] = []
        for number, call in enumerate(reply.tool_calls, start=1):
            if number > MOST_AT_ONCE:
                result = faulty(f"At most {MOST_AT_ONCE} calls at once. This one was not made.")
            else:
                result = yield UseTool(f"{at}.{number}", at_hand, call.name, call.arguments)
            now.append(ToolUsed(call, result))
        used += now
        told = [(each.call, each.result.answer) for each in now]
        before, last = orjson.loads(body.content), rounds == most - 1
        body = SharedBody(orjson.dumps(wire.build_next(before, reply, told, last=last)))
    return Answered(reply, used, rounds, asking.found)


def talk(
    wire: WireFormat,
    asking_after: Callable[[Sequence[Turn]], Program[Asking]],
    says: Callable[[Sequence[str]], Program[str | None]],
    seed: int | None,
    at_hand: ToolsAtHand = NO_TOOLS,
) -> Program[list[Answered]]:
    """The answer to the first words, and to each of what the person says after it, in turn. `says` tells
    that from the answers so far, and may ask a model for it; None ends the talk.

    `asking_after` makes the request that asks for the next answer after these turns, and may look passages
    up for it; what it raises ends the talk.
    """
    turns: list[Turn] = []
    answers: list[Answered] = []
    while True:
        number = len(answers)
        asking = yield from asking_after(turns)
        answers.append((yield from answer(wire, asking, seed, at_hand, number)))
        said = yield from says([each.reply.text for each in answers])
        if said is None:
            return answers
        turns.append(Turn(role="assistant", text=answers[-1].reply.text))
        turns.append(Turn(role="user", text=said))
