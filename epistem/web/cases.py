"""Cases of a subject."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from epistem.core.cases.content import Case, title_of
from epistem.core.shapes import Document
from epistem.store import cases, subjects
from epistem.web.problems import Problem
from epistem.web.replies import (
    IfMatch,
    Moment,
    Shape,
    SubjectPath,
    blueprint,
    database,
    etag,
    expected_revision,
    reply,
)
from epistem.work import cases as work

bp = blueprint("cases")


class CasePage(Shape):
    number: int
    title: str
    revision: int
    content: Case
    updated_at: Moment
    deleted: bool


class CaseList(Shape):
    cases: list[CasePage]


class CasePath(SubjectPath):
    number: int = Field(ge=1)


class Deletion(Document):
    deleted: bool


def page_of(kept: cases.KeptCase) -> CasePage:
    return CasePage(
        number=kept.number,
        title=title_of(kept.content),
        revision=kept.revision,
        content=kept.content,
        updated_at=kept.updated_at,
        deleted=kept.deleted_at is not None,
    )


@bp.get(
    "/subjects/<name>/cases", responses={200: CaseList}, operation_id="listCases",
    summary="The cases that are kept",
)  # fmt: skip
def list_cases(path: SubjectPath) -> Response:
    with database().transaction() as tx:
        found = cases.all_of(tx, subjects.get(tx, path.name))
    return reply(CaseList(cases=[page_of(kept) for kept in found]))


@bp.post(
    "/subjects/<name>/cases", responses={201: CasePage}, operation_id="keepCase",
    summary="Keep a case",
)  # fmt: skip
def keep_case(path: SubjectPath, body: Case) -> Response:
    with database().transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = work.keep(tx, subject, body)
    return reply(page_of(kept), 201, headers={"ETag": etag(kept.revision)})


@bp.get(
    "/subjects/<name>/cases/<int:number>", responses={200: CasePage}, operation_id="getCase",
    summary="One case",
)  # fmt: skip
def get_case(path: CasePath) -> Response:
    with database().transaction() as tx:
        kept = cases.get(tx, subjects.get(tx, path.name), path.number)
    return reply(page_of(kept), headers={"ETag": etag(kept.revision)})


@bp.put(
    "/subjects/<name>/cases/<int:number>", responses={200: CasePage, 412: Problem, 428: Problem},
    operation_id="putCase", summary="Change a case",
)  # fmt: skip
def put_case(path: CasePath, header: IfMatch, body: Case) -> Response:
    revision = expected_revision()
    with database().transaction() as tx:
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
    with database().transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = cases.set_deleted(tx, subject, path.number, body.deleted, revision)
    return reply(page_of(kept), headers={"ETag": etag(kept.revision)})
