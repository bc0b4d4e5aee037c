"""Drafts and versions."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.checks.offers.rules import rules_of
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.shape_words import shape_in_words
from epistem.core.shapes import Document
from epistem.core.subjects.content import of_kind, prompt_in
from epistem.store import drafts, subjects, versions
from epistem.store.database import Transaction
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
from epistem.work import drafts as work
from epistem.work import evidence, renaming

bp = blueprint("drafts")

LISTED = 100


class DraftProblem(Shape):
    """What keeps the draft from being sent or saved as a version; the draft itself is kept."""

    field: str
    message: str
    part: str | None
    line: int | None


class UnguardedRule(Shape):
    """`path` is that of the part's text."""

    path: str
    words: str


class DraftPage(Shape):
    """`inputs` are the names found in the text, `unused` those that are described and that no part asks
    for. `first_words` is the input that a dialogue begins with. `edited`: it differs from
    `base_version`. `problems` bar the way to a version; `doubts` don't. `reply_in_words` is what
    {{ reply_shape() }} puts into a part."""

    revision: int
    content: Prompt
    base_version: int | None
    edited: bool
    updated_at: Moment
    changed_by: str
    inputs: list[str]
    unused: list[str]
    first_words: str | None
    reply_in_words: str
    problems: list[DraftProblem]
    doubts: list[DraftProblem]
    unguarded: list[UnguardedRule] = Field(
        description="Rules in the words of its parts that none of the subject's checks watches over."
    )


class VersionLine(Shape):
    """What a list shows of a version. `settings` are its own."""

    number: int
    content_hash: str
    note: str
    saved_by: str
    created_at: Moment
    settings: Settings
    looks_up: bool = Field(False, description="Whether passages are looked up for an input.")


class VersionPage(Shape):
    number: int
    content_hash: str
    content: Prompt
    note: str
    saved_by: str
    created_at: Moment


class VersionScore(Shape):
    """How a version did in the newest trial that it was in: the pass rate of the trial's first check."""

    version: int
    trial: int
    arm: str
    measure: str
    rate: float | None
    low: float | None
    high: float | None


class VersionList(Shape):
    """Newest first. `more`: there are older ones, before the last of these."""

    versions: list[VersionLine]
    more: bool


class Before(BaseModel):
    before: int | None = Field(
        None, ge=1, description="Only versions older than the one of this number."
    )


class VersionScores(Shape):
    scores: list[VersionScore]


class SavedVersion(Shape):
    """`new` is false when a version with just this content was there already."""

    version: VersionPage
    new: bool
    draft: DraftPage


class NewVersion(Document):
    note: str = Field("", max_length=500)


class Rename(Document):
    """With `apply` false it is only said what would change."""

    old: str = Field(max_length=80)
    new: str = Field(max_length=80)
    apply: bool = False


class LineChange(Shape):
    part: str
    line: int
    before: str
    after: str


class Renamed(Shape):
    """`cases` counts those that have the input."""

    changes: list[LineChange]
    cases: int
    draft: DraftPage


class VersionPath(SubjectPath):
    number: int = Field(ge=1)


@bp.get(
    "/subjects/<name>/draft", responses={200: DraftPage}, operation_id="getDraft",
    summary="The draft, with its inputs and problems",
)  # fmt: skip
def get_draft(path: SubjectPath) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        return _draft_reply(tx, subject, drafts.get(tx, subject))


@bp.put(
    "/subjects/<name>/draft", responses={200: DraftPage, 412: Problem, 428: Problem},
    operation_id="putDraft", summary="Keep the draft as typed",
)  # fmt: skip
def put_draft(path: SubjectPath, header: IfMatch, body: Prompt) -> Response:
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        return _draft_reply(tx, subject, work.keep(tx, subject, body, revision))


@bp.get(
    "/subjects/<name>/versions", responses={200: VersionList}, operation_id="listVersions",
    summary="Versions, newest first, a page at a time",
)  # fmt: skip
def list_versions(path: SubjectPath, query: Before) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = versions.lines(tx, subject, before=query.before, most=LISTED + 1)
    lines, more = fitting([VersionLine.model_validate(line) for line in found], LISTED)
    return reply(VersionList(versions=lines, more=more))


@bp.get(
    "/subjects/<name>/versions/scores", responses={200: VersionScores}, operation_id="listScores",
    summary="How each version did in the newest trial that it was in",
)  # fmt: skip
def list_scores(path: SubjectPath) -> Response:
    """Apart from the list, since it may work out verdicts."""
    with transaction() as tx:
        found = evidence.version_scores(tx, subjects.get(tx, path.name))
    return reply(VersionScores(scores=[VersionScore.model_validate(s) for s in found]))


@bp.get(
    "/subjects/<name>/versions/<int:number>", responses={200: VersionPage}, operation_id="getVersion",
    summary="One version",
)  # fmt: skip
def get_version(path: VersionPath) -> Response:
    with transaction() as tx:
        found = versions.get(tx, subjects.get(tx, path.name), path.number)
    prompt_in(found.content, path.name)
    return reply(VersionPage.model_validate(found))


@bp.post(
    "/subjects/<name>/versions", responses={200: SavedVersion, 201: SavedVersion, 412: Problem, 428: Problem},
    operation_id="saveVersion", summary="Save the draft as a version",
)  # fmt: skip
def save_version(path: SubjectPath, header: IfMatch, body: NewVersion) -> Response:
    """Saves the draft at the revision given in If-Match, so that what you saw is what is saved."""
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        version, new = work.save_version(tx, subject, revision, body.note.strip())
        page = _draft_page(tx, subject, drafts.get(tx, subject))
    saved = SavedVersion(version=VersionPage.model_validate(version), new=new, draft=page)
    return reply(saved, 201 if new else 200, headers={"ETag": etag(page.revision)})


@bp.post(
    "/subjects/<name>/draft/rename", responses={200: Renamed, 412: Problem, 428: Problem},
    operation_id="renameInput", summary="Rename an input in the draft and the cases",
)  # fmt: skip
def rename_input(path: SubjectPath, header: IfMatch, body: Rename) -> Response:
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        done = renaming.rename(
            tx, subject, revision, body.old.strip(), body.new.strip(), apply=body.apply
        )
        page = _draft_page(tx, subject, done.draft)
    renamed = Renamed.model_validate({**vars(done), "draft": page})
    return reply(renamed, headers={"ETag": etag(page.revision)})


def _draft_reply(tx: Transaction, subject: subjects.Subject, draft: drafts.Draft) -> Response:
    page = _draft_page(tx, subject, draft)
    return reply(page, headers={"ETag": etag(draft.revision)})


def _draft_page(tx: Transaction, subject: subjects.Subject, draft: drafts.Draft) -> DraftPage:
    prompt = prompt_in(draft.content, subject.name)
    kind = of_kind(prompt)
    return DraftPage.model_validate(
        {
            **{name: value for name, value in vars(draft).items() if name != "source"},
            "edited": work.edited(tx, subject, draft),
            "inputs": kind.inputs(draft.content),
            "unused": kind.unused(draft.content),
            "first_words": kind.first_words(draft.content),
            "reply_in_words": shape_in_words(draft.content.reply),
            "problems": [DraftProblem.model_validate(p) for p in kind.problems(draft.content)],
            "unguarded": [
                UnguardedRule(path=rule.path, words=rule.words)
                for rule in rules_of(prompt, subject.checks_for(prompt.reply))
                if not rule.guards
            ],
            "doubts": [DraftProblem.model_validate(p) for p in kind.doubts(draft.content)],
        }
    )
