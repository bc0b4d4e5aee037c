"""The verdict of a trial."""

from __future__ import annotations

from flask import Response

from epistem.core.evidence.sentence import Kind
from epistem.core.evidence.verdict import FEWEST_CASES, Word
from epistem.store import trials
from epistem.store.evidence import evidence_of
from epistem.web.replies import Shape, blueprint, database, reply
from epistem.web.subjects import Measure
from epistem.web.trials import TrialPath

bp = blueprint("verdicts")


class RateShape(Shape):
    """0–1, with its interval. `effective` is what the answers are worth, repeats not being
    independent."""

    value: float
    low: float
    high: float
    answers: int
    cases: int
    effective: float


class ComparisonShape(Shape):
    """Points of 100 against the baseline."""

    arm: int
    measure: int
    difference: float | None
    low: float | None
    high: float | None
    word: Word
    cases: int


class SegmentShape(Shape):
    kind: Kind
    text: str
    measure: int | None


class EffortShape(Shape):
    cents: float | None
    median_ms: float | None
    answers: int
    unanswered: int


class VerdictPage(Shape):
    """`sentences[arm]` and `rates[arm][measure]`; arm 0 is the baseline and has no sentence."""

    trial: int
    subject: str
    status: str
    recorded: int
    total: int
    level: float
    fewest_cases: int
    lead: int | None
    names: list[str]
    measures: list[Measure]
    rates: list[list[RateShape | None]]
    comparisons: list[ComparisonShape]
    efforts: list[EffortShape]
    sentences: list[list[SegmentShape]]


@bp.get(
    "/trials/<int:trial_id>/verdict", responses={200: VerdictPage}, operation_id="getVerdict",
    summary="What a trial's readings say",
)  # fmt: skip
def get_verdict(path: TrialPath) -> Response:
    with database().transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        found = evidence_of(tx, trial)
    rates = [
        [
            None
            if rate is None
            else RateShape(
                value=rate.value,
                low=rate.interval.low,
                high=rate.interval.high,
                answers=rate.answers,
                cases=rate.cases,
                effective=rate.effective,
            )
            for rate in row
        ]
        for row in found.verdict.rates
    ]
    comparisons = [
        ComparisonShape(
            arm=c.arm,
            measure=c.measure,
            difference=c.difference,
            low=c.interval.low if c.interval else None,
            high=c.interval.high if c.interval else None,
            word=c.word,
            cases=c.cases,
        )
        for c in found.verdict.comparisons
    ]
    return reply(
        VerdictPage(
            trial=trial.id,
            subject=trial.subject,
            status=trial.status,
            recorded=trial.recorded,
            total=trial.total,
            level=found.verdict.level,
            fewest_cases=FEWEST_CASES,
            lead=found.lead,
            names=found.names,
            measures=[Measure.model_validate(m) for m in found.measures],
            rates=rates,
            comparisons=comparisons,
            efforts=[EffortShape.model_validate(e) for e in found.efforts],
            sentences=[[SegmentShape.model_validate(s) for s in row] for row in found.sentences],
        )
    )
