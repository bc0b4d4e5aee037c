"""The verdict of a trial."""

from __future__ import annotations

from typing import Any, Literal

from flask import Response
from pydantic import Field

from epistem.core.evidence.intervals import LEVEL, Interval, Rate
from epistem.core.evidence.scores import Scores, ScoreWord
from epistem.core.evidence.sentence import Kind, sentence_text, settling_segments
from epistem.core.evidence.verdict import FEWEST_CASES, Comparison, Missing, Word
from epistem.store import looks, trials
from epistem.web.findings import TrustShape, trust_shape
from epistem.web.replies import (
    Shape,
    blueprint,
    reply,
    transaction,
)
from epistem.web.subjects import Measure
from epistem.web.trial_shapes import ByLook, TrialPath
from epistem.work.by_model import on_each_model
from epistem.work.evidence import Evidence, evidence_of
from epistem.work.probation import trust_of
from epistem.work.tags import by_tag

bp = blueprint("verdicts")


class RateShape(Shape):
    """0–1, with its 95% interval. `effective` is what the answers are worth, repeats not being
    independent. `missing` answers never came: whatever they would have been, the rate lies between
    `least` and `most`."""

    value: float
    low: float
    high: float
    answers: int
    cases: int
    effective: float
    missing: int
    least: float
    most: float


class SettlingShape(Shape):
    """So many `more` cases would settle it, if the difference and its spread stay as they are."""

    more: int
    word: Literal["a difference", "same"]


class ComparisonShape(Shape):
    """Points of 100 against the baseline. `p_adjusted` is what the word goes by: p, adjusted for all
    that the trial compares. The interval's end next to 0 is read at the level that fits it."""

    arm: int
    measure: int
    difference: float | None
    low: float | None
    high: float | None
    word: Word
    cases: int
    p: float | None
    p_adjusted: float | None
    main: bool
    settling: SettlingShape | None
    settles: str = Field(description="What would settle it, in words; empty where it is settled.")


class MeanShape(Shape):
    """In the score's unit, with its 95% interval."""

    value: float
    low: float
    high: float
    answers: int
    cases: int


class ScoreDifferenceShape(Shape):
    """Against the baseline, paired by case, in the score's unit; `p` stands in the family of all scores."""

    arm: int
    difference: float | None
    low: float | None
    high: float | None
    word: ScoreWord
    cases: int
    p: float | None


class ScoresShape(Shape):
    """`means[arm]`; `strips[arm]` counts answers in bins, whose `edges` are one more than there are bins."""

    measure: int | None = Field(description="null for all checks together, weighted.")
    means: list[MeanShape | None]
    differences: list[ScoreDifferenceShape]
    edges: list[float]
    strips: list[list[int]]


class SegmentShape(Shape):
    kind: Kind
    text: str
    measure: int | None


class EffortShape(Shape):
    cents: float | None
    median_ms: float | None
    answers: int
    unanswered: int


class QuestionShape(Shape):
    """The main question, named before the trial started: does this arm differ in this measure?"""

    arm: int
    measure: int


class VerdictPage(Shape):
    """`sentences[arm]` and `rates[arm][measure]`; the `baseline`, which is arm 0 unless it is asked
    otherwise, has no sentence.

    `level` is that of words and differences; it is higher (`early`) until all readings are there.
    `same_needs[measure]` cases are the fewest for “same”, with nothing differing; null for never.
    `scores` are of the measures that tell one; `untold[arm][measure]` is how often a check could not
    tell, which is no pass; `trust[measure]` is of its judge, null for a plain check.
    `agreements[arm][measure]` is the share of pairs of repeats of a case that came out alike.
    """

    trial: int
    subject: str
    status: str
    recorded: int
    total: int
    level: float
    early: bool
    missing: Missing
    question: QuestionShape | None
    same_needs: list[int | None]
    fewest_cases: int
    baseline: int
    lead: int | None
    names: list[str]
    measures: list[Measure]
    rates: list[list[RateShape | None]]
    agreements: list[list[float | None]]
    comparisons: list[ComparisonShape]
    efforts: list[EffortShape]
    sentences: list[list[SegmentShape]]
    scores: list[ScoresShape]
    untold: list[list[int]]
    trust: list[TrustShape | None]


class HowToRead(ByLook):
    baseline: int = Field(
        0, ge=0, description="The arm that the others are held against. Reading is free."
    )
    missing: Missing = Field(
        "failed", description="What becomes of answers that never came: `failed` or `left_out`."
    )


