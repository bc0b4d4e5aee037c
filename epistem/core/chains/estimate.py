"""What a walk will take, before it is paid for: calls, tokens and money, at least, likely and at most."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from epistem.core.chains.content import (
    MOST_ITEMS,
    AnyStep,
    Ask,
    Both,
    CallStep,
    Chain,
    Each,
    Repeat,
    Route,
    Vote,
    inside,
)  # fmt: skip
from epistem.core.chains.depends import asked_of
from epistem.core.chains.walked import Speaker
from epistem.core.prompts.content import parts_of
from epistem.core.prompts.request import tokens_of_tools
from epistem.core.wire import tokens

USUAL_OUTPUT, USUAL_INPUT, USUAL_ITEMS = 150, 60, 3
"""Tokens of an answer without a limit, tokens of an input, items of a list that is not there yet."""


class Taken(NamedTuple):
    calls: float = 0.0
    input_tokens: float = 0.0
    output_tokens: float = 0.0
    cents: float = 0.0

    def and_(self, other: Taken) -> Taken:
        return Taken(*(a + b for a, b in zip(self, other, strict=True)))

    def times(self, number: float) -> Taken:
        return Taken(*(number * each for each in self))


class Outlook(NamedTuple):
    """Of one walk. `likely` takes half of a loop's rounds, three items of a list, the mean of a route's ways."""

    least: Taken
    likely: Taken
    most: Taken


NOTHING = Outlook(Taken(), Taken(), Taken())


def outlook_of(chain: Chain, speakers: Mapping[str, Speaker]) -> Outlook:
    """The caps count: no walk makes more calls than they allow."""
    told = _all(chain.steps, speakers)
    return Outlook(*(_within(each, chain.caps.calls) for each in told))


def _within(taken: Taken, calls: int) -> Taken:
    return taken.times(calls / taken.calls) if taken.calls > calls else taken


def _all(steps: Sequence[AnyStep], speakers: Mapping[str, Speaker]) -> Outlook:
    found = NOTHING
    for step in steps:
        each = _of(step, speakers)
        if step.only_if:
            each = each._replace(least=Taken())
        found = Outlook(*(a.and_(b) for a, b in zip(found, each, strict=True)))
    return found


def _of(step: AnyStep, speakers: Mapping[str, Speaker]) -> Outlook:
    if isinstance(step, Ask | Vote):
        one = _asked(step, speakers)
        if isinstance(step, Vote):
            return Outlook(*[one.times(step.times)] * 3)
        rounds = 1 + (step.prompt.tool_choice.rounds if step.prompt.tool_choice else 8)
        with_tools = rounds if step.prompt.tools else 1
        return Outlook(one, one, one.times(max(with_tools, 1 + step.retries)))
    if isinstance(step, Repeat):
        inner = _all(step.steps, speakers)
        return Outlook(
            inner.least, inner.likely.times((1 + step.most) / 2), inner.most.times(step.most)
        )
    if isinstance(step, Each):
        inner = _all(step.steps, speakers)
        return Outlook(Taken(), inner.likely.times(USUAL_ITEMS), inner.most.times(MOST_ITEMS))
    if isinstance(step, Route):
        ways = [_all(steps, speakers) for _, steps in inside(step)]
        likely = Taken()
        for way in ways:
            likely = likely.and_(way.likely.times(1 / len(ways)))
        by_calls = sorted(ways, key=lambda way: way.least.calls)
        most = max(ways, key=lambda way: way.most.calls)
        return Outlook(by_calls[0].least, likely, most.most)
    if isinstance(step, Both):
        found = NOTHING
        for _, steps in inside(step):
            branch = _all(steps, speakers)
            found = Outlook(*(a.and_(b) for a, b in zip(found, branch, strict=True)))
        return found
    return outlook_of(step.chain, speakers) if isinstance(step, CallStep) else NOTHING


def _asked(step: Ask | Vote, speakers: Mapping[str, Speaker]) -> Taken:
    prompt = step.prompt
    sent = sum(tokens.count(part.text) + tokens.PER_MESSAGE for _, _, part in parts_of(prompt))
    sent += USUAL_INPUT * len(list(asked_of(prompt))) + tokens_of_tools(prompt)
    limit = step.settings.over(prompt.settings).max_tokens
    written = min(USUAL_OUTPUT, limit / 2) if limit else USUAL_OUTPUT
    speaker = speakers.get(step.model)
    cents = sent * speaker.input_cents + written * speaker.output_cents if speaker else 0.0
    return Taken(1, sent, written, cents)
