"""Fragments: parts kept once, in versions that never change, and who includes them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

from epistem.core.prompts.fragments import split_reference
from epistem.store.database import Transaction
from epistem.store.named_versions import Named, NamedVersion, Newest

_NAMED = Named("fragments", "fragment_versions", "text", "fragment")


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
    versions: list[NamedVersion]
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
    _NAMED.insert(tx, name, text, {"about": about})


def latest(tx: Transaction, name: str) -> Newest:
    """The newest version, which nobody else changes until the transaction ends. Raises NotFound."""
    return _NAMED.newest(tx, name)


def add(tx: Transaction, after: Newest, text: str, note: str) -> int:
    """The number of the version that was added."""
    return _NAMED.add(tx, after, text, note)


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
    number, about = _NAMED.row(tx, name, "id, about")
    versions = _NAMED.versions(tx, number, most)
    text = text_of(tx, name, versions[0].number)
    return Fragment(name, about, versions, text, _uses(tx).get(name, []))


def text_of(tx: Transaction, name: str, number: int) -> str:
    """Raises NotFound for a version that is not there."""
    return _NAMED.of_version(tx, name, number)


def texts(tx: Transaction, references: Iterable[str]) -> dict[str, str]:
    """The texts of those of the references that are kept here."""
    return _NAMED.contents(tx, references)


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
