"""Drafts and versions of chains: content and YAML, the ledger, what is wrong, what a walk takes."""

from __future__ import annotations

from threading import BoundedSemaphore
from typing import Any, Literal

from flask import Response
from pydantic import Field

from epistem.core.chains.content import Chain
from epistem.core.chains.depends import asked_in
from epistem.core.chains.picture import mermaid, svg
from epistem.core.chains.proposing import LONGEST
from epistem.core.chains.step_faults import Fault
from epistem.core.shapes import Document
from epistem.store import drafts, subjects, versions
from epistem.store.database import Transaction
from epistem.web.drafts import NewVersion, VersionLine, VersionPath
from epistem.web.limits import PROPOSALS
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import (
    IfMatch,
    Moment,
    Shape,
    SubjectPath,
    blueprint,
    database,
    etag,
    expected_revision,
    reply,
    transaction,
)
from epistem.work import chain_drafts as work
from epistem.work import drafts as drafts_work
from epistem.work.walks import proposing

bp = blueprint("chains")
_proposals = BoundedSemaphore(PROPOSALS)
FULL = f"{PROPOSALS} chains are being written already. Try again in a moment."


class LedgerRow(Shape):
    """A step with what it reads and writes. `path` is where it stands in the content; `asks` are the inputs of what it
    asks or calls."""

    at: str
    deep: int
    path: list[str | int]
    reads: list[str]
    writes: list[str]
    asks: list[str]


class ChainFault(Shape):
    """What is wrong at a step ("" for the whole). It `stops` the chain, or is a doubt. `names` are the values that it
    is about."""

    at: str
    field: str
    message: str
    stops: bool
    names: list[str]
    line: int | None


class WalkTakes(Shape):
    calls: float
    input_tokens: float
    output_tokens: float
    cents: float


class ChainPage(Shape):
    """`yaml` is as it was typed; where it can't be read, `misread` says why, and `content` is what was last there that
    could be. What a walk takes is told at least, likely and at most."""

    revision: int
    content: Chain
    yaml: str
    misread: str | None
    misread_line: int | None
    base_version: int | None
    edited: bool
    updated_at: Moment
    changed_by: str
    rows: list[LedgerRow]
    faults: list[ChainFault]
    least: WalkTakes
    likely: WalkTakes
    most: WalkTakes


class ChainDraft(Document):
    """One of the two."""

    content: Chain | None = None
    yaml: str | None = None


class AskedProposal(Document):
    """What the chain is to do, for a model that writes it."""

    asked: str = Field(min_length=1, max_length=LONGEST)
    model: str = Field(max_length=80)


class ChainProposal(Shape):
    """`content` is null where what the model wrote is no chain after all; `wrong` is what stands against it, after so
    many rounds in which it was told so. `before` and `after` are the YAML of the draft and of the proposal."""

    yaml: str
    before: str
    after: str
    content: Chain | None
    wrong: list[str]
    rounds: int
    cents: float
    likely: WalkTakes | None


class ChainVersion(Shape):
    number: int
    content_hash: str
    content: Chain
    note: str
    saved_by: str
    created_at: Moment


class SavedChain(Shape):
    """`new` is false when a version with just this content was there already."""

    version: VersionLine
    new: bool
    draft: ChainPage


@bp.get(
    "/subjects/<name>/chain", responses={200: ChainPage}, operation_id="getChain",
    summary="The draft of a chain, with its ledger and what is wrong",
)  # fmt: skip
def get_chain(path: SubjectPath) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        return _reply(tx, subject, drafts.get(tx, subject))


@bp.put(
    "/subjects/<name>/chain", responses={200: ChainPage, 412: Problem, 428: Problem},
    operation_id="putChain", summary="Keep the draft of a chain, as content or as YAML",
)  # fmt: skip
def put_chain(path: SubjectPath, header: IfMatch, body: ChainDraft) -> Response:
    """YAML that can't be read is kept all the same, as typed."""
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        if body.yaml is not None:
            draft = work.keep_yaml(tx, subject, body.yaml, revision)
        else:
            content = body.content or work.chain_in(drafts.get(tx, subject).content, subject.name)
            draft = work.keep_content(tx, subject, content, revision)
        return _reply(tx, subject, draft)


