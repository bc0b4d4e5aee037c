"""Subjects: the desk, one subject with the state of its course, and its checks."""

from __future__ import annotations

from typing import Any, Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem import starters
from epistem.core.chains.content import placed
from epistem.core.checks.uses import CheckUse
from epistem.core.evidence.verdict import Word
from epistem.core.prompts.content import Prompt
from epistem.core.shapes import Document, Tag
from epistem.starters import patterns
from epistem.store.database import Transaction
from epistem.web.pages import fitting
from epistem.web.problems import Problem
from epistem.web.replies import (
    IfMatch,
    Moment,
    Shape,
    SubjectPath,
    blueprint,
    expected_revision,
    reply,
    transaction,
)
from epistem.work import subjects as work

bp = blueprint("subjects")

LISTED = 100


class Headline(Shape):
    """The evidence of a trial in one mark: its first measure, of its telling arm."""

    trial: int
    arm: str
    against: str
    measure: str
    difference: float | None
    low: float | None
    high: float | None
    margin: float
    word: Word


class SubjectLine(Shape):
    """One line of the desk. `edited`: the draft differs from the version it came from."""

    name: str
    kind: Literal["prompt", "chain"]
    about: str
    tags: list[str]
    versions: int
    cases: int
    base_version: int | None
    edited: bool
    latest_trial: int | None
    trial_status: str | None
    trial_at: Moment | None
    about_revision: int
    headline: Headline | None


class Measure(Shape):
    index: int
    key: str
    title: str
    margin: float
    signature: str
    unit: str = Field("", description="Of its scores; empty where it tells none.")
    score_margin: float = 0.0
    aim: str = Field("", description="`more` or `less` where that way of a score is better.")
    required: bool = True
    weight: float = 1.0
    judge: str = Field("", description="The model that is asked for it; empty for a plain check.")


class SubjectPage(SubjectLine):
    trial_recorded: int | None = None
    trial_total: int | None = None
    checks_revision: int
    checks: list[CheckUse]
    measures: list[Measure]


class NewSubject(Document):
    """Blank, or beginning with the draft of `copy_of`, or with a starter."""

    name: str = Field(max_length=200)
    about: str = Field("", max_length=200)
    copy_of: str | None = Field(None, max_length=63)
    version: int | None = Field(None, ge=1, description="Of `copy_of`: a version, not its draft.")
    starter: str | None = Field(None, max_length=63)
    kind: Literal["prompt", "chain"] = "prompt"
    pattern: str | None = Field(None, max_length=63, description="Of a chain.")


class PatternStep(Shape):
    at: str
    deep: int
    name: str
    kind: str


class PatternLine(Shape):
    """A chain to begin with; `when` says when to use it."""

    key: str
    title: str
    when: str
    steps: list[PatternStep]
    cases: int


class PatternList(Shape):
    patterns: list[PatternLine]


class About(Document):
    about: str = Field("", max_length=200)
    tags: list[Tag] = Field(default_factory=list, max_length=50)


class StarterLine(Shape):
    """A prompt to begin with; `when` says when to use it, `sample` is what to try it on."""

    key: str
    title: str
    when: str
    sample: dict[str, Any]
    content: Prompt


class StarterList(Shape):
    starters: list[StarterLine]


class Find(BaseModel):
    find: str | None = Field(
        None, max_length=200, description="Words of the name, line, tags, draft or models."
    )
    after: str = Field("", max_length=63, description="Only subjects whose names follow this one.")


class Checks(Document):
    checks: list[CheckUse] = Field(max_length=20)


class Desk(Shape):
    """By name. `more`: there are others, after the last of these."""

    subjects: list[SubjectLine]
    more: bool


@bp.get("/subjects", responses={200: Desk}, operation_id="listSubjects", summary="The desk")
def list_subjects(query: Find) -> Response:
    with transaction() as tx:
        found = [_line(line) for line in work.desk(tx, query.find, query.after, LISTED + 1)]
    lines, more = fitting(found, LISTED)
    return reply(Desk(subjects=lines, more=more))


@bp.get(
    "/starters", responses={200: StarterList}, operation_id="listStarters",
    summary="Prompts to begin with, by kind of work",
)  # fmt: skip
def list_starters() -> Response:
    return reply(StarterList(starters=[StarterLine.model_validate(s) for s in starters.all_of()]))


@bp.get(
    "/patterns", responses={200: PatternList}, operation_id="listPatterns",
    summary="Chains to begin with, by kind of work",
)  # fmt: skip
def list_patterns() -> Response:
    lines = [
        PatternLine(
            key=each.key,
            title=each.title,
            when=each.when,
            steps=[
                PatternStep(at=p.at, deep=p.deep, name=p.step.name, kind=p.step.kind)
                for p in placed(each.chain.steps)
            ],
            cases=len(each.cases),
        )
        for each in patterns.all_of()
    ]
    return reply(PatternList(patterns=lines))


@bp.post(
    "/subjects", responses={201: SubjectPage, 409: Problem}, operation_id="createSubject",
    summary="Make a prompt or a chain",
)  # fmt: skip
def create_subject(body: NewSubject) -> Response:
    with transaction() as tx:
        made = work.create(
            tx,
            body.name.strip(),
            body.about.strip(),
            copy_of=body.copy_of,
            version=body.version,
            starter=body.starter,
            kind=body.kind,
            pattern=body.pattern,
        )
        return reply(_page(tx, made.name), 201)


@bp.put(
    "/subjects/<name>/about", responses={200: SubjectPage, 412: Problem, 428: Problem},
    operation_id="putAbout", summary="Change what the desk says of a subject",
)  # fmt: skip
def put_about(path: SubjectPath, header: IfMatch, body: About) -> Response:
    """If-Match holds its `about_revision`."""
    revision = expected_revision()
    with transaction() as tx:
        work.describe(tx, path.name, body.about.strip(), body.tags, revision)
        return reply(_page(tx, path.name))


@bp.get(
    "/subjects/<name>", responses={200: SubjectPage}, operation_id="getSubject",
    summary="One subject, and where it stands",
)  # fmt: skip
def get_subject(path: SubjectPath) -> Response:
    with transaction() as tx:
        return reply(_page(tx, path.name))


@bp.put(
    "/subjects/<name>/checks", responses={200: SubjectPage, 412: Problem, 428: Problem},
    operation_id="putChecks", summary="Attach checks",
)  # fmt: skip
def put_checks(path: SubjectPath, header: IfMatch, body: Checks) -> Response:
    """If-Match holds the subject's `checks_revision`."""
    revision = expected_revision()
    with transaction() as tx:
        work.set_checks(tx, path.name, body.checks, revision)
        return reply(_page(tx, path.name))


def _line(line: work.Line) -> SubjectLine:
    headline = None if line.headline is None else Headline.model_validate(line.headline)
    return SubjectLine.model_validate({**vars(line.row), "headline": headline})


def _page(tx: Transaction, name: str) -> SubjectPage:
    found = work.overview(tx, name)
    return SubjectPage.model_validate(
        {
            **_line(found.line).model_dump(),
            "trial_recorded": found.trial.recorded if found.trial else None,
            "trial_total": found.trial.total if found.trial else None,
            "checks_revision": found.subject.checks_revision,
            "checks": [use.model_dump() for use in found.checks],
            "measures": [vars(measure) for measure in found.measures],
        }
    )
