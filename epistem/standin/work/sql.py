"""SQL for the tables that the request describes: counting, filtering, joining, ordering.

Tables are read from CREATE TABLE statements or from lines such as `sailings(id, pier, leaves_at)`. A
careless model writes the name of a column not quite as it is; shown the database's error it does so no
more.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from epistem.standin import extract
from epistem.standin.job import Job, register
from epistem.standin.words import likeness, stem, stems

_CREATE = re.compile(
    r"create table (?:if not exists )?[`\"]?(\w+)[`\"]?\s*\(((?:[^()]|\([^()]*\))*)\)", re.I
)
_SHORT = re.compile(r"^\W*(\w+)\s*\(((?:\s*\w+[^(),]*,)+\s*\w+[^(),]*)\)", re.M)
_NO_COLUMN = ("primary", "foreign", "unique", "check", "constraint", "key")
_ERROR = re.compile(
    r"no such column|unknown column|does not exist|syntax error|error in your sql|no such table",
    re.I,
)
_NUMERIC = re.compile(r"int|real|num|dec|float|double")
_CLOCK = re.compile(r"time|leaves|arrives|\bat\b|hour|departs|date|day")
_PLACE = re.compile(r"\b(?:from|to|origin|pier|port|stop)\b")
"""Columns of places, whatever word of time stands beside."""
_SIGNS = {
    "more than|over|above|greater than|after|later than|since": ">",
    "at least|from": ">=",
    "less than|under|below|fewer than|cheaper than|before|earlier than|until": "<",
    "at most|up to": "<=",
}
_LEAST = r"first|earliest|cheapest|lowest|shortest|smallest|oldest|fewest|next|least"
_MOST = r"last|latest|dearest|highest|longest|largest|newest|most expensive|biggest|top"
_AGGREGATES = {"average|mean": "AVG", "total|sum of|altogether": "SUM"}
_SUITS = {  # a word of order, and the columns it is likely about
    r"cheap|expens|dear": r"price|fare|cost|amount",
    r"first|earl|last|late|next|old|new": r"time|leaves|date|\bat\b|year|day",
    r"long|short": r"length|minutes|duration|pages",
}
_HEADS = {  # a small word, and the columns whose values come after it
    "from": r"from|origin|start",
    "leaves?": r"from|origin|start",
    "to": r"to\b|dest|end",
    "in": r"city|town|village|place|country|county|region|area|room|branch",
    "by": r"author|writer|boat|driver|owner",
    "on": r"boat|line|day",
    "at": r"pier|place|stop|branch|station",
}
_WEEKDAY = re.compile(r"\b((?:mon|tues|wednes|thurs|fri|satur|sun)day)\b", re.I)
_STATES = r"\b(cancelled|open|closed|late|paid|unpaid|overdue|available|sold|lost|returned|active|delayed)\b"


@dataclass(frozen=True)
class Table:
    """Columns with their types, in lower case, "" where none is given."""

    name: str
    columns: dict[str, str]

    @property
    def numbers(self) -> list[str]:
        return [
            c for c, kind in self.columns.items() if _NUMERIC.search(kind) and not c.endswith("id")
        ]


@lru_cache(maxsize=256)
def tables_in(text: str) -> tuple[Table, ...]:
    found = {}
    for name, inner in [*_CREATE.findall(text), *_SHORT.findall(text)]:
        parts = [p.split() for p in re.split(r",(?![^(]*\))", re.sub(r"--.*", "", inner))]
        columns = {p[0].strip('`"'): "".join(p[1:2]).lower() for p in parts if p}
        columns = {c: kind for c, kind in columns.items() if c.lower() not in _NO_COLUMN}
        if columns and name.lower() not in ("count", "sum", "values"):
            found[name] = Table(name, columns)
    return tuple(found.values())


def query_for(job: Job) -> str:
    """The statement, without an end mark."""
    text = job.request.block("question") or _question(job)
    tables = sorted(
        tables_in(f"{job.instructions}\n{job.request.told}"), key=lambda t: -_about(text, t)
    )
    counted = re.search(r"\b(?:how many|number of|count)\b(.{0,30})", text, re.I)
    main = next((t for t in tables if counted and _names(counted[1], t.name)), tables[0])
    wheres, joined = _filters(text, main), ""
    for other in tables:
        link = _link(main, other) if other is not main else ""
        more = [f"{other.name}.{w}" for w in _filters(text, other)] if link else []
        if more:
            joined, wheres = f" JOIN {other.name} ON {link}", [*wheres, *more]
            break
    what, order = _shown(text, main, " ".join(wheres))
    what = f"{main.name}.*" if joined and what == "*" else what
    statement = f"SELECT {'COUNT(*)' if counted else what} FROM {main.name}{joined}"
    statement += f" WHERE {' AND '.join(dict.fromkeys(wheres))}" if wheres else ""
    shown_error = _ERROR.search(f"{job.request.told} {job.request.results}")
    if not shown_error and job.mind.slips("column", times=2):
        statement = _misnamed(job, statement, main)
    return statement if counted else statement + order


def _question(job: Job) -> str:
    """The last thing the user asked that is not a database's error."""
    asked = [t.text for t in job.request.turns if t.role == "user" and not _ERROR.search(t.text)]
    return asked[-1] if asked else job.text


def _names(text: str, name: str) -> bool:
    return bool(set(stems(name.replace("_", " "))) & set(stems(text)))


def _about(text: str, table: Table) -> float:
    words = " ".join([table.name, table.name, *table.columns]).replace("_", " ")
    named = [at for at, word in enumerate(stems(text)) if word in stems(table.name)]
    return likeness(text, words) + (0.6 / (1 + named[0] / 8) if named else 0.0)


