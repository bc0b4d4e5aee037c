"""Code that stands in an answer: SQL that parses and only reads, Python that parses."""

from __future__ import annotations

import ast
import logging
import re
import warnings
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

import sqlglot
from pydantic import Field
from sqlglot import exp

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span

LONGEST = 20_000
"""Characters of Python that are parsed."""
LONGEST_SQL = 2_400
"""Characters of SQL that are parsed, which takes ten times as long; of a longer one nothing is said."""
_FENCE = re.compile(r"^[ \t]*```[ \t]*([\w+-]*+)[^\n]*\n(.*?)(?:\n[ \t]*```|\Z)", re.S | re.M)
logging.getLogger("sqlglot").setLevel(logging.ERROR)  # what it can't parse is told by the finding
_ROOTS = (exp.Select, exp.Union, exp.Intersect, exp.Except, exp.Subquery, exp.Values)
_HARMFUL = frozenset(
    [
        "load_file",
        "sleep",
        "benchmark",
        "get_lock",
        "release_lock",
        "master_pos_wait",
        "sys_exec",
        "sys_eval",
        "load_extension",
        "writefile",
        "readfile",
        "edit",
        "fts3_tokenizer",
        "pg_sleep",
        "pg_read_file",
        "pg_ls_dir",
        "lo_import",
        "lo_export",
        "dblink",
        "xp_cmdshell",
        "query_to_xml",
        "set_config",
        "nextval",
        "setval",
    ]
)
_CONDITIONAL = re.compile(r"/\*[!+]")


def code_in(text: str, languages: tuple[str, ...]) -> tuple[str, int]:
    """The code of an answer and where it begins: the first fence of that language, or of none, else all."""
    for match in _FENCE.finditer(text):
        if match[1].lower() in languages:
            return match[2], match.start(2)
    return text, 0


class SqlOptions(Options):
    dialect: Literal["sqlite", "mysql", "postgres", "duckdb", "tsql", "any"] = Field(
        "sqlite", title="Dialect"
    )
    tables: list[str] = Field(
        default_factory=list,
        max_length=500,
        title="Known tables",
        description="`name`, or `name(column, column)`; empty knows all.",
    )


class SqlReads(Check):
    key = "structure.sql"
    version = 1
    kind = "structure"
    summary = "One SQL statement that parses, only reads, and uses known tables and columns."
    also_called = ("query", "select", "database", "read only")
    aspects = (
        Aspect("", "SQL parses"),
        Aspect("reads", "SQL only reads"),
        Aspect("known", "SQL uses what is there"),
    )
    Options: ClassVar[type[Options]] = SqlOptions
    libraries = ("sqlglot",)
    shown_with: ClassVar = {"tables": ["sailings(pier, leaves_at, boat)", "piers(name)"]}
    good: ClassVar = (
        "SELECT leaves_at FROM sailings WHERE pier = 'Hollin'",
        "SELECT count(*) AS n FROM sailings;",
        "```sql\nSELECT name FROM piers ORDER BY name\n```",
        "WITH late AS (SELECT pier FROM sailings) SELECT pier FROM late",
        "SELECT s.pier FROM sailings AS s JOIN piers p ON p.name = s.pier",
        "SELECT pier FROM sailings UNION SELECT name FROM piers",
        "-- a comment that says DROP TABLE\nSELECT 1",
        "SELECT 'DELETE FROM piers' AS said FROM piers",
        "select PIER from SAILINGS",
    )
    bad: ClassVar = (
        "",
        "The boat leaves at nine.",
        "SELECT FROM WHERE",
        "DELETE FROM sailings",
        "SELECT 1; DROP TABLE sailings",
        "WITH gone AS (DELETE FROM sailings RETURNING pier) SELECT pier FROM gone",
        "SELECT fare FROM sailings",
        "SELECT name FROM passengers",
        "PRAGMA writable_schema = 1",
        "ATTACH DATABASE 'x' AS y",
        "SELECT load_extension('x')",
        "SELECT 1 /*!50000 ; DROP TABLE sailings */",
        "REINDEX sailings",
        Example("SELECT sleep(10)", {"dialect": "mysql"}),
        Example("SELECT name INTO OUTFILE '/tmp/x' FROM piers", {"dialect": "mysql"}),
    )

    def __init__(self, options: SqlOptions, reply: Any) -> None:
        super().__init__(options, reply)
        self._known = dict(map(_table, options.tables))

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        code, at = code_in(answer.text, ("sql", "sqlite", "mysql", "postgres", "postgresql", ""))
        if not code.strip():
            return [Finding("", False, "There is no SQL in the answer.")]
        if len(code) > LONGEST_SQL:
            return []
        dialect = None if self.options.dialect == "any" else self.options.dialect
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                found = [
                    s
                    for s in sqlglot.parse(code, read=dialect, error_level=sqlglot.ErrorLevel.RAISE)
                    if s
                ]
        except (sqlglot.errors.SqlglotError, RecursionError, ValueError) as error:
            return [Finding("", False, f"The SQL does not parse: {_first_line(error)}")]
        if not found:
            return [Finding("", False, "There is no statement in the SQL.")]
        if isinstance(found[0], exp.Alias | exp.Column | exp.Literal | exp.Identifier):
            return [Finding("", False, "That is no SQL statement.")]
        parses = Finding("", True, "The SQL parses.")
        if len(found) > 1:
            return [
                parses,
                Finding("reads", False, f"There are {len(found)} statements; one is allowed."),
            ]
        if wrong := _writes(found[0], code):
            return [parses, Finding("reads", False, wrong)]
        reads = Finding("reads", True, "It only reads.")
        strange = next(_unknown(found[0], self._known), None) if self._known else None
        if strange is None:
            return [parses, reads, Finding("known", True, "All tables and columns are known.")]
        place = re.search(rf"\b{re.escape(strange.split(' ')[-1])}\b", code, re.I)
        spans = (Span(at + place.start(), at + place.end(), "is not there"),) if place else ()
        return [parses, reads, Finding("known", False, f"There is no {strange}.", spans)]


