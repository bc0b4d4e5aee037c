"""Tools kept once, in versions that never change, and who uses them."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

from epistem.core.prompts.fragments import reference, split_reference
from epistem.core.prompts.tool import Tool
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.named_versions import Named, NamedVersion, Newest

EVERY = 2**31
_NAMED = Named("tools", "tool_versions", "content", "tool", field="tool")


class ToolLine(NamedTuple):
    name: str
    newest: int
    content: Tool


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
    versions: list[NamedVersion]
    content: Tool


def insert(tx: Transaction, name: str, content: Tool) -> None:
    """With its first version. Raises Conflict for a name in use."""
    _NAMED.insert(tx, name, dumps(content.to_json()))


def newest(tx: Transaction, name: str) -> tuple[Newest, Tool]:
    """Nobody else changes it until the transaction ends. Raises NotFound."""
    found = _NAMED.newest(tx, name)
    return found, Tool.from_json(json.loads(found.content))


def add(tx: Transaction, after: Newest, content: Tool, note: str) -> int:
    """The number of the version that was added."""
    return _NAMED.add(tx, after, dumps(content.to_json()), note)


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
    (number,) = _NAMED.row(tx, name, "id")
    versions = _NAMED.versions(tx, number, most)
    return KeptTool(number, name, versions, version(tx, name, versions[0].number))


def version(tx: Transaction, name: str, number: int) -> Tool:
    """Raises NotFound for a version that is not there."""
    return _tool(reference(name, number), _NAMED.of_version(tx, name, number))


def of_references(tx: Transaction, references: Iterable[str]) -> dict[str, Tool]:
    """The tools of those of the references (`name@version`) that are kept here, each with its reference."""
    found = _NAMED.contents(tx, references)
    return {name: _tool(name, content) for name, content in found.items()}


def used_by(tx: Transaction, name: str) -> list[ToolUsedBy]:
    """By subject: its draft, and its newest version."""
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


def _tool(kept: str, content: str) -> Tool:
    return Tool.from_json({**json.loads(content), "kept": kept})
