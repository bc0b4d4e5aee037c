"""Keeping tools and what they reach: versions, sources, allowed addresses; and calling one by hand."""

from __future__ import annotations

import asyncio
from dataclasses import asdict
from datetime import UTC, datetime

from epistem.core.engine.needs import UseTool
from epistem.core.errors import Conflict, InvalidInput, Stale
from epistem.core.prompts.content import Message, Part, Prompt
from epistem.core.prompts.fragments import REFERENCE
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.tool import Tool, may_change
from epistem.core.prompts.tools import ToolResult, ToolsAtHand
from epistem.core.tools.addresses import Origin, origin_in
from epistem.core.tools.rows import Rows
from epistem.models.driving import Called
from epistem.models.keys import Keys
from epistem.reach import sources as reading
from epistem.reach.doors import door_for
from epistem.reach.mariadb import Place
from epistem.store.database import Database, Transaction
from epistem.store.tools import answers, kept, sources
from epistem.work.calls import tool_call
from epistem.work.tools.places import Places, doors_of, opened
from epistem.work.tools.reaching import Reaching

SQLITE_MARK = b"SQLite format 3\0"


def create(tx: Transaction, name: str, content: Tool) -> None:
    """A tool with its first version. Raises InvalidInput or Conflict, naming the field."""
    _check_name(name, "name")
    kept.insert(tx, name, _sound(content))


def save(
    tx: Transaction, name: str, content: Tool, note: str, *, after: int | None = None
) -> tuple[int, bool]:
    """The number of the version that is so, and whether it is new: only a changed one is. Raises Stale where
    another came `after` the one that it was made of."""
    (newest, there), content = kept.newest(tx, name), _sound(content)
    if there == content:
        return newest.number, False
    if after is not None and after != newest.number:
        raise Stale(f"The tool {name}")
    return kept.add(tx, newest, content, note), True


def attach(tx: Transaction, name: str, about: str, file: str, content: bytes) -> None:
    """An SQLite file as a source, in the place of one of that name. Raises InvalidInput for what is none."""
    _check_name(name, "name")
    if not content.startswith(SQLITE_MARK):
        raise InvalidInput(f"{file[:80] or 'That'} is no SQLite file.", field="file")
    sources.put_file(tx, name, about, file, content)


def point_to(tx: Transaction, name: str, about: str, place: Place) -> None:
    """A MariaDB database elsewhere as a source. Raises InvalidInput for a place that is not allowed, and for a
    password that may not be sent there."""
    _check_name(name, "name")
    door_for(place.origin, doors_of(tx))
    if place.key:
        Keys.of_this_server().check(place.key, str(place.origin), field="key")
    sources.put_place(tx, name, about, asdict(place))


def remove_source(tx: Transaction, name: str) -> None:
    """Raises Conflict, saying which, where a kept tool reads it."""
    sources.get(tx, name)
    using = [
        line.name
        for line in kept.lines(tx)
        if line.content.does is not None
        and line.content.does.kind == "sql"
        and line.content.does.source == name
    ]
    if using:
        raise Conflict(
            f"The tool {using[0]} reads “{name}”. Let it read another source first.", field="source"
        )
    sources.remove(tx, name)


def allow(tx: Transaction, address: str, *, inside: bool) -> Origin:
    """Raises InvalidInput for what is no address of the kinds that tools reach."""
    origin = origin_in(address.strip())
    if origin is None or origin.scheme not in ("http", "https", "mysql"):
        raise InvalidInput(
            "Write an address with its scheme, as https://boats.example or mysql://rows.example:3306.",
            field="address",
        )
    if not origin.host.isascii():
        raise InvalidInput("Write the host in plain letters (as xn--…).", field="address")
    answers.allow(tx, origin, inside=inside)
    return origin


def tables_in(database: Database, name: str) -> str:
    """What is shown of a source. Raises NotFound, and InvalidInput where it can't be read."""
    with database.transaction() as tx:
        found, doors = sources.get(tx, name), doors_of(tx)
    return reading.tables_of(opened(database, found), doors)


def looked_into(database: Database, name: str) -> tuple[str, str | None]:
    """Its tables, and why they can't be read. Raises NotFound."""
    try:
        return tables_in(database, name), None
    except InvalidInput as error:
        return "", error.message


def query(database: Database, name: str, statement: str, most_rows: int = 100) -> Rows:
    """Raises as `tables_in`."""
    places = Places(database)
    return reading.run(places.source(name), statement, places.doors(), most_rows=most_rows)


def call_by_hand(
    database: Database,
    content: Tool,
    arguments: str,
    *,
    allowed: bool,
    tool: str = "",
    by: str = "",
) -> ToolResult:
    """A call that a person makes, kept with the tool of that name where there is one. Raises InvalidInput where the
    tool can't be called at all; what it comes to is in the result."""
    if may_change(content) and not allowed:
        raise InvalidInput(
            f"“{content.name}” may change something outside. Say that you want that.",
            field="allowed",
        )
    need = UseTool("1", ToolsAtHand([_sound(content)]), content.name, arguments)
    began = datetime.now(UTC).replace(tzinfo=None)

    async def called() -> ToolResult:
        reach = Reaching(database, "try", allowed=allowed)
        try:
            return await reach.use(need)
        finally:
            reach.close()

    result = asyncio.run(called())
    if tool:
        with database.transaction(by=by) as tx:
            answers.keep_by_hand(tx, kept.get(tx, tool).id, tool_call(Called(need, result, began)))
    return result


def _sound(content: Tool) -> Tool:
    """As it is kept. Raises InvalidInput for what stops a prompt that has it."""
    plain = Prompt(
        messages=[Message(role="user", parts=[Part(name="x", text="x")])], tools=[content]
    )
    for problem in problems_of(plain):
        raise InvalidInput(problem.message, field=problem.field.replace("tools.0", "content"))
    return content.model_copy(update={"kept": ""})


def _check_name(name: str, field: str) -> None:
    if not REFERENCE.match(f"{name}@1"):
        raise InvalidInput(
            f"“{name[:70]}” can't be a name here: use small letters, digits and hyphens, at most 63.",
            field=field,
        )
