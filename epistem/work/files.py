"""Subjects as files: what a folder of them would change here, and doing it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from epistem.core.errors import EpistemError, InvalidFile, NotFound
from epistem.core.prompts.identity import content_hash
from epistem.core.prompts.yaml_file import PromptFile
from epistem.core.subjects.files import SubjectFile, file_of, read_file
from epistem.store import drafts, subjects
from epistem.store.database import Transaction
from epistem.work import fragments, pinned
from epistem.work.drafts import keep

Outcome = Literal["new", "same", "changed", "differs", "refused"]


@dataclass(frozen=True)
class FileResult:
    """What came, or would come, of one file.

    `differs`: there is a subject of that name with another draft, which was left as it is.
    """

    path: str
    name: str | None
    outcome: Outcome
    message: str = ""
    line: int | None = None


def text_of(tx: Transaction, subject: subjects.Subject) -> str:
    """The draft as a file."""
    return file_of(subject.name, subject.about, subject.tags, drafts.get(tx, subject).content)


def read_all(files: Iterable[tuple[str, str]]) -> list[tuple[str, SubjectFile | FileResult]]:
    """Files of (path, text), read before a transaction opens: each as a prompt, or as refused."""
    found: list[tuple[str, SubjectFile | FileResult]] = []
    seen: dict[str, str] = {}
    for path, text in files:
        try:
            read = read_file(text)
            if read.name in seen:
                raise InvalidFile(f"{seen[read.name]} has the name “{read.name}” too.", line=None)
            seen[read.name] = path
            found.append((path, read))
        except EpistemError as error:
            found.append((path, _refused(path, error)))
    return found


def take_in(
    tx: Transaction,
    files: Iterable[tuple[str, SubjectFile | FileResult]],
    *,
    replace: bool,
    apply: bool,
) -> list[FileResult]:
    """What was read by `read_all`. A subject that is there already is changed only with `replace`."""
    results: list[FileResult] = []
    for path, read in files:
        if isinstance(read, FileResult):
            results.append(read)
            continue
        try:
            results.append(FileResult(path, read.name, _take(tx, read, replace, apply)))
        except EpistemError as error:
            results.append(_refused(path, error))
    return results


def _refused(path: str, error: EpistemError) -> FileResult:
    line = error.line if isinstance(error, InvalidFile) else None
    return FileResult(path, None, "refused", error.message, line)


def put(
    tx: Transaction, subject: subjects.Subject, read: SubjectFile, revision: int
) -> drafts.Draft:
    """Let the file's content be the draft. Raises StaleDraft, or InvalidFile."""
    if read.name != subject.name:
        raise InvalidFile(f"The file is of “{read.name}”, not of “{subject.name}”.", line=None)
    _check_pinned(tx, read)
    draft = keep(tx, subject, read.content, revision)
    subjects.describe(tx, subject, read.about, read.tags, subject.about_revision)
    return draft


def _take(tx: Transaction, read: SubjectFile, replace: bool, apply: bool) -> Outcome:
    _check_pinned(tx, read)
    content = pinned.filled_in(tx, read.content)
    try:
        subject = subjects.get(tx, read.name)
    except NotFound:
        subjects.check_name(read.name)
        if apply:
            subject = subjects.create(tx, read.name, read.about, content)
            subjects.describe(tx, subject, read.about, read.tags, subject.about_revision)
        return "new"
    draft = drafts.get(tx, subject)
    described = (subject.about, subject.tags) == (read.about, subjects.tidy_tags(read.tags))
    if content_hash(draft.content) == content_hash(content) and described:
        return "same"
    if not replace:
        return "differs"
    if apply:
        keep(tx, subject, content, draft.revision)
        subjects.describe(tx, subject, read.about, read.tags, subject.about_revision)
    return "changed"


def _check_pinned(tx: Transaction, read: SubjectFile) -> None:
    """Raises InvalidFile where a fragment or a tool of the file is another one here."""
    if not isinstance(read, PromptFile):
        return
    other = fragments.differing(tx, read.content)
    if other:
        raise InvalidFile(
            f"The fragment “{other[0]}” reads otherwise here, and a version never changes. "
            "Keep the file's text as a fragment of another name, and include that.",
            line=None,
            field="fragments",
        )
    tools = pinned.differing_tools(tx, read.content)
    if tools:
        raise InvalidFile(
            f"The tool “{tools[0]}” is another one here, and a version never changes. Keep the file's "
            "as a tool of another name, or take out its “kept”.",
            line=None,
            field="tools",
        )
