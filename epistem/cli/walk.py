"""`epistem walk FILE`: a chain is looked over and walked, its steps shown as they are over."""

from __future__ import annotations

import asyncio
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from time import time_ns
from typing import TYPE_CHECKING, Any

import click
from rich.console import Console
from rich.markup import escape

from epistem.cli.options import DATABASE, HOME
from epistem.cli.person import AtTerminal
from epistem.cli.trial import open_store
from epistem.core.errors import InvalidInput
from epistem.core.shapes import count

if TYPE_CHECKING:
    from epistem.core.chains.content import Chain
    from epistem.core.chains.walked import Stepped, Walked

# What does the work is imported when it is needed, so that `--help` comes at once.

SHOWN = 90
"""Characters of what a step came to."""


@click.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option(
    "--input", "inputs", multiple=True, metavar="NAME=VALUE", help="An input of the chain."
)
@click.option(
    "--say",
    multiple=True,
    metavar="WORDS",
    help="What the person of a talk says, in turn; then it is asked for in the terminal.",
)
@click.option("--seed", type=click.IntRange(0, 2**31 - 1), default=1, show_default=True)
@click.option(
    "--look",
    is_flag=True,
    help="Only show its ladder, what each step reads and writes, and faults.",
)
@click.option(
    "--json", "as_json", is_flag=True, help="A line of JSON for each step, and one for the end."
)
@click.option(
    "--picture",
    type=click.Path(dir_okay=False, path_type=Path),
    help="With --look: write its picture, as SVG, or as Mermaid to a name that ends in .mmd.",
)
@click.option(
    "--otlp",
    type=click.Path(dir_okay=False, path_type=Path),
    help="Write the walk as OpenTelemetry spans, in OTLP/JSON.",
)
@DATABASE
@HOME
def walk(
    file: Path,
    inputs: tuple[str, ...],
    say: tuple[str, ...],
    seed: int,
    look: bool,
    as_json: bool,
    picture: Path | None,
    otlp: Path | None,
    database: str | None,
    home: Path,
) -> None:
    """Walk a chain out of a YAML file.

    Exit code 1 when the walk ends before it is done, 2 when the file or an input can't be used.
    """
    from epistem.core.chains.drawn import told_step
    from epistem.core.chains.picture import mermaid, svg
    from epistem.core.chains.yaml_file import chain_from_yaml
    from epistem.work import pinned
    from epistem.work.walks import chains

    console = Console(highlight=False, soft_wrap=True)
    store = open_store(database, home)
    try:
        read = chain_from_yaml(file.read_text("utf-8", "replace"))
        with store.transaction() as tx:
            chain = pinned.filled_in(tx, read.content)
            faults = [*chains.faults_here(tx, chain)]
        if look:
            _show_ladder(chain, console)
        if picture is not None:
            text = mermaid(chain) if picture.suffix == ".mmd" else svg(chain)
            picture.write_text(text, "utf-8")
        for fault in faults:
            where = f"step {fault.at}, {fault.field}" if fault.at else fault.field
            sign = "[red]✗[/]" if fault.stops else "[yellow]·[/]"
            if not as_json or fault.stops:
                Console(stderr=True, highlight=False, soft_wrap=True).print(
                    f"{sign} {escape(where)}: {escape(fault.message)}"
                )
        if any(fault.stops for fault in faults):
            sys.exit(2)
        if look:
            return
        told = _inputs(chain, inputs)

        async def shown(step: Stepped) -> None:
            if as_json:
                click.echo(json.dumps({"step": told_step(step)}, ensure_ascii=False, default=str))
            else:
                console.print(_line(step))

        took: dict[str, float] = {}
        began = time_ns()
        person = AtTerminal(console, say, there=sys.stdin.isatty() and not as_json)
        walk_it = chains.walk(
            store, chain, told, seed=seed, told=shown, took=took, approves=person.approves,
            hears=person.hears,
        )  # fmt: skip
        walked = asyncio.run(walk_it)
    finally:
        store.close()
    if otlp is not None:
        _write_spans(otlp, read.name, walked, took, began)
    _show_end(walked, console, as_json)
    if walked.ended != "done":
        sys.exit(1)


