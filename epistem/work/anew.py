"""Judging a past trial's answers anew, by the checks of today: as a trial of its own that asks no model
but its judges. What the past trial found stays beside it, each with its own signatures."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.checks.bench import Bench
from epistem.core.checks.measures import Measure, check_uses, measures_of
from epistem.core.checks.uses import CheckUse, numbered
from epistem.core.errors import Conflict
from epistem.core.trials.besides import judging
from epistem.core.trials.plan import MainQuestion
from epistem.store import entries, models, past, subjects, trials
from epistem.store.database import Transaction
from epistem.store.models import Model
from epistem.store.trials import Trial
from epistem.work.judging import check_judges
from epistem.work.trials import check_models, planned_judges, with_steady


class Price(NamedTuple):
    """Of judging so many answers. Judges are asked no more than `calls` times, what they said before to
    the same question being remembered; plain checks ask nothing."""

    answers: int
    calls: int
    tokens: int
    cents: float


class _Prepared(NamedTuple):
    source: Trial
    checks: list[CheckUse]
    measures: list[Measure]
    judges: list[Model]


def price_of(tx: Transaction, trial_id: int, checks: Sequence[CheckUse] | None) -> Price:
    """Raises as `judge_anew`."""
    source, uses, _, judges = _prepared(tx, trial_id, checks)
    answers = source.recorded - source.unanswered
    calls = max(source.calls, 1)
    each = (source.output_tokens / calls, source.input_tokens / calls)
    return Price(answers, *judging(planned_judges(uses, judges), answers, *each))


def judge_anew(tx: Transaction, trial_id: int, checks: Sequence[CheckUse] | None = None) -> Trial:
    """Keep the trial, waiting; by default with the checks that the prompt has today. The answers of one
    that judges past answers itself are those of the trial that recorded them.

    Its main question stays only where its check is the same as it was: one chosen after the answers are
    known is none. Raises Conflict for a trial that is going on or has no answers, InvalidInput for checks
    that can't be had.
    """
    source, uses, measures, judges = _prepared(tx, trial_id, checks)
    question = _kept_question(source, measures)
    plan = source.plan.model_copy(update={"checks": uses, "question": question})
    judging_entries = {model.name: entries.keep(tx, model) for model in judges}
    return trials.get(tx, past.insert(tx, source, plan, measures, judging_entries))


def _prepared(tx: Transaction, trial_id: int, checks: Sequence[CheckUse] | None) -> _Prepared:
    source = trials.get(tx, trial_id)
    if source.answers_of is not None:
        source = trials.get(tx, source.answers_of)
    if not source.over:
        raise Conflict(
            f"T{source.id} is {source.status}. Stop it, or wait for its end.", field="trial"
        )
    if source.recorded == source.unanswered:
        raise Conflict(f"T{source.id} has no answer that could be judged.", field="trial")
    check_models(tx, source.id)
    arms = trials.arms_of(tx, source.id)
    replies = [arm.content.reply for arm in arms]
    if checks is None:
        checks = subjects.get(tx, source.subject).checks_for(replies[0])
        checks = with_steady(source.plan, checks)
    check_uses(checks)
    uses = numbered(checks)
    measures = measures_of(uses, *replies)
    for reply in replies:
        Bench(uses, reply)  # raises for a check that this version can't have
    known = models.all_of(tx)
    names = dict.fromkeys(measure.judge for measure in measures if measure.judge)
    check_judges(names, known)
    return _Prepared(source, uses, measures, [models.pick(known, name) for name in names])


def _kept_question(source: Trial, measures: Sequence[Measure]) -> MainQuestion | None:
    asked = source.plan.question
    if asked is None:
        return None
    now = {measure.key: measure.signature for measure in measures}
    then = {measure.key: measure.signature for measure in source.measures}
    return asked if now.get(asked.measure, "") == then.get(asked.measure) else None
