"""Cases of a subject. A deleted one is only hidden, so that it can be brought back."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from epistem.core.cases.content import Case, checked, title_of, words_of
from epistem.core.errors import NotFound, Stale
from epistem.core.shapes import count
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

_COLUMNS = "id, number, revision, content, updated_at, deleted_at, changed_by"


@dataclass(frozen=True)
class KeptCase:
    id: int
    number: int
    revision: int
    content: Case
    updated_at: datetime
    deleted_at: datetime | None = None
    changed_by: str = ""


@dataclass(frozen=True)
class Line:
    """What a list shows of a case. `turns` counts what the person says after the inputs."""

    number: int
    title: str
    label: str | None
    tags: list[str]
    turns: int


def keep(tx: Transaction, subject: Subject, case: Case) -> KeptCase:
    """Add a case under the next number. Raises InvalidInput for an input that is too long."""
    case = checked(case)
    tx.first("SELECT id FROM subjects WHERE id = %s FOR UPDATE", [subject.id])
    case_id = tx.insert(
        """
        INSERT INTO cases
               (subject_id, number, content, title, label, tags, turns, words, changed_by)
        SELECT %s, COALESCE(MAX(number), 0) + 1, %s, %s, %s, %s, %s, %s, %s
          FROM cases WHERE subject_id = %s
        """,
        (subject.id, dumps(case.to_json()), *line_columns(case), tx.by, subject.id),
    )
    row = tx.first(f"SELECT {_COLUMNS} FROM cases WHERE id = %s", [case_id])
    assert row is not None
    return _from_row(row)


def get(tx: Transaction, subject: Subject, number: int) -> KeptCase:
    row = tx.first(
        f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND number = %s", (subject.id, number)
    )
    if row is None:
        raise NotFound(f"“{subject.name}” has no case {number}.", field="case")
    return _from_row(row)


def all_of(tx: Transaction, subject: Subject) -> list[KeptCase]:
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND deleted_at IS NULL ORDER BY number",
        [subject.id],
    )
    return [_from_row(row) for row in rows]


def lines(
    tx: Transaction, subject: Subject, find: str = "", *, at: int = 0, most: int
) -> list[Line]:
    """Those with all words of `find`, by number, from the place `at` on."""
    where, values = _searched(subject, find)
    # The places are counted in the index; the rows themselves are read for this page only.
    rows = tx.rows(
        f"""
        SELECT c.number, c.title, c.label, c.tags, c.turns
          FROM (SELECT id, number FROM cases WHERE {where} ORDER BY number LIMIT %s OFFSET %s) AS page
          JOIN cases c ON c.id = page.id ORDER BY page.number
        """,
        (*values, most, at),
    )
    return [Line(*(*row[:3], json.loads(row[3] or "[]"), row[4])) for row in rows]


def how_many(tx: Transaction, subject: Subject, find: str = "") -> int:
    """How many are kept that have all words of `find`."""
    where, values = _searched(subject, find)
    return tx.number(f"SELECT COUNT(*) FROM cases WHERE {where}", values)


def place_of(tx: Transaction, subject: Subject, number: int, find: str = "") -> int | None:
    """The place of the case of that number among those that are found, from 0; None if it is not."""
    where, values = _searched(subject, find)
    there = tx.number(
        f"SELECT COUNT(*) FROM cases WHERE {where} AND number = %s", [*values, number]
    )
    before = f"SELECT COUNT(*) FROM cases WHERE {where} AND number < %s"
    return tx.number(before, [*values, number]) if there else None


def tags_of(tx: Transaction, subject: Subject, most: int) -> list[tuple[str, int]]:
    """Tags and how many cases have each, the most frequent first."""
    rows = tx.rows(
        """
        SELECT t.tag COLLATE utf8mb4_bin AS tag, COUNT(*) FROM cases c,
               JSON_TABLE(c.tags, '$[*]' COLUMNS (tag VARCHAR(60) PATH '$')) AS t
         WHERE c.subject_id = %s AND c.deleted_at IS NULL AND c.tags != '[]'
         GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT %s
        """,
        (subject.id, most),
    )
    return [(str(tag), int(cases)) for tag, cases in rows]


def _searched(subject: Subject, find: str) -> tuple[str, list[Any]]:
    """The condition for those that have every word of `find`; a number finds the case of it, too."""
    where, values = "subject_id = %s AND deleted_at IS NULL", list[Any]([subject.id])
    for word in find.casefold().split():
        literal = word.replace("!", "!!").replace("%", "!%").replace("_", "!_")
        where += " AND (words LIKE %s ESCAPE '!' OR number = %s)"
        values += [f"%{literal}%", int(word) if word.isdecimal() and len(word) < 10 else 0]
    return where, values


def chosen(
    tx: Transaction,
    subject: Subject,
    numbers: Sequence[int] | None = None,
    *,
    tags: Sequence[str] = (),
    like: int | None = None,
) -> list[KeptCase]:
    """All that are kept; of those the ones with these numbers, with any of these tags, and that the
    trial `like` asked. Raises NotFound naming numbers that are not there."""
    kept = all_of(tx, subject)
    if numbers is not None:
        wanted = set(numbers)
        missing = sorted(wanted - {case.number for case in kept})
        if missing:
            raise NotFound(
                f"{count(len(missing), 'case')} can't be found: {', '.join(map(str, missing[:10]))}.",
                field="cases",
            )
        kept = [case for case in kept if case.number in wanted]
    if tags:
        kept = [case for case in kept if not set(tags).isdisjoint(case.content.tags)]
    if like is not None:
        rows = tx.rows(
            "SELECT c.number FROM trial_cases c JOIN trials t ON t.id = c.trial_id "
            "WHERE t.id = %s AND t.subject_id = %s",
            (like, subject.id),
        )
        asked = {row[0] for row in rows}
        kept = [case for case in kept if case.number in asked]
    return kept


def change(
    tx: Transaction, subject: Subject, number: int, case: Case, expected_revision: int
) -> KeptCase:
    """Raises Stale if somebody changed it first; nothing is overwritten then."""
    case = checked(case)
    changed = tx.run(
        "UPDATE cases SET content = %s, title = %s, label = %s, tags = %s, turns = %s, words = %s, "
        "changed_by = %s, revision = revision + 1 WHERE subject_id = %s AND number = %s AND revision = %s",
        (dumps(case.to_json()), *line_columns(case), tx.by, subject.id, number, expected_revision),
    )
    found = get(tx, subject, number)
    if not changed:
        raise Stale(f"Case {number}")
    return found


def set_deleted(
    tx: Transaction, subject: Subject, number: int, deleted: bool, expected_revision: int
) -> KeptCase:
    """Put it away, or bring it back. Raises Stale if somebody changed it first."""
    get(tx, subject, number)
    changed = tx.run(
        "UPDATE cases SET deleted_at = IF(%s, NOW(3), NULL), changed_by = %s, "
        "revision = revision + 1 WHERE subject_id = %s AND number = %s AND revision = %s",
        (deleted, tx.by, subject.id, number, expected_revision),
    )
    if not changed:
        raise Stale(f"Case {number}")
    return get(tx, subject, number)


def line_columns(case: Case) -> tuple[str, str | None, str, int, str]:
    """Title, label, tags, turns and words, as they stand in a row beside the content."""
    label = case.expect.label
    return title_of(case), label, dumps(case.tags), len(case.turns), words_of(case)


def _from_row(row: tuple[Any, ...]) -> KeptCase:
    return KeptCase(row[0], row[1], row[2], Case.from_json(json.loads(row[3])), *row[4:])