def _table(told: str) -> tuple[str, frozenset[str] | None]:
    name, _, rest = told.partition("(")
    columns = frozenset(
        each.strip().lower() for each in rest.rstrip(") ").split(",") if each.strip()
    )
    return name.strip().lower(), columns or None


def _writes(statement: Any, code: str) -> str:
    """Why it does more than read; "" where it does not. Roots and functions are looked at, wherever they stand."""
    if _CONDITIONAL.search(code):
        return "A comment that some databases carry out stands in it."
    if not isinstance(statement, _ROOTS):
        return f"{statement.key.upper()} does more than read."
    for node in statement.walk():
        if isinstance(
            node,
            exp.Insert
            | exp.Update
            | exp.Delete
            | exp.Merge
            | exp.DDL
            | exp.Command
            | exp.Into
            | exp.Lock,
        ):
            if isinstance(node, exp.Query) and not isinstance(node, exp.Insert):
                continue
            return f"{node.key.upper()} inside it does more than read."
        if isinstance(node, exp.Func):
            name = (node.name if isinstance(node, exp.Anonymous) else node.sql_name()).lower()
            if name in _HARMFUL:
                return f"The function {name} does more than read."
    if re.search(r"\binto\s+(?:outfile|dumpfile)\b", code, re.I):
        return "INTO writes a file."
    return ""


def _unknown(statement: Any, known: dict[str, frozenset[str] | None]) -> Iterator[str]:
    made = {cte.alias.lower() for cte in statement.find_all(exp.CTE)}
    derived = {s.alias.lower() for s in statement.find_all(exp.Subquery) if s.alias}
    aliases: dict[str, str] = {}
    for table in statement.find_all(exp.Table):
        name = table.name.lower()
        aliases[(table.alias or name).lower()] = name
        if name not in known and name not in made:
            yield f"table {table.name}"
    own = {each.alias.lower() for each in statement.find_all(exp.Alias)}
    columns = [known[name] for name in aliases.values() if name in known]
    if made or derived or any(each is None for each in columns):
        return  # what such a table has is not told
    every = frozenset().union(*(each for each in columns if each))
    for column in statement.find_all(exp.Column):
        if isinstance(column.this, exp.Star):
            continue
        table, name = column.table.lower(), column.name.lower()
        of = known.get(aliases.get(table, "")) if table else every | own
        if of is not None and name not in of and name not in own:
            yield f"column {column.name}"


def _first_line(error: BaseException) -> str:
    line = (
        re.sub(r"\x1b\[[\d;]*m", "", str(error)).strip().splitlines()[0]
        if str(error)
        else "it is nested too deeply"
    )
    return line[:200]


class PythonParses(Check):
    key = "structure.python"
    version = 1
    kind = "structure"
    summary = "The Python in the answer parses; it is not run."
    also_called = ("code", "syntax", "program")
    aspects = (Aspect("", "Python parses"),)
    good: ClassVar = (
        "x = 1",
        "```python\ndef f(a):\n    return a + 1\n```",
        "Here it is:\n```py\nprint('hi')\n```\nGood luck.",
        "for i in range(3):\n    print(i)",
        "```\n[x for x in range(9)]\n```",
        "async def f():\n    await g()",
        "match x:\n    case 1:\n        pass",
        "# nothing\npass",
    )
    bad: ClassVar = (
        "",
        "def f(:\n    pass",
        "```python\nprint 'hi'\n```",
        "for i in range(3)\n    print(i)",
        "if True:\nx = 1",
        "x = (1",
        "The answer is forty-two.",
        "```python\nreturn return\n```",
    )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        code, at = code_in(answer.text, ("python", "py", "python3", ""))
        if not code.strip():
            return [Finding("", False, "There is no Python in the answer.")]
        if len(code) > LONGEST:
            return [Finding("", False, f"The code has more than {LONGEST:,} characters.")]
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                ast.parse(code)
        except SyntaxError as error:
            line = error.lineno or 1
            start = at + sum(len(each) + 1 for each in code.split("\n")[: line - 1])
            text = code.split("\n")[line - 1] if line <= code.count("\n") + 1 else ""
            span = (Span(start, start + len(text), str(error.msg)),) if text else ()
            return [Finding("", False, f"Line {line}: {error.msg}.", span)]
        except (ValueError, RecursionError, MemoryError) as error:
            return [Finding("", False, f"It can't be read: {_first_line(error)}.")]
        return [Finding("", True, "The code parses.")]
