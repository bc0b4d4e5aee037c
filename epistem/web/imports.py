"""Files of cases: brought in, looked at, kept, taken back; and cases as a file."""

from __future__ import annotations

from collections.abc import Iterator
from threading import BoundedSemaphore
from typing import Literal

from flask import Response, request
from flask_openapi3 import RawModel
from pydantic import BaseModel, Field

from epistem.core.cases.content import title_of
from epistem.core.cases.files.columns import Meaning
from epistem.core.cases.files.table import shown
from epistem.core.cases.files.writing import csv_of, jsonl_of
from epistem.core.errors import Conflict, InvalidInput
from epistem.core.shapes import Tag
from epistem.store import case_lists, imports, subjects
from epistem.store.database import Transaction
from epistem.store.imports import PIECE_BYTES, Import
from epistem.web.pages import fitting
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import (
    Moment,
    Shape,
    SubjectPath,
    blueprint,
    database,
    reply,
    transaction,
    who,
)
from epistem.work import imports as work
from epistem.work.finding import asked_for
from epistem.work.originals import originals_of

bp = blueprint("imports")

FIRST_ROWS = 12
FIRST_VALUES = 3
MOST_BAD = 200
LATEST = 20
AT_ONCE = 3
FULL = "Other files are being brought in at the moment. Try again in a little while."
_reading = BoundedSemaphore(AT_ONCE)
"""A large file holds a thread, and some hundred megabytes, for seconds."""


class FileBytes(RawModel):
    mimetypes: list[str] = ["application/octet-stream"]  # noqa: RUF012


class FileName(BaseModel):
    file: str = Field("pasted", min_length=1, max_length=300, description="What it is called.")


class ImportPath(SubjectPath):
    import_id: int = Field(ge=1)


class ImportState(Shape):
    """`open`: nothing of it is kept yet. `keeping`: `done` of `total` cases are in; it can be gone on with."""

    id: int
    file: str
    size: int
    status: Literal["open", "keeping", "kept", "undone"]
    total: int
    done: int
    created_at: Moment
    begun_by: str


class ImportStates(Shape):
    imports: list[ImportState]


class ColumnShape(Shape):
    """What a column means, and the first of its values."""

    name: str
    means: Meaning
    input: str
    first: list[str]


class RowShape(Shape):
    line: int
    outcome: Literal["new", "changed", "known"]
    title: str
    label: str | None
    tags: list[Tag]
    turns: int
    number: int | None = Field(description="Of the case that is kept already.")


class BadRowShape(Shape):
    line: int
    reason: str
    shown: str


class ImportLook(Shape):
    """What would come of it: how it is read, what its columns mean, its first rows, and all that can't be
    taken (the first of them; `bad_rows` is how many). `whole`: it holds cases as they are written here."""

    state: ImportState
    kind: str
    encoding: str
    guessed: bool = Field(description="Nothing in the file tells its encoding.")
    separator: str
    header: bool
    whole: bool
    columns: list[ColumnShape]
    inputs: list[str]
    new: int
    changed: int
    known: int
    rows: list[RowShape]
    bad: list[BadRowShape]
    bad_rows: int


class UndonePage(Shape):
    """`left` are cases that somebody changed since, which stay as they are."""

    state: ImportState
    undone: int
    left: list[int]


class ExportQuery(BaseModel):
    as_: Literal["jsonl", "csv"] = Field("jsonl", alias="as")
    find: str = Field("", max_length=400, description="Only cases that are found by this.")


@bp.post(
    "/subjects/<name>/imports", responses={201: ImportState}, operation_id="beginImport",
    summary="Bring in a file of cases; nothing of it is kept yet",
)  # fmt: skip
def begin_import(path: SubjectPath, query: FileName, raw: FileBytes) -> Response:
    """CSV, TSV, JSON lines, a JSON array, YAML, or a zip of a table and images. What can't be read at all
    is refused."""
    with held(_reading, FULL):
        pieces = list(_pieces())
        with transaction() as tx:
            subject = subjects.get(tx, path.name)
            if not (size := sum(map(len, pieces))):
                raise InvalidInput("The file is empty.", field="file")
            number = imports.begin(tx, subject, query.file, pieces, size)
            coming = imports.get(tx, subject, number)
            work.look(tx, subject, coming)
    return reply(state_of(coming), 201)


@bp.get(
    "/subjects/<name>/imports", responses={200: ImportStates}, operation_id="listImports",
    summary="The latest files that cases came of",
)  # fmt: skip
def list_imports(path: SubjectPath) -> Response:
    with transaction() as tx:
        found = imports.latest(tx, subjects.get(tx, path.name), LATEST)
    return reply(ImportStates(imports=[state_of(each) for each in found]))


@bp.get(
    "/subjects/<name>/imports/<int:import_id>", responses={200: ImportState},
    operation_id="getImport", summary="How far a file has come",
)  # fmt: skip
def get_import(path: ImportPath) -> Response:
    with transaction() as tx:
        return reply(state_of(imports.get(tx, subjects.get(tx, path.name), path.import_id)))


