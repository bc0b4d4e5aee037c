"""Cases of a subject. A deleted one is only hidden, so that it can be brought back."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TypeVar

from epistem.core.cases.content import Case, checked, title_of, words_of
from epistem.core.cases.filters import Has, has
from epistem.core.cases.identity import asked_hash
from epistem.core.errors import InvalidInput, NotFound, Stale
from epistem.core.shapes import count
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

_A_TIME = 500
_T = TypeVar("_T")
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


def keep(tx: Transaction, subject: Subject, case: Case) -> KeptCase:
    """Add a case under the next number. Raises InvalidInput for an input that is too long."""
    [kept] = _insert(tx, subject, [checked(case)])
    return kept


def keep_all(tx: Transaction, subject: Subject, added: Sequence[Case]) -> list[KeptCase]:
    """Add them under the next numbers, in order. Raises InvalidInput as `keep`, naming the first that
    will not do (`cases.3.inputs.message`)."""
    ready = []
    for at, case in enumerate(added):
        try:
            ready.append(checked(case))
        except InvalidInput as error:
            raise InvalidInput(error.message, field=f"cases.{at}.{error.field}") from error
    return _insert(tx, subject, ready)


def _insert(tx: Transaction, subject: Subject, ready: Sequence[Case]) -> list[KeptCase]:
    # One at a time takes numbers; the others wait here.
    tx.first("SELECT id FROM subjects WHERE id = %s FOR UPDATE", [subject.id])
    sql = "SELECT COALESCE(MAX(number), 0) FROM cases WHERE subject_id = %s"
    first = tx.number(sql, [subject.id]) + 1
    rows = [
        (subject.id, number, dumps(case.to_json()).encode(), *_line_of(case), tx.by)
        for number, case in enumerate(ready, start=first)
    ]
    tx.run_many(
        "INSERT INTO cases (subject_id, number, content, title, label, tags, turns, words, asked, "
        "case_key, owner, origin, has, changed_by) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, "
        "%s, %s, %s, %s)",
        rows,
    )
    kept = tx.rows(
        f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND number >= %s ORDER BY number",
        (subject.id, first),
    )
    return [_from_row(row) for row in kept]


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


def there(tx: Transaction, subject: Subject, numbers: Collection[int]) -> set[int]:
    """Which of these numbers a case has, whether it is put away or not."""
    found: set[int] = set()
    for some in _some_at_a_time(sorted(numbers)):
        sql = f"SELECT number FROM cases WHERE subject_id = %s AND number IN ({_marks(some)})"
        found |= {int(row[0]) for row in tx.rows(sql, (subject.id, *some))}
    return found


def numbered(tx: Transaction, subject: Subject, numbers: Collection[int]) -> list[KeptCase]:
    """Those of these numbers that there are, put away or not."""
    found: list[KeptCase] = []
    for some in _some_at_a_time(sorted(numbers)):
        sql = f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND number IN ({_marks(some)})"
        found += [_from_row(row) for row in tx.rows(sql, (subject.id, *some))]
    return found


def numbers_asking(tx: Transaction, subject: Subject, asked: Collection[bytes]) -> dict[bytes, int]:
    """By what it asks (`asked_hash`) the number of the first case that does; one that is put away where no
    other does."""
    found: dict[bytes, int] = {}
    for some in _some_at_a_time([each for each in set(asked) if each]):
        found |= tx.rows(
            "SELECT asked, number FROM cases WHERE subject_id = %s "
            f"AND asked IN ({_marks(some)}) ORDER BY deleted_at IS NULL, number DESC",
            (subject.id, *some),
        )
    return found


MOST_PAIRED = 100


def paired_with(tx: Transaction, subject: Subject, number: int) -> list[KeptCase]:
    """The first cases that are this one with something changed."""
    rows = tx.rows(
        f"SELECT {_COLUMNS} FROM cases WHERE subject_id = %s AND deleted_at IS NULL AND has & %s "
        "AND JSON_VALUE(content, '$.pair.of') = %s ORDER BY number LIMIT %s",
        (subject.id, int(Has.PAIR), number, MOST_PAIRED),
    )
    return [_from_row(row) for row in rows]


def chosen(
    tx: Transaction,
    subject: Subject,
    numbers: Sequence[int] | None = None,
    *,
    tags: Sequence[str] = (),
    among: Collection[int] | None = None,
    like: int | None = None,
) -> list[KeptCase]:
    """All that are kept; of those the ones with these numbers, with any of these tags or `among` these,
    and that the trial `like` asked. Raises NotFound naming numbers that are not there."""
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
    if tags or among is not None:
        some = frozenset(among or ())
        kept = [
            case
            for case in kept
            if case.number in some or not set(tags).isdisjoint(case.content.tags)
        ]
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
    tx.run(
        "INSERT IGNORE INTO case_revisions (case_id, revision, content, changed_by, changed_at) "
        "SELECT id, revision, content, changed_by, updated_at FROM cases "
        "WHERE subject_id = %s AND number = %s AND revision = %s",
        (subject.id, number, expected_revision),
    )
    changed = tx.run(
        "UPDATE cases SET content = %s, title = %s, label = %s, tags = %s, turns = %s, words = %s, "
        "asked = %s, case_key = %s, owner = %s, origin = %s, has = %s, changed_by = %s, revision = revision + 1 "
        "WHERE subject_id = %s AND number = %s AND revision = %s",
        (dumps(case.to_json()), *_line_of(case), tx.by, subject.id, number, expected_revision),
    )
    found = get(tx, subject, number)
    if not changed:
        raise Stale(f"Case {number}")
    return found


def as_it_was(tx: Transaction, case_id: int, revision: int) -> Case | None:
    """At an earlier revision; None where that was not kept."""
    row = tx.first(
        "SELECT content FROM case_revisions WHERE case_id = %s AND revision = %s",
        (case_id, revision),
    )
    return None if row is None else Case.from_json(json.loads(row[0]))


@dataclass(frozen=True)
class Earlier:
    """A case as it was: how it came to be so, and when."""

    revision: int
    content: Case
    changed_by: str
    changed_at: datetime


def earlier(tx: Transaction, case_id: int, most: int) -> list[Earlier]:
    """Its revisions before the one that it has now, the latest first."""
    rows = tx.rows(
        "SELECT revision, content, changed_by, changed_at FROM case_revisions WHERE case_id = %s "
        "AND revision < (SELECT revision FROM cases WHERE id = %s) ORDER BY revision DESC LIMIT %s",
        (case_id, case_id, most),
    )
    return [Earlier(n, Case.from_json(json.loads(told)), by, at) for n, told, by, at in rows]


def same(tx: Transaction, subject: Subject, looked_for: Sequence[Case]) -> list[KeptCase | None]:
    """For each of them the case that is kept under its key, else the first that asks the same."""
    by_key = _kept_by(tx, subject, "case_key", [case.key for case in looked_for if case.key])
    asked = [asked_hash(case) for case in looked_for]
    by_asked = _kept_by(tx, subject, "asked", asked)
    return [
        (by_key.get(case.key) if case.key else None) or by_asked.get(what)
        for case, what in zip(looked_for, asked, strict=True)
    ]


def _kept_by(
    tx: Transaction, subject: Subject, column: str, values: Sequence[Any]
) -> dict[Any, KeptCase]:
    found: dict[Any, KeptCase] = {}
    for some in _some_at_a_time(values):
        for row in tx.rows(
            f"SELECT {_COLUMNS}, {column} FROM cases WHERE subject_id = %s AND deleted_at IS NULL "
            f"AND {column} IN ({_marks(some)}) ORDER BY number DESC",
            (subject.id, *some),
        ):
            found[row[-1]] = _from_row(row[:-1])
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


def told_apart_by(case: Case) -> tuple[bytes, str | None, str, str, int]:
    """What it asks, its key, its owner and origin, and what it has, as they stand in a row."""
    small = case.owner.casefold(), case.origin.casefold()
    return asked_hash(case), case.key or None, *small, int(has(case))


def _some_at_a_time(values: Sequence[_T]) -> Iterator[Sequence[_T]]:
    for start in range(0, len(values), _A_TIME):
        yield values[start : start + _A_TIME]


def _marks(values: Sequence[Any]) -> str:
    return ", ".join(["%s"] * len(values))


def _line_of(case: Case) -> tuple[Any, ...]:
    return (*line_columns(case), *told_apart_by(case))


def _from_row(row: tuple[Any, ...]) -> KeptCase:
    return KeptCase(row[0], row[1], row[2], Case.from_json(json.loads(row[3])), *row[4:])
