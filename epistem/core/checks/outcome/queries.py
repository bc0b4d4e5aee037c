"""Answers that are queries: they are run on a source, which only reads, and their rows held against others."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core import strict_json
from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.structure.code import code_in
from epistem.core.checks.structure.find_json import find_json
from epistem.core.engine.needs import Program, RunQuery
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.pointers import at_pointer
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import count
from epistem.core.tools.rows import Rows, difference
from epistem.core.tools.statements import is_ordered

MOST_ROWS = 1_000
"""That are compared."""
UNIT = "row"
NOTHING = "There is no query in the answer."
_LANGUAGES = ("sql", "sqlite", "mysql", "mariadb", "")


class QueryOptions(Options):
    source: str = Field(
        "", max_length=63, title="Source", description="Where the case does not name one."
    )
    at: str = Field(
        "",
        max_length=200,
        title="At",
        description="JSON pointer to the query in a JSON answer, as /query; without one, the answer's SQL.",
    )
    tool: str = Field(
        "",
        max_length=64,
        title="Tool",
        description="Take the query that this tool was called with last, not the answer's.",
    )
    seconds: float = Field(5, gt=0, le=60, title="Seconds at most")


class Running(Check):
    """A check that runs the answer's query. Its statements are run by a program, which a driver carries out."""

    kind = "outcome"
    version = 1
    reads = frozenset({"tools"})

    def __init__(self, options: Any, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        if options.at and not options.at.startswith("/"):
            raise InvalidInput("A JSON pointer begins with /, as /query.", field="options.at")

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        """Nothing without a source."""
        return []

    def program(self, answer: Answer, ground: Ground, at: str) -> Program[list[Finding]]:
        raise NotImplementedError

    def _source(self, ground: Ground) -> str:
        return ground.expect.source or str(self.options.source)

    def _query(self, answer: Answer) -> str:
        """ "" where the answer has none."""
        if self.options.tool:
            called = [used for used in answer.tools if used.name == self.options.tool]
            return _in_arguments(called[-1].arguments) if called else ""
        if self.options.at:
            found = find_json(answer.text)
            told = at_pointer(found.value, self.options.at) if found else ""
            return told.strip() if isinstance(told, str) else ""
        return code_in(answer.text, _LANGUAGES)[0].strip()

    def _run(self, query: str, ground: Ground, at: str) -> Program[Rows]:
        """Raises EpistemError, in words, where it does not run."""
        found: Rows = yield RunQuery(
            at, self._source(ground), query, MOST_ROWS, self.options.seconds
        )
        return found


_TABLE = "CREATE TABLE sailings (pier TEXT, leaves TEXT, fare REAL);"
_FULL = (
    f"{_TABLE} INSERT INTO sailings VALUES ('Hollin', '09:10', 12.5), ('Hollin', '17:40', 12.5), "
    "('Sandray', '08:00', 9.0);"
)


def _on(text: str, query: str = "", **more: Any) -> Example:
    options = {
        key: more.pop(key)
        for key in list(more)
        if key in ("at", "tool", "order", "digits", "typed")
    }
    expect: dict[str, Any] = {"source": "timetable"}
    if query:
        expect["query"] = query
    return Example(text, options, expect=expect, source=_FULL, **more)


class QueryRuns(Running):
    key = "outcome.query_runs"
    summary = "The query in the answer runs on this source, within its limits of time and rows."
    also_called = ("sql", "execute", "database", "text to sql")
    aspects = (Aspect("", "query runs"),)
    unit = UNIT
    Options: ClassVar[type[Options]] = QueryOptions
    good: ClassVar = (
        _on("SELECT pier FROM sailings"),
        _on("```sql\nSELECT leaves FROM sailings WHERE pier = 'Hollin'\n```"),
        _on("Here it is:\n```\nSELECT 1\n```\nRun it."),
        _on('{"query": "SELECT fare FROM sailings"}', at="/query"),
        _on("Done.", tool="timetable", tools=(("timetable", '{"query": "SELECT 1"}'),)),
        _on("SELECT count(*) FROM sailings;"),
        _on("WITH h AS (SELECT * FROM sailings) SELECT pier FROM h"),
        _on("SELECT pier FROM sailings WHERE fare > 99"),
    )
    bad: ClassVar = (
        _on(""),
        _on("The boat leaves at nine."),
        _on("SELECT price FROM sailings"),
        _on("SELECT * FROM passengers"),
        _on("DELETE FROM sailings"),
        _on("SELECT 1; SELECT 2"),
        _on('{"sql": "SELECT 1"}', at="/query"),
        _on("Done.", tool="timetable"),
        _on(
            "WITH RECURSIVE r(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM r) SELECT count(*) FROM r"
        ),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"runs on {options.source or 'the source of the case'}"

    def program(self, answer: Answer, ground: Ground, at: str) -> Program[list[Finding]]:
        query = self._query(answer)
        if not query:
            return [Finding("", False, NOTHING)]
        if not self._source(ground):
            return [Finding("", None, "It is not said which source it runs on.")]
        try:
            found = yield from self._run(query, ground, at)
        except EpistemError as error:
            return [Finding("", False, error.message)]
        told = f"{'more than ' if found.more else ''}{count(len(found.rows), 'row')}"
        return [Finding("", True, f"It gives {told}.", score=float(len(found.rows)), unit=UNIT)]


class RowsOptions(QueryOptions):
    order: Literal["as_reference", "always", "never"] = Field(
        "as_reference",
        title="Order matters",
        description="As reference: where the reference query orders its rows.",
    )
    digits: int | None = Field(
        6,
        ge=0,
        le=12,
        title="Digits",
        description="Numbers are rounded to so many after the point.",
    )
    typed: bool = Field(
        False, title="Types matter", description="If not, 3, 3.0 and '3' are the same."
    )


_HOLLIN = "SELECT leaves FROM sailings WHERE pier = 'Hollin' ORDER BY leaves"
_FARES = "SELECT DISTINCT fare FROM sailings"


class SameRows(Running):
    key = "outcome.query_rows"
    summary = "The query in the answer gives the same rows as the reference query of the case."
    also_called = ("sql", "execution accuracy", "result set", "reference query", "text to sql")
    aspects = (Aspect("", "same rows as the reference"),)
    Options: ClassVar[type[Options]] = RowsOptions
    good: ClassVar = (
        _on("SELECT leaves FROM sailings WHERE pier LIKE 'Hol%' ORDER BY 1", _HOLLIN),
        _on("SELECT leaves AS time FROM sailings WHERE pier = 'Hollin' ORDER BY leaves", _HOLLIN),
        _on("SELECT fare FROM sailings GROUP BY fare ORDER BY fare", _FARES),
        _on("SELECT '9' UNION SELECT 12.5", _FARES),
        _on("SELECT 12.5000000001 UNION SELECT 9", _FARES),
        _on("SELECT 9.0 UNION SELECT 12.5", _FARES, typed=True),
        _on(
            "SELECT leaves FROM sailings WHERE pier = 'Hollin' ORDER BY leaves DESC",
            _HOLLIN,
            order="never",
        ),
        _on("SELECT pier FROM sailings WHERE 0", "SELECT 1 WHERE 0"),
        _on("```sql\nSELECT count(*) FROM sailings\n```", "SELECT 3"),
    )
    bad: ClassVar = (
        _on("", _HOLLIN),
        _on("SELECT leaves FROM sailings WHERE pier = 'Hollin' ORDER BY leaves DESC", _HOLLIN),
        _on("SELECT leaves FROM sailings", _HOLLIN),
        _on("SELECT leaves, pier FROM sailings WHERE pier = 'Hollin' ORDER BY leaves", _HOLLIN),
        _on("SELECT fare FROM sailings", _FARES),
        _on("SELECT 9 UNION SELECT 12.5", _FARES, typed=True),
        _on("SELECT 12.6 UNION SELECT 9", _FARES),
        _on("SELECT nothing FROM sailings", _FARES),
        _on("SELECT fare FROM sailings GROUP BY fare ORDER BY fare", _FARES, order="always"),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        where = f" on {options.source}" if options.source else ""
        return f"gives the same rows as the reference query{where}"

    def asked(self, ground: Ground) -> list[str]:
        return [""] if ground.expect.query else []

    def program(self, answer: Answer, ground: Ground, at: str) -> Program[list[Finding]]:
        reference = ground.expect.query
        if not reference:
            return []
        if not self._source(ground):
            return [Finding("", None, "It is not said which source it runs on.")]
        query = self._query(answer)
        if not query:
            return [Finding("", False, NOTHING)]
        try:
            wanted = yield from self._run(reference, ground, f"{at}.reference")
        except EpistemError as error:
            return [Finding("", None, f"The reference query does not run. {error.message}")]
        try:
            found = yield from self._run(query, ground, at)
        except EpistemError as error:
            return [Finding("", False, error.message)]
        if wanted.more:
            why = f"The reference gives more than the {MOST_ROWS:,} rows that are compared."
            return [Finding("", None, why)]
        if found.more:
            return [Finding("", False, f"It gives more than {MOST_ROWS:,} rows.")]
        wrong = difference(
            found,
            wanted,
            in_order=self._in_order(reference),
            digits=self.options.digits,
            as_typed=self.options.typed,
        )
        return [Finding("", not wrong, wrong or f"The same {count(len(found.rows), 'row')}.")]

    def _in_order(self, reference: str) -> bool:
        if self.options.order == "as_reference":
            return is_ordered(reference)
        return bool(self.options.order == "always")


def _in_arguments(arguments: str) -> str:
    try:
        told = strict_json.loads(arguments)
    except (ValueError, RecursionError):
        return ""
    query = told.get("query") if isinstance(told, dict) else None
    return query.strip() if isinstance(query, str) else ""
