"""Bringing in files of cases: looked at first, kept when told to, and taken back as a whole.

Keeping goes on in batches, each a transaction that notes which lines it dealt with: a kill between two
of them loses nothing, and going on repeats nothing. Two that keep the same file at once share it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Literal, NamedTuple

from pydantic import Field

from epistem.core.cases.content import Case, checked
from epistem.core.cases.files.building import Built, Cases, Wanted, build, over
from epistem.core.cases.files.columns import Column, guessed, known_names
from epistem.core.cases.files.reading import HowToRead, ReadFile, read_file
from epistem.core.cases.files.table import BadRow, shown
from epistem.core.cases.identity import asked_hash, says_the_same
from epistem.core.errors import Conflict
from epistem.core.prompts.content import Input
from epistem.core.prompts.labels import labels_of
from epistem.core.shapes import Document, Tag
from epistem.core.subjects.content import inputs_asked
from epistem.store import cases, drafts, imports, subjects
from epistem.store.cases import KeptCase
from epistem.store.database import Database, Transaction
from epistem.store.imports import Came, Import
from epistem.store.subjects import Subject
from epistem.work import originals
from epistem.work.cases import attach_needed

A_BATCH = 250
Outcome = Literal["new", "changed", "known"]


class Reading(Document):
    """How a file is read, and what its columns mean; without columns that is guessed."""

    how: HowToRead = Field(default_factory=HowToRead)
    columns: list[Column] | None = Field(None, max_length=500)
    tags: list[Tag] = Field(
        default_factory=list, max_length=20, description="For all cases that are new."
    )


class Sorted(NamedTuple):
    """A case of the file, held against those that are kept: `case` is what would be kept."""

    line: int
    outcome: Outcome
    case: Case
    kept: KeptCase | None


@dataclass(frozen=True)
class Look:
    """What would come of a file. `inputs` are those that a column may be."""

    read: ReadFile
    columns: list[Column]
    inputs: list[str]
    rows: list[Sorted]
    bad: list[BadRow]

    def of(self, outcome: Outcome) -> int:
        return sum(row.outcome == outcome for row in self.rows)


@dataclass(frozen=True)
class Undone:
    """`left` were changed by somebody since, and stay."""

    undone: int
    left: list[int]


def look(tx: Transaction, subject: Subject, coming: Import) -> Look:
    """Raises InvalidInput where the file can't be read so, or its columns contradict each other."""
    read, columns, wanted, made = _built(tx, subject, coming)
    again, bad = _once_each(made)
    rows = _sorted(tx, subject, again)
    return Look(read, columns, [each.name for each in wanted.inputs], rows, bad)


def keep(
    database: Database,
    name: str,
    number: int,
    by: str,
    say: Callable[[Import], None] = lambda _: None,
) -> Import:
    """Keep what is new and changed; told after each batch. Goes on where it was broken off. Raises
    Conflict for one that was kept or taken back already, or that nothing would come of."""
    with database.transaction(by=by) as tx:
        subject = subjects.get(tx, name)
        coming = imports.get(tx, subject, number, lock=True)
        if coming.status not in ("open", "keeping"):
            done = "kept" if coming.status == "kept" else "taken back"
            raise Conflict(f"This file was {done} already. Choose it again to bring it in anew.")
        _, _, _, made = _built(tx, subject, coming)
        built, _ = _once_each(made)
        # By their place: a JSON file may have all of its records in one line.
        rows = zip(built, _sorted(tx, subject, built), strict=True)
        todo = [each for each, row in rows if row.outcome != "known"]
        if coming.status == "open":
            if not todo:
                raise Conflict("Nothing in this file is new. There is nothing to keep.")
            imports.set_status(tx, number, "keeping", len(todo))
    needed: list[Case] = []
    for batch in _batches(todo):
        with database.transaction(by=by) as tx:
            coming = imports.get(tx, subject, number, lock=True)
            if coming.status != "keeping":
                return coming
            needed += _keep_batch(tx, subject, number, batch)
            coming = imports.get(tx, subject, number)
        say(coming)
    with database.transaction(by=by) as tx:
        if imports.get(tx, subject, number, lock=True).status == "keeping":
            imports.set_status(tx, number, "kept")
        attach_needed(tx, subjects.get(tx, name), needed)
        return imports.get(tx, subject, number)


