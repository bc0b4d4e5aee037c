"""The verdict in plain words, as segments that a screen or a terminal can mark up."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from epistem.core.evidence.power import MOST_CASES
from epistem.core.evidence.verdict import FEWEST_CASES, Comparison, Missing
from epistem.core.shapes import count

MOST_NAMED = 3
"""Checks of one word that a sentence names; of more it tells the number, and the rows below tell the rest."""
WORTH_TELLING = 0.05
"""A median time that moved by a smaller share is left out: it is seldom more than noise."""

Kind = Literal["text", "better", "worse", "same", "unsettled", "measure", "number"]


@dataclass(frozen=True)
class Segment:
    """`measure` is the index of the measure that a segment speaks of, if it does."""

    kind: Kind
    text: str
    measure: int | None = None


@dataclass(frozen=True)
class Effort:
    """What an arm's calls cost and took: mean cents an answer, median milliseconds, failures."""

    cents: float | None
    median_ms: float | None
    answers: int
    unanswered: int


def verdict_sentence(
    arm_name: str,
    baseline_name: str,
    comparisons: list[Comparison],
    titles: list[str],
    margins: list[float],
    effort: Effort,
    baseline_effort: Effort,
    *,
    missing: Missing = "failed",
    same_needs: tuple[int | None, ...] = (),
    early: bool = False,
    brief: bool = False,
) -> list[Segment]:
    """The main question if it is this arm's, then gains, losses, what is unsettled and (unless
    `brief`) what would settle it, then money and time."""
    main = next((c for c in comparisons if c.main), None)
    others = [c for c in comparisons if c is not main]
    by_word: dict[str, list[Comparison]] = {"better": [], "worse": [], "same": [], "unsettled": []}
    for comparison in others:
        by_word[comparison.word].append(comparison)
    for word in ("better", "worse"):
        by_word[word].sort(key=lambda c: -abs(c.difference or 0))
    moved = bool(by_word["better"] or by_word["worse"])
    names = (arm_name, baseline_name)

    said = _main(main, names, titles, margins) if main else []
    if main is None or moved:
        said += _moved(by_word, names, titles, margins, first=main is None)
    said += _rest(by_word, moved or main is not None, titles, margins)
    if not brief:
        said += _would_settle(main, others, titles, same_needs, early)
    said += _effort(effort, baseline_effort, missing)
    return said


def sentence_text(segments: list[Segment]) -> str:
    """Plain text, with the intervals in brackets."""
    told = (f"({s.text})" if s.kind == "number" else s.text for s in segments)
    return "".join(told).strip()


def _main(
    main: Comparison, names: tuple[str, str], titles: list[str], margins: list[float]
) -> list[Segment]:
    title = Segment("measure", titles[main.measure], main.measure)
    span = Segment("number", _span(main))
    arm, baseline = names
    if main.cases == 0:
        return [
            Segment("text", "On the main question, "),
            title,
            Segment("text", ", there is nothing to compare. "),
        ]
    if main.word == "unsettled":
        points = _signed(main.difference or 0)
        told = f" between {arm} and {baseline}: {points} points "
        return [
            Segment("text", "The main question, "), title, Segment("text", ", is "),
            Segment("unsettled", "unsettled"), Segment("text", told), span, Segment("text", ". "),
        ]  # fmt: skip
    said = [Segment("text", "On the main question, "), title, Segment("text", f", {arm} is ")]
    if main.word == "same":
        within = f" as {baseline} within {margins[main.measure]:g} points "
        return [
            *said,
            Segment("same", "the same"),
            Segment("text", within),
            span,
            Segment("text", ". "),
        ]
    verb = "gains" if main.word == "better" else "loses"
    points = f" than {baseline}: {verb} {abs(main.difference or 0):.1f} points "
    return [
        *said,
        Segment(main.word, main.word),
        Segment("text", points),
        span,
        Segment("text", ". "),
    ]


