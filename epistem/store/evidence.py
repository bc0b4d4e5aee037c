"""The verdict of a trial, computed from its tallies and kept as long as nothing lands."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from time import monotonic

from epistem.core.checks.registry import Measure, measures_of
from epistem.core.evidence.intervals import Rate
from epistem.core.evidence.sentence import Effort, Segment, verdict_sentence
from epistem.core.evidence.verdict import Verdict, Word, reach_verdict
from epistem.store import readings, trials
from epistem.store.database import Transaction
from epistem.store.subjects import Subject

KEPT = 200
LATEST = 20
"""Trials that are looked through for the scores of versions."""
REST = 10


@dataclass(frozen=True)
class Evidence:
    """`names[arm]` tells the arm apart from the others; `lead` is the arm to speak of first."""

    trial: trials.Trial
    arms: list[trials.Arm]
    names: list[str]
    measures: list[Measure]
    verdict: Verdict
    efforts: list[Effort]
    sentences: list[list[Segment]]
    lead: int | None


@dataclass(frozen=True)
class Headline:
    trial: int
    arm: str
    against: str
    measure: str
    difference: float | None
    low: float | None
    high: float | None
    margin: float
    word: Word


@dataclass(frozen=True)
class _Kept:
    evidence: Evidence
    recorded: int
    fresh_until: float


_kept: OrderedDict[tuple[int, datetime], _Kept] = OrderedDict()
_lock = Lock()


def evidence_of(tx: Transaction, trial: trials.Trial) -> Evidence:
    """Cheap when asked again: recorded readings never change, so it holds until more are there.

    While the trial runs it is worked out again only after REST times as long as the last time
    took, so that a large trial that is looked at does not keep a core busy.
    """
    key = (trial.id, trial.created_at)
    with _lock:
        kept = _kept.get(key)
        if kept is not None:
            _kept.move_to_end(key)
    if kept is not None and (
        kept.recorded == trial.recorded or (not trial.over and monotonic() < kept.fresh_until)
    ):
        return kept.evidence
    began = monotonic()
    found = _compute(tx, trial)
    fresh_until = monotonic() + REST * (monotonic() - began)
    with _lock:
        _kept[key] = _Kept(found, trial.recorded, fresh_until)
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return found


def headline_of(tx: Transaction, trial: trials.Trial) -> Headline | None:
    """The lead arm on the first measure, or None when there is nothing to compare."""
    found = evidence_of(tx, trial)
    mark = next((c for c in found.verdict.comparisons if c.arm == found.lead), None)
    if mark is None or found.lead is None:
        return None
    return Headline(
        trial=trial.id,
        arm=found.names[found.lead],
        against=found.names[0],
        measure=found.measures[mark.measure].title,
        difference=mark.difference,
        low=mark.interval.low if mark.interval else None,
        high=mark.interval.high if mark.interval else None,
        margin=found.measures[mark.measure].margin,
        word=mark.word,
    )


@dataclass(frozen=True)
class VersionScore:
    version: int
    trial: int
    arm: str
    measure: str
    rate: float | None
    low: float | None
    high: float | None


def version_scores(tx: Transaction, subject: Subject) -> list[VersionScore]:
    """For each version, its pass rate on the first check of the newest trial that it was in.

    Where several arms had it, that of the first.
    """
    found: dict[int, VersionScore] = {}
    for trial in trials.all_of(tx, subject, most=LATEST):
        arms = trials.arms_of(tx, trial.id)
        if trial.recorded == 0 or all(arm.version in found for arm in arms):
            continue
        told = evidence_of(tx, trial)
        for arm, rates in zip(arms, told.verdict.rates, strict=True):
            if arm.version not in found and rates:
                rate = rates[0]
                name, measure = told.names[arm.position], told.measures[0].title
                value, low, high = _told(rate)
                found[arm.version] = VersionScore(
                    arm.version, trial.id, name, measure, value, low, high
                )
    return list(found.values())


def _told(rate: Rate | None) -> tuple[float | None, float | None, float | None]:
    return (rate.value, rate.interval.low, rate.interval.high) if rate else (None, None, None)


def arm_names(arms: list[trials.Arm]) -> list[str]:
    """As short as tells them apart: `v2`, `v2 tern-s`, or with the settings that differ."""
    versions = [f"v{arm.version}" for arm in arms]
    if len(set(versions)) == len(arms) and len({arm.model for arm in arms}) == 1:
        return versions
    names = [f"v{arm.version} {arm.model}" for arm in arms]
    if len(set(names)) == len(arms):
        return names
    settings = [arm.settings.to_json() for arm in arms]
    varied = [k for k in settings[0] if len({str(s.get(k)) for s in settings}) > 1]
    return [
        " ".join([name, *(f"{k.replace('_', ' ')} {s[k]:g}" for k in varied if k in s)])
        for name, s in zip(names, settings, strict=True)
    ]


def _compute(tx: Transaction, trial: trials.Trial) -> Evidence:
    arms = trials.arms_of(tx, trial.id)
    measures = measures_of(trial.checks)
    cases = len(trial.plan.cases or [])
    tally = readings.tally(tx, trial.id, len(arms), len(measures), cases)
    margins = [measure.margin for measure in measures]
    verdict = reach_verdict(tally, margins, seed=trial.plan.seed)
    efforts = readings.efforts(tx, trial.id, len(arms))
    names = arm_names(arms)
    sentences: list[list[Segment]] = [[]]
    for arm in range(1, len(arms)):
        sentences.append(
            verdict_sentence(
                names[arm],
                names[0],
                [c for c in verdict.comparisons if c.arm == arm],
                [measure.title for measure in measures],
                margins,
                efforts[arm],
                efforts[0],
            )
        )
    return Evidence(trial, arms, names, measures, verdict, efforts, sentences, _lead(arms))


def _lead(arms: list[trials.Arm]) -> int | None:
    """The newest other version on the baseline's model, else the second arm."""
    if len(arms) < 2:
        return None
    base = arms[0]
    same_model = [a for a in arms[1:] if a.model == base.model and a.version != base.version]
    return max(same_model, key=lambda arm: arm.version).position if same_model else 1