def _link(one: Table, other: Table) -> str:
    """The condition that joins two tables: a column such as `boat_id` and the `id` of boats."""
    for here, there in ((one, other), (other, one)):
        for column in here.columns:
            root = stem(column.lower().removesuffix("_id"))
            if (
                column.endswith("_id")
                and stem(there.name.lower()).startswith(root)
                and "id" in there.columns
            ):
                return f"{here.name}.{column} = {there.name}.id"
    return ""


def _filters(text: str, table: Table) -> list[str]:
    """Conditions on the table's columns that the question makes."""
    found = []
    for column, kind in table.columns.items():
        words = column.replace("_", " ")
        clock = bool(_CLOCK.search(words)) and not _PLACE.search(words)
        number = bool(_NUMERIC.search(kind))
        weekday = _WEEKDAY.search(text)
        if weekday and re.search(r"\bday\b|weekday", words):
            found.append(f"{column} = '{weekday[1].capitalize()}'")
            continue
        value = (
            r"(\d{4}-\d\d-\d\d|\d{1,2}:\d\d)" if clock else r"(?:[€£$] ?)?(\d+(?:\.\d+)?)(?![\d:-])"
        )
        for pattern, sign in _SIGNS.items() if clock or number else ():
            match = re.search(rf"\b(?:{pattern}) {value}", text, re.I)
            if match and (
                clock or _names(text[max(0, match.start() - 40) : match.end() + 20], words)
            ):
                found.append(f"{column} {sign} " + (f"'{match[1]}'" if clock else match[1]))
                break
        if not number and not clock and not column.lower().endswith("id"):
            found += [f"{column} = '{value}'" for value in _values(text, words)]
    return found


def _values(text: str, words: str) -> list[str]:
    """What may stand in a text column: a quoted text, a name after a word that goes with it, a state."""
    quoted = re.findall(r"[\"'“‘]([^\"'”’]+)[\"'”’]", text)
    if quoted and _names(text, words):
        return [quoted[0].replace("'", "''")]
    for head, fits in _HEADS.items():
        match = re.search(rf"\b{head} (?:the )?([A-Z][\w’]+(?: [A-Z][\w’]+)*)", text)
        if match and re.search(fits, words) and not _WEEKDAY.fullmatch(match[1]):
            return [match[1]]
    state = re.search(_STATES, text, re.I)
    if state and re.search(r"status|state|condition", words):
        return [state[1].lower()]
    colour = extract.find("colour", text) if "colo" in words else None
    return [colour] if colour else []


def _shown(text: str, table: Table, filtered: str) -> tuple[str, str]:
    """What is selected, and the order."""
    for pattern, function in _AGGREGATES.items():
        if re.search(rf"\b(?:{pattern})\b", text, re.I) and table.numbers:
            best = max(table.numbers, key=lambda c: likeness(text, c.replace("_", " ")))
            return f"{function}({best})", ""
    asked = [c for c in table.columns if _names(text, c) and c != "id" and f"{c} " not in filtered]
    what = "*" if re.search(r"\b(?:all|which|list)\b", text, re.I) else ", ".join(asked) or "*"
    if match := re.search(rf"\b(?:(?:{_LEAST})|(?P<most>{_MOST}))\b", text, re.I):
        word = match[0].lower()
        by = max(table.columns, key=lambda c: _suits_order(text, c.replace("_", " "), word))
        return what, f" ORDER BY {by}{' DESC' if match['most'] else ''} LIMIT 1"
    if match := re.search(r"\b(?:sorted|ordered|order|sort) by (?:the )?(\w+)", text, re.I):
        word = match[1]
        by = max(table.columns, key=lambda c: likeness(word, c.replace("_", " ")))
        down = re.search(r"descending|(?:highest|latest|largest) first", text, re.I)
        return what, f" ORDER BY {by}{' DESC' if down else ''}"
    return what, ""


def _suits_order(text: str, column: str, word: str) -> float:
    fits = not _PLACE.search(column) and any(
        re.search(a, word) and re.search(b, column) for a, b in _SUITS.items()
    )
    return likeness(text, column) + 2 * fits


def _misnamed(job: Job, statement: str, table: Table) -> str:
    """One column of it by a name that is nearly right."""
    used = [c for c in table.columns if re.search(rf"\b{c}\b", statement)]
    column = (used or list(table.columns))[int(job.mind.luck("which column") * max(len(used), 1))]
    wrong = column.replace("_", "") if "_" in column else f"{column.removesuffix('s')}_name"
    if not used:
        return statement.replace("*", wrong, 1)
    return re.sub(rf"\b{column}\b", wrong, statement, count=1)


def _write(job: Job) -> None:
    fenced = job.plan.fenced or not (job.plan.alone or job.plan.bare)
    if fenced and not job.plan.alone and job.mind.happens(0.5, "preface"):
        job.out.say("Here is the query:\n")
    job.out.say(f"```sql\n{query_for(job)};\n```" if fenced else f"{query_for(job)};")


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    return query_for(job) if re.search(r"sql|query|statement", name, re.I) else None


def _fits(job: Job) -> bool:
    if any('"rows"' in text for _, text in job.request.results):
        return False  # the rows are there: now they are told
    asked = re.search(r"\bSQL\b|\bquery\b|\bSELECT\b", f"{job.instructions}\n{job.request.rest}")
    return bool(asked) and bool(tables_in(f"{job.instructions}\n{job.request.told}"))


register("sql", _fits, _write, _value)