@bp.get(
    "/subjects/<name>/imports/<int:import_id>/look", responses={200: ImportLook, 409: Problem},
    operation_id="lookAtImport", summary="What would come of a file",
)  # fmt: skip
def look_at_import(path: ImportPath) -> Response:
    with held(_reading, FULL), transaction() as tx:
        subject = subjects.get(tx, path.name)
        return reply(_look(tx, subject, imports.get(tx, subject, path.import_id)))


@bp.put(
    "/subjects/<name>/imports/<int:import_id>/reading", responses={200: ImportLook, 409: Problem},
    operation_id="putReading", summary="Say how a file is read and what its columns mean",
)  # fmt: skip
def put_reading(path: ImportPath, body: work.Reading) -> Response:
    """Columns that are left out are guessed anew. What can't be is refused, and the reading stays."""
    with held(_reading, FULL), transaction() as tx:
        subject = subjects.get(tx, path.name)
        coming = imports.get(tx, subject, path.import_id, lock=True)
        if coming.status != "open":
            raise Conflict("Some of this file is kept already: it can't be read otherwise now.")
        imports.set_reading(tx, path.import_id, body.to_json())
        return reply(_look(tx, subject, imports.get(tx, subject, path.import_id)))


@bp.post(
    "/subjects/<name>/imports/<int:import_id>/keep", responses={200: ImportState, 409: Problem},
    operation_id="keepImport", summary="Keep what is new and changed in a file",
)  # fmt: skip
def keep_import(path: ImportPath) -> Response:
    """Answers when all is kept; the state tells meanwhile how far it is. Sent again it goes on."""
    with held(_reading, FULL):
        return reply(state_of(work.keep(database(), path.name, path.import_id, who())))


@bp.post(
    "/subjects/<name>/imports/<int:import_id>/undo", responses={200: UndonePage, 409: Problem},
    operation_id="undoImport", summary="Take back all that came of a file",
)  # fmt: skip
def undo_import(path: ImportPath) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        undone = work.undo(tx, subject, path.import_id)
        state = state_of(imports.get(tx, subject, path.import_id))
    return reply(UndonePage(state=state, undone=undone.undone, left=undone.left))


@bp.get(
    "/subjects/<name>/cases/file", operation_id="getCasesFile", summary="The cases as a file",
    responses={200: {"content": {
        "application/jsonl": {"schema": {"type": "string"}},
        "text/csv": {"schema": {"type": "string"}},
    }}},
)  # fmt: skip
def get_cases_file(path: SubjectPath, query: ExportQuery) -> Response:
    """JSON lines read back to the same cases. In CSV no cell is taken for a formula."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        asked = asked_for(tx, subject, query.find)
        kept = [each.content for each in case_lists.found(tx, subject, asked)]
        originals = originals_of(tx, subject, kept)
    lines = csv_of(kept) if query.as_ == "csv" else jsonl_of(kept, originals)
    kind = "text/csv; charset=utf-8" if query.as_ == "csv" else "application/jsonl"
    response = Response((line.encode() for line in lines), content_type=kind)
    name = f"{path.name}-cases.{query.as_}"
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


def state_of(coming: Import) -> ImportState:
    told = {name: getattr(coming, name) for name in ImportState.model_fields}
    return ImportState(**told)


def _pieces() -> Iterator[bytes]:
    """The body as it comes; too much of it is refused by `doors`."""
    while piece := request.stream.read(PIECE_BYTES):
        yield piece


def _look(tx: Transaction, subject: subjects.Subject, coming: Import) -> ImportLook:
    found = work.look(tx, subject, coming)
    table = found.read.table
    rows = [
        RowShape(
            line=row.line,
            outcome=row.outcome,
            title=title_of(row.case),
            label=" or ".join(filter(None, [row.case.expect.label, *row.case.expect.labels]))
            or None,
            tags=row.case.tags[:10],
            turns=len(row.case.turns),
            number=row.kept.number if row.kept else None,
        )
        for row in found.rows[:FIRST_ROWS]
    ]
    bad, _ = fitting([BadRowShape(**each._asdict()) for each in found.bad], MOST_BAD)
    columns = [
        ColumnShape(
            name=column.name,
            means=column.means,
            input=column.input,
            first=[
                shown(row.cells[column.name])
                for row in table.rows[:FIRST_VALUES]
                if row.cells.get(column.name) not in (None, "")
            ],
        )
        for column in found.columns
    ]
    return ImportLook(
        state=state_of(coming),
        kind=table.kind,
        encoding=table.encoding,
        guessed=found.read.guessed,
        separator=table.separator,
        header=table.header,
        whole=table.whole,
        columns=columns,
        inputs=found.inputs,
        new=found.of("new"),
        changed=found.of("changed"),
        known=found.of("known"),
        rows=rows,
        bad=bad,
        bad_rows=len(found.bad),
    )
