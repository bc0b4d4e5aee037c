"""Fragments: parts kept once, in versions that never change, and who includes them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

import pymysql

from epistem.core.errors import Conflict, NotFound
from epistem.core.prompts.fragments import reference, split_reference
from epistem.store.database import Transaction, is_duplicate


@dataclass(frozen=True)
class FragmentVersion:
    number: int
    note: str
    created_at: datetime
    saved_by: str


class Latest(NamedTuple):
    fragment_id: int
    number: int
    text: str


@dataclass(frozen=True)
class Use:
    """A subject whose draft, or newest version, includes this version of a fragment."""

    subject: str
    version: int
    where: str


@dataclass(frozen=True)
class Fragment:
    """`versions` are newest first; `text` is that of the newest."""

    name: str
    about: str
    versions: list[FragmentVersion]
    text: str
    used_by: list[Use]


class Line(NamedTuple):
    """A fragment in a list, with the number and the note of its newest version."""

    name: str
    about: str
    newest: int
    note: str


def insert(tx: Transaction, name: str, about: str, text: str) -> None:
    """A fragment with its first version. Raises Conflict for a name in use."""
    try:
        fragment_id = tx.insert(
            "INSERT INTO fragments (name, about) VALUES (%s, %s)", (name, about)
        )
    except pymysql.IntegrityError as error:
        if is_duplicate(error):
            message = f"There is a fragment called “{name}” already. Choose another name."
            raise Conflict(message, field="name") from error
        raise
    _add(tx, fragment_id, 1, text, "")


def latest(tx: Transaction, name: str) -> Latest:
    """The newest version, which nobody else changes until the transaction ends. Raises NotFound."""
    row = name.isascii() and tx.first("SELECT id FROM fragments WHERE name = %s FOR UPDATE", [name])
    if not row:
        raise NotFound(f"There is no fragment called “{name[:70]}”.", field="name")
    found = tx.first(
        "SELECT number, text FROM fragment_versions WHERE fragment_id = %s ORDER BY number DESC LIMIT 1",
        [row[0]],
    )
    assert found is not None, "a fragment is always made with a version"
    return Latest(row[0], *found)


def add(tx: Transaction, after: Latest, text: str, note: str) -> int:
    """The number of the version that was added."""
    _add(tx, after.fragment_id, after.number + 1, text, note)
    return after.number + 1


def lines(tx: Transaction) -> list[Line]:
    """All, by name."""
    rows = tx.rows(
        """
        SELECT f.name, f.about, v.number, v.note
          FROM fragments f JOIN fragment_versions v ON v.fragment_id = f.id
         WHERE v.number = (SELECT MAX(number) FROM fragment_versions w WHERE w.fragment_id = f.id)
         ORDER BY f.name
        """
    )
    return [Line(*row) for row in rows]


def get(tx: Transaction, name: str, *, most: int) -> Fragment:
    """With its `most` newest versions. Raises NotFound."""
    about = name.isascii() and tx.first("SELECT about FROM fragments WHERE name = %s", [name])
    if not about:
        raise NotFound(f"There is no fragment called “{name[:70]}”.", field="name")
    rows = tx.rows(
        "SELECT v.number, v.note, v.created_at, v.saved_by FROM fragment_versions v "
        "JOIN fragments f ON f.id = v.fragment_id WHERE f.name = %s ORDER BY v.number DESC LIMIT %s",
        (name, most),
    )
    versions = [FragmentVersion(*row) for row in rows]
    text = text_of(tx, name, versions[0].number)
    return Fragment(name, about[0], versions, text, _uses(tx).get(name, []))


def text_of(tx: Transaction, name: str, number: int) -> str:
    """Raises NotFound for a version that is not there."""
    found = texts(tx, [reference(name, number)])
    if not found:
        raise NotFound(f"There is no version {number} of a fragment “{name[:70]}”.", field="name")
    return next(iter(found.values()))


def texts(tx: Transaction, references: Iterable[str]) -> dict[str, str]:
    """The texts of those of the references that are kept here."""
    wanted = [split for name in references if (split := split_reference(name))]
    if not wanted:
        return {}
    places = ", ".join(["(%s, %s)"] * len(wanted))
    rows = tx.rows(
        "SELECT f.name, v.number, v.text FROM fragment_versions v JOIN fragments f "
        f"ON f.id = v.fragment_id WHERE (f.name, v.number) IN ({places})",
        [value for pair in wanted for value in pair],
    )
    return {reference(name, number): text for name, number, text in rows}


def _add(tx: Transaction, fragment_id: int, number: int, text: str, note: str) -> None:
    tx.run(
        "INSERT INTO fragment_versions (fragment_id, number, text, note, saved_by) "
        "VALUES (%s, %s, %s, %s, %s)",
        (fragment_id, number, text, note, tx.by),
    )


def _uses(tx: Transaction) -> dict[str, list[Use]]:
    rows = tx.rows(
        """
        SELECT s.name, 'draft', JSON_KEYS(d.content, '$.fragments')
          FROM drafts d JOIN subjects s ON s.id = d.subject_id
        UNION ALL
        SELECT s.name, CONCAT('v', v.number), JSON_KEYS(v.content, '$.fragments')
          FROM versions v JOIN subjects s ON s.id = v.subject_id
         WHERE v.number = (SELECT MAX(number) FROM versions w WHERE w.subject_id = v.subject_id)
        """
    )
    found: dict[str, list[Use]] = {}
    for subject, where, keys in rows:
        for name in json.loads(keys or "[]"):
            if split := split_reference(name):
                found.setdefault(split[0], []).append(Use(subject, split[1], where))
    return found
