"""Named sets of cases."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from epistem.core.shapes import Document
from epistem.store import case_sets, subjects
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.web.replies import Moment, Shape, SubjectPath, blueprint, reply, transaction
from epistem.work.case_sets import check_set, numbers_of
from epistem.work.fared import fared_with

bp = blueprint("case sets")


class CaseSetShape(Shape):
    name: str
    find: str
    by_hand: bool
    cases: int = Field(description="How many it holds now, those put away apart.")
    changed_by: str
    changed_at: Moment


class CaseSetList(Shape):
    sets: list[CaseSetShape]


class SetPath(SubjectPath):
    set: str = Field(min_length=1, max_length=80)


class CaseSetBody(Document):
    """All that `find` finds, also what comes later; or these cases."""

    find: str = Field("", max_length=400)
    numbers: list[int] | None = Field(None, min_length=1, max_length=100_000)


@bp.get(
    "/subjects/<name>/case-sets", responses={200: CaseSetList}, operation_id="listCaseSets",
    summary="The named sets of a subject's cases",
)  # fmt: skip
def list_sets(path: SubjectPath) -> Response:
    with transaction() as tx:
        return reply(_all(tx, subjects.get(tx, path.name)))


@bp.put(
    "/subjects/<name>/case-sets/<path:set>", responses={200: CaseSetList}, operation_id="putCaseSet",
    summary="Make a set, or make it anew",
)  # fmt: skip
def put_set(path: SetPath, body: CaseSetBody) -> Response:
    check_set(path.set, body.find, body.numbers)
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        case_sets.put(tx, subject, path.set.strip(), body.find.strip(), body.numbers)
        return reply(_all(tx, subject))


@bp.delete(
    "/subjects/<name>/case-sets/<path:set>", responses={200: CaseSetList}, operation_id="deleteCaseSet",
    summary="Remove a set; its cases stay",
)  # fmt: skip
def delete_set(path: SetPath) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        case_sets.delete(tx, subject, path.set)
        return reply(_all(tx, subject))


def _all(tx: Transaction, subject: Subject) -> CaseSetList:
    fared = fared_with(tx, subject)
    return CaseSetList(
        sets=[
            CaseSetShape(
                name=each.name,
                find=each.find,
                by_hand=each.numbers is not None,
                cases=len(numbers_of(tx, subject, each, fared)),
                changed_by=each.changed_by,
                changed_at=each.changed_at,
            )
            for each in case_sets.all_of(tx, subject)
        ]
    )
