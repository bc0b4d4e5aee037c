"""The talk that a recorded answer ended, told from the record of its calls."""

from __future__ import annotations

from collections.abc import Sequence

from epistem.core.cases.talk import is_talk
from epistem.core.checks.base import Answer
from epistem.store import readings, trial_cases, trials
from epistem.store.database import Transaction
from epistem.store.trials import Trial
from epistem.store.walks.readings import NO_WALK, past_of
from epistem.work.rejudging import as_answered


def talks_of(tx: Transaction, trial: Trial, found: Sequence[readings.Reading]) -> dict[int, Answer]:
    """By the id of each reading its answer with the turns before it, as far as its case is a talk. They are
    readings of one arm on one case."""
    if not found:
        return {}
    [case] = trial_cases.cases_of(tx, trial.id, {found[0].case_at})
    if not is_talk(case.content):
        return {}
    talks = past_of(tx, trial.answers_of or trial.id, [each.id for each in found])
    arm = next(a for a in trials.arms_of(tx, trial.id) if a.position == found[0].arm)
    return {
        each.id: as_answered(
            each.answer or "",
            each.finish_reason or "stop",
            arm,
            case.content,
            each.calls,
            talks.get(each.id, NO_WALK),
        )
        for each in found
    }
