"""Fragments, shared by all prompts."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.prompts.content import MAX_PART_CHARACTERS
from epistem.core.shapes import Document
from epistem.core.templates.language import inputs_in
from epistem.store import fragments
from epistem.store.database import Transaction
from epistem.web.problems import Problem
from epistem.web.replies import (
    Moment,
    Shape,
    blueprint,
    reply,
    transaction,
)
from epistem.work import fragments as work

bp = blueprint("fragments")

LISTED = 100


class FragmentLine(Shape):
    """What a list shows of a fragment: `newest` is the number of its newest version, `note` the note of that."""

    name: str
    about: str
    newest: int
    note: str


class FragmentList(Shape):
    fragments: list[FragmentLine]


class FragmentVersionLine(Shape):
    number: int
    note: str
    created_at: Moment
    saved_by: str


class FragmentUse(Shape):
    """`where` is `draft`, or the subject's newest version as `v3`."""

    subject: str
    version: int
    where: str


class FragmentPage(Shape):
    """Its newest versions, newest first, and the text of the newest. `inputs` are those of that."""

    name: str
    about: str
    versions: list[FragmentVersionLine]
    text: str
    used_by: list[FragmentUse]
    inputs: list[str]


class FragmentText(Shape):
    number: int
    text: str


class NewFragment(Document):
    name: str = Field(max_length=200)
    about: str = Field("", max_length=200)
    text: str = Field(max_length=MAX_PART_CHARACTERS)


class NewFragmentText(Document):
    text: str = Field(max_length=MAX_PART_CHARACTERS)
    note: str = Field("", max_length=500)


class FragmentPath(BaseModel):
    fragment: str


class FragmentVersionPath(FragmentPath):
    number: int = Field(ge=1)


@bp.get(
    "/fragments", responses={200: FragmentList}, operation_id="listFragments",
    summary="All fragments",
)  # fmt: skip
def list_fragments() -> Response:
    with transaction() as tx:
        found = fragments.lines(tx)
    return reply(FragmentList(fragments=[FragmentLine.model_validate(each) for each in found]))


@bp.get(
    "/fragments/<fragment>", responses={200: FragmentPage}, operation_id="getFragment",
    summary="One fragment, its versions, and who includes them",
)  # fmt: skip
def get_fragment(path: FragmentPath) -> Response:
    with transaction() as tx:
        return reply(_page(tx, path.fragment))


@bp.get(
    "/fragments/<fragment>/versions/<int:number>", responses={200: FragmentText},
    operation_id="getFragmentVersion", summary="The text of a version",
)  # fmt: skip
def get_fragment_version(path: FragmentVersionPath) -> Response:
    with transaction() as tx:
        text = fragments.text_of(tx, path.fragment, path.number)
    return reply(FragmentText(number=path.number, text=text))


@bp.post(
    "/fragments", responses={201: FragmentPage, 409: Problem}, operation_id="createFragment",
    summary="Keep a text as a fragment",
)  # fmt: skip
def create_fragment(body: NewFragment) -> Response:
    with transaction() as tx:
        name = body.name.strip()
        work.create(tx, name, body.about.strip(), body.text)
        return reply(_page(tx, name), 201)


@bp.post(
    "/fragments/<fragment>/versions", responses={200: FragmentPage, 201: FragmentPage},
    operation_id="saveFragment", summary="Save a new version; prompts stay with the one they have",
)  # fmt: skip
def save_fragment(path: FragmentPath, body: NewFragmentText) -> Response:
    with transaction() as tx:
        _, new = work.save(tx, path.fragment, body.text, body.note.strip())
        return reply(_page(tx, path.fragment), 201 if new else 200)


def _page(tx: Transaction, name: str) -> FragmentPage:
    found = fragments.get(tx, name, most=LISTED)
    inputs = list(inputs_in(found.text))
    return FragmentPage.model_validate({**vars(found), "inputs": inputs})
