"""What a planned trial can show: the smallest difference in each measure, and what would show less."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import log
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.checks.base import Ground
from epistem.core.checks.bench import Bench
from epistem.core.checks.measures import Measure
from epistem.core.checks.uses import CheckUse
from epistem.core.evidence.intervals import LEVEL
from epistem.core.evidence.power import Spread, detectable, fewest_for_same, guessed
from epistem.core.prompts.content import ReplyShape

FEWEST, POINTS = 6, 24


class Shown(NamedTuple):
    """Of one measure: `points` of 100 are the smallest difference that is met four times in five;
    None where these cases can't show any. `cases` are those that it has something to say of.
    `same_needs` cases are the fewest for “same”; None for never."""

    measure: Measure
    main: bool
    cases: int
    points: float | None
    spread: Spread
    same_needs: int | None


class Curve(NamedTuple):
    """`points[i]` are the smallest difference with `Showing.curve_cases[i]` cases."""

    repeats: int
    points: list[float | None]


@dataclass(frozen=True)
class Showing:
    """`curve_of` is the measure that the curves are of: the main question's, else the first."""

    shown: list[Shown]
    curve_of: int | None
    curve_cases: list[int]
    curves: list[Curve]


def what_it_shows(
    measures: Sequence[Measure],
    counts: Sequence[int],
    spreads: Sequence[Spread | None],
    *,
    arms: int,
    repeats: int,
    main: int | None,
) -> Showing:
    """`counts` are the cases of each measure, `spreads` what past readings say of it; `main` is the
    measure of the main question. Nothing is shown with fewer than two arms."""
    if arms < 2 or not measures:
        return Showing([], None, [], [])
    alpha = 1 - LEVEL
    others = (arms - 1) * len(measures) - (main is not None)
    levels = [alpha if at == main else alpha / max(others, 1) for at in range(len(measures))]
    shown = []
    for at, measure in enumerate(measures):
        spread = spreads[at] or guessed()
        found = detectable(counts[at], repeats, spread, levels[at])
        needs = fewest_for_same(measure.margin / 100, alpha)
        shown.append(Shown(measure, at == main, counts[at], _points(found), spread, needs))
    chosen = main if main is not None else 0
    places = _places(counts[chosen])
    spread = shown[chosen].spread
    curves = [
        Curve(each, [_points(detectable(n, each, spread, levels[chosen])) for n in places])
        for each in sorted({1, repeats, 3 if repeats > 6 else 10})
    ]
    return Showing(shown, chosen, places, curves)


def cases_asked(uses: Sequence[CheckUse], reply: ReplyShape, cases: Sequence[Case]) -> list[int]:
    """How many of the cases each measure has something to say of; all variations of a case are one. Raises
    InvalidInput as Bench."""
    bench = Bench(uses, reply)
    counts = [0] * bench.size
    varied: set[tuple[int, int]] = set()
    for case in cases:
        for judged in bench.unanswered(Ground(reply, case.expect, case.inputs, pair=case.pair)):
            if case.pair is not None and case.pair.is_variation:
                varied.add((judged.measure, case.pair.of))
            else:
                counts[judged.measure] += 1
    for measure, _ in varied:
        counts[measure] += 1
    return counts


def _points(share: float | None) -> float | None:
    return None if share is None else share * 100


def _places(cases: int) -> list[int]:
    """Numbers of cases around the one there is, evenly on a log scale."""
    low, high = FEWEST, max(4 * cases, 100)
    step = log(high / low) / (POINTS - 1)
    return sorted({round(low * 2.718281828459045 ** (step * at)) for at in range(POINTS)})
