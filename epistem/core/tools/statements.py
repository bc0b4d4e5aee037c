"""Whether an SQL statement only reads. The first of two fences: the second is the database itself."""

from __future__ import annotations

import logging
import re
from typing import Literal

import sqlglot
from sqlglot import exp

logging.getLogger("sqlglot").setLevel(logging.ERROR)  # what it can't parse is told to the model

Dialect = Literal["sqlite", "mysql"]
MOST_CHARACTERS = 20_000
_WRITES = (
    exp.Insert, exp.Update, exp.Delete, exp.Merge, exp.Create, exp.Drop, exp.Alter, exp.TruncateTable,
    exp.Command, exp.Into, exp.Lock, exp.Pragma, exp.Attach, exp.Detach, exp.Set, exp.Use, exp.Kill,
    exp.Transaction, exp.Commit, exp.Rollback, exp.LoadData, exp.Copy, exp.NextValueFor, exp.Analyze,
    exp.Parameter, exp.SessionParameter, exp.PropertyEQ,
)  # fmt: skip
_HARM = frozenset({
    "load_extension", "readfile", "writefile", "edit", "fts3_tokenizer", "load_file", "sleep", "benchmark",
    "get_lock", "release_lock", "release_all_locks", "is_free_lock", "is_used_lock", "master_pos_wait",
    "master_gtid_wait", "nextval", "lastval", "setval", "last_insert_id", "sys_exec", "sys_eval", "sys_get",
    "sys_set", "uuid_short", "sqlite_log",
})  # fmt: skip
_ALSO = frozenset({
    "adddate", "addtime", "bin", "bit_count", "char_length", "conv", "convert_tz", "crc32", "dayname",
    "degrees", "elt", "export_set", "field", "find_in_set", "format", "from_days", "inet_aton", "inet_ntoa",
    "insert", "instr", "json_array", "json_arrayagg", "json_contains", "json_contains_path", "json_keys",
    "json_length", "json_search", "json_type", "json_unquote", "json_valid", "json_value", "locate",
    "makedate", "maketime", "microsecond", "mid", "monthname", "now", "oct", "octet_length", "ord",
    "period_add", "period_diff", "quarter", "quote", "radians", "regexp_instr", "regexp_substr",
    "sec_to_time", "soundex", "space", "strcmp", "subdate", "subtime", "sysdate", "time_format",
    "time_to_sec", "timediff", "to_days", "to_seconds", "truncate", "unix_timestamp", "utc_date", "utc_time",
    "utc_timestamp", "week", "weekday", "weight_string", "yearweek",
})  # fmt: skip
"""Functions of MariaDB that the parser has no name for: all others that it does not know may be stored ones."""
_NAMED = re.compile(r"(?<![:\w]):([A-Za-z_][A-Za-z0-9_]*)")
_QUOTED = re.compile(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|`[^`]*`|--[^\n]*|/\*[\s\S]*?\*/")


def statement_fault(statement: str, dialect: Dialect) -> str:
    """Why it is not run, in words for who wrote it; "" for one that only reads."""
    if not statement.strip():
        return "The statement is empty. Write one SELECT."
    if len(statement) > MOST_CHARACTERS:
        return f"The statement has {len(statement):,} characters; {MOST_CHARACTERS:,} at most."
    if "\0" in statement:
        return "The statement has a character that can't stand in one."
    if re.search(r"/\*M?!", statement):
        return "Comments that the database would carry out are not allowed. Leave them out."
    try:
        parsed = sqlglot.parse(statement, read=dialect, error_level=sqlglot.ErrorLevel.RAISE)
        found = [each for each in parsed if each is not None]
        if len(found) != 1:
            return "One statement at a time: send one SELECT."
        return _fault(found[0], dialect)
    except sqlglot.errors.ParseError as error:
        first = error.errors[0] if error.errors else {}
        told = str(first.get("description") or error).split("\n")[0][:200]
        near = str(first.get("highlight") or "")[:60]
        return (
            f"The statement can't be read: {told.rstrip('.')}{f', near “{near}”' if near else ''}."
        )
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError) as error:
        return f"The statement can't be read: {str(error).splitlines()[0][:200] if str(error) else 'too deep'}."


def names_in(statement: str) -> list[str]:
    """The `:names` of a statement, in order."""
    return list(dict.fromkeys(_NAMED.findall(_QUOTED.sub(" ", statement))))


def _fault(root: exp.Expr, dialect: Dialect) -> str:
    if not isinstance(root, exp.Query):
        return f"Only reading is allowed here, with one SELECT. This is {_called(root)}."
    for node in root.walk():
        if isinstance(node, _WRITES):
            return f"Only reading is allowed here, with one SELECT. This has {_called(node)} in it."
        if isinstance(node, exp.Func):
            own = isinstance(node, exp.Anonymous)
            name = node.name if own else node.sql_name()
            stored = own and dialect == "mysql" and name.lower() not in _ALSO
            if name.lower() in _HARM or stored:
                return f"The function {name} is not allowed here."
    return ""


def _called(node: exp.Expr) -> str:
    if isinstance(node, exp.Command):
        return str(node.this).upper()[:40]
    if isinstance(node, exp.Lock):
        return "FOR UPDATE"
    if isinstance(node, exp.Parameter | exp.SessionParameter | exp.PropertyEQ):
        return "a variable of the database"
    return node.key.upper()


def is_ordered(statement: str, dialect: Dialect = "sqlite") -> bool:
    """Whether it says in which order its rows come."""
    try:
        found = sqlglot.parse_one(statement, read=dialect)
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError):
        return False
    return found.args.get("order") is not None