def _moved(
    by_word: dict[str, list[Comparison]],
    names: tuple[str, str],
    titles: list[str],
    margins: list[float],
    *,
    first: bool,
) -> list[Segment]:
    """What is better and worse; with `first` it opens the sentence, and says so if nothing is."""
    arm, baseline = names
    better, worse = by_word["better"], by_word["worse"]
    said: list[Segment] = []
    if not first:
        told: tuple[tuple[Kind, list[Comparison]], ...] = (("better", better), ("worse", worse))
        for word, changes in told:
            if changes:
                also = "also " if word == "better" or not better else ""
                said += [
                    Segment("text", f"It is {also}"),
                    Segment(word, word),
                    Segment("text", " on "),
                ]
                said += [*_changes(changes, titles, ("by", "and")), Segment("text", ". ")]
        return said
    if better:
        said += [Segment("text", f"{arm} is "), Segment("better", "better")]
        said.append(Segment("text", f" than {baseline}: "))
        said += [*_changes(better, titles, ("gains", "and")), Segment("text", ". ")]
        if worse:
            said += [Segment("text", "It is "), Segment("worse", "worse"), Segment("text", " on ")]
            said += [*_changes(worse, titles, ("by", "and")), Segment("text", ". ")]
        return said
    if worse:
        said += [Segment("text", f"{arm} is "), Segment("worse", "worse")]
        said.append(Segment("text", f" than {baseline}: "))
        return [*said, *_changes(worse, titles, ("loses", "and")), Segment("text", ". ")]
    if by_word["unsettled"]:
        said += [Segment("text", f"Between {arm} and {baseline} it is ")]
        return [*said, Segment("unsettled", "unsettled"), Segment("text", ". ")]
    said += [Segment("text", f"{arm} is "), Segment("same", "the same")]
    return [*said, Segment("text", f" as {baseline} within {_margins(margins)} on every check. ")]


def _would_settle(
    main: Comparison | None,
    others: list[Comparison],
    titles: list[str],
    same_needs: tuple[int | None, ...],
    early: bool,
) -> list[Segment]:
    """How many more cases would settle the main question, or, where nothing moved, what takes the
    fewest. Of what else is open the rows of evidence tell."""
    open_ones = [c for c in ([main] if main else others) if c.word == "unsettled" and c.cases]
    moved = main is None and any(c.word in ("better", "worse") for c in others)
    if early or moved or not open_ones or min(c.cases for c in open_ones) < FEWEST_CASES:
        return []
    soonest = min(open_ones, key=lambda c: c.settling.more if c.settling else MOST_CASES)
    needs = same_needs[soonest.measure] if same_needs else None
    return settling_segments(soonest, titles[soonest.measure], needs)


def settling_segments(found: Comparison, title: str, same_needs: int | None) -> list[Segment]:
    """What would settle a comparison that is open; empty for one that is not."""
    if found.word != "unsettled":
        return []
    measure = Segment("measure", title, found.measure)
    if found.cases < FEWEST_CASES:
        told = f" has {count(found.cases, 'case')}; it takes {FEWEST_CASES} at least. "
        return [measure, Segment("text", told)]
    if found.settling is None:
        said = [Segment("text", "No number of cases within reach would settle "), measure]
        said.append(Segment("text", ", as things look. "))
    else:
        is_same = found.settling.word == "same"
        more = count(about(found.settling.more), "more case")
        said = [Segment("text", "To call " if is_same else "To settle "), measure]
        said += [
            Segment("text", " the same" if is_same else ""),
            Segment("text", f" would take about {more}, if things stay as they look. "),
        ]
    if same_needs is not None and found.cases < same_needs:
        told = f"“Same” takes {same_needs} cases even when nothing differs. "
        said.append(Segment("text", told))
    return said


