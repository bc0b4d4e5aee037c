"""The verdict of a trial, computed from its tallies and kept as long as nothing lands."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from datetime import datetime
from threading import Lock
from time import monotonic

from epistem.core.checks.measures import Measure
from epistem.core.errors import InvalidInput
from epistem.core.evidence.intervals import LEVEL, Rate
from epistem.core.evidence.power import Spread, spread_of
from epistem.core.evidence.scores import Scores, scores_as_evidence
from epistem.core.evidence.sentence import Effort, Segment, verdict_sentence
from epistem.core.evidence.verdict import Missing, Question, Verdict, Word, reach_verdict
from epistem.core.trials.names import arm_names
from epistem.core.trials.plan import TrialPlan
from epistem.core.trials.showing import Showing, what_it_shows
from epistem.core.trials.tallies import (
    efforts_of,
    gathered,
    scored_of,
    tally_of,
    untold_of,
    weighted_of,
)
from epistem.store import marks, trial_cases, trials
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.work.trials import Outlook

KEPT = 200
LATEST = 20
"""Trials that are looked through for the scores of versions."""
LOOKED_BACK = 5
"""Trials whose spread is looked for when the next is planned."""
REST = 10
WEIGHTED_MARGIN = 2.0
"""Percent of the weighted score of all checks that do not matter."""


@dataclass(frozen=True)
class Evidence:
    """`names[arm]` tells the arm apart from the others; `lead` is the arm to speak of first, and
    `baseline` the one that the others are held against. `spreads[measure]` is how much its readings
    varied, for planning the next trial. `untold[arm][measure]` is how often the check could not tell."""

    trial: trials.Trial
    arms: list[trials.Arm]
    names: list[str]
    measures: list[Measure]
    verdict: Verdict
    efforts: list[Effort]
    sentences: list[list[Segment]]
    lead: int | None
    spreads: list[Spread | None]
    baseline: int
    scores: list[Scores]
    untold: list[list[int]]


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
    landed: int
    fresh_until: float


_kept: OrderedDict[tuple[int, datetime, datetime | None, str, Missing, int, bool], _Kept] = (
    OrderedDict()
)
_lock = Lock()


def evidence_of(
    tx: Transaction,
    trial: trials.Trial,
    missing: Missing = "failed",
    baseline: int = 0,
    *,
    looking: bool = False,
) -> Evidence:
    """Cheap when asked again: recorded readings never change, so it holds until more are there.

    Cases that are held out are left out; `looking`, they are all there is.

    Read against another arm than the first, the main question is one of the others: it was named
    against the first. Raises InvalidInput for a baseline that is no arm.

    While the trial runs it is worked out again only after REST times as long as the last time
    took, so that a large trial that is looked at does not keep a core busy.
    """
    key = (trial.id, trial.created_at, trial.finished_at, trial.status, missing, baseline, looking)
    with _lock:
        kept = _kept.get(key)
        if kept is not None:
            _kept.move_to_end(key)
    if kept is not None and (
        kept.landed == trial.landed or (not trial.over and monotonic() < kept.fresh_until)
    ):
        return kept.evidence
    began = monotonic()
    found = _compute(tx, trial, missing, baseline, looking)
    fresh_until = monotonic() + REST * (monotonic() - began)
    with _lock:
        _kept[key] = _Kept(found, trial.landed, fresh_until)
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return found


def headline_of(tx: Transaction, trial: trials.Trial) -> Headline | None:
    """The main question, or the lead arm on the first measure; None with nothing to compare."""
    found = evidence_of(tx, trial)
    marks = [c for c in found.verdict.comparisons if c.main or c.arm == found.lead]
    if not marks:
        return None
    mark = next((c for c in marks if c.main), marks[0])
    return Headline(
        trial=trial.id,
        arm=found.names[mark.arm],
        against=found.names[0],
        measure=_of_step(trial, found.measures[mark.measure].title),
        difference=mark.difference,
        low=mark.interval.low if mark.interval else None,
        high=mark.interval.high if mark.interval else None,
        margin=found.measures[mark.measure].margin,
        word=mark.word,
    )


def _of_step(trial: trials.Trial, measure: str) -> str:
    return f"{measure}, “{trial.plan.alone}” alone" if trial.plan.alone else measure


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
        if trial.recorded == 0 or trial.plan.alone or all(arm.version in found for arm in arms):
            continue  # what one step alone does says little of the version
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


def outlook_of(tx: Transaction, subject: Subject, plan: TrialPlan, outlook: Outlook) -> Showing:
    """What a plan can show, by the spread of the newest of the latest trials that measured the same."""
    found: dict[str, Spread] = {}
    by_rate: dict[str, Spread] = {}  # what takes the place of a spread where only a rate is known
    for trial in trials.all_of(tx, subject, most=LOOKED_BACK):
        if trial.recorded and any(m.key not in found for m in outlook.measures):
            told = evidence_of(tx, trial)
            for measure, spread in zip(told.measures, told.spreads, strict=True):
                if spread is not None:
                    (found if spread.of == "past" else by_rate).setdefault(measure.key, spread)
    keys = [measure.key for measure in outlook.measures]
    question = plan.question
    return what_it_shows(
        outlook.measures,
        outlook.counts,
        [found.get(key) or by_rate.get(key) for key in keys],
        arms=len(plan.arms),
        repeats=plan.repeats,
        main=keys.index(question.measure) if question else None,
    )


def _told(rate: Rate | None) -> tuple[float | None, float | None, float | None]:
    return (rate.value, rate.interval.low, rate.interval.high) if rate else (None, None, None)


def _compute(
    tx: Transaction, trial: trials.Trial, missing: Missing, baseline: int, looking: bool
) -> Evidence:
    arms = trials.arms_of(tx, trial.id)
    if not 0 <= baseline < len(arms):
        raise InvalidInput(
            f"baseline={baseline} is none of the {len(arms)} arms, which count from 0.",
            field="baseline",
        )
    measures = trial.measures
    repeats = trial.plan.repeats
    scored = trial.scored
    found = marks.all_of(
        tx,
        trial.id,
        trial.columns,
        trial.sight(looking=looking),
        arms=len(arms),
        cases=trial.asked,
        repeats=repeats,
    )
    if trial.plan.varied:
        places = trial_cases.originals_of(tx, trial.id, trial.cases)
        gathered(found, {at: of for at, of in places.items() if at >= trial.cases})
    tally = tally_of(found, len(arms), len(measures), trial.cases)
    margins = [measure.margin for measure in measures]
    question = _question(trial)
    verdict = reach_verdict(
        tally,
        margins,
        question=question if baseline == 0 else None,
        early=trial.status != "finished",
        missing=missing,
        baseline=baseline,
    )
    efforts = efforts_of(found, len(arms))
    names = arm_names(arms)
    sentences = [
        verdict_sentence(
            names[arm],
            names[baseline],
            [c for c in verdict.comparisons if c.arm == arm],
            [measure.title for measure in measures],
            margins,
            efforts[arm],
            efforts[baseline],
            missing=missing,
            same_needs=verdict.same_needs,
            early=verdict.level > LEVEL,
        )
        if arm != baseline
        else []
        for arm in range(len(arms))
    ]
    spreads = [spread_of(tally.passed[:, m], tally.total[:, m]) for m in range(len(measures))]
    lead = (question.arm if question else _lead(arms)) if baseline == 0 else 0
    weights = [measure.weight for measure in measures]
    weighted = [weighted_of(found, weights)] if len(measures) > 1 else []
    scores = scores_as_evidence(
        [*weighted, *scored_of(found, scored)],
        [*[WEIGHTED_MARGIN for _ in weighted], *(measures[at].score_margin for at in scored)],
        arms=len(arms),
        cases=trial.cases,
        baseline=baseline,
        level=verdict.level,
    )
    untold = untold_of(found, len(arms), len(measures))
    told = (measures, verdict, efforts, sentences, lead, spreads, baseline, scores, untold)
    return Evidence(trial, arms, names, *told)


def _question(trial: trials.Trial) -> Question | None:
    asked = trial.plan.question
    if asked is None:
        return None
    index = next((m.index for m in trial.measures if m.key == asked.measure), None)
    return None if index is None else Question(asked.arm, index)


def _lead(arms: list[trials.Arm]) -> int | None:
    """The newest other version on the baseline's model, else the second arm."""
    if len(arms) < 2:
        return None
    base = arms[0]
    same_model = [a for a in arms[1:] if a.model == base.model and a.version != base.version]
    return max(same_model, key=lambda arm: arm.version).position if same_model else 1
