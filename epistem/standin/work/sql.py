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
_ERROR = re.compile(
    r"no such column|unknown column|does not exist|syntax error|error in your sql|no such table",
    re.I,
)
_MORE = (("more than|over|above|greater than", ">"), ("at least", ">="), ("less than|under|below|fewer than|cheaper than", "<"),
         ("at most|up to", "<="), ("after|later than|since", ">"), ("before|earlier than|until", "<"))  # fmt: skip
_LEAST = r"first|earliest|cheapest|lowest|shortest|smallest|oldest|fewest|next|least"
_MOST = r"last|latest|dearest|highest|longest|largest|newest|most expensive|biggest|top"
_AGGREGATES = (("average|mean", "AVG"), ("total|sum of|altogether", "SUM"))


@dataclass(frozen=True)
class Table:
    """`values` are what a column's comment or CHECK says may stand in it."""

    name: str
    columns: tuple[str, ...]
    kinds: tuple[str, ...]


@lru_cache(maxsize=256)
def tables_in(text: str) -> tuple[Table, ...]:
    found = []
    for name, inner in [*_CREATE.findall(text), *_SHORT.findall(text)]:
        parts = [
            p.split() for p in re.split(r",(?![^(]*\))", re.sub(r"--.*", "", inner)) if p.split()
        ]
        parts = [
            p
            for p in parts
            if p[0].lower() not in ("primary", "foreign", "unique", "check", "constraint", "key")
        ]
        columns = tuple(p[0].strip('`"') for p in parts)
        kinds = tuple(" ".join(p[1:2]).lower() for p in parts)
        if name.lower() not in ("count", "sum", "values") and columns:
            found.append(Table(name, columns, kinds))
    return tuple({table.name: table for table in found}.values())


def query_for(job: Job) -> str:
    """The statement, without an end mark."""
    text = job.request.block("question") or _question(job)
    tables = tables_in(f"{job.instructions}\n{job.request.told}")
    scored = sorted(tables, key=lambda t: -_about(text, t))
    main, wheres, joined = scored[0], [], ""
    counting = re.search(r"\bhow many\b|\bnumber of\b|\bcount\b", text, re.I)
    if counting and (named := [t for t in tables if _names(text[counting.end() :][:30], t.name)]):
        main = named[0]
    linked = [(t, on) for t in scored if t is not main and (on := _link(main, t))]
    for table, on in [(main, ""), *linked]:
        found = _filters(job, text, table)
        if found and table is not main:
            joined, found = f" JOIN {table.name} ON {on}", [f"{table.name}.{f}" for f in found]
        if table is main or (found and not wheres) or (found and joined):
            wheres += found
        if joined:
            break
    wheres = list(dict.fromkeys(wheres))
    wrong = job.mind.slips("column", times=2) and not _ERROR.search(
        job.request.told + str(job.request.results)
    )
    what, order = _shown(text, main, bool(counting), " ".join(wheres))
    statement = f"SELECT {what} FROM {main.name}{joined}"
    statement += f" WHERE {' AND '.join(wheres)}" if wheres else ""
    return _misnamed(job, statement, main) + order if wrong else statement + order


def _question(job: Job) -> str:
    """The last thing the user asked that is not a database's error."""
    asked = [t.text for t in job.request.turns if t.role == "user" and not _ERROR.search(t.text)]
    return asked[-1] if asked else job.text


def _names(text: str, name: str) -> bool:
    return bool(set(stems(name.replace("_", " "))) & set(stems(text)))


def _about(text: str, table: Table) -> float:
    words = " ".join([table.name, table.name, *table.columns]).replace("_", " ")
    return likeness(text, words) + 0.5 * _names(text, table.name)


def _link(one: Table, other: Table) -> str:
    for here, there in ((one, other), (other, one)):
        for column in here.columns:
            root = column.lower().removesuffix("_id")
            if (
                column.lower().endswith("_id")
                and stem(there.name.lower()).startswith(stem(root))
                and "id" in there.columns
            ):
                return f"{here.name}.{column} = {there.name}.id"
    return ""


def _filters(job: Job, text: str, table: Table) -> list[str]:
    found = []
    for column, kind in zip(table.columns, table.kinds, strict=True):
        words = column.replace("_", " ")
        clock = re.search(r"time|leaves|arrives|\bat\b|hour|departs|date|day", words) is not None
        number = re.search(r"int|real|num|dec|float|double", kind) is not None
        for pattern, sign in _MORE:
            match = re.search(
                rf"\b(?:{pattern}) (?:[€£$] ?)?(\d{{4}}-\d\d-\d\d|\d{{1,2}}:\d\d|\d+(?:\.\d+)?)",
                text,
                re.I,
            )
            if (
                match
                and (":" in match[1] or "-" in match[1]) == clock
                and (clock or (number and _near(text, words, match.start())))
            ):
                found.append(f"{column} {sign} " + (f"'{match[1]}'" if clock else match[1]))
                break
        else:
            if not number and not clock and column.lower() != "id" and not column.endswith("_id"):
                found += [f"{column} = '{v}'" for v in _values(text, column, table)][:1]
    return found


