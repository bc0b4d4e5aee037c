"""What a check would have said of the answers of a past trial, without asking a model."""

from __future__ import annotations

from dataclasses import dataclass, field
from time import monotonic

from epistem.core.checks.base import Answer, Finding, Ground
from epistem.core.checks.registry import CheckUse, measures_of
from epistem.core.trials.judging import Bench
from epistem.core.trials.names import arm_names
from epistem.store import readings, trial_cases, trials
from epistem.store.database import Transaction
from epistem.store.trials import Trial

A_PAGE = 500
MOST_S = 8.0
"""Seconds after which it stops, and says how far it came."""
MOST_CHANGED = 50


@dataclass
class OfArm:
    """Of an arm's answers that the check says something of: how many pass all of it, and how many passed
    when the trial judged them; that is None where it did not have the check."""

    name: str
    judged: int = 0
    passed: int = 0
    passed_then: int | None = None


@dataclass(frozen=True)
class Changed:
    """An answer of which the check says otherwise than the trial found, or that fails where it had none."""

    reading: int
    arm: int
    case: int
    repeat: int
    text: str
    passes: bool
    finding: Finding


@dataclass
class Rejudged:
    """`had` tells whether the trial had this check. `seen` of its `answers` were judged. The first of the
    changed ones are told, and how many there are."""

    trial: int
    had: bool
    answers: int
    seen: int = 0
    arms: list[OfArm] = field(default_factory=list)
    changes: int = 0
    changed: list[Changed] = field(default_factory=list)


def rejudge(tx: Transaction, trial: Trial, use: CheckUse, most_s: float = MOST_S) -> Rejudged:
    """Judge a trial's answers by one check. A check that the trial had is held against its findings of
    then. Raises InvalidInput for options that can't be used with an arm's reply shape."""
    arms = trials.arms_of(tx, trial.id)
    keys = {row.key for row in measures_of([use], *(arm.content.reply for arm in arms))}
    benches = [Bench([use], arm.content.reply) for arm in arms]
    before = {row.index for row in trial.measures if row.key in keys}
    cases = {each.position: each for each in trial_cases.cases_of(tx, trial.id)}
    told = Rejudged(trial.id, bool(before), trial.recorded - trial.unanswered)
    told.arms = [OfArm(name, passed_then=0 if before else None) for name in arm_names(arms)]
    after, until = 0, monotonic() + most_s
    while page := readings.answers_of(tx, trial.id, after, A_PAGE):
        for each in page:
            case = cases[each.case_at]
            content = arms[each.arm].content
            ground = Ground(content.reply, case.content.expect, case.content.inputs)
            found = [
                j.finding
                for j in benches[each.arm].judge(Answer(each.text, each.finish_reason), ground)
            ]
            _count(told, each, case.number, found, before)
        after = page[-1].id
        told.seen += len(page)
        if monotonic() > until:
            break
    return told


def _count(
    told: Rejudged, each: readings.Answered, case: int, found: list[Finding], before: set[int]
) -> None:
    arm = told.arms[each.arm]
    then = [judged.finding.passed for judged in each.findings if judged.measure in before]
    if arm.passed_then is not None and then:
        arm.passed_then += all(then)
    if not found:
        return
    passes = all(finding.passed for finding in found)
    arm.judged += 1
    arm.passed += passes
    if (passes != all(then)) if before else not passes:
        told.changes += 1
        if len(told.changed) < MOST_CHANGED:
            shown = next((f for f in found if not f.passed), found[0])
            place = (each.id, each.arm, case, each.repeat_no)
            told.changed.append(Changed(*place, each.text[:2_000], passes, shown))
