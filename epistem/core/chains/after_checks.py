"""What a step that judges does once its checks have spoken."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.chains.kinds import CheckStep
from epistem.core.checks.bench import Bench, Judged


class AfterChecks(NamedTuple):
    """`failed` are the messages of what failed. Where it `changed`, the judged value is `value` now, None for one that
    is left out."""

    failed: list[str]
    told: str
    halts: bool
    changed: bool
    value: str | None


def after_checks(
    step: CheckStep, bench: Bench, found: Sequence[Judged], mended: str | None
) -> AfterChecks:
    """`mended` is the value as checks have mended it, None where none did. Of several that fail, one that halts goes
    before one that puts another text in its place, and that before one that leaves it out."""
    failing = [judged for judged in found if judged.finding.failed]
    failed = [judged.finding.message for judged in failing]
    does = {step.checks[bench.use_of(judged.measure)].on_failure for judged in failing}
    told = "; ".join(failed) or ("mended" if mended is not None else "passed")
    halts = "halt" in does or (bool(failed) and step.on_failure == "halt")
    if not halts and "decline" in does:
        uses = [step.checks[bench.use_of(judged.measure)] for judged in failing]
        instead = next(use.decline_with for use in uses if use.on_failure == "decline")
        return AfterChecks(failed, told, halts, True, instead)
    if not halts and "drop" in does:
        return AfterChecks(failed, told, halts, True, None)
    return AfterChecks(failed, told, halts, mended is not None, mended)
