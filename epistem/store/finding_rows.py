"""Findings as they are kept: all of a reading in one column."""

from __future__ import annotations

import json
from typing import Any

from epistem.core.checks.base import Finding, Span
from epistem.core.checks.bench import Judged

MAX_MESSAGE = 4_000
MAX_SPANS = 200


def finding_row(measure: int, found: Finding) -> list[Any]:
    """`[measure, passed, message, spans]`; behind them score and unit, pointers and sources, as far as
    there are any."""
    spans = [[span.start, span.end, span.note] for span in found.spans[:MAX_SPANS]]
    told = [measure, found.passed, found.message[:MAX_MESSAGE], spans]
    if found.pointers or found.sources:
        refs = [list(refs[:MAX_SPANS]) for refs in (found.pointers, found.sources)]
        return [*told, found.score, found.unit, *refs]
    return told if found.score is None else [*told, found.score, found.unit]


def findings_in(column: bytes | str | None) -> list[Judged]:
    return [
        Judged(
            measure,
            Finding("", passed, message, tuple(Span(*span) for span in spans), *more[:2], *refs),
        )
        for measure, passed, message, spans, *more in json.loads(column or "[]")
        for refs in [map(tuple, more[2:])]
    ]
