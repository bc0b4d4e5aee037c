"""Lists of cases: narrowed by a filter, in an order, a page at a time, by SQL."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal, NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.filters import (
    FARED_TERMS,
    KINDS,
    Fared,
    FaredWith,
    Filter,
    Has,
    Members,
    Term,
    fares,
    has_named,
    is_number,
    no_sets,
    same_label,
)
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

Column = Literal["number", "case", "label", "tags", "changed", "turns", "result"]
COLUMNS: dict[str, str] = {
    "number": "number",
    "case": "title",
    "label": "label",
    "tags": "tags",
    "changed": "updated_at",
    "turns": "turns",
}
_KEPT = "id, number, revision, content, updated_at, deleted_at, changed_by"


class Order(NamedTuple):
    """By a column; `result` is by the share of answers that passed, the least first."""

    by: Column = "number"
    down: bool = False


def no_results(version: int) -> Mapping[int, Fared]:
    return {}


@dataclass(frozen=True)
class Asked:
    """Which cases, and in which order. `fared` tells how they fared with a version, for terms that ask for
    it, `members` which a named set holds, and `results` how they fared where the order is by that."""

    filter: Filter = field(default_factory=Filter)
    order: Order = field(default_factory=Order)
    fared: FaredWith = no_results
    members: Members = no_sets
    results: Mapping[int, Fared] = field(default_factory=dict)


EVERY = Asked()
EXPECTED = {
    Has.ANSWER: "an answer",
    Has.MUST_SAY: "words",
    Has.MUST_NOT_SAY: "no words",
    Has.KNOWN: "to know or not",
    Has.REFUSE: "to decline or not",
    Has.PAIR: "a move",
}


@dataclass(frozen=True)
class Line:
    """What a list shows of a case. `turns` counts what the person says after the inputs; `by_rules`: they go
    on by rules, `played`: as a model has it that plays them. `expects` are the words of what is expected
    besides a label."""

    number: int
    title: str
    label: str | None
    tags: list[str]
    turns: int
    changed_at: datetime
    by_rules: bool
    played: bool
    expects: list[str]


def lines(
    tx: Transaction, subject: Subject, asked: Asked = EVERY, *, at: int = 0, most: int
) -> list[Line]:
    """Those that are found, from the place `at` on."""
    if asked.order.by == "result":
        wanted = numbers(tx, subject, asked)[at : at + most]
        by_number = {line.number: line for line in _lines_of(tx, subject, wanted)}
        return [by_number[number] for number in wanted if number in by_number]
    where, values = _where(tx, subject, asked)
    # The places are counted in the index; the rows themselves are read for this page only.
    rows = tx.rows(
        f"""
        SELECT c.number, c.title, c.label, c.tags, c.turns, c.updated_at, c.has
          FROM (SELECT id FROM cases WHERE {where} {_order(asked.order)} LIMIT %s OFFSET %s) AS page
          JOIN cases c ON c.id = page.id {_order(asked.order, "c.")}
        """,
        (*values, most, at),
    )
    return [_line_from(row) for row in rows]


def numbers(tx: Transaction, subject: Subject, asked: Asked = EVERY) -> list[int]:
    """The numbers of those that are found, in their order."""
    where, values = _where(tx, subject, asked)
    rows = tx.rows(f"SELECT number FROM cases WHERE {where} {_order(asked.order)}", values)
    found = [int(row[0]) for row in rows]
    if asked.order.by == "result":
        told = asked.results
        found.sort(key=lambda number: _share(told.get(number)), reverse=asked.order.down)
        found.sort(key=lambda number: number not in told)  # those without a result come last
    return found


def found(tx: Transaction, subject: Subject, asked: Asked = EVERY) -> list[KeptCase]:
    """Those that are found, whole, by number."""
    where, values = _where(tx, subject, asked)
    rows = tx.rows(f"SELECT {_KEPT} FROM cases WHERE {where} ORDER BY number", values)
    return [
        KeptCase(row[0], row[1], row[2], Case.from_json(json.loads(row[3])), *row[4:])
        for row in rows
    ]


def how_many(tx: Transaction, subject: Subject, asked: Asked = EVERY) -> int:
    where, values = _where(tx, subject, asked)
    return tx.number(f"SELECT COUNT(*) FROM cases WHERE {where}", values)


def place_of(tx: Transaction, subject: Subject, number: int, asked: Asked = EVERY) -> int | None:
    """The place of the case of that number among those that are found, from 0; None if it is not."""
    if asked.order != Order():
        placed = numbers(tx, subject, asked)
        return placed.index(number) if number in placed else None
    where, values = _where(tx, subject, asked)
    there = tx.number(
        f"SELECT COUNT(*) FROM cases WHERE {where} AND number = %s", [*values, number]
    )
    before = f"SELECT COUNT(*) FROM cases WHERE {where} AND number < %s"
    return tx.number(before, [*values, number]) if there else None


def tags_of(
    tx: Transaction, subject: Subject, most: int, step: str | None = None
) -> list[tuple[str, int]]:
    """Tags and how many cases have each, the most frequent first; with `step` of the cases of that step of a chain
    alone, "" of those of the whole."""
    rows = tx.rows(
        """
        SELECT t.tag COLLATE utf8mb4_bin AS tag, COUNT(*) FROM cases c,
               JSON_TABLE(c.tags, '$[*]' COLUMNS (tag VARCHAR(60) PATH '$')) AS t
         WHERE c.subject_id = %s AND c.deleted_at IS NULL AND c.tags != '[]'
           AND (%s IS NULL OR COALESCE(JSON_VALUE(c.content, '$.step'), '') = %s)
         GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT %s
        """,
        (subject.id, step, step, most),
    )
    return [(str(tag), int(cases)) for tag, cases in rows]


def steps_of(tx: Transaction, subject: Subject, most: int) -> list[tuple[str, int]]:
    """Steps of the chain that cases are of, and how many are of each, the most frequent first."""
    rows = tx.rows(
        "SELECT JSON_VALUE(content, '$.step') AS step, COUNT(*) FROM cases WHERE subject_id = %s "
        f"AND deleted_at IS NULL AND has & {int(Has.STEP)} GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT %s",
        (subject.id, most),
    )
    return [(str(step), int(cases)) for step, cases in rows]


def labels_of(tx: Transaction, subject: Subject, most: int) -> list[tuple[str, int]]:
    """Labels that are expected and how many cases expect each, the most frequent first."""
    rows = tx.rows(
        "SELECT label COLLATE utf8mb4_bin AS told, COUNT(*) FROM cases WHERE subject_id = %s "
        "AND deleted_at IS NULL AND label IS NOT NULL GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT %s",
        (subject.id, most),
    )
    return [(str(label), int(cases)) for label, cases in rows]


def owners_of(tx: Transaction, subject: Subject, most: int) -> list[str]:
    """Who answers for cases, in small letters."""
    rows = tx.rows(
        "SELECT DISTINCT owner FROM cases WHERE subject_id = %s AND deleted_at IS NULL "
        "AND owner <> '' ORDER BY owner LIMIT %s",
        (subject.id, most),
    )
    return [str(row[0]) for row in rows]


def _where(tx: Transaction, subject: Subject, asked: Asked) -> tuple[str, list[Any]]:
    """The condition for those that every term finds."""
    away = "NOT NULL" if asked.filter.away else "NULL"
    where, values = f"subject_id = %s AND deleted_at IS {away}", list[Any]([subject.id])
    for term in asked.filter.terms:
        told, given = _condition(tx, subject, term, asked)
        where += f" AND {'NOT ' if term.no else ''}({told})"
        values += given
    return where, values


def _condition(
    tx: Transaction, subject: Subject, term: Term, asked: Asked
) -> tuple[str, list[Any]]:
    value = term.value.casefold()
    if term.key in FARED_TERMS:
        numbered = _all(tx, subject)
        return _among([number for number in numbered if fares(term, number, asked.fared)])
    match term.key:
        case "label":
            labels = [label for label, _ in labels_of(tx, subject, 10**6)]
            return _label_among([each for each in labels if same_label(each, term.value)])
        case "tag":
            return "tags COLLATE utf8mb4_bin LIKE %s ESCAPE '!'", [
                within(dumps(term.value.lower()))
            ]
        case "kind":
            if value not in KINDS:
                return "FALSE", []
            step = f"has & {int(Has.STEP)} <> 0"
            if value == "step":
                return step, []
            talk = f"(turns > 0 OR has & {int(Has.RULES)})"
            return f"NOT ({step}) AND {'' if value == 'dialogue' else 'NOT '}{talk}", []
        case "owner":
            return "owner = %s", [value]
        case "origin":
            return "origin LIKE %s ESCAPE '!'", [within(value)]
        case "set":
            return _among(sorted(asked.members(term.value)))
        case "is":
            return "deleted_at IS NOT NULL" if value == "away" else "FALSE", []
        case "has":
            return "has & %s", [int(has_named(term.value) or 0)]
    number = int(value) if is_number(term.value) else 0
    return "words LIKE %s ESCAPE '!' OR number = %s", [within(value), number]


def _all(tx: Transaction, subject: Subject) -> list[int]:
    sql = "SELECT number FROM cases WHERE subject_id = %s"
    return [int(row[0]) for row in tx.rows(sql, [subject.id])]


def _among(wanted: Sequence[int]) -> tuple[str, list[Any]]:
    if not wanted:
        return "FALSE", []
    return f"number IN ({', '.join(map(str, map(int, wanted)))})", []


def _label_among(wanted: Collection[str]) -> tuple[str, list[Any]]:
    """NULL is no label, so that the opposite finds those that expect none."""
    if not wanted:
        return "FALSE", []
    marks = ", ".join(["%s"] * len(wanted))
    return f"label IS NOT NULL AND label COLLATE utf8mb4_bin IN ({marks})", list(wanted)


def within(text: str) -> str:
    return f"%{text.replace('!', '!!').replace('%', '!%').replace('_', '!_')}%"


def _order(order: Order, table: str = "") -> str:
    column = COLUMNS.get(order.by, "number")
    down = " DESC" if order.down else ""
    if column == "number":
        return f"ORDER BY {table}number{down}"
    # What has nothing there comes last either way.
    told = f"{table}{column}"
    empty = f"{told} IS NULL OR {told} IN ('', '[]'), " if column in ("label", "tags") else ""
    return f"ORDER BY {empty}{told}{down}, {table}number"


def _share(told: Fared | None) -> float:
    return told.passed / told.judged if told and told.judged else 0.0


def _lines_of(tx: Transaction, subject: Subject, wanted: Sequence[int]) -> list[Line]:
    told, _ = _among(wanted)
    rows = tx.rows(
        f"SELECT number, title, label, tags, turns, updated_at, has FROM cases WHERE subject_id = %s AND {told}",
        [subject.id],
    )
    return [_line_from(row) for row in rows]


def _line_from(row: tuple[Any, ...]) -> Line:
    number, title, label, tags, turns, changed_at, has = row
    told = Has(has or 0)
    expects = [words for flag, words in EXPECTED.items() if flag in told]
    tags = json.loads(tags or "[]")
    return Line(
        number,
        title,
        label,
        tags,
        turns,
        changed_at,
        Has.RULES in told,
        Has.PLAYED in told,
        expects,
    )
