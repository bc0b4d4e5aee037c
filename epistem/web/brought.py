"""Files brought into a collection: looked at as they would be cut, and kept when told to."""

from __future__ import annotations

from datetime import date
from threading import BoundedSemaphore
from typing import Literal

from flask import Response, request
from flask_openapi3 import RawModel
from pydantic import BaseModel, Field

from epistem.core.errors import InvalidInput
from epistem.core.knowledge.cutting import Cut
from epistem.core.shapes import Document, Tag
from epistem.store.knowledge import brought, collections
from epistem.store.knowledge.documents import passage_text
from epistem.web.collections import CollectionPage, CollectionPath, bp, page_of
from epistem.web.pages import fitting
from epistem.web.permits import held
from epistem.web.replies import Shape, database, reply, transaction, who
from epistem.work.knowledge import bringing

AT_ONCE = 2
FULL = "Other files are being read at the moment. Try again in a little while."
_reading = BoundedSemaphore(AT_ONCE)
"""Each is a process that may take a gigabyte."""
MOST_SLICES = 120
SHOWN_LINES = 500


class FileBytes(RawModel):
    mimetypes: list[str] = ["application/octet-stream"]  # noqa: RUF012


class BroughtName(BaseModel):
    file: str = Field("pasted.txt", min_length=1, max_length=300, description="What it is called.")


class HowCut(BaseModel):
    """How files are cut that have no way of their own; without, as each suits."""

    by: Literal["headings", "length", "rows"] | None = None
    most: int = Field(1_200, ge=100, le=20_000)
    overlap: int = Field(0, ge=0, le=10_000)
    level: int = Field(3, ge=1, le=6)

    @property
    def cut(self) -> Cut | None:
        if self.by is None:
            return None
        return Cut(by=self.by, most=self.most, overlap=self.overlap, level=self.level)


class BroughtLine(Shape):
    """`kept`, `fresh` and `gone` count passages that keep their numbers, that are new, and that go. `problem` says
    why it can't be read."""

    id: int
    file: str
    stem: str
    title: str
    outcome: Literal["new", "changed", "same", "bad"]
    cut: Cut
    own: bool = Field(description="Whether it is cut in a way of its own.")
    passages: int
    kept: int
    fresh: int
    gone: int
    characters: int
    told: list[str]
    problem: str


class BroughtList(Shape):
    files: list[BroughtLine]
    more: bool


class SliceShape(Shape):
    """`lead` characters at its beginning stand in the passage before, too."""

    title: str
    path: list[str]
    text: str
    start: int
    lead: int


class BroughtPage(Shape):
    """The first passages that it would be cut into."""

    file: str
    slices: list[SliceShape]
    passages: int


class BroughtPath(CollectionPath):
    file_id: int = Field(ge=1)


class OwnCut(Document):
    cut: Cut | None = None


class Keeping(Document):
    """`cut` is for files without a way of their own, tags and date are for all."""

    cut: Cut | None = None
    tags: list[Tag] = Field(default_factory=list, max_length=20)
    dated: date | None = None


@bp.post(
    "/collections/<collection>/brought", responses={201: BroughtList}, operation_id="bringDocument",
    summary="Bring in a file, or a zip of files; nothing of it is kept yet",
)  # fmt: skip
def bring(path: CollectionPath, query: BroughtName, raw: FileBytes) -> Response:
    """Text, Markdown, HTML, CSV and PDF. What can't be read stands in the list with the reason."""
    content = request.get_data()
    if not content:
        raise InvalidInput("The file is empty.", field="file")
    with held(_reading, FULL):
        bringing.bring(database(), path.collection, [(query.file, content)], who())
    return reply(_listed(path.collection, None), 201)


@bp.get(
    "/collections/<collection>/brought", responses={200: BroughtList}, operation_id="listBrought",
    summary="What was brought, as it would be cut",
)  # fmt: skip
def list_brought(path: CollectionPath, query: HowCut) -> Response:
    return reply(_listed(path.collection, query.cut))


@bp.get(
    "/collections/<collection>/brought/<int:file_id>", responses={200: BroughtPage},
    operation_id="getBrought", summary="A file that was brought, passage by passage",
)  # fmt: skip
def get_brought(path: BroughtPath, query: HowCut) -> Response:
    with transaction() as tx:
        collection = collections.get(tx, path.collection)
        each = brought.get(tx, collection, path.file_id)
    looked = bringing.cut_so(each, query.cut)
    text = each.text.text
    slices = [
        SliceShape(
            title=piece.title,
            path=list(piece.path),
            text=passage_text(text, piece),
            start=piece.start,
            lead=max(piece.start - piece.lead, 0),
        )
        for piece in looked[:MOST_SLICES]
    ]
    shown, _ = fitting(slices, MOST_SLICES)
    return reply(BroughtPage(file=each.file, slices=shown, passages=len(looked)))


@bp.put(
    "/collections/<collection>/brought/<int:file_id>/cut", responses={200: BroughtList},
    operation_id="cutBrought", summary="Cut one file in a way of its own",
)  # fmt: skip
def cut_brought(path: BroughtPath, body: OwnCut) -> Response:
    with transaction() as tx:
        collection = collections.get(tx, path.collection)
        brought.get(tx, collection, path.file_id)
        brought.set_cut(tx, path.file_id, body.cut)
    return reply(_listed(path.collection, None))


@bp.delete(
    "/collections/<collection>/brought/<int:file_id>", responses={200: BroughtList},
    operation_id="dropBrought", summary="Leave a file out",
)  # fmt: skip
def drop_brought(path: BroughtPath) -> Response:
    with transaction() as tx:
        brought.drop(tx, collections.get(tx, path.collection), path.file_id)
    return reply(_listed(path.collection, None))


@bp.delete(
    "/collections/<collection>/brought", responses={200: BroughtList}, operation_id="dropAllBrought",
    summary="Leave all files out",
)  # fmt: skip
def drop_all_brought(path: CollectionPath) -> Response:
    with transaction() as tx:
        brought.drop(tx, collections.get(tx, path.collection))
    return reply(_listed(path.collection, None))


@bp.post(
    "/collections/<collection>/versions", responses={201: CollectionPage}, operation_id="keepBrought",
    summary="Keep what was brought as the collection's next version",
)  # fmt: skip
def keep_brought(path: CollectionPath, body: Keeping) -> Response:
    with transaction() as tx:
        found = bringing.keep(tx, path.collection, body.cut, body.tags, body.dated)
        page = page_of(tx, found)
    return reply(page, 201)


def _listed(name: str, how: Cut | None) -> BroughtList:
    with transaction() as tx:
        looked = bringing.look(tx, collections.get(tx, name), how)
    lines, more = fitting(
        [
            BroughtLine(
                id=each.brought.id,
                file=each.brought.file,
                stem=each.stem,
                title=each.brought.text.title,
                outcome=each.outcome,
                cut=each.how.model_copy(update={"at": []}),
                own=each.brought.cut is not None,
                passages=len(each.slices),
                kept=each.kept,
                fresh=each.fresh,
                gone=each.gone,
                characters=len(each.brought.text.text),
                told=each.brought.told,
                problem=each.brought.problem,
            )
            for each in looked[: SHOWN_LINES + 1]
        ],
        SHOWN_LINES,
    )
    return BroughtList(files=lines, more=more)
