"""`epistem cases import | export | list`."""

from __future__ import annotations

import getpass
import io
import sys
import zipfile
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click
from rich.console import Console
from rich.markup import escape
from rich.progress import Progress
from rich.table import Table

from epistem.cli.options import DATABASE, HOME
from epistem.cli.trial import open_store
from epistem.core.errors import InvalidInput
from epistem.core.shapes import count

if TYPE_CHECKING:
    from epistem.store.case_lists import Asked
    from epistem.store.database import Transaction
    from epistem.store.subjects import Subject
    from epistem.work.imports import Look, Reading

MOST_SHOWN = 20
MOST_LISTED = 200


@click.group()
def cases() -> None:
    """Bring cases in, write them out, list them."""


@cases.command("import")
@click.argument("subject")
@click.argument("file", type=click.Path(exists=True, path_type=Path))
@click.option("--dry-run", is_flag=True, help="Only say what would come of it.")
@click.option("--encoding", default="", help="Such as windows-1252; else it is found.")
@click.option("--separator", default="", help="Of a table's cells; else it is found.")
@click.option(
    "--column", "columns", multiple=True, metavar="NAME=MEANS",
    help="What a column means, such as `what=input:message` or `sort=label`; the others are guessed.",
)  # fmt: skip
@DATABASE
@HOME
def bring_in(
    subject: str,
    file: Path,
    dry_run: bool,
    encoding: str,
    separator: str,
    columns: tuple[str, ...],
    database: str | None,
    home: Path,
) -> None:
    """Bring the cases of FILE into SUBJECT: CSV, TSV, JSON, JSON lines, YAML, a zip, or a folder.

    The same file again changes what changed and adds what is new. Exit codes: 0 all is in, 1 some rows
    can't be taken (they are listed), 2 nothing could be read.
    """
    from epistem.core.cases.files.reading import HowToRead
    from epistem.store import imports, subjects
    from epistem.work import imports as work

    name, content = _content_of(file)
    console, by = Console(highlight=False), getpass.getuser()
    store = open_store(database, home)
    reading = work.Reading(how=HowToRead(encoding=encoding, separator=separator))
    with store.transaction(by=by) as tx:
        found = subjects.get(tx, subject)
        size = imports.PIECE_BYTES
        pieces = [content[at : at + size] for at in range(0, len(content), size)]
        number = imports.begin(tx, found, name, pieces, len(content))
        imports.set_reading(tx, number, reading.to_json())
        look = work.look(tx, found, imports.get(tx, found, number))
        if columns:
            told = _with_columns(reading, look, columns)
            imports.set_reading(tx, number, told.to_json())
            look = work.look(tx, found, imports.get(tx, found, number))
    _print(console, look)
    if dry_run:
        console.print("  Nothing is kept.")
    elif look.of("new") or look.of("changed"):
        with Progress(console=console, transient=True) as bar:
            task = bar.add_task("Keeping", total=None)
            done = work.keep(
                store,
                subject,
                number,
                by,
                lambda state: bar.update(task, total=state.total, completed=state.done),
            )
        console.print(f"  {count(done.done, 'case')} kept.")
    sys.exit(1 if look.bad else 0)


@cases.command("export")
@click.argument("subject")
@click.option(
    "--as", "kind", type=click.Choice(["jsonl", "csv"]), default="jsonl", show_default=True
)
@click.option("--find", default="", help="Only cases that are found by this.")
@click.option("-o", "--output", type=click.File("w", encoding="utf-8"), default="-")
@DATABASE
@HOME
def write_out(
    subject: str, kind: str, find: str, output: IO[str], database: str | None, home: Path
) -> None:
    """Write the cases of SUBJECT as JSON lines, which read back to the same cases, or as CSV."""
    from epistem.core.cases.files.writing import csv_of, jsonl_of
    from epistem.store import case_lists, subjects
    from epistem.work.originals import originals_of

    with open_store(database, home).transaction() as tx:
        where = subjects.get(tx, subject)
        kept = [each.content for each in case_lists.found(tx, where, _asked(tx, where, find))]
        originals = originals_of(tx, where, kept)
    output.writelines(csv_of(kept) if kind == "csv" else jsonl_of(kept, originals))


@cases.command("list")
@click.argument("subject")
@click.option("--find", default="", help="Only cases that are found by this.")
@DATABASE
@HOME
def list_them(subject: str, find: str, database: str | None, home: Path) -> None:
    """List the cases of SUBJECT, a line each."""
    from epistem.store import case_lists, subjects

    with open_store(database, home).transaction() as tx:
        where = subjects.get(tx, subject)
        asked = _asked(tx, where, find)
        number = case_lists.how_many(tx, where, asked)
        lines = case_lists.lines(tx, where, asked, most=MOST_LISTED)
    table = Table(box=None, pad_edge=False, header_style="bold")
    for column in ("no.", "case", "expects", "tags"):
        table.add_column(column, overflow="ellipsis", no_wrap=True)
    for line in lines:
        cells = (str(line.number), line.title, line.label or "–", ", ".join(line.tags))
        table.add_row(*map(escape, cells))
    console = Console(highlight=False)
    console.print(table)
    if number > len(lines):
        console.print(f"and {count(number - len(lines), 'case')} more; --find narrows them.")


def _asked(tx: Transaction, subject: Subject, find: str) -> Asked:
    from epistem.work.finding import asked_for

    return asked_for(tx, subject, find)


def _content_of(file: Path) -> tuple[str, bytes]:
    """A file as it is; a folder as a zip. Raises InvalidInput for one that is too large, unread."""
    from epistem.core.cases.files.table import MOST_BYTES

    files = [file] if file.is_file() else sorted(p for p in file.rglob("*") if p.is_file())
    if (size := sum(each.stat().st_size for each in files)) > MOST_BYTES:
        raise InvalidInput(
            f"{file} has {size:,} bytes; the limit is {MOST_BYTES:,}. Split it into several.",
            field="file",
        )
    if file.is_file():
        return file.name, file.read_bytes()
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for each in files:
            archive.write(each, each.relative_to(file).as_posix())
    return f"{file.name}.zip", packed.getvalue()


def _with_columns(reading: Reading, look: Look, columns: tuple[str, ...]) -> Reading:
    """Raises InvalidInput for a column that is not there, or means nothing that there is."""
    from epistem.core.cases.files.columns import Column

    told = {column.name: column for column in look.columns}
    for each in columns:
        name, _, means = each.rpartition("=")
        if name not in told:
            known = ", ".join(told) or "none: its records need no explaining"
            raise InvalidInput(f"There is no column “{name}”. There are: {known}.", field="column")
        what, _, wanted = means.partition(":")
        told[name] = Column.from_json({"name": name, "means": what, "input": wanted}, at="column")
    return reading.model_copy(update={"columns": list(told.values())})


def _print(console: Console, look: Look) -> None:
    table = look.read.table
    how = f", {table.encoding}, separated by {table.separator!r}" if table.separator else ""
    console.print(f"  {escape(table.kind)}{escape(how)}")
    for column in look.columns:
        what = f"{column.means} {column.input}" if column.input else column.means
        console.print(f"    {escape(column.name)}: {escape(what)}")
    console.print(
        f"  {look.of('new'):,} new, {look.of('changed'):,} changed, {look.of('known'):,} known, "
        f"{len(look.bad):,} that can't be taken"
    )
    for bad in look.bad[:MOST_SHOWN]:
        console.print(f"    line {bad.line:,}: {escape(bad.reason)}", style="red")
    if len(look.bad) > MOST_SHOWN:
        console.print(f"    and {len(look.bad) - MOST_SHOWN:,} more")
