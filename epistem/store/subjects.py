"""Subjects and the checks attached to them."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from datetime import datetime

import pymysql

from epistem.core.checks.registry import CheckUse, usual_checks
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.content import Prompt, ReplyShape
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
    chosen_checks: list[CheckUse] | None

    def checks_for(self, reply: ReplyShape) -> list[CheckUse]:
        return usual_checks(reply) if self.chosen_checks is None else self.chosen_checks


@dataclass(frozen=True)
class DeskRow:
    """One line of the desk. Times are UTC; numbers of versions and trials are None without any."""

    name: str
    kind: str
    about: str
    versions: int
    cases: int
    base_version: int | None
    edited: bool
    latest_trial: int | None
    trial_status: str | None
    trial_at: datetime | None


def create(tx: Transaction, name: str, about: str, first_draft: Prompt) -> Subject:
    """Raises InvalidInput for a name that can't stand in an address, Conflict for one in use."""
    if not _NAME.match(name):
        raise InvalidInput(
            f"“{name[:70]}” can't be a name: use small letters, digits and hyphens, "
            "at most 63, as in desk-reply.",
            field="name",
        )
    try:
        subject_id = tx.insert("INSERT INTO subjects (name, about) VALUES (%s, %s)", (name, about))
    except pymysql.IntegrityError as error:
        if is_duplicate(error):
            message = f"There is a subject called “{name}” already. Choose another name."
            raise Conflict(message, field="name") from error
        raise
    tx.run(
        "INSERT INTO drafts (subject_id, content) VALUES (%s, %s)",
        (subject_id, dumps(first_draft.to_json())),
    )
    return get(tx, name)


def get(tx: Transaction, name: str) -> Subject:
    row = tx.first("SELECT id, name, kind, about, checks FROM subjects WHERE name = %s", [name])
    if row is None:
        raise NotFound(f"There is no subject called “{name}”.", field="name")
    checks = None if row[4] is None else [CheckUse.from_json(u) for u in json.loads(row[4])]
    return Subject(*(*row[:4], checks))


def set_checks(tx: Transaction, subject: Subject, checks: list[CheckUse]) -> None:
    text = dumps([use.to_json() for use in checks])
    tx.run("UPDATE subjects SET checks = %s WHERE id = %s", (text, subject.id))


def desk(tx: Transaction, *, only: str | None = None) -> list[DeskRow]:
    """Every subject by name (or `only` one), with what the desk says of it."""
    rows = tx.rows(
        """
        SELECT s.name, s.kind, s.about,
               (SELECT COUNT(*) FROM versions v WHERE v.subject_id = s.id),
               (SELECT COUNT(*) FROM cases c WHERE c.subject_id = s.id AND c.deleted_at IS NULL),
               d.base_version,
               NOT (b.content IS NOT NULL AND b.content = d.content),
               t.id, t.status, COALESCE(t.finished_at, t.started_at, t.created_at)
          FROM subjects s
          JOIN drafts d ON d.subject_id = s.id
          LEFT JOIN versions b ON b.subject_id = s.id AND b.number = d.base_version
          LEFT JOIN trials t ON t.id = (SELECT MAX(id) FROM trials WHERE subject_id = s.id)
         WHERE %s IS NULL OR s.name = %s
         ORDER BY s.name
        """,
        (only, only),
    )
    return [DeskRow(*(*row[:6], bool(row[6]), *row[7:])) for row in rows]
