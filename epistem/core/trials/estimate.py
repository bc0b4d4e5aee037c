"""What a trial will take, before it is paid for: calls, tokens, money, time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import ceil
from typing import Any, NamedTuple

from epistem.core.errors import EpistemError, TooCostly
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.render import render
from epistem.core.prompts.settings import Settings
from epistem.core.templates.budget import MOST_STEPS, Budget
from epistem.core.wire import tokens
from epistem.core.wire.request import tokens_of_tools

MOST_RENDERED = 200
USUAL_OUTPUT = 150


class PlannedArm(NamedTuple):
    """What one arm asks with. `output_tokens` and `ms` are of its model's past answers, if any."""

    prompt: Prompt
    settings: Settings
    window: int
    input_cents: float
    output_cents: float
    output_tokens: float | None
    ms: float | None


class Estimate(NamedTuple):
    """Of a whole trial. `seconds` is None while nothing is known of the models' speed.

    `from_past` says whether the length of answers is that of past ones everywhere, or a guess (half
    the limit, or USUAL_OUTPUT) somewhere. `too_long` and `unfit` count requests, an arm and a case
    each, that are longer than the window, and that can't be made at all.
    """

    calls: int
    input_tokens: int
    output_tokens: int
    cents: float
    seconds: float | None
    from_past: bool
    too_long: int
    unfit: int


def estimate(
    arms: Sequence[PlannedArm], cases: Sequence[Mapping[str, Any]], repeats: int, in_flight: int
) -> Estimate:
    """`cases` are their inputs. Of more than MOST_RENDERED, so many are rendered, evenly spaced."""
    step = max(1, ceil(len(cases) / MOST_RENDERED))
    sample = cases[::step]
    asked, answered, cents, too_long, unfit, busy_ms = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for arm in arms:
        lengths = _lengths(arm.prompt, sample)
        each = len(cases) / len(lengths) if lengths else 0.0
        fit = [length for length in lengths if length is not None]
        calls = len(fit) * each * repeats
        output = _output(arm)
        unfit += (len(lengths) - len(fit)) * each
        too_long += sum(length + output > arm.window for length in fit) * each
        asked += sum(fit) * each * repeats
        answered += output * calls
        cents += sum(fit) * each * repeats * arm.input_cents / 1e6
        cents += output * calls * arm.output_cents / 1e6
        busy_ms += (arm.ms or 0.0) * calls
    known = bool(arms) and all(arm.ms is not None for arm in arms)
    return Estimate(
        calls=len(arms) * len(cases) * repeats,
        input_tokens=round(asked),
        output_tokens=round(answered),
        cents=cents,
        seconds=busy_ms / 1000 / in_flight if known else None,
        from_past=bool(arms) and all(arm.output_tokens is not None for arm in arms),
        too_long=round(too_long),
        unfit=round(unfit),
    )


def _output(arm: PlannedArm) -> float:
    if arm.output_tokens is not None:
        return arm.output_tokens
    limit = arm.settings.max_tokens
    return min(USUAL_OUTPUT, limit / 2) if limit else USUAL_OUTPUT


def _lengths(prompt: Prompt, cases: Sequence[Mapping[str, Any]]) -> list[int | None]:
    """Tokens of each request; None where the inputs do not fit the prompt, and for all that follow
    one that is too costly: it would be so again and again. Fewer than there are cases, where those
    so far took as many steps as are worth an estimate."""
    found: list[int | None] = []
    steps = 0
    for inputs in cases:
        budget = Budget()
        if found and steps > MOST_STEPS:
            break
        try:
            messages = render(prompt, inputs, budget)
            steps += MOST_STEPS - budget.steps
        except TooCostly:
            return [*found, *[None] * (len(cases) - len(found))]
        except EpistemError:
            found.append(None)
            continue
        said = sum(tokens.count(message.text) + tokens.PER_MESSAGE for message in messages)
        found.append(said + tokens_of_tools(prompt))
    return found