def undo(tx: Transaction, subject: Subject, number: int) -> Undone:
    """New cases are put away, changed ones become what they were. Raises Conflict where nothing came."""
    coming = imports.get(tx, subject, number, lock=True)
    if coming.status not in ("keeping", "kept"):
        raise Conflict("Nothing of this file is kept, so there is nothing to take back.")
    left, undone = [], 0
    for came in imports.came_of(tx, number):
        now = cases.get(tx, subject, came.number)
        if now.revision != came.became:
            left.append(came.number)
        elif came.was is None:
            cases.set_deleted(tx, subject, came.number, True, came.became)
            undone += 1
        elif (before := cases.as_it_was(tx, came.case_id, came.was)) is not None:
            cases.change(tx, subject, came.number, before, came.became)
            undone += 1
    imports.set_status(tx, number, "undone")
    return Undone(undone, left)


def wanted_of(tx: Transaction, subject: Subject) -> Wanted:
    """Inputs and labels of the draft."""
    prompt = drafts.get(tx, subject).content
    described = {each.name: each for each in prompt.inputs}
    names = dict.fromkeys([*inputs_asked(prompt), *described])
    inputs = [described.get(name) or Input(name=name) for name in names]
    return Wanted(inputs, labels_of(prompt.reply))


def _built(
    tx: Transaction, subject: Subject, coming: Import
) -> tuple[ReadFile, list[Column], Wanted, Cases]:
    reading = Reading.from_json(coming.reading)
    wanted = wanted_of(tx, subject)
    known = known_names([each.name for each in wanted.inputs])
    read = read_file(coming.file, imports.content_of(tx, coming.id), reading.how, known)
    columns = reading.columns
    if columns is None:
        columns = [] if read.table.whole else guessed(read.table, wanted.inputs, wanted.labels)
    made = build(read.table, columns, wanted, read.images, f"from {coming.file}"[:200])
    originals.without_lost(tx, subject, made)
    if reading.tags:
        made.built = [_tagged(each, reading.tags) for each in made.built]
    return read, columns, wanted, made


def _tagged(built: Built, tags: Sequence[str]) -> Built:
    """Besides its own; `given` says nothing of them, so a case that is there already keeps what it has."""
    case = built.case.model_copy(update={"tags": [*built.case.tags, *tags]})
    return built._replace(case=checked(case))


def _once_each(made: Cases) -> tuple[list[Built], list[BadRow]]:
    """What asks the same as a line before, under no id of its own, is left out: silently if it is the
    same case, else told."""
    first: dict[bytes, Built] = {}
    once, bad = [], list(made.bad)
    for each in made.built:
        before = None if each.case.key else first.setdefault(asked_hash(each.case), each)
        if before is None or before is each:
            once.append(each)
        elif not says_the_same(before.case, each.case):
            reason = f"asks the same as line {before.line:,} and expects something else"
            bad.append(
                BadRow(each.line, reason, shown("; ".join(map(str, each.case.inputs.values()))))
            )
    return once, sorted(bad, key=lambda each: each.line)


def _sorted(tx: Transaction, subject: Subject, built: Sequence[Built]) -> list[Sorted]:
    built = originals.found(tx, subject, built)
    there = cases.same(tx, subject, [each.case for each in built])
    rows = []
    for each, kept in zip(built, there, strict=True):
        if kept is None:
            rows.append(Sorted(each.line, "new", each.case, None))
            continue
        after = over(kept.content, each)
        known = says_the_same(after, kept.content)
        rows.append(Sorted(each.line, "known" if known else "changed", after, kept))
    return rows


def _keep_batch(
    tx: Transaction, subject: Subject, number: int, batch: Sequence[Built]
) -> list[Case]:
    """Held against what is kept now: another may have dealt with some of it meanwhile."""
    rows = _sorted(tx, subject, batch)
    new = [row for row in rows if row.outcome == "new"]
    came = [
        Came(kept.id, kept.number, row.line, None, kept.revision)
        for row, kept in zip(new, cases.keep_all(tx, subject, [r.case for r in new]), strict=True)
    ]
    for row in rows:
        if row.outcome == "changed" and row.kept is not None:
            was = row.kept
            now = cases.change(tx, subject, was.number, row.case, was.revision)
            came.append(Came(was.id, was.number, row.line, was.revision, now.revision))
    imports.note(tx, number, came, len(came))
    return [row.case for row in rows if row.outcome != "known"]


def _batches(built: Sequence[Built]) -> Iterator[list[Built]]:
    """A paired case comes in a later one than its original, whose number it is to have."""
    for level in originals.by_levels(built):
        waiting = iter(level)
        while batch := list(islice(waiting, A_BATCH)):
            yield batch
