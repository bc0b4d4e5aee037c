"""What is kept under a name in versions that never change: texts of fragments, contents of tools."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

import pymysql

from epistem.core.errors import Conflict, NotFound
from epistem.core.prompts.fragments import reference, split_reference
from epistem.store.database import Transaction, is_duplicate


class NamedVersion(NamedTuple):
    number: int
    note: str
    created_at: datetime
    saved_by: str


class Newest(NamedTuple):
    """The row of what is named, and its newest version."""

    id: int
    number: int
    content: str


@dataclass(frozen=True)
class Named:
    """A kind of such things: its tables, the column of its versions' content, and what people call it."""

    table: str
    versions_table: str
    content: str
    called: str
    field: str = "name"

    def insert(
        self, tx: Transaction, name: str, content: str, more: Mapping[str, Any] | None = None
    ) -> None:
        """With its first version. Raises Conflict for a name in use."""
        columns = {"name": name, **(more or {})}
        marks = ", ".join(["%s"] * len(columns))
        try:
            number = tx.insert(
                f"INSERT INTO {self.table} ({', '.join(columns)}) VALUES ({marks})",
                list(columns.values()),
            )
        except pymysql.IntegrityError as error:
            if is_duplicate(error):
                message = f"There is a {self.called} called “{name}” already. Choose another name."
                raise Conflict(message, field="name") from error
            raise
        self._add(tx, number, 1, content, "")

    def row(
        self, tx: Transaction, name: str, columns: str, *, lock: bool = False
    ) -> tuple[Any, ...]:
        """Its columns. Raises NotFound."""
        row = name.isascii() and tx.first(
            f"SELECT {columns} FROM {self.table} WHERE name = %s{' FOR UPDATE' if lock else ''}",
            [name],
        )
        if not row:
            raise NotFound(f"There is no {self.called} called “{name[:70]}”.", field=self.field)
        return row

    def newest(self, tx: Transaction, name: str) -> Newest:
        """Which nobody else changes until the transaction ends. Raises NotFound."""
        (number,) = self.row(tx, name, "id", lock=True)
        found = tx.first(
            f"SELECT number, {self.content} FROM {self.versions_table} WHERE {self._id} = %s "
            "ORDER BY number DESC LIMIT 1",
            [number],
        )
        assert found is not None, "it is always made with a version"
        return Newest(number, *found)

    def add(self, tx: Transaction, after: Newest, content: str, note: str) -> int:
        """The number of the version that was added."""
        self._add(tx, after.id, after.number + 1, content, note)
        return after.number + 1

    def versions(self, tx: Transaction, number: int, most: int) -> list[NamedVersion]:
        """The newest first."""
        rows = tx.rows(
            f"SELECT number, note, created_at, saved_by FROM {self.versions_table} WHERE {self._id} = %s "
            "ORDER BY number DESC LIMIT %s",
            (number, most),
        )
        return [NamedVersion(*row) for row in rows]

    def contents(self, tx: Transaction, references: Iterable[str]) -> dict[str, str]:
        """Of those of the references (`name@version`) that are kept here."""
        wanted = [split for name in references if (split := split_reference(name))]
        if not wanted:
            return {}
        places = ", ".join(["(%s, %s)"] * len(wanted))
        rows = tx.rows(
            f"SELECT t.name, v.number, v.{self.content} FROM {self.versions_table} v "
            f"JOIN {self.table} t ON t.id = v.{self._id} WHERE (t.name, v.number) IN ({places})",
            [value for pair in wanted for value in pair],
        )
        return {reference(name, number): content for name, number, content in rows}

    def of_version(self, tx: Transaction, name: str, number: int) -> str:
        """Raises NotFound for a version that is not there."""
        for content in self.contents(tx, [reference(name, number)]).values():
            return content
        raise NotFound(
            f"There is no version {number} of a {self.called} “{name[:70]}”.", field=self.field
        )

    @property
    def _id(self) -> str:
        return f"{self.called}_id"

    def _add(self, tx: Transaction, to: int, number: int, content: str, note: str) -> None:
        tx.run(
            f"INSERT INTO {self.versions_table} ({self._id}, number, {self.content}, note, saved_by) "
            "VALUES (%s, %s, %s, %s, %s)",
            (to, number, content, note, tx.by),
        )
