"""Tools kept once, in versions that never change, and who uses them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

import pymysql

from epistem.core.errors import Conflict, NotFound
from epistem.core.prompts.fragments import reference, split_reference
from epistem.core.prompts.tool import Tool
from epistem.store.database import Transaction, is_duplicate
from epistem.store.documents import dumps

EVERY = 2**31


class ToolLine(NamedTuple):
    name: str
    newest: int
    content: Tool


class ToolVersion(NamedTuple):
    number: int
    note: str
    created_at: datetime
    saved_by: str


class ToolUsedBy(NamedTuple):
    """A subject whose draft, or newest version, has this version of a tool."""

    subject: str
    version: int
    where: str


@dataclass(frozen=True)
class KeptTool:
    """`versions` are newest first; `content` is that of the newest."""

    id: int
    name: str
    versions: list[ToolVersion]
    content: Tool


class Newest(NamedTuple):
    tool_id: int
    number: int
    content: Tool


def insert(tx: Transaction, name: str, content: Tool) -> None:
    """With its first version. Raises Conflict for a name in use."""
    try:
        tool_id = tx.insert("INSERT INTO tools (name) VALUES (%s)", [name])
    except pymysql.IntegrityError as error:
        if is_duplicate(error):
            message = f"There is a tool called “{name}” already. Choose another name."
            raise Conflict(message, field="name") from error
        raise
    _add(tx, tool_id, 1, content, "")


def newest(tx: Transaction, name: str) -> Newest:
    """Nobody else changes it until the transaction ends. Raises NotFound."""
    row = name.isascii() and tx.first("SELECT id FROM tools WHERE name = %s FOR UPDATE", [name])
    if not row:
        raise NotFound(f"There is no tool called “{name[:70]}”.", field="tool")
    found = tx.first(
        "SELECT number, content FROM tool_versions WHERE tool_id = %s ORDER BY number DESC LIMIT 1",
        row,
    )
    assert found is not None, "a tool is always made with a version"
    return Newest(row[0], found[0], Tool.from_json(json.loads(found[1])))


def add(tx: Transaction, after: Newest, content: Tool, note: str) -> int:
    """The number of the version that was added."""
    _add(tx, after.tool_id, after.number + 1, content, note)
    return after.number + 1


def lines(tx: Transaction, most: int = EVERY) -> list[ToolLine]:
    """The first by name."""
    rows = tx.rows(
        "SELECT t.name, v.number, v.content FROM tools t JOIN tool_versions v ON v.tool_id = t.id "
        "WHERE v.number = (SELECT MAX(number) FROM tool_versions w WHERE w.tool_id = t.id) "
        "ORDER BY t.name LIMIT %s",
        [most],
    )
    return [ToolLine(name, number, Tool.from_json(json.loads(told))) for name, number, told in rows]


def get(tx: Transaction, name: str, most: int = 100) -> KeptTool:
    """With its `most` newest versions. Raises NotFound."""
    row = name.isascii() and tx.first("SELECT id FROM tools WHERE name = %s", [name])
    if not row:
        raise NotFound(f"There is no tool called “{name[:70]}”.", field="tool")
    rows = tx.rows(
        "SELECT number, note, created_at, saved_by FROM tool_versions WHERE tool_id = %s "
        "ORDER BY number DESC LIMIT %s",
        (row[0], most),
    )
    versions = [ToolVersion(*each) for each in rows]
    return KeptTool(row[0], name, versions, version(tx, name, versions[0].number))


def version(tx: Transaction, name: str, number: int) -> Tool:
    """Raises NotFound for a version that is not there."""
    found = of_references(tx, [reference(name, number)])
    if not found:
        raise NotFound(f"There is no version {number} of a tool “{name[:70]}”.", field="tool")
    return next(iter(found.values()))


def of_references(tx: Transaction, references: Iterable[str]) -> dict[str, Tool]:
    """The tools of those of the references (`name@version`) that are kept here, each with its reference."""
    wanted = [split for name in references if (split := split_reference(name))]
    if not wanted:
        return {}
    places = ", ".join(["(%s, %s)"] * len(wanted))
    rows = tx.rows(
        "SELECT t.name, v.number, v.content FROM tool_versions v JOIN tools t ON t.id = v.tool_id "
        f"WHERE (t.name, v.number) IN ({places})",
        [value for pair in wanted for value in pair],
    )
    return {
        (told := reference(name, number)): Tool.from_json({**json.loads(content), "kept": told})
        for name, number, content in rows
    }


def used_by(tx: Transaction, name: str) -> list[ToolUsedBy]:
    """Each subject once: by its draft, else by its newest version."""
    rows = tx.rows(
        """
        SELECT s.name, 'draft', JSON_EXTRACT(d.content, '$.tools[*].kept')
          FROM drafts d JOIN subjects s ON s.id = d.subject_id
         WHERE JSON_EXTRACT(d.content, '$.tools[*].kept') IS NOT NULL
        UNION ALL
        SELECT s.name, CONCAT('v', v.number), JSON_EXTRACT(v.content, '$.tools[*].kept')
          FROM versions v JOIN subjects s ON s.id = v.subject_id
         WHERE v.number = (SELECT MAX(number) FROM versions w WHERE w.subject_id = v.subject_id)
           AND JSON_EXTRACT(v.content, '$.tools[*].kept') IS NOT NULL
        """
    )
    found = []
    for subject, where, told in rows:
        for each in json.loads(told):
            split = split_reference(each)
            if split and split[0] == name:
                found.append(ToolUsedBy(subject, split[1], where))
    return sorted(found)


def _add(tx: Transaction, tool_id: int, number: int, content: Tool, note: str) -> None:
    tx.run(
        "INSERT INTO tool_versions (tool_id, number, content, note, saved_by) VALUES (%s, %s, %s, %s, %s)",
        (tool_id, number, dumps(content.to_json()), note, tx.by),
    )
