"""What a walk will take, before it is paid for: calls, tokens and money, at least, likely and at most."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from epistem.core.chains.askings import Asking, askings_of
from epistem.core.chains.content import (
    MOST_ITEMS,
    AnyStep,
    Both,
    CallStep,
    Chain,
    Each,
    Repeat,
    Route,
    inside,
)
from epistem.core.chains.depends import asked_of
from epistem.core.chains.walked import Speaker
from epistem.core.prompts.content import parts_of
from epistem.core.prompts.request import tokens_of_tools
from epistem.core.wire import tokens

USUAL_OUTPUT, USUAL_INPUT, USUAL_ITEMS, USUAL_TURNS = 150, 60, 3, 3
"""Tokens of an answer without a limit, tokens of an input, items of a list that is not there yet, turns of a talk."""


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
    """The caps count: no walk makes more calls than they allow. Of a chain that converses, it is one turn at least,
    some likely, and all that it may take."""
    told = _all(chain.steps, speakers)
    if chain.talk:
        turns = min(USUAL_TURNS, chain.talk.turns)
        told = Outlook(told.least, told.likely.times(turns), told.most.times(chain.talk.turns))
    return Outlook(*(_within(each, chain.caps.calls) for each in told))


def _within(taken: Taken, calls: int) -> Taken:
    return taken.times(calls / taken.calls) if taken.calls > calls else taken


def _all(steps: Sequence[AnyStep], speakers: Mapping[str, Speaker]) -> Outlook:
    found = NOTHING
    for step in steps:
        each = _of(step, speakers)
        if step.only_if:
            each = each._replace(least=Taken())
        found = _sum(found, each)
    return found


def _sum(one: Outlook, other: Outlook) -> Outlook:
    return Outlook(*(a.and_(b) for a, b in zip(one, other, strict=True)))


def _of(step: AnyStep, speakers: Mapping[str, Speaker]) -> Outlook:
    own = NOTHING
    for asking in askings_of(step):
        one = _asked(asking, speakers)
        own = _sum(own, Outlook(*(one.times(number) for number in asking.times)))
    return _sum(own, _held(step, speakers))


def _held(step: AnyStep, speakers: Mapping[str, Speaker]) -> Outlook:
    """Of the steps inside, and of the chain that is called."""
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
            found = _sum(found, _all(steps, speakers))
        return found
    return outlook_of(step.chain, speakers) if isinstance(step, CallStep) else NOTHING


def _asked(asking: Asking, speakers: Mapping[str, Speaker]) -> Taken:
    prompt = asking.prompt
    sent = sum(tokens.count(part.text) + tokens.PER_MESSAGE for _, _, part in parts_of(prompt))
    sent += USUAL_INPUT * len(list(asked_of(prompt))) + tokens_of_tools(prompt)
    limit = asking.settings.over(prompt.settings).max_tokens
    written = min(USUAL_OUTPUT, limit / 2) if limit else USUAL_OUTPUT
    speaker = speakers.get(asking.model)
    cents = sent * speaker.input_cents + written * speaker.output_cents if speaker else 0.0
    return Taken(1, sent, written, cents)
