"""How a finding is told."""

from __future__ import annotations

from pydantic import Field

from epistem.core.checks.base import Finding
from epistem.core.checks.measures import Measure
from epistem.web.replies import Shape
from epistem.work.probation import Trust


class SpanShape(Shape):
    """Offsets in code points of the answer, end excluded."""

    start: int
    end: int
    note: str


class FindingShape(Shape):
    """`measure` is the index among the subject's or the trial's measures."""

    measure: int
    title: str
    passed: bool | None = Field(description="null where the check can't tell: `message` says why.")
    required: bool = Field(True, description="Whether an answer that fails it fails as a whole.")
    message: str
    spans: list[SpanShape]
    score: float | None = Field(None, description="In `unit`, where a number is natural.")
    unit: str = ""
    pointers: list[str] = Field(
        default_factory=list, description="JSON pointers into a JSON reply."
    )
    sources: list[str] = Field(
        default_factory=list, description="Inputs that it rests on: `notices[2]`."
    )


class TrustShape(Shape):
    """Whether a judge was right about answers with known scores. `tested` is false where nobody tried."""

    tested: bool
    trusted: bool
    why: str


def trust_shape(trust: Trust) -> TrustShape:
    return TrustShape(tested=trust.tested, trusted=trust.trusted, why=trust.why)


def finding_shape(measure: Measure, finding: Finding) -> FindingShape:
    return FindingShape(
        measure=measure.index,
        title=measure.title,
        passed=finding.passed,
        required=measure.required,
        message=finding.message,
        spans=[SpanShape.model_validate(span) for span in finding.spans],
        score=finding.score,
        unit=finding.unit,
        pointers=list(finding.pointers),
        sources=list(finding.sources),
    )
