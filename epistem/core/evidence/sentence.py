"""The verdict in plain words, as segments that a screen or a terminal can mark up."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from epistem.core.evidence.verdict import FEWEST_CASES, Comparison
from epistem.core.shapes import count

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
    """What an arm's calls cost and took: mean cents a call, median milliseconds, failures."""

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
) -> list[Segment]:
    """Gains first, then losses, then what is unsettled, then money and time."""
    by_word: dict[str, list[Comparison]] = {"better": [], "worse": [], "same": [], "unsettled": []}
    for comparison in comparisons:
        by_word[comparison.word].append(comparison)
    for word in ("better", "worse"):
        by_word[word].sort(key=lambda c: -abs(c.difference or 0))

    said: list[Segment] = [Segment("text", f"{arm_name} is ")]
    better, worse, unsettled = by_word["better"], by_word["worse"], by_word["unsettled"]
    if better:
        said += [Segment("better", "better"), Segment("text", f" than {baseline_name}: ")]
        said += _changes(better, titles, ("gains", "and"))
        said.append(Segment("text", ". "))
        if worse:
            said += [Segment("text", "It is "), Segment("worse", "worse"), Segment("text", " on ")]
            said += _changes(worse, titles, ("by", "and"))
            said.append(Segment("text", ". "))
    elif worse:
        said += [Segment("worse", "worse"), Segment("text", f" than {baseline_name}: ")]
        said += _changes(worse, titles, ("loses", "and"))
        said.append(Segment("text", ". "))
    elif unsettled:
        said = [Segment("text", f"Between {arm_name} and {baseline_name} it is ")]
        said.append(Segment("unsettled", "unsettled"))
        said.append(Segment("text", ". "))
    else:
        said += [Segment("same", "the same"), Segment("text", f" as {baseline_name}")]
        said.append(Segment("text", f" within {_margins(margins)} on every check. "))
    said += _rest(by_word, bool(better or worse), titles, margins)
    said += _effort(effort, baseline_effort)
    return said


def sentence_text(segments: list[Segment]) -> str:
    """Plain text, with the intervals in brackets."""
    told = (f"({s.text})" if s.kind == "number" else s.text for s in segments)
    return "".join(told).strip()


def _changes(changes: list[Comparison], titles: list[str], words: tuple[str, str]) -> list[Segment]:
    verb, joiner = words
    said: list[Segment] = []
    for position, change in enumerate(changes):
        if position:
            said.append(Segment("text", f" {joiner} " if position == len(changes) - 1 else ", "))
        said.append(Segment("measure", titles[change.measure], change.measure))
        points = f"{abs(change.difference or 0):.1f}"
        unit = " points" if position == 0 else ""
        comma = "," if verb == "by" else ""
        said.append(Segment("text", f"{comma} {verb} {points}{unit} "))
        said.append(Segment("number", _span(change)))
    return said


def _rest(
    by_word: dict[str, list[Comparison]], moved: bool, titles: list[str], margins: list[float]
) -> list[Segment]:
    unsettled, same = by_word["unsettled"], by_word["same"]
    said: list[Segment] = []
    if unsettled:
        fewest = min(c.cases for c in unsettled)
        if fewest < FEWEST_CASES:
            return [
                Segment(
                    "text",
                    f"With {count(fewest, 'case')} nothing can be settled; "
                    f"it takes {FEWEST_CASES} at least. ",
                )
            ]
        if moved:
            said += [Segment("unsettled", "Unsettled"), Segment("text", ": ")]
        else:
            said.append(Segment("text", "Open: "))
        for position, comparison in enumerate(unsettled):
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


def _effort(effort: Effort, baseline: Effort) -> list[Segment]:
    said: list[str] = []
    if effort.cents and baseline.cents:
        change = effort.cents / baseline.cents - 1
        if abs(change) >= 1:
            said.append(f"costs {effort.cents / baseline.cents:.1f} times as much a call")
        elif abs(change) >= 0.005:
            said.append(f"costs {abs(change):.0%} {'more' if change > 0 else 'less'} a call")
        else:
            said.append("costs the same a call")
    if effort.median_ms is not None and baseline.median_ms is not None:
        change = round(effort.median_ms - baseline.median_ms)
        if abs(change) >= WORTH_TELLING * baseline.median_ms:
            said.append(f"answers {abs(change):,} ms {'later' if change > 0 else 'sooner'}")
    text = f"It {' and '.join(said)}." if said else ""
    missing = effort.unanswered + baseline.unanswered
    if missing:
        text += f" {count(missing, 'call')} got no answer and {'is' if missing == 1 else 'are'} not counted."
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
