"""A verdict on the terminal: the sentence, then a table an arm."""

from __future__ import annotations

from rich.console import Console
from rich.table import Table

from epistem.core.evidence.intervals import LEVEL, Rate
from epistem.core.evidence.sentence import sentence_text, settling_segments
from epistem.work.evidence import Evidence

MARKS = {"better": "▲", "worse": "▼", "same": "▬", "unsettled": "○"}
COLOURS = {"better": "green", "worse": "red", "same": "default", "unsettled": "yellow"}


def print_verdict(found: Evidence, console: Console) -> None:
    trial = found.trial
    console.print(
        f"\n  [bold]T{trial.id}[/] {trial.subject} · {trial.status} · "
        f"{trial.recorded} of {trial.total} readings, {trial.unanswered} without an answer\n"
    )
    if trial.recorded == 0:
        console.print("  Nothing is recorded yet.")
        return
    if len(found.arms) == 1:
        console.print("  One arm, so there is nothing to compare it with. What it passed:\n")
    for arm in range(1, len(found.arms)):
        console.print(f"  {sentence_text(found.sentences[arm])}\n", soft_wrap=True)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 2), header_style="dim")
    table.add_column("check")
    table.add_column("arm")
    table.add_column("passed", justify="right")
    table.add_column("95% interval")
    table.add_column(f"against {found.names[0]}")
    for measure in found.measures:
        for arm, name in enumerate(found.names):
            rate = found.verdict.rates[arm][measure.index]
            title = measure.title if arm == 0 else ""
            table.add_row(title, name, *_rate(rate), _difference(found, arm, measure.index))
    console.print(table)
    for mark in found.verdict.comparisons:
        title, needs = found.measures[mark.measure].title, found.verdict.same_needs[mark.measure]
        told = sentence_text(settling_segments(mark, title, needs))
        if told and found.verdict.level == LEVEL:
            console.print(f"  [dim]{found.names[mark.arm]}: {told}[/]", soft_wrap=True)
    if found.verdict.level > LEVEL:
        console.print(
            "  [dim]Not all readings are in: words need p < 0.001, intervals are at 99.9%.[/]"
        )
    console.print()


def _rate(rate: Rate | None) -> tuple[str, str]:
    if rate is None:
        return "–", "nothing judged"
    return f"{rate.value:.1%}", f"{rate.interval.low:.1%} – {rate.interval.high:.1%}"


def _difference(found: Evidence, arm: int, measure: int) -> str:
    if arm == 0:
        return "baseline"
    mark = next(c for c in found.verdict.comparisons if (c.arm, c.measure) == (arm, measure))
    if mark.interval is None or mark.difference is None:
        return "nothing to compare"
    told = f"{mark.difference:+.1f} ({mark.interval.low:+.1f} to {mark.interval.high:+.1f})"
    return f"[{COLOURS[mark.word]}]{MARKS[mark.word]} {mark.word}[/] {told}"