@bp.post(
    "/subjects/<name>/chain/proposal", responses={200: ChainProposal, 502: Problem},
    operation_id="proposeChain", summary="Have a model write the chain from a description; nothing is kept",
)  # fmt: skip
def propose_chain(path: SubjectPath, body: AskedProposal) -> Response:
    with held(_proposals, FULL):
        found = proposing.propose_chain(database(), path.name, body.asked.strip(), body.model)
    likely = WalkTakes(**found.looked.outlook.likely._asdict()) if found.looked else None
    return reply(
        ChainProposal(
            yaml=found.proposal.yaml,
            before=found.before,
            after=found.after,
            content=found.looked.chain if found.looked else None,
            wrong=found.proposal.wrong,
            rounds=found.proposal.rounds,
            cents=found.cents,
            likely=likely,
        )
    )


@bp.post(
    "/subjects/<name>/chain/versions", responses={200: SavedChain, 201: SavedChain, 412: Problem, 428: Problem},
    operation_id="saveChain", summary="Save the draft of a chain as a version",
)  # fmt: skip
def save_chain(path: SubjectPath, header: IfMatch, body: NewVersion) -> Response:
    revision = expected_revision()
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        work.can_be_saved(tx, subject)
        version, new = drafts_work.save_version(tx, subject, revision, body.note.strip())
        page = _page(tx, subject, drafts.get(tx, subject))
    line = VersionLine(
        number=version.number,
        content_hash=version.content_hash,
        note=version.note,
        saved_by=version.saved_by,
        created_at=version.created_at,
        settings=version.content.settings,
    )
    saved = SavedChain(version=line, new=new, draft=page)
    return reply(saved, 201 if new else 200, headers={"ETag": etag(page.revision)})


@bp.get(
    "/subjects/<name>/chain/versions/<int:number>", responses={200: ChainVersion},
    operation_id="getChainVersion", summary="One version of a chain",
)  # fmt: skip
def get_chain_version(path: VersionPath) -> Response:
    with transaction() as tx:
        found = versions.get(tx, subjects.get(tx, path.name), path.number)
    work.chain_in(found.content, path.name)
    return reply(ChainVersion.model_validate(found))


class PicturePath(SubjectPath):
    form: Literal["svg", "mmd"]


@bp.get(
    "/subjects/<name>/chain/picture.<form>", operation_id="getChainPicture",
    summary="The draft of a chain as a picture: SVG, or Mermaid text",
    responses={200: {"content": {"image/svg+xml": {"schema": {"type": "string"}}}}},
)  # fmt: skip
def get_chain_picture(path: PicturePath) -> Response:
    with transaction() as tx:
        draft = drafts.get(tx, subjects.get(tx, path.name))
    chain = work.chain_in(draft.content, path.name)
    text, kind = (
        (svg(chain), "image/svg+xml") if path.form == "svg" else (mermaid(chain), "text/plain")
    )
    response = Response(text, content_type=f"{kind}; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{path.name}.{path.form}"'
    return response


def _reply(tx: Transaction, subject: subjects.Subject, draft: drafts.Draft) -> Response:
    return reply(_page(tx, subject, draft), headers={"ETag": etag(draft.revision)})


def _fault(fault: Fault, line: int | None) -> ChainFault:
    return ChainFault(**{**fault._asdict(), "names": list(fault.names)}, line=line)


def _page(tx: Transaction, subject: subjects.Subject, draft: drafts.Draft) -> ChainPage:
    looked = work.look_at(tx, subject, draft)
    told: dict[str, Any] = {
        "revision": draft.revision,
        "base_version": draft.base_version,
        "updated_at": draft.updated_at,
        "changed_by": draft.changed_by,
        "content": looked.chain,
        "yaml": looked.yaml,
        "misread": looked.misread and looked.misread.message,
        "misread_line": looked.misread and looked.misread.line,
        "edited": drafts_work.edited(tx, subject, draft),
        "rows": [
            LedgerRow(
                at=row.at,
                deep=row.deep,
                path=list(row.path),
                reads=list(row.reads),
                writes=list(row.writes),
                asks=asked_in(row.step),
            )
            for row in looked.rows
        ],
        "faults": [_fault(each.fault, each.line) for each in looked.faults],
    }
    for name in ("least", "likely", "most"):
        told[name] = WalkTakes(**getattr(looked.outlook, name)._asdict())
    return ChainPage.model_validate(told)