@bp.get(
    "/trials/<int:trial_id>/verdict", responses={200: VerdictPage}, operation_id="getVerdict",
    summary="What a trial's readings say",
)  # fmt: skip
def get_verdict(path: TrialPath, query: HowToRead) -> Response:
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        looking = looks.looking(tx, trial.id, query.look)
        found = evidence_of(tx, trial, query.missing, query.baseline, looking=looking)
        trust = trust_of(tx, trial)
    verdict = found.verdict
    asked = verdict.question
    return reply(
        VerdictPage(
            trial=trial.id,
            subject=trial.subject,
            status=trial.status,
            recorded=trial.recorded,
            total=trial.total,
            level=verdict.level,
            early=verdict.level > LEVEL,
            missing=verdict.missing,
            question=QuestionShape(arm=asked.arm, measure=asked.measure) if asked else None,
            same_needs=list(verdict.same_needs),
            fewest_cases=FEWEST_CASES,
            baseline=found.baseline,
            lead=found.lead,
            names=found.names,
            measures=[Measure.model_validate(m) for m in found.measures],
            rates=[[_rate(rate) for rate in row] for row in verdict.rates],
            agreements=[list(row) for row in verdict.agreements],
            comparisons=[_comparison(each, found) for each in verdict.comparisons],
            efforts=[EffortShape.model_validate(e) for e in found.efforts],
            sentences=[[SegmentShape.model_validate(s) for s in row] for row in found.sentences],
            scores=[_scores(each) for each in found.scores],
            untold=found.untold,
            trust=[None if told is None else trust_shape(told) for told in trust],
        )
    )


class TagShape(Shape):
    """How the cases of one tag fared, in points of 100: pass rates of both arms, and the difference of
    those asked of both. Not tested: the more tags one looks at, the more differ by chance."""

    tag: str
    cases: int
    rate: float
    baseline_rate: float
    difference: float


class TagList(Shape):
    """Of the arm and measure that were asked for; `measure` null takes all together."""

    tags: list[TagShape]


class WhichTags(ByLook):
    arm: int = Field(ge=0)
    baseline: int = Field(0, ge=0)
    measure: int | None = Field(
        None, ge=0, description="Left out: whether all checks passed that are required."
    )


@bp.get(
    "/trials/<int:trial_id>/verdict/tags", responses={200: TagList}, operation_id="listTagResults",
    summary="How an arm fared on the cases of each tag",
)  # fmt: skip
def list_tag_results(path: TrialPath, query: WhichTags) -> Response:
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        looking = looks.looking(tx, trial.id, query.look)
        asked = (query.arm, query.baseline, query.measure)
        found = by_tag(tx, trial, *asked, looking=looking)
    return reply(TagList(tags=[TagShape.model_validate(each) for each in found]))


class OnModelShape(Shape):
    """What is said of `arm` against `baseline`, which differ in their version alone."""

    model: str
    arm: int
    baseline: int
    sentence: list[SegmentShape]


class OnModels(Shape):
    """A sentence for each model; none where there are not two that have both versions."""

    models: list[OnModelShape]


class HowToCount(ByLook):
    missing: Missing = "failed"


@bp.get(
    "/trials/<int:trial_id>/verdict/models", responses={200: OnModels}, operation_id="listModelVerdicts",
    summary="What the main comparison comes to on each model",
)  # fmt: skip
def list_model_verdicts(path: TrialPath, query: HowToCount) -> Response:
    with transaction() as tx:
        trial = trials.get(tx, path.trial_id)
        looking = looks.looking(tx, trial.id, query.look)
        found = on_each_model(tx, trial, query.missing, looking=looking)
    told = [
        OnModelShape.model_validate(
            {**each._asdict(), "sentence": [SegmentShape.model_validate(s) for s in each.sentence]}
        )
        for each in found
    ]
    return reply(OnModels(models=told))


def _scores(each: Scores) -> ScoresShape:
    return ScoresShape(
        measure=each.measure,
        means=[m and MeanShape.model_validate(_with_ends(m._asdict())) for m in each.means],
        differences=[
            ScoreDifferenceShape.model_validate(_with_ends(vars(told))) for told in each.differences
        ],
        edges=each.edges,
        strips=each.strips,
    )


def _rate(rate: Rate | None) -> RateShape | None:
    return None if rate is None else RateShape.model_validate(_with_ends(vars(rate)))


def _with_ends(told: dict[str, Any]) -> dict[str, Any]:
    """With the ends of its interval in the interval's place; null where there is none."""
    interval: Interval | None = told["interval"]
    rest = {name: value for name, value in told.items() if name != "interval"}
    return {**rest, "low": interval and interval.low, "high": interval and interval.high}


def _comparison(each: Comparison, found: Evidence) -> ComparisonShape:
    between, verdict = each.interval, found.verdict
    ends = {"low": between.low if between else None, "high": between.high if between else None}
    told = {name: value for name, value in vars(each).items() if name != "interval"}
    title, needs = found.measures[each.measure].title, verdict.same_needs[each.measure]
    early = verdict.level > LEVEL and each.cases >= FEWEST_CASES
    settles = "" if early else sentence_text(settling_segments(each, title, needs))
    return ComparisonShape.model_validate({**told, **ends, "settles": settles})
