"""How a finding is told."""

from __future__ import annotations

from pydantic import Field

from epistem.core.checks.base import Finding
from epistem.core.checks.registry import Measure
from epistem.web.replies import Shape


class SpanShape(Shape):
    """Offsets in code points of the answer, end excluded."""

    start: int
    end: int
    note: str


class FindingShape(Shape):
    """`measure` is the index among the subject's or the trial's measures."""

    measure: int
    title: str
    passed: bool
    message: str
    spans: list[SpanShape]
    score: float | None = Field(None, description="In `unit`, where a number is natural.")
    unit: str = ""


def finding_shape(measure: Measure, finding: Finding) -> FindingShape:
    return FindingShape(
        measure=measure.index,
        title=measure.title,
        passed=finding.passed,
        message=finding.message,
        spans=[SpanShape.model_validate(span) for span in finding.spans],
        score=finding.score,
        unit=finding.unit,
    )
