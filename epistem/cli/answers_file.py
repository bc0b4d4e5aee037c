"""Answers out of a file, judged; and the library of checks, listed."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import click
import yaml
from pydantic import Field
from rich.console import Console
from rich.markup import escape
from rich.table import Table

from epistem.core.cases.content import Expectation
from epistem.core.checks.base import Answer, Finding, Ground, Said, Spent, ToolUse
from epistem.core.checks.bench import Bench
from epistem.core.checks.measures import check_uses, measures_of
from epistem.core.checks.registry import check_class, check_keys
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.prompts.dialogue import Turn
from epistem.core.shapes import Document, count

MOST_SHOWN = 20


class UsedTool(Document):
    name: str
    arguments: str = "{}"


class Judgeable(Document):
    """A line of the file: an answer, and what it was an answer to."""

    answer: str
    inputs: dict[str, Any] = Field(default_factory=dict)
    expect: Expectation = Field(default_factory=Expectation)
    finish_reason: str = "stop"
    turns: list[Turn] = Field(default_factory=list)
    tools: list[UsedTool] = Field(default_factory=list)
    system: str = ""
    input_tokens: int | None = Field(None, ge=0)
    output_tokens: int | None = Field(None, ge=0)
    ms: float | None = Field(None, ge=0)
    cents: float | None = Field(None, ge=0)

    def told(self) -> Answer:
        numbers = (self.input_tokens, self.output_tokens, self.ms, self.cents)
        spent = None
        if any(number is not None for number in numbers):
            spent = Spent(*(number or 0 for number in numbers))  # type: ignore[arg-type]
        tools = tuple(ToolUse(each.name, each.arguments) for each in self.tools)
        return Answer(self.answer, self.finish_reason, tuple(self.turns), tools, spent)

    def ground(self, reply: ReplyShape) -> Ground:
        said = (Said("system", self.system),) if self.system else ()
        return Ground(reply, self.expect, self.inputs, lambda: said)


class ChecksFile(Document):
    """What a file of checks holds: checks as a trial's plan has them, and the reply shape they are for."""

    checks: list[CheckUse]
    reply: ReplyShape = Field(default_factory=ReplyShape)


def list_checks(examples: bool) -> None:
    """What there is, with answers that pass and fail if wished."""
    console = Console()
    table = Table(box=None, pad_edge=False, header_style="bold")
    table.add_column("check", no_wrap=True)
    table.add_column("what it promises")
    for key in check_keys():
        cls = check_class(key)
        table.add_row(key, escape(cls.summary))
        for passing in (True, False) if examples else ():
            shown = cls.examples(passing)[:3]
            told = "  ".join(repr(each.text[:60]) for each in shown)
            table.add_row("", escape(f"{'passes' if passing else 'fails'}: {told}"), style="dim")
    console.print(table)


def judge_file(file: Path, keys: Sequence[str], uses_file: Path | None, as_json: bool) -> bool:
    """Print what the checks say of its answers; whether all that is required holds. Raises InvalidInput."""
    uses, reply = _uses(keys, uses_file)
    check_uses(uses)
    bench, rows = Bench(uses, reply), measures_of(uses, reply)
    if bench.judges:
        raise InvalidInput(
            "Judges ask a model, which `epistem check` does not do. Leave them out.", field="checks"
        )
    passed, failed = [0] * len(rows), [0] * len(rows)
    shown: list[str] = []
    for line, one in _answers(file):
        found = bench.judge(one.told(), one.ground(reply))
        for measure, finding in found:
            if finding.passed is None:
                continue
            (passed if finding.passed else failed)[measure] += 1
            if finding.failed and len(shown) < MOST_SHOWN:
                shown.append(f"line {line}: {rows[measure].title}: {finding.message}")
        if as_json:
            told = [_told(rows[measure].title, finding) for measure, finding in found]
            click.echo(json.dumps({"line": line, "findings": told}, ensure_ascii=False))
    if not as_json:
        _print(rows, passed, failed, shown)
    return not any(failed[row.index] for row in rows if row.required)


def _uses(keys: Sequence[str], file: Path | None) -> tuple[list[CheckUse], ReplyShape]:
    """Raises InvalidInput where no check is named, or the file is none."""
    uses, reply = [CheckUse(check=key) for key in keys], ReplyShape()
    if file is not None:
        try:
            told = yaml.safe_load(file.read_text("utf-8"))
        except (yaml.YAMLError, UnicodeDecodeError) as error:
            raise InvalidInput(f"{file} is no YAML: {error}.", field="checks") from error
        read = ChecksFile.from_json(told)
        uses, reply = [*uses, *read.checks], read.reply
    if not uses:
        message = "No check is named: give -c structure.length, or --checks FILE. `epistem checks` lists them."
        raise InvalidInput(message, field="checks")
    return uses, reply


def _answers(file: Path) -> Iterator[tuple[int, Judgeable]]:
    """Line by line, so that a file of any size will do. Raises InvalidInput, naming the line."""
    with file.open("rb") as lines:
        for number, line in enumerate(lines, 1):
            if not line.strip():
                continue
            try:
                told = json.loads(line.decode("utf-8-sig" if number == 1 else "utf-8"))
            except (ValueError, RecursionError) as error:
                raise InvalidInput(f"Line {number} of {file} is not JSON: {error}.") from error
            if not isinstance(told, dict):
                raise InvalidInput(f'Line {number} of {file} is no object with an "answer".')
            yield number, Judgeable.from_json(told, at=f"line {number}")


def _told(title: str, finding: Finding) -> dict[str, Any]:
    told: dict[str, Any] = {"check": title, "passed": finding.passed, "message": finding.message}
    return told if finding.score is None else {**told, "score": finding.score, "unit": finding.unit}


def _print(rows: list[Any], passed: list[int], failed: list[int], shown: list[str]) -> None:
    console = Console()
    table = Table(box=None, pad_edge=False, header_style="bold")
    for name in ("check", "passed", "failed", "nothing to say of"):
        table.add_column(name, justify="left" if name == "check" else "right")
    most = max((p + f for p, f in zip(passed, failed, strict=True)), default=0)
    for row in rows:
        judged = passed[row.index] + failed[row.index]
        told = [str(passed[row.index]), str(failed[row.index]), str(most - judged)]
        table.add_row(escape(row.title), *told, style="red" if failed[row.index] else "")
    console.print(table)
    for each in shown:
        console.print(escape(each), style="red", highlight=False)
    left = sum(failed) - len(shown)
    if left > 0:
        console.print(f"and {count(left, 'failure')} more; --json has them all.")
