"""The history of a subject's tries."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.cases.content import Case, title_of
from epistem.core.cases.person import Ended
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document
from epistem.store import subjects, tries
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.pages import fitting
from epistem.web.replies import (
    Moment,
    Shape,
    SubjectPath,
    reply,
    transaction,
)
from epistem.web.tries import bp  # one path has routes of both, and is described by one blueprint
from epistem.web.try_shapes import TriedAnswer
from epistem.work.checking import at_its_end
from epistem.work.tries import Asked


class TryLine(Shape):
    """`edit` numbers the drafts that were tried, in order: lines with one number had one draft. `said` is
    what it was asked, shortened, at which `turn` of a talk; `first_words` are those of the answer."""

    id: int
    tried_at: Moment
    model: str
    edit: int
    version: int | None
    settings: Settings
    said: str
    turn: int
    first_words: str
    passed: bool
    tried_by: str


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
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = tries.listed(tx, subject, before=query.before, most=most + 1)
    lines, more = fitting([_line(line) for line in found], most)
    return reply(TryList(tries=lines, more=more))


@bp.get(
    "/subjects/<name>/tries/<int:try_id>", responses={200: KeptTry}, operation_id="getTry",
    summary="One try: the draft as it was, what was asked, and the answer",
)  # fmt: skip
def get_try(path: TryPath) -> Response:
    with transaction() as tx:
        found = tries.get(tx, subjects.get(tx, path.name), path.try_id)
    return reply(KeptTry.model_validate(vars(found)))


class Ending(Document):
    ended: Ended


class AtItsEnd(Shape):
    """What the plain checks find now; those that a model judges by are not asked again."""

    findings: list[FindingShape]


@bp.post(
    "/subjects/<name>/tries/<int:try_id>/end", responses={200: AtItsEnd}, operation_id="endTry",
    summary="What is found of a try as the last answer of a talk that ended so",
)  # fmt: skip
def end_try(path: TryPath, body: Ending) -> Response:
    """Nothing is kept."""
    with transaction() as tx:
        found = at_its_end(tx, subjects.get(tx, path.name), path.try_id, body.ended)
    return reply(AtItsEnd(findings=[finding_shape(*each) for each in found]))


def _line(found: tries.TryLine) -> TryLine:
    asked = Asked.model_validate(found.asked)
    return TryLine(
        id=found.id,
        tried_at=found.tried_at,
        model=found.model,
        edit=found.edit,
        version=asked.version,
        settings=asked.settings,
        said=title_of(Case(inputs=asked.inputs)),
        turn=1 + sum(turn.role == "user" for turn in asked.turns),
        first_words=found.first_words,
        passed=found.passed,
        tried_by=found.tried_by,
    )
