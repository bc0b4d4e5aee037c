"""A chain as a picture: Mermaid text, and SVG of its ladder and ledger."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from xml.sax.saxutils import escape

from epistem.core.chains.content import (
    AnyStep,
    Both,
    Chain,
    Each,
    Repeat,
    Route,
    inside,
)  # fmt: skip
from epistem.core.chains.depends import ledger

ROW, LEFT, INDENT, NAMES, COLUMN = 40, 24, 18, 230, 44
INK, SOFT, READS, WRITES, PAPER = "#1c2b33", "#8f897b", "#2b5a86", "#0d5f58", "#fffdf7"


def mermaid(chain: Chain) -> str:
    """A flowchart, from top to bottom."""
    lines = ["flowchart TD"]
    begin, end = "begin([begin])", "done([done])"
    lines.append(f"  {begin}")
    last = _taken(_flow(chain.steps, "s", ["begin"], ""), lines)
    lines.append(f"  {end}")
    lines += [f"  {each} --> done" for each in last]
    return "\n".join(lines) + "\n"


def _taken(flow: Iterator[str | list[str]], lines: list[str]) -> list[str]:
    """Its lines into `lines`; the nodes from which it goes on."""
    last: list[str] = []
    for told in flow:
        if isinstance(told, list):
            last = told
        else:
            lines.append(told)
    return last


def _flow(
    steps: Sequence[AnyStep], before: str, come_from: list[str], label: str
) -> Iterator[str | list[str]]:
    """Lines; at the end the nodes from which it goes on."""
    last, told = come_from, label
    for number, step in enumerate(steps, start=1):
        node = f"{before}{number}"
        shape = ("{", "}") if isinstance(step, Route | Repeat) else ("[", "]")
        yield f"  {node}{shape[0]}{_quoted(f'{step.name} · {step.kind}')}{shape[1]}"
        for each in last:
            yield f"  {each} -->{f'|{_quoted(told)}|' if told else ''} {node}"
        told, last = "", [node]
        if isinstance(step, Repeat | Each):
            inner: list[str] = []
            last = _taken(_flow(step.steps, f"{node}_", [node], ""), inner)
            yield from inner
            again = f"until {step.until}" if isinstance(step, Repeat) else f"each of {step.over}"
            for each in last:
                yield f"  {each} -.->|{_quoted(again)}| {node}"
        elif isinstance(step, Route | Both):
            ends: list[str] = []
            for at, (name, steps_) in enumerate(inside(step)):
                inner = []
                ends += _taken(_flow(steps_, f"{node}_{at}_", [node], name), inner)
                yield from inner
            last = list(dict.fromkeys(ends))
    yield last


def svg(chain: Chain) -> str:
    """Steps down the page, beside them a grid of the values that each reads (ring) and writes (square)."""
    rows = ledger(chain)
    names = [*(each.name for each in chain.inputs), *(each.name for each in chain.state)]
    deepest = max((row.deep for row in rows), default=0)
    rail = LEFT * 2 + deepest * INDENT
    width, top = rail + NAMES + COLUMN * len(names) + 40, 90
    height = top + ROW * len(rows) + 20
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width}" height="{height}" '
        f'viewBox="0 0 {width} {height}" font-family="sans-serif" font-size="13">',
        f'<rect width="{width}" height="{height}" fill="{PAPER}"/>',
    ]
    for at, name in enumerate(names):
        x = rail + NAMES + COLUMN * at + COLUMN / 2
        out.append(
            f'<text x="{x}" y="{top - 12}" fill="{INK}" transform="rotate(-40 {x} {top - 12})">{escape(name)}</text>'
        )
    for number, row in enumerate(rows):
        y = top + ROW * number + ROW / 2
        x = LEFT + row.deep * INDENT
        out.append(
            f'<line x1="{rail}" x2="{width - 20}" y1="{y + ROW / 2}" y2="{y + ROW / 2}" stroke="#e8e2d5"/>'
        )
        above = next((r for r in range(number - 1, -1, -1) if rows[r].deep <= row.deep), None)
        if above is not None:
            up = top + ROW * above + ROW / 2
            from_x = LEFT + rows[above].deep * INDENT
            out.append(
                f'<path d="M{from_x} {up + 10}V{y}H{x}" fill="none" stroke="{SOFT}"/>'
                if from_x != x
                else f'<line x1="{x}" x2="{x}" y1="{up + 10}" y2="{y - 10}" stroke="{SOFT}"/>'
            )
        out.append(f'<circle cx="{x}" cy="{y}" r="10" fill="{PAPER}" stroke="{INK}"/>')
        last = row.at.split(".")[-1]
        out.append(
            f'<text x="{x}" y="{y + 4}" text-anchor="middle" font-size="11" fill="{INK}">{escape(last)}</text>'
        )
        out.append(
            f'<text x="{rail}" y="{y + 1}" fill="{INK}">{escape(row.step.name[:34])}</text>'
            f'<text x="{rail}" y="{y + 14}" font-size="10" fill="{SOFT}">{escape(row.step.kind)}</text>'
        )
        for at, name in enumerate(names):
            cx = rail + NAMES + COLUMN * at + COLUMN / 2
            if name in row.reads:
                shift = -8 if name in row.writes else 0
                out.append(
                    f'<circle cx="{cx + shift}" cy="{y}" r="5" fill="none" stroke="{READS}" stroke-width="2"/>'
                )
            if name in row.writes:
                shift = 4 if name in row.reads else -5
                out.append(
                    f'<rect x="{cx + shift}" y="{y - 5}" width="10" height="10" fill="{WRITES}"/>'
                )
    out.append("</svg>")
    return "\n".join(out) + "\n"


def _quoted(text: str) -> str:
    """As Mermaid takes any text."""
    return '"' + text.replace('"', "#quot;").replace("\n", " ") + '"'