def about(number: int) -> int:
    """Rounded up to two digits: what rests on a guess is not told to the last case."""
    step: int = 10 ** max(0, len(str(max(number, 1))) - 2)
    return -(-max(number, 1) // step) * step


def _changes(changes: list[Comparison], titles: list[str], words: tuple[str, str]) -> list[Segment]:
    verb, joiner = words
    said: list[Segment] = []
    named = changes if len(changes) <= MOST_NAMED + 1 else changes[:MOST_NAMED]
    more = len(changes) - len(named)
    for position, change in enumerate(named):
        if position:
            last = position == len(named) - 1 and not more
            said.append(Segment("text", f" {joiner} " if last else ", "))
        said.append(Segment("measure", titles[change.measure], change.measure))
        points = f"{abs(change.difference or 0):.1f}"
        unit = " points" if position == 0 else ""
        comma = "," if verb == "by" else ""
        said.append(Segment("text", f"{comma} {verb} {points}{unit} "))
        said.append(Segment("number", _span(change)))
    if more:
        said.append(Segment("text", f" {joiner} {more} more checks"))
    return said


def _rest(
    by_word: dict[str, list[Comparison]], moved: bool, titles: list[str], margins: list[float]
) -> list[Segment]:
    unsettled, same = by_word["unsettled"], by_word["same"]
    said: list[Segment] = []
    if unsettled:
        most = max(c.cases for c in unsettled)
        if most < FEWEST_CASES:
            return [
                Segment(
                    "text",
                    f"With {count(most, 'case')} nothing can be settled; "
                    f"it takes {FEWEST_CASES} at least. ",
                )
            ]
        if moved:
            said += [Segment("unsettled", "Unsettled"), Segment("text", ": ")]
        else:
            said.append(Segment("text", "Open: "))
        named = unsettled if len(unsettled) <= MOST_NAMED + 1 else []
        if not named:
            said.append(Segment("text", f"{len(unsettled)} {'more ' if moved else ''}checks"))
        for position, comparison in enumerate(named):
            if position:
                said.append(Segment("text", ", "))
            said.append(Segment("measure", titles[comparison.measure], comparison.measure))
            said += [Segment("text", " "), Segment("number", _span(comparison))]
        said.append(Segment("text", ". "))
    if same and (moved or unsettled):
        what = "Nothing else" if not unsettled else "The rest"
        verb = "moved" if not unsettled else "did not move"
        said.append(Segment("text", f"{what} {verb} beyond {_margins(margins)}. "))
    return said


def _effort(effort: Effort, baseline: Effort, how: Missing) -> list[Segment]:
    said: list[str] = []
    if effort.cents and baseline.cents:
        change = effort.cents / baseline.cents - 1
        if abs(change) >= 1:
            said.append(f"costs {effort.cents / baseline.cents:.1f} times as much per answer")
        elif abs(change) >= 0.005:
            said.append(f"costs {abs(change):.0%} {'more' if change > 0 else 'less'} per answer")
        else:
            said.append("costs the same per answer")
    if effort.median_ms is not None and baseline.median_ms is not None:
        change = round(effort.median_ms - baseline.median_ms)
        if abs(change) >= WORTH_TELLING * baseline.median_ms:
            said.append(f"answers {abs(change):,} ms {'later' if change > 0 else 'sooner'}")
    text = f"It {' and '.join(said)}." if said else ""
    missing = effort.unanswered + baseline.unanswered
    if missing:
        one = missing == 1
        told = {"failed": "counts as failed" if one else "count as failed",
                "left_out": "is left out" if one else "are left out"}  # fmt: skip
        text += f" {count(missing, 'call')} got no answer and {told[how]}."
    return [Segment("text", text)] if text else []


def _span(comparison: Comparison) -> str:
    if comparison.interval is None:
        return "no answers to compare"
    low, high = (_signed(end) for end in (comparison.interval.low, comparison.interval.high))
    return f"{low} to {high}"


def _signed(value: float) -> str:
    """One decimal; a minus sign that is one, and none before zero."""
    text = f"{value:.1f}"
    return "0.0" if text == "-0.0" else text.replace("-", "−")


def _margins(margins: list[float]) -> str:
    values = sorted(set(margins))
    if len(values) == 1:
        return f"{values[0]:g} points"
    return "their margins"
