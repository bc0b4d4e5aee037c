"""Reading a MariaDB database elsewhere: in a transaction that is read-only, within its time."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from time import monotonic
from typing import Any

import pymysql
from pymysql.cursors import SSCursor

from epistem.core.errors import InvalidInput
from epistem.core.tools.addresses import Origin
from epistem.core.tools.rows import Rows, Value
from epistem.core.tools.statements import names_in
from epistem.models.keys import Keys
from epistem.reach.doors import Door, addresses_of, door_for
from epistem.reach.sqlite_child import took_longer

MOST_BYTES = 4_000_000
CONNECT_S = 5.0
MORE_S = 2.0
"""For the way there and back."""


@dataclass(frozen=True)
class Place:
    """`key` is the reference of the password; "" for none."""

    host: str
    port: int
    user: str
    database: str
    key: str = ""

    @property
    def origin(self) -> Origin:
        return Origin("mysql", self.host, self.port)


def run(
    place: Place,
    statement: str,
    given: Mapping[str, Value],
    most_rows: int,
    seconds: float,
    doors: Sequence[Door],
) -> Rows:
    """Raises InvalidInput, in words."""
    wanted = names_in(statement)
    ends = monotonic() + seconds + MORE_S
    told: dict[str, Value] | None = {name: given.get(name) for name in wanted} if wanted else None
    with _opened(place, seconds, doors) as connection:
        cursor = connection.cursor()
        cursor.execute(_with_places(statement, wanted) if wanted else statement, told)
        columns = tuple(str(each[0]) for each in cursor.description or ())
        rows: list[tuple[Value, ...]] = []
        size = 0
        while (row := cursor.fetchone()) is not None:
            if monotonic() > ends:  # each row has its own time there
                raise InvalidInput(took_longer(seconds), field="query")
            size += sum(len(each) if isinstance(each, str | bytes) else 8 for each in row)
            if len(rows) == most_rows or size > MOST_BYTES:
                return Rows(columns, tuple(rows), True)
            rows.append(tuple(_value(each) for each in row))
        return Rows(columns, tuple(rows))


def tables_of(place: Place, seconds: float, doors: Sequence[Door]) -> str:
    """A line for each, with its columns and their types."""
    found: dict[str, list[str]] = {}
    with _opened(place, seconds, doors) as connection:
        cursor = connection.cursor()
        cursor.execute(
            "SELECT table_name, column_name, column_type FROM information_schema.columns "
            "WHERE table_schema = DATABASE() ORDER BY table_name, ordinal_position LIMIT 2000"
        )
        while (row := cursor.fetchone()) is not None:
            found.setdefault(str(row[0]), []).append(f"{row[1]} {row[2]}")
    return "\n".join(f"{table}({', '.join(columns)})" for table, columns in found.items())


@contextmanager
def _opened(place: Place, seconds: float, doors: Sequence[Door]) -> Iterator[Any]:
    numeric = addresses_of(door_for(place.origin, doors))[0]
    password = ""
    if place.key:
        password = Keys.of_this_server().key_for(place.key, str(place.origin))
    connection: Any = None
    try:
        connection = pymysql.connect(
            host=numeric,
            port=place.port,
            user=place.user,
            password=password,
            database=place.database,
            connect_timeout=CONNECT_S,
            read_timeout=seconds + MORE_S,
            write_timeout=CONNECT_S,
            charset="utf8mb4",
            cursorclass=SSCursor,
            local_infile=False,
        )
        with connection.cursor() as cursor:
            cursor.execute("SET SESSION max_statement_time = %s", (seconds,))
            cursor.execute("SET SESSION TRANSACTION READ ONLY")
            cursor.execute("START TRANSACTION READ ONLY")
        yield connection
    except pymysql.err.MySQLError as error:
        raise InvalidInput(_words(error, seconds), field="query") from error
    finally:
        if connection is not None:
            # Closing it, or a cursor of it, would read the rest.
            if connection._result is not None:
                connection._result.unbuffered_active = False
                connection._result = None
            connection._force_close()


_PLACES = re.compile(
    r"'(?:[^'\\]|''|\\.)*'|\"(?:[^\"\\]|\"\"|\\.)*\"|`[^`]*`|%|(?<![:\w]):([A-Za-z_]\w*)"
)


def _with_places(statement: str, names: Sequence[str]) -> str:
    """In the driver's way of writing places; its own sign for them is doubled."""

    def put(found: re.Match[str]) -> str:
        if found[1] in names and found[1]:
            return f"%({found[1]})s"
        return found[0].replace("%", "%%")

    return _PLACES.sub(put, statement)


def _words(error: pymysql.err.MySQLError, seconds: float) -> str:
    code = error.args[0] if error.args else 0
    told = str(error.args[1] if len(error.args) > 1 else error)[:300].rstrip(".")
    if code in (1969, 3024, 1317) or "timed out" in told:
        return took_longer(seconds)
    if code in (1792, 1142, 1227, 1044):
        return f"Only reading is allowed here, with one SELECT ({told})."
    if code in (2003, 2002, 1045, 1049):
        return f"The source can't be reached: {told}."
    return f"The database says: {told}."


def _value(value: Any) -> Value:
    if value is None or isinstance(value, str | int | float):
        return value
    if isinstance(value, Decimal):
        return (
            int(value)
            if value == value.to_integral_value() and abs(value) < 2**53
            else float(value)
        )
    if isinstance(value, datetime):
        return value.isoformat(" ")
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, timedelta):
        return _clock(value)
    if isinstance(value, bytes):
        try:
            return value.decode()
        except UnicodeDecodeError:
            return f"({len(value):,} bytes)"
    return str(value)


def _clock(value: timedelta) -> str:
    seconds = int(value.total_seconds())
    sign, seconds = ("-", -seconds) if seconds < 0 else ("", seconds)
    return f"{sign}{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
