"""Several cases at once, all or none, each answered so that it can be undone."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from epistem.core.cases.content import Case
from epistem.core.shapes import Document, Tag
from epistem.store import cases, subjects
from epistem.web.cases import bp  # one path has routes of both, and is described by one blueprint
from epistem.web.problems import Problem
from epistem.web.replies import Shape, SubjectPath, reply, transaction
from epistem.work import cases as work

MOST_AT_ONCE = 2_000


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


class Tagging(Document):
    """Tags that these cases are given, and those that are taken from them."""

    numbers: list[int] = Field(min_length=1, max_length=MOST_AT_ONCE)
    add: list[Tag] = Field(default_factory=list, max_length=50)
    remove: list[Tag] = Field(default_factory=list, max_length=50)


class HoldingOut(Document):
    """So large a share of these cases, or of all that are kept where none are named; drawn by what they ask, so
    the same ones each time."""

    numbers: list[int] | None = Field(None, min_length=1, max_length=MOST_AT_ONCE)
    share: float = Field(1, gt=0, le=1)


class PutAway(Document):
    """Cases as they are now, whoever changed them last."""

    numbers: list[int] = Field(min_length=1, max_length=MOST_AT_ONCE)
    away: bool


class EditedCase(Document):
    """Its revision before a change, and after."""

    number: int = Field(ge=1)
    was: int = Field(ge=1)
    became: int = Field(ge=1)


class EditedCases(Document):
    cases: list[EditedCase] = Field(max_length=MOST_AT_ONCE)


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


@bp.put(
    "/subjects/<name>/cases/tags", responses={200: EditedCases}, operation_id="tagCases",
    summary="Give several cases tags, or take tags from them, all or none",
)  # fmt: skip
def tag_cases(path: SubjectPath, body: Tagging) -> Response:
    """Answers with those that it changed, as `restoreCases` takes them to undo it."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        edited = work.tag(tx, subject, body.numbers, body.add, body.remove)
    return reply(EditedCases(cases=[EditedCase(**each._asdict()) for each in edited]))


@bp.put(
    "/subjects/<name>/cases/holdout", responses={200: EditedCases}, operation_id="holdOutCases",
    summary="Hold out a share of the cases: their results stay out of sight in trials from now on",
)  # fmt: skip
def hold_out_cases(path: SubjectPath, body: HoldingOut) -> Response:
    """Answers with those that it changed, as `restoreCases` takes them to undo it."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        edited = work.hold_out(tx, subject, body.numbers, body.share)
    return reply(EditedCases(cases=[EditedCase(**each._asdict()) for each in edited]))


@bp.put(
    "/subjects/<name>/cases/away", responses={200: KeptCases}, operation_id="putCasesAway",
    summary="Put several cases away, or bring them back, whatever revision they have",
)  # fmt: skip
def put_cases_away(path: SubjectPath, body: PutAway) -> Response:
    """Answers with those that it changed, as `deleteCases` takes them to undo it."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = [
            work.set_away(tx, subject, each.number, body.away, each.revision)
            for each in (cases.get(tx, subject, number) for number in dict.fromkeys(body.numbers))
            if (each.deleted_at is not None) != body.away
        ]
    lines = [CaseRevision(number=each.number, revision=each.revision) for each in kept]
    return reply(KeptCases(cases=lines))


@bp.put(
    "/subjects/<name>/cases/restored", responses={200: EditedCases, 412: Problem},
    operation_id="restoreCases", summary="Make several cases what they were before a change, all or none",
)  # fmt: skip
def restore_cases(path: SubjectPath, body: EditedCases) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        given = [work.Edited(each.number, each.was, each.became) for each in body.cases]
        restored = work.restore(tx, subject, given)
    return reply(EditedCases(cases=[EditedCase(**each._asdict()) for each in restored]))
