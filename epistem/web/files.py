"""Prompts as YAML files: one, or a folder of them as a zip."""

from __future__ import annotations

import base64
import io
import zipfile
from typing import Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.errors import InvalidInput
from epistem.core.prompts.yaml_file import MAX_FILE_CHARACTERS
from epistem.core.shapes import Document
from epistem.core.subjects.files import file_of, read_file
from epistem.store import drafts, subjects, versions
from epistem.web.problems import Problem
from epistem.web.replies import (
    IfMatch,
    Shape,
    SubjectPath,
    blueprint,
    etag,
    expected_revision,
    reply,
    transaction,
)
from epistem.work import files

bp = blueprint("files")

MOST_FILES = 1_000
MOST_BYTES = 40_000_000
MOMENT = (2000, 1, 1, 0, 0, 0)
"""Every entry of a zip has this date, so that equal prompts give equal files."""


class FileIn(Document):
    path: str = Field(max_length=300)
    text: str = Field(max_length=MAX_FILE_CHARACTERS)


class FilesIn(Document):
    """Files, or `zip`: a zip of them in base64. With `apply` false it is only said what would come."""

    files: list[FileIn] = Field(default_factory=list, max_length=MOST_FILES)
    zip: str | None = None
    replace: bool = False
    apply: bool = True


class FileText(Document):
    text: str = Field(max_length=MAX_FILE_CHARACTERS)


class FileResult(Shape):
    """`differs`: a subject of that name has another draft, which was left as it is."""

    path: str
    name: str | None
    outcome: Literal["new", "same", "changed", "differs", "refused"]
    message: str
    line: int | None


class FileResults(Shape):
    results: list[FileResult]


class FilePut(Shape):
    revision: int


class WhichVersion(BaseModel):
    version: int | None = Field(None, ge=1, description="A version; else the draft.")


@bp.get(
    "/subjects/<name>/file", operation_id="getFile", summary="The draft, or a version, as a YAML file",
    responses={200: {"content": {"application/yaml": {"schema": {"type": "string"}}}}},
)  # fmt: skip
def get_file(path: SubjectPath, query: WhichVersion) -> Response:
    """The ETag is the draft's, for sending the file back."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        if query.version is None:
            draft = drafts.get(tx, subject)
            content, tag = draft.content, {"ETag": etag(draft.revision)}
        else:
            content, tag = versions.get(tx, subject, query.version).content, {}
    text = file_of(subject.name, subject.about, subject.tags, content)
    name = f"{subject.name}.yaml"
    return _download(text.encode(), "application/yaml", name, tag)


@bp.put(
    "/subjects/<name>/file", responses={200: FilePut, 412: Problem, 428: Problem},
    operation_id="putFile", summary="Let a YAML file be the draft",
)  # fmt: skip
def put_file(path: SubjectPath, header: IfMatch, body: FileText) -> Response:
    revision = expected_revision()
    read = read_file(body.text)  # before a transaction opens: it may take a while
    with transaction() as tx:
        draft = files.put(tx, subjects.get(tx, path.name), read, revision)
    return reply(FilePut(revision=draft.revision), headers={"ETag": etag(draft.revision)})


@bp.get(
    "/files", operation_id="getFiles", summary="Every prompt's draft as a YAML file, in a zip",
    responses={200: {"content": {"application/zip": {"schema": {"type": "string"}}}}},
)  # fmt: skip
def get_files() -> Response:
    packed = io.BytesIO()
    with transaction() as tx, zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as out:
        for line in subjects.desk(tx):
            text = files.text_of(tx, subjects.get(tx, line.name))
            out.writestr(zipfile.ZipInfo(f"{line.name}.yaml", MOMENT), text)
    return _download(packed.getvalue(), "application/zip", "prompts.zip", {})


@bp.post(
    "/files", responses={200: FileResults}, operation_id="takeInFiles", summary="Take in YAML files",
)  # fmt: skip
def take_in_files(body: FilesIn) -> Response:
    given = [(file.path, file.text) for file in body.files]
    if body.zip is not None:
        given += _unpacked(body.zip)
    if not given:
        raise InvalidInput("There is no YAML file in it. Their names end in .yaml.", field="files")
    reads = files.read_all(given)
    with transaction() as tx:
        found = files.take_in(tx, reads, replace=body.replace, apply=body.apply)
    return reply(FileResults(results=[FileResult.model_validate(each) for each in found]))


def _unpacked(packed: str) -> list[tuple[str, str]]:
    """The YAML files of a zip. Raises InvalidInput for what is none, or is too large."""
    try:
        with zipfile.ZipFile(io.BytesIO(base64.b64decode(packed, validate=True))) as archive:
            entries = [e for e in archive.infolist() if e.filename.endswith((".yaml", ".yml"))]
            size = sum(entry.file_size for entry in entries)
            if len(entries) > MOST_FILES or size > MOST_BYTES:
                raise InvalidInput(
                    f"The zip holds {len(entries):,} files of {size:,} bytes; "
                    f"the limits are {MOST_FILES:,} and {MOST_BYTES:,}.",
                    field="zip",
                )
            return [(entry.filename, _text(archive, entry)) for entry in entries]
    except InvalidInput:
        raise
    except Exception as error:  # a bad member raises what its packing method does: many kinds
        raise InvalidInput("This is not a zip file that can be read.", field="zip") from error


def _text(archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> str:
    with archive.open(entry) as opened:
        content = opened.read(MAX_FILE_CHARACTERS + 1)
    if len(content) > MAX_FILE_CHARACTERS:
        raise InvalidInput(
            f"{entry.filename[:80]} is longer than {MAX_FILE_CHARACTERS:,} bytes.", field="zip"
        )
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InvalidInput(f"{entry.filename[:80]} is not text in UTF-8.", field="zip") from error


def _download(content: bytes, kind: str, name: str, headers: dict[str, str]) -> Response:
    response = Response(content, content_type=f"{kind}; charset=utf-8" if "yaml" in kind else kind)
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    response.headers.update(headers)
    return response
