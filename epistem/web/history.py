"""The history of a subject's tries."""

from __future__ import annotations

from typing import Any

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.prompts.content import Prompt
from epistem.store import subjects, tries
from epistem.web.replies import Moment, Shape, SubjectPath, database, reply
from epistem.web.tries import bp  # one path has routes of both, and is described by one blueprint
from epistem.web.try_shapes import TriedAnswer
from epistem.work.tries import Asked


class TryLine(Shape):
    """`edit` numbers the drafts that were tried, in order: lines with one number had one draft."""

    id: int
    tried_at: Moment
    model: str
    edit: int
    asked: Asked
    first_words: str
    passed: bool


class TryList(Shape):
    """Newest first. `more`: there are older ones, before the last of these."""

    tries: list[TryLine]
    more: bool


class KeptTry(Shape):
    id: int
    tried_at: Moment
    content: Prompt
    asked: Asked
    answered: TriedAnswer


class TryPath(SubjectPath):
    try_id: int = Field(ge=1)


class Before(BaseModel):
    before: int | None = Field(
        None, ge=1, description="Only tries older than the one with this id."
    )


@bp.get(
    "/subjects/<name>/tries", responses={200: TryList}, operation_id="listTries",
    summary="What was tried, newest first",
)  # fmt: skip
def list_tries(path: SubjectPath, query: Before) -> Response:
    most = tries.LISTED
    with database().transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = tries.listed(tx, subject, before=query.before, most=most + 1)
    lines: list[Any] = [TryLine.model_validate(vars(line)) for line in found[:most]]
    return reply(TryList(tries=lines, more=len(found) > most))


@bp.get(
    "/subjects/<name>/tries/<int:try_id>", responses={200: KeptTry}, operation_id="getTry",
    summary="One try: the draft as it was, what was asked, and the answer",
)  # fmt: skip
def get_try(path: TryPath) -> Response:
    with database().transaction() as tx:
        found = tries.get(tx, subjects.get(tx, path.name), path.try_id)
    return reply(KeptTry.model_validate(vars(found)))
