"""How cases have fared: with a version, in the arms of a list, and one case with all that met it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from epistem.core.cases.filters import ALL, Fared, FaredWith
from epistem.core.cases.pair import VARIATIONS
from epistem.core.trials.fared import FELL, fared_by_case, strips
from epistem.core.trials.names import arm_names
from epistem.store import fared as store
from epistem.store import trials
from epistem.store.database import Transaction
from epistem.store.subjects import Subject

TRIALS_BACK = 12
"""So many trials of a version are looked through, newest first, for a case's latest result."""
MOST_MET = 40
MOST_LOOKED = MOST_MET * (len(VARIATIONS) + 1)
"""A trial may have asked a case in all its variations, too."""
MOST_SHOWN = 400


def fared_with(tx: Transaction, subject: Subject) -> FaredWith:
    """Tells how the cases fared with a version, each in the latest trial that asked it; looked up once."""
    known: dict[int, Mapping[int, Fared]] = {}

    def told(version: int) -> Mapping[int, Fared]:
        if version == ALL and version not in known:
            known[ALL] = _summed([told(each) for each in store.versions_tried(tx, subject)])
        if version not in known:
            known[version] = _with_version(tx, subject, version)
        return known[version]

    return told


def _summed(parts: Sequence[Mapping[int, Fared]]) -> dict[int, Fared]:
    found: dict[int, Fared] = {}
    for part in parts:
        for number, fared in part.items():
            before = found.get(number, Fared(0, 0))
            found[number] = Fared(before.passed + fared.passed, before.judged + fared.judged)
    return found


def _with_version(tx: Transaction, subject: Subject, version: int) -> dict[int, Fared]:
    found: dict[int, Fared] = {}
    for trial_id, arms in store.trials_of_version(tx, subject, version, TRIALS_BACK):
        trial = trials.get(tx, trial_id)
        marks = store.all_marks(tx, trial)
        told = fared_by_case(marks, trial.required, arms)
        for at, number in enumerate(trial.plan.cases or []):
            if at in told:
                found.setdefault(number, told[at])
    return found


def fared_in(tx: Transaction, subject: Subject, trial_id: int, arm: int) -> Mapping[int, Fared]:
    """How the cases fared in one arm, by their numbers; none where the trial is not the subject's."""
    trial = store.of_subject(tx, subject, trial_id)
    if trial is None:
        return {}
    told = fared_by_case(store.all_marks(tx, trial), trial.required, [arm])
    return {n: told[at] for at, n in enumerate(trial.plan.cases or []) if at in told}


@dataclass(frozen=True)
class ArmOfTrial:
    trial: int
    arm: int
    name: str
    over: bool
    created_at: datetime


def latest_arms(tx: Transaction, subject: Subject) -> list[ArmOfTrial]:
    """Those of the latest trials that have readings, newest first."""
    found = []
    for trial in trials.all_of(tx, subject, most=TRIALS_BACK):
        if trial.recorded:
            arms = trials.arms_of(tx, trial.id)
            for arm, name in zip(arms, arm_names(arms), strict=True):
                place = (trial.id, arm.position, name, trial.over, trial.created_at)
                found.append(ArmOfTrial(*place))
    return found


@dataclass(frozen=True)
class Strip:
    """One arm of one trial: of each case number a letter for each repeat (see `core.trials.fared`)."""

    trial: int
    arm: int
    letters: dict[int, str]


def strips_of(
    tx: Transaction, subject: Subject, arms: Sequence[tuple[int, int]], numbers: Sequence[int]
) -> list[Strip]:
    """Of these arms, as (trial, position), over the cases of these numbers. One that is not the subject's
    has nothing to tell."""
    found = []
    wanted = set(numbers)
    for trial_id, arm in arms:
        trial = store.of_subject(tx, subject, trial_id)
        if trial is None:
            found.append(Strip(trial_id, arm, {}))
            continue
        places = {at: n for at, n in enumerate(trial.plan.cases or []) if n in wanted}
        marks = store.marks_at(tx, trial, [arm], list(places))
        letters = strips(marks, trial.required, trial.plan.repeats)
        found.append(Strip(trial_id, arm, {places[at]: told for (_, at), told in letters.items()}))
    return found


@dataclass(frozen=True)
class Met:
    """A case with one arm of a trial. `as_now`: the case was then as it is now. `failed` are the titles of
    the measures that some answer failed, the most frequent first. `answer` begins the first answer that
    failed, or else the first one, of the newest trial's arms; it is empty for older ones."""

    trial: int
    position: int
    arm: int
    name: str
    version: int
    model: str
    created_at: datetime
    letters: str
    failed: list[str]
    as_now: bool
    answer: str


def fared_of(tx: Transaction, subject: Subject, number: int) -> list[Met]:
    """What met the case, the newest trial first and its arms in order."""
    found: list[Met] = []
    for trial_id, at, as_now in store.trials_of_case(tx, subject, number, MOST_LOOKED):
        trial = trials.get(tx, trial_id)
        if at >= trial.cases:
            continue  # a variation of it
        arms = trials.arms_of(tx, trial_id)
        marks = store.marks_at(tx, trial, range(len(arms)), [at])
        letters = strips(marks, trial.required, trial.plan.repeats)
        for arm, name in zip(arms, arm_names(arms), strict=True):
            if (told := letters.get((arm.position, at))) is None:
                continue
            mine = marks.verdicts[marks.arm == arm.position]
            times = (mine == 1).sum(axis=0).tolist()
            shown = ""
            if not found or found[0].trial == trial_id:
                repeat = max(told.find(FELL), 0)
                shown = store.answer_at(tx, trial_id, arm.position, at, repeat, MOST_SHOWN)
            titles = sorted(
                (m for m in trial.measures if times[m.index]), key=lambda m: -times[m.index]
            )
            found.append(
                Met(
                    trial_id,
                    at,
                    arm.position,
                    name,
                    arm.version,
                    arm.model,
                    trial.created_at,
                    told,
                    [m.title for m in titles],
                    as_now,
                    shown,
                )
            )
        if len(found) >= MOST_MET:
            break
    return found
