"""Cases of a subject."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.cases.content import Case, title_of
from epistem.core.shapes import Document
from epistem.store import case_lists, cases, subjects
from epistem.store.case_lists import Column, Order
from epistem.web.arms import arms_named
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
from epistem.work.fared import fared_in
from epistem.work.finding import asked_for

bp = blueprint("cases")

LISTED = 100
MOST_TAGS = 200

MOST_NUMBERS = 20_000


class CasePage(Shape):
    number: int
    title: str
    revision: int
    content: Case
    updated_at: Moment
    changed_by: str
    deleted: bool


class CaseEntry(Shape):
    """What a list shows of a case. `turns` counts what the person says after the inputs; `by_rules`: they go
    on by rules, `played`: as a model has it that plays them."""

    number: int
    title: str
    label: str | None
    tags: list[str]
    turns: int
    changed_at: Moment
    by_rules: bool
    played: bool
    expects: list[str] = Field(description="What is expected besides a label, in a few words.")


class CaseList(Shape):
    """A page of those that are found, in their order. `at` is the place of its first among them; a page may
    be shorter than was asked for. `place` is that of the case that was asked for, if it is found."""

    cases: list[CaseEntry]
    at: int
    found: int
    kept: int
    place: int | None


class CaseQuery(BaseModel):
    find: str = Field(
        "",
        max_length=400,
        description="Words of its number, inputs, turns, expectations or tags, and terms as "
        "label:refund, -tag:hard, kind:dialogue, owner:ann, has:note, fails:v7, flips:v6..v7.",
    )
    sort: Column = Field("number", description="A column; `result` is how they fared in `of`.")
    down: bool = Field(False, description="Whether the largest come first.")
    of: str = Field("", max_length=20, description="An arm, as trial.position: `12.1`.")
    at: int = Field(0, ge=0, le=10**9, description="The place to begin at.")
    most: int = Field(LISTED, ge=1, le=LISTED)
    around: int | None = Field(
        None, ge=1, description="The number of a case: the page that it is on, instead of `at`."
    )


class FindQuery(BaseModel):
    find: str = Field("", max_length=400)


class CaseNumbers(Shape):
    """Of the first that are found; `found` is how many there are."""

    numbers: list[int]
    found: int


class TagCount(Shape):
    tag: str
    cases: int


class LabelCount(Shape):
    label: str
    cases: int


class OfStep(BaseModel):
    step: str | None = Field(
        None,
        max_length=80,
        description="Tags of the cases of this step of a chain alone; empty for those of the whole.",
    )


class StepCount(Shape):
    step: str
    cases: int


class CaseTags(Shape):
    """The most frequent tags and labels, with how many cases have each, who answers for cases, and how many
    cases there are at all. `steps` are those of a chain that cases are of, which tries of the whole leave out."""

    kept: int
    tags: list[TagCount]
    labels: list[LabelCount]
    owners: list[str]
    steps: list[StepCount]


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
        changed_by=kept.changed_by,
        deleted=kept.deleted_at is not None,
    )


@bp.get(
    "/subjects/<name>/cases", responses={200: CaseList}, operation_id="listCases",
    summary="The cases that are kept, a page at a time",
)  # fmt: skip
def list_cases(path: SubjectPath, query: CaseQuery) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        arms = arms_named(query.of) if query.sort == "result" else []
        results = fared_in(tx, subject, *arms[0]) if arms else {}
        order = Order(query.sort, query.down)
        asked = asked_for(tx, subject, query.find, order, results)
        kept = case_lists.how_many(tx, subject)
        found = case_lists.how_many(tx, subject, asked) if asked.filter.terms else kept
        at, place = query.at, None
        if query.around is not None:
            place = case_lists.place_of(tx, subject, query.around, asked)
            at = 0 if place is None else place - place % query.most
        lines = case_lists.lines(tx, subject, asked, at=at, most=query.most)
    entries, _ = fitting([CaseEntry.model_validate(line) for line in lines], query.most)
    return reply(CaseList(cases=entries, at=at, found=found, kept=kept, place=place))


@bp.get(
    "/subjects/<name>/cases/numbers", responses={200: CaseNumbers}, operation_id="listCaseNumbers",
    summary="The numbers of the cases that are found",
)  # fmt: skip
def list_case_numbers(path: SubjectPath, query: FindQuery) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        asked = asked_for(tx, subject, query.find)
        found = case_lists.numbers(tx, subject, asked)
    return reply(CaseNumbers(numbers=found[:MOST_NUMBERS], found=len(found)))


@bp.get(
    "/subjects/<name>/cases/tags", responses={200: CaseTags}, operation_id="listCaseTags",
    summary="Tags, labels and owners of the cases, and how many have each",
)  # fmt: skip
def list_case_tags(path: SubjectPath, query: OfStep) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = case_lists.how_many(tx, subject)
        tags = case_lists.tags_of(tx, subject, MOST_TAGS, query.step)
        labels = case_lists.labels_of(tx, subject, MOST_TAGS)
        owners = case_lists.owners_of(tx, subject, MOST_TAGS)
        steps = case_lists.steps_of(tx, subject, MOST_TAGS)
    return reply(
        CaseTags(
            kept=kept,
            tags=[TagCount(tag=tag, cases=number) for tag, number in tags],
            labels=[LabelCount(label=label, cases=number) for label, number in labels],
            owners=owners,
            steps=[StepCount(step=step, cases=number) for step, number in steps],
        )
    )


@bp.post(
    "/subjects/<name>/cases", responses={201: CasePage}, operation_id="keepCase",
    summary="Keep a case",
)  # fmt: skip
def keep_case(path: SubjectPath, body: Case) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        kept = work.keep(tx, subject, body)
    return reply(page_of(kept), 201, headers={"ETag": etag(kept.revision)})


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