def _near(text: str, words: str, at: int) -> bool:
    around = text[max(0, at - 40) : at + 50]
    return bool(set(stems(words)) & set(stems(around))) or not re.search(r"[a-z]", words)


def _values(text: str, column: str, table: Table) -> list[str]:
    """What may stand in a text column: quoted words, or a name after a word that goes with it."""
    words = column.replace("_", " ").lower()
    quoted = re.findall(r"[\"'“‘]([^\"'”’]+)[\"'”’]", text)
    if quoted and _names(text, words):
        return quoted
    heads = {
        "from": r"from|origin|start",
        "to": r"to\b|dest|end",
        "in": r"city|town|place|country|room|branch",
        "by": r"author|writer|boat|driver|owner",
        "on": r"boat|line|day",
        "at": r"pier|place|stop|branch",
    }
    for head, fits in heads.items():
        match = re.search(rf"\b{head} (?:the )?([A-Z][\w'’]+(?: [A-Z][\w'’]+)*)", text)
        if match and re.search(fits, words):
            return [match[1].replace("'", "''")]
    status = re.search(
        r"\b(cancelled|open|closed|late|paid|unpaid|overdue|available|sold|lost|returned|active|delayed)\b",
        text,
        re.I,
    )
    if status and re.search(r"status|state|condition", words):
        return [status[1].lower()]
    colour = extract.find("colour", text)
    return [colour] if colour and "colo" in words else []


def _shown(text: str, table: Table, counting: bool, filtered: str) -> tuple[str, str]:
    """What is selected, and the order."""
    if counting:
        return "COUNT(*)", ""
    numbers = [
        c
        for c, k in zip(table.columns, table.kinds, strict=True)
        if re.search("int|real|num|dec|float", k) and not c.endswith("id")
    ]
    for pattern, function in _AGGREGATES:
        if re.search(rf"\b(?:{pattern})\b", text, re.I) and numbers:
            best = max(numbers, key=lambda c: likeness(text, c.replace("_", " ")))
            return f"{function}({best})", ""
    asked = [c for c in table.columns if _names(text, c) and c != "id" and f"{c} " not in filtered]
    what = (
        ", ".join(asked)
        if asked and not re.search(r"\ball\b|\bwhich\b|\blist\b", text, re.I)
        else "*"
    )
    order = ""
    if match := re.search(rf"\b(?:(?P<least>{_LEAST})|(?P<most>{_MOST}))\b", text, re.I):
        by = max(table.columns, key=lambda c: _order_fit(text, c, match[0].lower()))
        order = f" ORDER BY {by}{' DESC' if match['most'] else ''} LIMIT 1"
    elif match := re.search(r"\b(?:sorted|ordered|order|sort) by (?:the )?(\w+)", text, re.I):
        by = max(table.columns, key=lambda c: likeness(match[1], c.replace("_", " ")))
        order = f" ORDER BY {by}{' DESC' if re.search('descending|highest first|latest first', text, re.I) else ''}"
    return what, order


def _order_fit(text: str, column: str, word: str) -> float:
    words = column.replace("_", " ")
    money = re.search(r"cheap|expens|dear", word) and re.search(r"price|fare|cost|amount", words)
    clock = re.search(r"first|earl|last|late|next|old|new", word) and re.search(
        r"time|leaves|date|at\b|year|day", words
    )
    length = re.search(r"long|short", word) and re.search(r"length|minutes|duration|pages", words)
    return likeness(text, words) + 2 * bool(money or clock or length)


def _misnamed(job: Job, statement: str, table: Table) -> str:
    """One column of it by a name that is nearly right."""
    used = [c for c in table.columns if re.search(rf"\b{c}\b", statement)] or [table.columns[0]]
    column = used[int(job.mind.luck("which column") * len(used))]
    wrong = (
        column.removesuffix("s")
        if column.endswith("s")
        else f"{column.split('_')[0]}_name"
        if "_" not in column
        else column.replace("_", "")
    )
    if not re.search(rf"\b{column}\b", statement):
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
    asked = re.search(r"\bSQL\b|\bquery\b|\bSELECT\b", f"{job.instructions}\n{job.request.rest}")
    return bool(asked) and bool(tables_in(f"{job.instructions}\n{job.request.told}"))


register("sql", _fits, _write, _value)
