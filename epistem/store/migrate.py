"""Apply the numbered .sql files, once each, in order, under a lock. One that was broken off is gone on with: how many
of a file's statements are done is kept beside them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from importlib import resources
from typing import NamedTuple

import pymysql

from epistem.core.cases.content import Case
from epistem.store.cases import line_columns, told_apart_by
from epistem.store.database import Address, MigrationFailed

A_TIME = 200
LOCK = "epistem.migrate"
LOCK_SECONDS = 600
DONE_ALREADY = {1005, 1050, 1051, 1054, 1060, 1061, 1091, 1146, 1826}
"""What MariaDB says of a table, column or key that is there, or gone, already. Each statement that changes the
schema is done whole or not at all, but whether the last one was done before a kill is not known."""
CHANGES_ROWS = ("INSERT", "UPDATE", "DELETE", "REPLACE")


class Migration(NamedTuple):
    name: str
    statements: list[str]
    digest: str


def migrations() -> list[Migration]:
    """Every file of `migrations/`, by number."""
    folder = resources.files("epistem.store") / "migrations"
    files = sorted((f for f in folder.iterdir() if f.name.endswith(".sql")), key=lambda f: f.name)
    return [migration_from(f.name, f.read_text("utf-8")) for f in files]


def migration_from(name: str, text: str) -> Migration:
    """Statements end with `;` at the end of a line."""
    statements = [part.strip() for part in (text + "\n").split(";\n") if part.strip()]
    return Migration(name, statements, hashlib.sha256(text.encode()).hexdigest())


def migrate(
    address: Address,
    *,
    todo: list[Migration] | None = None,
    say: Callable[[str], None] = lambda line: None,
) -> list[str]:
    """Bring the schema up to date; the names applied now. Raises MigrationFailed.

    The database is made if it is not there. A file that has landed may not change: its digest
    is compared, and an edited one is refused before anything is applied.
    """
    admin = Address(address.host, address.port, address.user, address.password, "mysql")
    with admin.connect(autocommit=True) as connection, connection.cursor() as cursor:
        name = address.database.replace("`", "")
        cursor.execute(f"CREATE DATABASE IF NOT EXISTS `{name}` CHARACTER SET utf8mb4")

    connection = address.connect()
    try:
        connection.autocommit(True)
        with connection.cursor() as cursor:
            cursor.execute("SELECT GET_LOCK(%s, %s)", (f"{LOCK}.{address.database}", LOCK_SECONDS))
            if cursor.fetchone() != (1,):
                raise MigrationFailed("Another process has been migrating for long; try again.")
            cursor.execute(
                "CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(100) NOT NULL PRIMARY KEY, "
                "digest CHAR(64) NOT NULL, applied_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3))"
            )
            cursor.execute(
                "CREATE TABLE IF NOT EXISTS migrations_begun (name VARCHAR(100) NOT NULL PRIMARY KEY, "
                "digest CHAR(64) NOT NULL, done INT NOT NULL COMMENT 'statements')"
            )
            cursor.execute("SELECT name, digest FROM migrations")
            landed = {str(name): str(digest) for name, digest in cursor.fetchall()}
            waiting = []
            for migration in migrations() if todo is None else todo:
                if migration.name not in landed:
                    waiting.append(migration)
                elif landed[migration.name] != migration.digest:
                    raise MigrationFailed(
                        f"{migration.name} was edited after it was applied. Undo the edit and put "
                        "the change into a new file."
                    )
            for migration in waiting:
                say(migration.name)
                _apply(cursor, migration)
        return [migration.name for migration in waiting]
    finally:
        connection.close()  # which also gives the lock back


def _apply(cursor: pymysql.cursors.Cursor, migration: Migration) -> None:
    """What is done of it already is passed over."""
    this = (migration.name, migration.digest)
    cursor.execute("SELECT done FROM migrations_begun WHERE name = %s AND digest = %s", this)
    begun = cursor.fetchone()
    done = 0 if begun is None else int(begun[0])
    if begun is None:
        cursor.execute(
            "REPLACE INTO migrations_begun (name, digest, done) VALUES (%s, %s, 0)", this
        )
    for number, statement in enumerate(migration.statements, start=1):
        if number <= done:
            continue
        cursor.execute("START TRANSACTION")  # which what changes the schema ends by itself
        try:
            cursor.execute(statement)
        except pymysql.Error as error:
            in_doubt = begun is not None and number == done + 1
            rows = statement.upper().startswith(CHANGES_ROWS)
            if rows or not in_doubt or error.args[0] not in DONE_ALREADY:
                said = error.args[1] if len(error.args) > 1 else error
                raise MigrationFailed(f"{migration.name}: statement {number}: {said}") from error
        cursor.execute("UPDATE migrations_begun SET done = %s WHERE name = %s", (number, this[0]))
        cursor.execute("COMMIT")
    if fill := FILLED_IN.get(migration.name):
        fill(cursor)
    cursor.execute("START TRANSACTION")
    cursor.execute("INSERT INTO migrations (name, digest) VALUES (%s, %s)", this)
    cursor.execute("DELETE FROM migrations_begun WHERE name = %s", this[:1])
    cursor.execute("COMMIT")


def _fill_case_lines(cursor: pymysql.cursors.Cursor) -> None:
    """May be broken off and done again: what is filled in already is passed over."""
    while True:
        cursor.execute(f"SELECT id, content FROM cases WHERE title IS NULL LIMIT {A_TIME}")
        rows = cursor.fetchall()
        for case_id, content in rows:
            cursor.execute(
                "UPDATE cases SET title = %s, label = %s, tags = %s, turns = %s, words = %s WHERE id = %s",
                (*line_columns(Case.from_json(json.loads(content))), case_id),
            )
        if not rows:
            break


def _fill_what_cases_ask(cursor: pymysql.cursors.Cursor) -> None:
    """May be broken off and done again, too."""
    while True:
        cursor.execute(f"SELECT id, content FROM cases WHERE asked IS NULL LIMIT {A_TIME}")
        rows = cursor.fetchall()
        for case_id, content in rows:
            cursor.execute(
                "UPDATE cases SET asked = %s, case_key = %s, owner = %s, origin = %s, has = %s, "
                "updated_at = updated_at WHERE id = %s",
                (*told_apart_by(Case.from_json(json.loads(content))), case_id),
            )
        if not rows:
            break


FILLED_IN = {
    "0042_case_lines_filled.sql": _fill_case_lines,
    "0051_cases_told_apart_filled.sql": _fill_what_cases_ask,
}
"""What is worked out by our own code once a file's statements are done."""
