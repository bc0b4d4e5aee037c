"""Collections: their versions, documents and passages, read and changed."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.knowledge.cutting import MOST_CHARACTERS, Cut
from epistem.core.shapes import Document, Tag
from epistem.store.database import Transaction
from epistem.store.knowledge import collections, documents
from epistem.store.knowledge.collections import SearchedBy
from epistem.store.knowledge.documents import DocumentVersion, Passage
from epistem.web.pages import fitting
from epistem.web.problems import Problem
from epistem.web.replies import Moment, Shape, blueprint, reply, transaction
from epistem.work.knowledge import changing, keeping

bp = blueprint("collections")

MOST_VERSIONS = 50
A_PAGE = 60
MOST_HELD = 200
"""Documents in one answer."""


class CollectionLine(Shape):
    """`version` is its newest, 0 while it is empty; `used_by` are subjects that look up in it."""

    name: str
    note: str
    version: int
    documents: int
    passages: int
    embeds_with: str | None
    searched_by: SearchedBy
    changed_at: Moment
    changed_by: str
    used_by: list[str]


class CollectionList(Shape):
    collections: list[CollectionLine]


class CollectionVersionLine(Shape):
    number: int
    told: str
    documents: int
    passages: int
    made_by: str
    made_at: Moment


class DocumentLine(Shape):
    """`stem` is what references to its passages begin with; `since` the version of the collection that it is so
    from."""

    stem: str
    file: str
    title: str
    tags: list[str]
    dated: date | None
    passages: int
    since: int
    changed_at: Moment
    changed_by: str


class CollectionPage(CollectionLine):
    """Of the version that was asked for: `shown`, the newest unless another is named. `holds` are the first
    documents that were asked for; `more` tells that there are others."""

    shown: int
    holds: list[DocumentLine]
    more: bool
    versions: list[CollectionVersionLine]


class PassageShape(Shape):
    reference: str
    number: int
    position: int
    title: str
    path: list[str]
    text: str


class DocumentPage(DocumentLine):
    """Its passages in order, those behind `after`; `more` tells that others follow."""

    cut: Cut
    version: int
    holds: list[PassageShape]
    more: bool


class CollectionPath(BaseModel):
    collection: str


class DocumentPath(CollectionPath):
    stem: str


class PassagePath(DocumentPath):
    number: int = Field(ge=1)


class OfVersion(BaseModel):
    version: int | None = Field(None, ge=1, description="Of the collection; the newest without.")


class CollectionQuery(OfVersion):
    find: str = Field("", max_length=200, description="Words of a document's title, file or stem.")


class PassagesQuery(OfVersion):
    after: int = Field(-1, ge=-1, description="The last position that was seen.")


class NewCollection(Document):
    name: str = Field(max_length=200)
    note: str = Field("", max_length=2_000)


class DescribedCollection(Document):
    note: str = Field("", max_length=2_000)
    embeds_with: str | None = Field(None, max_length=80)
    searched_by: SearchedBy = Field(
        "memory",
        description="Where its words are looked up: `database` for one that has outgrown the memory.",
    )


class CollectionAway(Document):
    away: bool


class DescribedDocument(Document):
    title: str = Field("", max_length=200)
    tags: list[Tag] = Field(default_factory=list, max_length=20)
    dated: date | None = None


class PassageText(Document):
    text: str = Field(max_length=MOST_CHARACTERS)
    seen: int | None = Field(
        None,
        ge=0,
        description="The version of the collection that it was read in: refused where the document was changed since.",
    )


class NewPassage(Document):
    """At the end of a document, or as a document of its own."""

    title: str = Field("", max_length=200)
    text: str = Field(max_length=MOST_CHARACTERS)
    document: str | None = Field(None, max_length=63)


class BackTo(Document):
    version: int = Field(ge=1)


@bp.get(
    "/collections", responses={200: CollectionList}, operation_id="listCollections",
    summary="All collections",
)  # fmt: skip
def list_collections() -> Response:
    with transaction() as tx:
        users = collections.uses(tx)
        lines = [_line(each, users) for each in collections.all_of(tx)]
    return reply(CollectionList(collections=lines))


@bp.post(
    "/collections", responses={201: CollectionPage}, operation_id="createCollection",
    summary="Make a collection",
)  # fmt: skip
def create_collection(body: NewCollection) -> Response:
    with transaction() as tx:
        made = keeping.create(tx, body.name, body.note)
        page = page_of(tx, made)
    return reply(page, 201)


@bp.get(
    "/collections/<collection>", responses={200: CollectionPage}, operation_id="getCollection",
    summary="A collection with its documents, in one of its versions",
)  # fmt: skip
def get_collection(path: CollectionPath, query: CollectionQuery) -> Response:
    with transaction() as tx:
        found = collections.get(tx, path.collection)
        page = page_of(tx, found, query.version, query.find)
    return reply(page)


@bp.put(
    "/collections/<collection>", responses={200: CollectionPage}, operation_id="describeCollection",
    summary="Describe a collection, and choose the model that makes vectors of its passages",
)  # fmt: skip
def describe_collection(path: CollectionPath, body: DescribedCollection) -> Response:
    with transaction() as tx:
        found = keeping.describe(tx, path.collection, body.note, body.embeds_with, body.searched_by)
        page = page_of(tx, found)
    return reply(page)


@bp.put(
    "/collections/<collection>/away", responses={200: CollectionLine}, operation_id="putCollectionAway",
    summary="Put a collection away, or bring it back",
)  # fmt: skip
def put_away(path: CollectionPath, body: CollectionAway) -> Response:
    """One that is looked up in is refused, with who does."""
    with transaction() as tx:
        line = _line(keeping.set_away(tx, path.collection, body.away), collections.uses(tx))
    return reply(line)


@bp.get(
    "/collections/<collection>/documents/<stem>", responses={200: DocumentPage},
    operation_id="getDocument", summary="A document, passage by passage",
)  # fmt: skip
def get_document(path: DocumentPath, query: PassagesQuery) -> Response:
    with transaction() as tx:
        collection = collections.get(tx, path.collection, away=True)
        version = collections.check_version(collection, query.version)
        page = _document(
            tx, documents.get(tx, collection, path.stem, version), version, query.after
        )
    return reply(page)


@bp.put(
    "/collections/<collection>/documents/<stem>", responses={200: CollectionPage},
    operation_id="describeDocument", summary="Give a document a title, tags and a date",
)  # fmt: skip
def describe_document(path: DocumentPath, body: DescribedDocument) -> Response:
    with transaction() as tx:
        found = changing.describe(tx, path.collection, path.stem, body.title, body.tags, body.dated)
        page = page_of(tx, found)
    return reply(page)


@bp.put(
    "/collections/<collection>/documents/<stem>/cut", responses={200: CollectionPage},
    operation_id="cutDocument", summary="Cut a document anew",
)  # fmt: skip
def cut_document(path: DocumentPath, body: Cut) -> Response:
    with transaction() as tx:
        page = page_of(tx, changing.cut_anew(tx, path.collection, path.stem, body))
    return reply(page)


@bp.delete(
    "/collections/<collection>/documents/<stem>", responses={200: CollectionPage},
    operation_id="takeDocumentOut", summary="Take a document out of the collection",
)  # fmt: skip
def take_document_out(path: DocumentPath) -> Response:
    """Earlier versions of the collection still have it."""
    with transaction() as tx:
        page = page_of(tx, changing.take_out(tx, path.collection, path.stem))
    return reply(page)


@bp.put(
    "/collections/<collection>/documents/<stem>/back", responses={200: CollectionPage},
    operation_id="bringDocumentBack", summary="Make a document what it was in another version",
)  # fmt: skip
def bring_document_back(path: DocumentPath, body: BackTo) -> Response:
    with transaction() as tx:
        page = page_of(tx, changing.bring_back(tx, path.collection, path.stem, body.version))
    return reply(page)


@bp.post(
    "/collections/<collection>/passages", responses={201: CollectionPage}, operation_id="writePassage",
    summary="Write a passage",
)  # fmt: skip
def write_passage(path: CollectionPath, body: NewPassage) -> Response:
    with transaction() as tx:
        found = changing.write_passage(tx, path.collection, body.title, body.text, body.document)
        page = page_of(tx, found)
    return reply(page, 201)


@bp.put(
    "/collections/<collection>/documents/<stem>/passages/<int:number>",
    responses={200: CollectionPage, 412: Problem}, operation_id="editPassage",
    summary="Edit a passage; without text it is taken out",
)  # fmt: skip
def edit_passage(path: PassagePath, body: PassageText) -> Response:
    with transaction() as tx:
        found = changing.edit_passage(
            tx, path.collection, (path.stem, path.number), body.text, body.seen
        )
        page = page_of(tx, found)
    return reply(page)


def page_of(
    tx: Transaction,
    collection: collections.Collection,
    version: int | None = None,
    find: str = "",
) -> CollectionPage:
    shown = collections.check_version(collection, version)
    there = documents.listed(tx, collection, shown, find, MOST_HELD + 1)
    lines, more = fitting([DocumentLine.model_validate(each) for each in there], MOST_HELD)
    before = collections.versions_of(tx, collection, MOST_VERSIONS)
    return CollectionPage(
        **_line(collection, collections.uses(tx)).model_dump(),
        shown=shown,
        holds=lines,
        more=more,
        versions=[CollectionVersionLine.model_validate(each) for each in before],
    )


def _line(collection: collections.Collection, uses: Mapping[str, list[str]]) -> CollectionLine:
    names = set(CollectionLine.model_fields) - {"used_by"}
    told = {name: getattr(collection, name) for name in names}
    return CollectionLine(**told, used_by=uses.get(collection.name, []))


def _document(tx: Transaction, found: DocumentVersion, version: int, after: int) -> DocumentPage:
    passages = documents.passages_of(tx, found, after, A_PAGE + 1)
    lines, more = fitting([passage_line(each) for each in passages], A_PAGE)
    line = DocumentLine.model_validate(found)
    return DocumentPage(**line.model_dump(), cut=found.cut, version=version, holds=lines, more=more)


def passage_line(passage: Passage) -> PassageShape:
    names = PassageShape.model_fields
    return PassageShape(**{name: getattr(passage, name) for name in names})
