"""Fragments, shared by all prompts."""

from __future__ import annotations

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.prompts.content import MAX_PART_CHARACTERS
from epistem.core.shapes import Document
from epistem.core.templates.language import inputs_in
from epistem.store import fragments
from epistem.web.problems import Problem
from epistem.web.replies import Moment, Shape, blueprint, database, reply

bp = blueprint("fragments")


class FragmentVersionPage(Shape):
    number: int
    text: str
    note: str
    created_at: Moment


class FragmentUse(Shape):
    """`where` is `draft`, or the subject's newest version as `v3`."""

    subject: str
    version: int
    where: str


class FragmentPage(Shape):
    """`inputs` are those of the newest version, which is the first of `versions`."""

    name: str
    about: str
    versions: list[FragmentVersionPage]
    used_by: list[FragmentUse]
    inputs: list[str]


class FragmentList(Shape):
    fragments: list[FragmentPage]


class NewFragment(Document):
    name: str = Field(max_length=200)
    about: str = Field("", max_length=200)
    text: str = Field(max_length=MAX_PART_CHARACTERS)


class NewFragmentText(Document):
    text: str = Field(max_length=MAX_PART_CHARACTERS)
    note: str = Field("", max_length=500)


class FragmentPath(BaseModel):
    fragment: str


@bp.get(
    "/fragments", responses={200: FragmentList}, operation_id="listFragments",
    summary="All fragments, their versions, and who includes them",
)  # fmt: skip
def list_fragments() -> Response:
    with database().transaction() as tx:
        found = fragments.all_of(tx)
    return reply(FragmentList(fragments=[_page(each) for each in found]))


@bp.post(
    "/fragments", responses={201: FragmentPage, 409: Problem}, operation_id="createFragment",
    summary="Keep a text as a fragment",
)  # fmt: skip
def create_fragment(body: NewFragment) -> Response:
    with database().transaction() as tx:
        name = body.name.strip()
        fragments.create(tx, name, body.about.strip(), body.text)
        return reply(_one(fragments.all_of(tx), name), 201)


@bp.post(
    "/fragments/<fragment>/versions", responses={200: FragmentPage, 201: FragmentPage},
    operation_id="saveFragment", summary="Save a new version; prompts stay with the one they have",
)  # fmt: skip
def save_fragment(path: FragmentPath, body: NewFragmentText) -> Response:
    with database().transaction() as tx:
        _, new = fragments.save(tx, path.fragment, body.text, body.note.strip())
        return reply(_one(fragments.all_of(tx), path.fragment), 201 if new else 200)


def _one(found: list[fragments.Fragment], name: str) -> FragmentPage:
    return _page(next(each for each in found if each.name == name))


def _page(found: fragments.Fragment) -> FragmentPage:
    inputs = list(inputs_in(found.versions[0].text))
    return FragmentPage.model_validate({**vars(found), "inputs": inputs})
