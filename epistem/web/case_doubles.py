"""Cases that ask nearly the same: merged, or said to be no doubles."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from epistem.core.shapes import Document
from epistem.store import subjects
from epistem.web.case_batches import EditedCase
from epistem.web.cases import bp  # one path has routes of both, and is described by one blueprint
from epistem.web.problems import Problem
from epistem.web.replies import Shape, SubjectPath, reply, transaction
from epistem.work import doubles as work
from epistem.work.cases import Edited


class Merging(Document):
    """Numbers of two cases."""

    stays: int = Field(ge=1)
    goes: int = Field(ge=1)


class MergedCases(Document):
    """`stays` where it was given tags; `gone` was put away."""

    stays: EditedCase | None = None
    gone: EditedCase


class Apart(Document):
    """Numbers of two cases that are alike."""

    one: int = Field(ge=1)
    other: int = Field(ge=1)
    apart: bool = True


class SetApart(Shape):
    apart: bool


@bp.post(
    "/subjects/<name>/cases/merged", responses={200: MergedCases}, operation_id="mergeCases",
    summary="Merge two cases: one stays, with the tags of both, the other is put away",
)  # fmt: skip
def merge_cases(path: SubjectPath, body: Merging) -> Response:
    """Answers with what `unmergeCases` takes to undo it."""
    with transaction() as tx:
        merged = work.merge(tx, subjects.get(tx, path.name), body.stays, body.goes)
    stays = None if merged.stays is None else EditedCase(**merged.stays._asdict())
    return reply(MergedCases(stays=stays, gone=EditedCase(**merged.gone._asdict())))


@bp.put(
    "/subjects/<name>/cases/merged", responses={200: MergedCases, 412: Problem},
    operation_id="unmergeCases", summary="Make two merged cases what they were",
)  # fmt: skip
def unmerge_cases(path: SubjectPath, body: MergedCases) -> Response:
    """Nothing is touched where one of them was changed since."""
    told = body.stays
    stays = None if told is None else Edited(told.number, told.was, told.became)
    gone = Edited(body.gone.number, body.gone.was, body.gone.became)
    with transaction() as tx:
        work.unmerge(tx, subjects.get(tx, path.name), work.Merged(stays, gone))
    return reply(body)


@bp.put(
    "/subjects/<name>/cases/apart", responses={200: SetApart}, operation_id="setCasesApart",
    summary="Say that two cases which are alike are no doubles, or take that back",
)  # fmt: skip
def set_apart(path: SubjectPath, body: Apart) -> Response:
    with transaction() as tx:
        work.set_apart(tx, subjects.get(tx, path.name), body.one, body.other, body.apart)
    return reply(SetApart(apart=body.apart))
