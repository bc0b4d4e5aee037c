"""`epistem pull DIR` and `epistem push DIR`: a folder of YAML files, in step with the prompts."""

from __future__ import annotations

import difflib
import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from epistem.core.errors import InvalidFile, NotFound
from epistem.core.subjects.files import SubjectFile, file_of, read_file
from epistem.store import drafts, subjects
from epistem.store.database import Database, Transaction
from epistem.work import files

STATE = ".epistem.json"
"""Beside the files: what each prompt's file held when folder and server were last the same."""


@dataclass(frozen=True)
class Step:
    """What was done for one prompt. `clash`: both sides changed, and neither was touched."""

    name: str
    done: str
    clash: bool = False
    difference: str = ""


def pull(database: Database, folder: Path, *, theirs: bool = False) -> Iterator[Step]:
    """Bring the server's drafts into the folder. With `theirs` they win where both sides changed."""
    folder.mkdir(parents=True, exist_ok=True)
    state = _State(folder)
    with database.transaction() as tx:
        there = {line.name: _there(tx, line.name) for line in subjects.desk(tx)}
    here = _here(folder)
    for name, text in there.items():
        path, mine = folder / f"{name}.yaml", here.get(name)
        if mine is None and name in state.marks:
            yield Step(
                name, "removed here; left away. Delete its line in .epistem.json to have it back"
            )
            continue
        if mine is not None and mine.normal == text:
            done = "same"
        elif mine is None or state.marks.get(name) == _mark(mine.normal) or theirs:
            path = mine.path if mine else path
            path.write_text(text, encoding="utf-8")
            done = "new" if mine is None else "changed"
        elif state.marks.get(name) == _mark(text):
            yield Step(name, "changed here; push sends it")
            continue
        else:
            yield _clash(name, mine.normal, text, "--theirs takes the server's")
            continue
        state.keep(name, text)
        yield Step(name, done)


def push(database: Database, folder: Path, *, mine: bool = False) -> Iterator[Step]:
    """Send the folder's files to the server's drafts. With `mine` they win where both sides changed.

    Raises InvalidFile, naming the file and line, before anything is sent.
    """
    state = _State(folder)
    for name, file in sorted(_here(folder).items()):
        with database.transaction() as tx:
            try:
                subject = subjects.get(tx, name)
            except NotFound:
                [result] = files.take_in(
                    tx, [(file.path.name, file.read)], replace=False, apply=True
                )
                if result.outcome == "refused":
                    raise InvalidFile(f"{file.path.name}: {result.message}", line=None) from None
                step = Step(name, "new")
            else:
                draft = drafts.get(tx, subject, lock=True)
                there = files.text_of(tx, subject)
                if there == file.normal:
                    step = Step(name, "same")
                elif state.marks.get(name) == _mark(there) or mine:
                    files.put(tx, subject, file.read, draft.revision)
                    step = Step(name, "changed")
                elif state.marks.get(name) == _mark(file.normal):
                    yield Step(name, "changed on the server; pull brings it")
                    continue
                else:
                    yield _clash(name, file.normal, there, "--mine sends yours")
                    continue
            now = _there(tx, name)
        state.keep(name, now)
        yield step


@dataclass(frozen=True)
class _File:
    """`normal` is the text as it would be written out: comments and layout do not count."""

    path: Path
    read: SubjectFile
    normal: str


def _here(folder: Path) -> dict[str, _File]:
    found: dict[str, _File] = {}
    for path in sorted([*folder.glob("*.yaml"), *folder.glob("*.yml")]):
        try:
            text = path.read_text("utf-8")
            read = read_file(text)
        except UnicodeDecodeError as error:
            raise InvalidFile(f"{path.name} is not text in UTF-8.", line=None) from error
        except InvalidFile as error:
            raise InvalidFile(f"{path.name}: {error.message}", line=None) from error
        if read.name in found:
            both = f"{found[read.name].path.name} and {path.name}"
            raise InvalidFile(f"{both} are both of “{read.name}”. Remove one.", line=None)
        tags = subjects.tidy_tags(read.tags)
        found[read.name] = _File(path, read, file_of(read.name, read.about, tags, read.content))
    return found


def _there(tx: Transaction, name: str) -> str:
    return files.text_of(tx, subjects.get(tx, name))


class _State:
    def __init__(self, folder: Path) -> None:
        self._path = folder / STATE
        try:
            self.marks: dict[str, str] = json.loads(self._path.read_text("utf-8"))
        except FileNotFoundError:
            self.marks = {}
        except ValueError as error:
            message = f"{STATE} can't be read. Remove it to compare anew."
            raise InvalidFile(message, line=None) from error

    def keep(self, name: str, text: str) -> None:
        if self.marks.get(name) != _mark(text):
            self.marks[name] = _mark(text)
            told = json.dumps(dict(sorted(self.marks.items())), indent=2)
            self._path.write_text(told + "\n", encoding="utf-8")


def _mark(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()


def _clash(name: str, mine: str, theirs: str, way_out: str) -> Step:
    lines = difflib.unified_diff(
        theirs.splitlines(), mine.splitlines(), "on the server", "in the folder", lineterm="", n=2
    )
    done = f"changed on both sides; nothing was overwritten. {way_out}"
    return Step(name, done, clash=True, difference="\n".join(lines))
