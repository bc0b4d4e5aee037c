"""What a trial will take, before it is paid for: calls, tokens, money, time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import ceil
from types import MappingProxyType
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.talk import likely_answers
from epistem.core.chains.content import Chain
from epistem.core.chains.estimate import Taken
from epistem.core.engine.looking import presumed
from epistem.core.errors import EpistemError, TooCostly
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.dialogue import render_talk
from epistem.core.prompts.rename import with_old_names
from epistem.core.prompts.request import tokens_of_tools
from epistem.core.prompts.settings import Settings
from epistem.core.templates.budget import MOST_STEPS, Budget
from epistem.core.trials.besides import SAID, PlannedJudge, PlannedPerson, judging, playing
from epistem.core.wire import tokens

MOST_RENDERED = 200
USUAL_OUTPUT = 150


class PlannedArm(NamedTuple):
    """What one arm asks with. `output_tokens` and `ms` are of its model's past answers, if any;
    `aliases` are inputs of its prompt, and what they are called in the cases."""

    content: Prompt
    settings: Settings
    window: int
    input_cents: float
    output_cents: float
    output_tokens: float | None
    ms: float | None
    aliases: Mapping[str, str] = MappingProxyType({})


class PlannedChain(NamedTuple):
    """What an arm takes that is a chain: of one walk, likely, and by past ones where there were any."""

    chain: Chain
    likely: Taken
    settings: Settings
    ms: float | None

    @property
    def content(self) -> Chain:
        return self.chain


class Estimate(NamedTuple):
    """Of a whole trial, without judges and played people. `seconds` is None while nothing is known of the
    models' speed.

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
    judge_calls: int = 0
    judge_tokens: int = 0
    judge_cents: float = 0.0
    person_calls: int = 0
    person_cents: float = 0.0


def estimate(
    arms: Sequence[PlannedArm | PlannedChain],
    cases: Sequence[Case],
    repeats: int,
    in_flight: int,
    judges: Sequence[PlannedJudge] = (),
    people: Mapping[str, PlannedPerson] = MappingProxyType({}),
) -> Estimate:
    """Of more cases than MOST_RENDERED, so many are rendered, evenly spaced. A talk is asked as often
    as it has turns, each time with all that was said before."""
    step = max(1, ceil(len(cases) / MOST_RENDERED))
    sample = cases[::step]
    asked, answered, cents, too_long, unfit, busy_ms = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    walked = 0.0
    for arm in arms:
        if isinstance(arm, PlannedChain):
            taken = arm.likely.times(len(cases) * repeats)
            walked += taken.calls
            asked += taken.input_tokens
            answered += taken.output_tokens
            cents += taken.cents
            busy_ms += (arm.ms or 0.0) * len(cases) * repeats
            continue
        output = _output(arm)
        talks = _talks(arm, sample, output)
        each = len(cases) / len(talks) if talks else 0.0
        fit = [talk for talk in talks if talk is not None]
        calls = sum(map(len, fit)) * each * repeats
        sent = sum(map(sum, fit)) * each * repeats
        unfit += (len(talks) - len(fit)) * each
        too_long += sum(max(talk) + output > arm.window for talk in fit) * each
        asked += sent
        answered += output * calls
        cents += (sent * arm.input_cents + output * calls * arm.output_cents) / 1e6
        busy_ms += (arm.ms or 0.0) * calls
    judged_cases = sum(case.pair is None or not case.pair.is_variation for case in cases)
    readings = len(arms) * judged_cases * repeats
    plain = [arm for arm in arms if isinstance(arm, PlannedArm)]
    calls = len(plain) * repeats * sum(likely_answers(case) for case in cases) + round(walked)
    played = playing(people, cases, len(arms) * repeats, answered / max(calls, 1))
    judged = judging(judges, readings, answered / max(calls, 1), asked / max(calls, 1))
    known = bool(arms) and all(arm.ms is not None for arm in arms)
    return Estimate(
        calls=calls,
        input_tokens=round(asked),
        output_tokens=round(answered),
        cents=cents,
        seconds=busy_ms / 1000 / in_flight if known else None,
        from_past=len(plain) == len(arms) > 0
        and all(arm.output_tokens is not None for arm in plain),
        too_long=round(too_long),
        unfit=round(unfit),
        judge_calls=judged.calls,
        judge_tokens=judged.tokens,
        judge_cents=judged.cents,
        person_calls=played.calls,
        person_cents=played.cents,
    )


def _output(arm: PlannedArm) -> float:
    if arm.output_tokens is not None:
        return arm.output_tokens
    limit = arm.settings.max_tokens
    return min(USUAL_OUTPUT, limit / 2) if limit else USUAL_OUTPUT


def _talks(arm: PlannedArm, cases: Sequence[Case], output: float) -> list[list[float] | None]:
    """Tokens of each request of each case, one a turn; None where the inputs do not fit the prompt,
    and for all that follow one that is too costly: it would be so again and again. Fewer than there
    are cases, where those so far took as many steps as are worth an estimate."""
    found: list[list[float] | None] = []
    prompt, steps = arm.content, 0
    for case in cases:
        budget = Budget()
        if found and steps > MOST_STEPS:
            break
        try:
            inputs = presumed(prompt, with_old_names(case.inputs, arm.aliases))
            messages = render_talk(prompt, inputs, (), budget)
            steps += MOST_STEPS - budget.steps
        except TooCostly:
            return [*found, *[None] * (len(cases) - len(found))]
        except EpistemError:
            found.append(None)
            continue
        said = sum(tokens.count(message.text) + tokens.PER_MESSAGE for message in messages)
        talk: list[float] = [said + tokens_of_tools(prompt)]
        unknown = [SAID] * (likely_answers(case) - 1 - len(case.turns))
        for words in (*map(tokens.count, case.turns), *unknown):
            talk.append(talk[-1] + output + words + 2 * tokens.PER_MESSAGE)
        found.append(talk)
    return found
