"""Subjects and the checks attached to them."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import pymysql

from epistem.core.checks.registry import usual_checks
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import Conflict, InvalidInput, NotFound, Stale
from epistem.core.prompts.content import ReplyShape
from epistem.core.subjects.content import Content
from epistem.store.database import Transaction, is_duplicate
from epistem.store.documents import dumps

_NAME = re.compile(r"[a-z0-9][a-z0-9-]{0,62}\Z")


@dataclass(frozen=True)
class Subject:
    """`chosen_checks` is None until somebody chose: then those that suit the reply are meant."""

    id: int
    name: str
    kind: str
    about: str
    tags: list[str]
    chosen_checks: list[CheckUse] | None
    about_revision: int = 1
    checks_revision: int = 1

    def checks_for(self, reply: ReplyShape) -> list[CheckUse]:
        return usual_checks(reply) if self.chosen_checks is None else self.chosen_checks


@dataclass(frozen=True)
class DeskRow:
    """One line of the desk. Times are UTC; numbers of versions and trials are None without any."""

    name: str
    kind: str
    about: str
    tags: list[str]
    versions: int
    cases: int
    base_version: int | None
    edited: bool
    latest_trial: int | None
    trial_status: str | None
    trial_at: datetime | None
    about_revision: int


def tidy_tags(tags: Iterable[str]) -> list[str]:
    return list(dict.fromkeys(tag.strip().lower() for tag in tags if tag.strip()))


def check_name(name: str) -> None:
    if not _NAME.match(name):
        raise InvalidInput(
            f"“{name[:70]}” can't be a name: use small letters, digits and hyphens, "
            "at most 63, as in desk-reply.",
            field="name",
        )


def create(tx: Transaction, name: str, about: str, first_draft: Content) -> Subject:
    """Raises InvalidInput for a name that can't stand in an address, Conflict for one in use."""
    check_name(name)
    try:
        subject_id = tx.insert(
            "INSERT INTO subjects (name, kind, about, changed_by) VALUES (%s, %s, %s, %s)",
            (name, first_draft.kind, about, tx.by),
        )
    except pymysql.IntegrityError as error:
        if is_duplicate(error):
            message = f"There is a subject called “{name}” already. Choose another name."
            raise Conflict(message, field="name") from error
        raise
    tx.run(
        "INSERT INTO drafts (subject_id, content, changed_by) VALUES (%s, %s, %s)",
        (subject_id, dumps(first_draft.to_json()), tx.by),
    )
    return get(tx, name)


def get(tx: Transaction, name: str) -> Subject:
    """Raises NotFound; for a name that differs in case alone it says which one that meets."""
    if not _NAME.match(name):
        meets = _NAME.match(name.lower()) and tx.first(
            "SELECT name FROM subjects WHERE name = %s", [name.lower()]
        )
        hint = f" There is “{meets[0]}”: names are written in small letters." if meets else ""
        raise NotFound(f"There is no subject called “{name[:70]}”.{hint}", field="name")
    row = tx.first(
        "SELECT id, name, kind, about, tags, checks, about_revision, checks_revision FROM subjects "
        "WHERE name = %s",
        [name],
    )
    if row is None:
        raise NotFound(f"There is no subject called “{name}”.", field="name")
    checks = None if row[5] is None else [CheckUse.from_json(u) for u in json.loads(row[5])]
    return Subject(*(*row[:4], json.loads(row[4] or "[]"), checks, *row[6:]))


def describe(
    tx: Transaction, subject: Subject, about: str, tags: list[str], expected_revision: int
) -> None:
    """Change what the desk says of it. Raises Stale if somebody changed it first."""
    changed = tx.run(
        "UPDATE subjects SET about = %s, tags = %s, changed_by = %s, "
        "about_revision = about_revision + 1 WHERE id = %s AND about_revision = %s",
        (about, dumps(tidy_tags(tags)), tx.by, subject.id, expected_revision),
    )
    if not changed:
        raise Stale(f"What the desk says of “{subject.name}”")


def set_checks(
    tx: Transaction, subject: Subject, checks: list[CheckUse], expected_revision: int
) -> None:
    """Raises Stale if somebody changed them first."""
    text = dumps([use.to_json() for use in checks])
    changed = tx.run(
        "UPDATE subjects SET checks = %s, changed_by = %s, checks_revision = checks_revision + 1 "
        "WHERE id = %s AND checks_revision = %s",
        (text, tx.by, subject.id, expected_revision),
    )
    if not changed:
        raise Stale(f"The list of checks of “{subject.name}”")


def names_with(tx: Transaction, find: str) -> list[str]:
    """Subjects in whose name, line, tags, draft or models every word of `find` stands somewhere."""
    rows = tx.rows(
        """
        SELECT s.name, s.about, s.tags, d.content,
               (SELECT GROUP_CONCAT(DISTINCT model SEPARATOR ' ') FROM tries WHERE subject_id = s.id),
               (SELECT GROUP_CONCAT(DISTINCT a.model SEPARATOR ' ') FROM trials t
                  JOIN arms a ON a.trial_id = t.id WHERE t.subject_id = s.id)
          FROM subjects s JOIN drafts d ON d.subject_id = s.id ORDER BY s.name
        """
    )
    words = [word.casefold() for word in find.split()]
    names = []
    for name, about, tags, content, *models in rows:
        told = [name, about, *json.loads(tags or "[]"), *filter(None, models)]
        text = "\n".join([*told, *_written(json.loads(content))]).casefold()
        if all(word in text for word in words):
            names.append(name)
    return names


def _written(value: Any, key: str = "") -> Iterator[str]:
    """What people wrote in a draft: the texts in it, without the words of its own structure."""
    if isinstance(value, str) and key not in ("role", "kind", "examples_as", "type"):
        yield value
    elif isinstance(value, list):
        for each in value:
            yield from _written(each, key)
    elif isinstance(value, dict):
        for name, each in value.items():
            yield from _written(each, name)


def desk(
    tx: Transaction,
    *,
    only: str | None = None,
    find: str | None = None,
    after: str = "",
    most: int | None = None,
) -> list[DeskRow]:
    """Every subject by name (or `only` one, or those with all words of `find`), as the desk tells it;
    `most` of those whose names follow `after`."""
    names = [only] if only is not None else None
    if find and find.strip():
        names = names_with(tx, find)
    if names == []:
        return []
    where, values = "s.name > %s", [after]
    if names is not None:
        where += f" AND s.name IN ({', '.join(['%s'] * len(names))})"
        values += names
    limit = "" if most is None else f" LIMIT {most:d}"
    rows = tx.rows(
        f"""
        SELECT s.name, s.kind, s.about, s.tags,
               (SELECT COUNT(*) FROM versions v WHERE v.subject_id = s.id),
               (SELECT COUNT(*) FROM cases c WHERE c.subject_id = s.id AND c.deleted_at IS NULL),
               d.base_version,
               NOT (b.content IS NOT NULL AND b.content = d.content),
               t.id, t.status, COALESCE(t.finished_at, t.started_at, t.created_at), s.about_revision
          FROM subjects s
          JOIN drafts d ON d.subject_id = s.id
          LEFT JOIN versions b ON b.subject_id = s.id AND b.number = d.base_version
          LEFT JOIN trials t ON t.id = (SELECT MAX(id) FROM trials WHERE subject_id = s.id)
         WHERE {where}
         ORDER BY s.name{limit}
        """,
        values,
    )
    return [
        DeskRow(*(*row[:3], json.loads(row[3] or "[]"), *row[4:7], bool(row[7]), *row[8:]))
        for row in rows
    ]