def _write_spans(file: Path, name: str, walked: Walked, took: dict[str, float], began: int) -> None:
    from epistem.core.chains.drawn import bars_of, own_ms, told_step
    from epistem.core.chains.otlp import spans_of

    own = own_ms(walked.steps, took)
    steps = [
        {**told_step(step, own[step.at]), "start_ms": bar.start_ms, "total_ms": bar.ms}
        for step, bar in zip(walked.steps, bars_of(walked.steps, own), strict=True)
    ]
    told = spans_of(name, str(began), began, steps, ended=walked.ended, why=walked.why)
    file.write_text(json.dumps(told, ensure_ascii=False, default=str), "utf-8")


def _inputs(chain: Chain, given: Sequence[str]) -> dict[str, Any]:
    """Texts as they are; other kinds as JSON. Raises InvalidInput naming the input."""
    from epistem.core.prompts.inputs import filled

    known = {each.name: each for each in chain.inputs}
    told: dict[str, Any] = {}
    for each in given:
        name, sign, value = each.partition("=")
        if not sign or name not in known:
            there = ", ".join(known) or "none"
            raise InvalidInput(f"“{each[:60]}” names no input. There are: {there}.", field="input")
        if known[name].kind in ("text", "choice"):
            told[name] = value
            continue
        try:
            told[name] = json.loads(value)
        except ValueError as error:
            raise InvalidInput(
                f"{name} is a {known[name].kind}: write it as JSON.", field=name
            ) from error
    return filled(chain.inputs, told)


def _line(step: Stepped) -> str:
    deep = "  " * step.at.count(".")
    said = step.fault or step.told or ", ".join(step.wrote)
    said = " ".join(str(said).split())
    said = said if len(said) <= SHOWN else f"{said[: SHOWN - 1]}…"
    spent = (
        f"  [dim]{step.input_tokens} + {step.output_tokens} tokens, {step.cents:.3g}¢[/]"
        if step.calls
        else ""
    )
    if step.passed_over:
        return f"[dim]{deep}{step.at} {escape(step.name)} · passed over[/]"
    sign = "[red]✗[/] " if step.fault else ""
    return f"{deep}{step.at} [bold]{escape(step.name)}[/] {sign}{escape(said)}{spent}"


def _show_end(walked: Walked, console: Console, as_json: bool) -> None:
    calls = sum(step.calls for step in walked.steps)
    cents = sum(step.cents for step in walked.steps)
    if as_json:
        told = {
            "ended": walked.ended,
            "why": walked.why,
            "outputs": walked.outputs,
            "calls": calls,
            "cents": cents,
        }
        click.echo(json.dumps(told, ensure_ascii=False, default=str))
        return
    for name, value in walked.outputs.items():
        shown = (
            value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)
        )
        console.print(f"\n[bold]{escape(name)}[/]\n{escape(shown)}")
    colour = "green" if walked.ended == "done" else "red"
    steps, took = sum(not step.passed_over for step in walked.steps), count(calls, "call")
    console.print(
        f"\n[{colour}]{escape(walked.why)}[/] {count(steps, 'step')}, {took}, {cents:.3g}¢"
    )


def _show_ladder(chain: Chain, console: Console) -> None:
    """Steps down the page; beside each what it reads (○) and writes (■)."""
    from epistem.core.chains.depends import ledger

    rows = ledger(chain)
    names = list(dict.fromkeys(name for row in rows for name in (*row.reads, *row.writes)))
    wide = max(len(f"{'  ' * row.deep}{row.at} {row.step.name}") for row in rows) + 9
    console.print(" " * wide + "  ".join(escape(name) for name in names))
    for row in rows:
        head = f"{'  ' * row.deep}{row.at} {row.step.name}"
        cells = [
            ("■" if name in row.writes else "○" if name in row.reads else "·").ljust(len(name) + 2)
            for name in names
        ]
        both = "".join(cells).rstrip()
        console.print(f"{escape(head):<{wide - 9}} {row.step.kind:<8}{both}")
