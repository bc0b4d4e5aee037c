"""What a trial takes besides the answers: calls of judges, and of models that play people."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.persona import instructions
from epistem.core.cases.talk import likely_said
from epistem.core.wire import tokens

JUDGED_OUTPUT = 60
"""Tokens of a judge's reply: a score and a sentence or two."""
SHOWN_ALONE = 120
"""Tokens of a question, where a judge is shown no more than that of a request."""
SAID = 12
"""Tokens of what a person says at a time."""


class PlannedJudge(NamedTuple):
    """A judge of each answer: how often it is asked for one, how many tokens it is told besides what it is
    shown, whether it is shown the whole request, and what its model costs."""

    asked: int
    told_tokens: int
    shows_request: bool
    input_cents: float
    output_cents: float


class PlannedPerson(NamedTuple):
    """A model that plays people: what it costs."""

    input_cents: float
    output_cents: float


class Taken(NamedTuple):
    calls: int
    tokens: int
    cents: float


def judging(
    judges: Sequence[PlannedJudge], answers: int, answer_tokens: float, request_tokens: float
) -> Taken:
    """Of so many answers, of that length, to requests of that length."""
    calls = tokens_ = 0
    cents = 0.0
    for judge in judges:
        shown = request_tokens if judge.shows_request else min(request_tokens, SHOWN_ALONE)
        told = judge.told_tokens + answer_tokens + shown
        times = answers * judge.asked
        calls += times
        tokens_ += round(times * (told + JUDGED_OUTPUT))
        cents += times * (told * judge.input_cents + JUDGED_OUTPUT * judge.output_cents) / 1e6
    return Taken(calls, tokens_, cents)


def playing(
    people: Mapping[str, PlannedPerson], cases: Sequence[Case], times: int, answer_tokens: float
) -> Taken:
    """What it takes to have people played, each talk so many times."""
    calls = told = 0
    cents = 0.0
    for case in cases:
        persona = case.person.persona if case.person else None
        if persona is None or persona.model not in people:
            continue
        price, begun = people[persona.model], tokens.count(instructions(persona, ""))
        turns = likely_said(case) * times
        shown = turns * (begun + (likely_said(case) + 1) / 2 * (answer_tokens + SAID))
        calls += turns
        told += round(shown + turns * SAID)
        cents += (shown * price.input_cents + turns * SAID * price.output_cents) / 1e6
    return Taken(calls, told, cents)
