"""Cases of a subject."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.cases.content import Case, title_of
from epistem.core.shapes import Document
from epistem.store import cases, subjects
from epistem.web.pages import fitting
from epistem.web.problems import Problem
from epistem.web.replies import (
    IfMatch,
    Moment,
    Shape,
    SubjectPath,
    blueprint,
    etag,
    expected_revision,
    reply,
    transaction,
)
from epistem.work import cases as work

bp = blueprint("cases")

LISTED = 100
MOST_TAGS = 200
MOST_AT_ONCE = 2_000


class CasePage(Shape):
    number: int
    title: str
    revision: int
    content: Case
    updated_at: Moment
    changed_by: str
    deleted: bool


class CaseEntry(Shape):
    """What a list shows of a case. `turns` counts what the person says after the inputs."""

    number: int
    title: str
    label: str | None
    tags: list[str]
    turns: int


class CaseList(Shape):
    """A page of those that are found, by number. `at` is the place of its first among them; a page may
    be shorter than was asked for. `place` is that of the case that was asked for, if it is found."""

    cases: list[CaseEntry]
    at: int
    found: int
    kept: int
    place: int | None


class CaseQuery(BaseModel):
    find: str = Field(
        "", max_length=200, description="Words of its number, inputs, turns, expectations or tags."
    )
    at: int = Field(0, ge=0, le=10**9, description="The place to begin at.")
    most: int = Field(LISTED, ge=1, le=LISTED)
    around: int | None = Field(
        None, ge=1, description="The number of a case: the page that it is on, instead of `at`."
    )


class TagCount(Shape):
    tag: str
    cases: int


class CaseTags(Shape):
    """The most frequent tags, with how many cases have each, and how many cases there are at all."""

    kept: int
    tags: list[TagCount]


class CasePath(SubjectPath):
    number: int = Field(ge=1)


class NewCases(Document):
    cases: list[Case] = Field(min_length=1, max_length=MOST_AT_ONCE)


class CaseRevision(Document):
    number: int = Field(ge=1)
    revision: int = Field(ge=1)


class KeptCases(Shape):
    cases: list[CaseRevision]


class Deletions(Document):
    cases: list[CaseRevision] = Field(min_length=1, max_length=MOST_AT_ONCE)
    deleted: bool


class Deletion(Document):
    deleted: bool


def page_of(kept: cases.KeptCase) -> CasePage:
    return CasePage(
        number=kept.number,
        title=title_of(kept.content),
        revision=kept.revision,
        content=kept.content,
        updated_at=kept.updated_at,
        changed_by=kept.changed_by,
        deleted=kept.deleted_at is not None,
    )


@bp.get(
    "/subjects/<name>/cases", responses={200: CaseList}, operation_id="listCases",
    summary="The cases that are kept, a page at a time",
)  # fmt: skip
def list_cases(path: SubjectPath, query: CaseQuery) -> Response:
    with transaction() as tx:
        subject, find = subjects.get(tx, path.name), query.find
        kept = cases.how_many(tx, subject)
        found = cases.how_many(tx, subject, find) if find.strip() else kept
        at, place = query.at, None
        if query.around is not None:
            place = cases.place_of(tx, subject, query.around, find)
            at = 0 if place is None else place - place % query.most
        lines = cases.lines(tx, subject, find, at=at, most=query.most)
    entries, _ = fitting([CaseEntry.model_validate(line) for line in lines], query.most)
    return reply(CaseList(cases=entries, at=at, found=found, kept=kept, place=place))


@bp.get(
    "/subjects/<name>/cases/tags", responses={200: CaseTags}, operation_id="listCaseTags",
    summary="The tags of the cases, and how many have each",
)  # fmt: skip
def list_case_tags(path: SubjectPath) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept, tags = cases.how_many(tx, subject), cases.tags_of(tx, subject, MOST_TAGS)
    counts = [TagCount(tag=tag, cases=number) for tag, number in tags]
    return reply(CaseTags(kept=kept, tags=counts))


@bp.post(
    "/subjects/<name>/cases", responses={201: CasePage}, operation_id="keepCase",
    summary="Keep a case",
)  # fmt: skip
def keep_case(path: SubjectPath, body: Case) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = work.keep(tx, subject, body)
    return reply(page_of(kept), 201, headers={"ETag": etag(kept.revision)})


@bp.post(
    "/subjects/<name>/cases/several", responses={201: KeptCases}, operation_id="keepCases",
    summary="Keep several cases at once, all or none",
)  # fmt: skip
def keep_cases(path: SubjectPath, body: NewCases) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = work.keep_all(tx, subject, body.cases)
    lines = [CaseRevision(number=each.number, revision=each.revision) for each in kept]
    return reply(KeptCases(cases=lines), 201)


@bp.put(
    "/subjects/<name>/cases/deletion", responses={200: KeptCases, 412: Problem},
    operation_id="deleteCases", summary="Put several cases away, or bring them back, all or none",
)  # fmt: skip
def delete_cases(path: SubjectPath, body: Deletions) -> Response:
    """Each goes with the revision that was seen of it."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = [
            work.set_away(tx, subject, each.number, body.deleted, each.revision)
            for each in body.cases
        ]
    lines = [CaseRevision(number=each.number, revision=each.revision) for each in kept]
    return reply(KeptCases(cases=lines))


@bp.get(
    "/subjects/<name>/cases/<int:number>", responses={200: CasePage}, operation_id="getCase",
    summary="One case",
)  # fmt: skip
def get_case(path: CasePath) -> Response:
    with transaction() as tx:
        kept = cases.get(tx, subjects.get(tx, path.name), path.number)
    return reply(page_of(kept), headers={"ETag": etag(kept.revision)})


@bp.put(
    "/subjects/<name>/cases/<int:number>", responses={200: CasePage, 412: Problem, 428: Problem},
    operation_id="putCase", summary="Change a case",
)  # fmt: skip
def put_case(path: CasePath, header: IfMatch, body: Case) -> Response:
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = work.change(tx, subject, path.number, body, revision)
    return reply(page_of(kept), headers={"ETag": etag(kept.revision)})


@bp.put(
    "/subjects/<name>/cases/<int:number>/deletion",
    responses={200: CasePage, 412: Problem, 428: Problem}, operation_id="deleteCase",
    summary="Put a case away, or bring it back",
)  # fmt: skip
def delete_case(path: CasePath, header: IfMatch, body: Deletion) -> Response:
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = work.set_away(tx, subject, path.number, body.deleted, revision)
    return reply(page_of(kept), headers={"ETag": etag(kept.revision)})
