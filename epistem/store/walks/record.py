"""What a walk was given, by the place of what it needed: enough to resume and to replay it."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import asdict
from typing import Any, NamedTuple

from epistem.core.engine.budget import NotBegun, Refused
from epistem.core.engine.needs import Found, FoundPassage, PersonSaid
from epistem.core.engine.run import Noted, Record
from epistem.core.prompts.tools import ToolResult
from epistem.core.wire.reply import Reply, ToolCall, Usage
from epistem.store.database import Transaction
from epistem.store.documents import packed

REFUSED = ("refused", "rest")
"""Kinds of what a budget did not allow."""


class Given(NamedTuple):
    """`kind` is reply, tool, found, person, heard, late where a step was given up, refused where more was wanted than a
    budget has, or rest of what was not begun then. `again`: it is from the walk that is replayed."""

    path: str
    kind: str
    digest: bytes
    given: Any
    ms: float
    again: bool = False


def keep(tx: Transaction, walk_id: int, given: Given) -> None:
    """Once: what was given at a place stays."""
    tx.run(
        "INSERT IGNORE INTO walk_record (walk_id, path, kind, digest, given, ms) "
        "VALUES (%s, %s, %s, %s, %s, %s)",
        (walk_id, given.path, given.kind, given.digest, packed(_told(given.given)), given.ms),
    )


def of(tx: Transaction, walk_id: int) -> list[Given]:
    rows = tx.rows(
        "SELECT path, kind, digest, given, ms, again FROM walk_record WHERE walk_id = %s", [walk_id]
    )
    return [
        Given(path, kind, bytes(digest), _READ[kind](json.loads(given)), ms, bool(again))
        for path, kind, digest, given, ms, again in rows
    ]


def copy(tx: Transaction, from_walk: int, to_walk: int, paths: Iterable[str]) -> None:
    """What that walk was given at these places is given again."""
    wanted = list(paths)
    for at in range(0, len(wanted), 500):
        some = wanted[at : at + 500]
        marks = ", ".join(["%s"] * len(some))
        tx.run(
            "INSERT INTO walk_record (walk_id, path, kind, digest, given, ms, again) "
            "SELECT %s, path, kind, digest, given, ms, TRUE FROM walk_record "
            f"WHERE walk_id = %s AND path IN ({marks})",
            (to_walk, from_walk, *some),
        )
        tx.run(
            "INSERT INTO calls (walk_id, path, purpose, entry_id, body_id, seed, streamed, reply, input_tokens, "
            "output_tokens, reasoning_tokens, estimated, cents, attempts, started_at, first_ms, total_ms, error) "
            "SELECT %s, path, purpose, entry_id, body_id, seed, streamed, reply, input_tokens, output_tokens, "
            "reasoning_tokens, estimated, cents, 0, started_at, first_ms, total_ms, error FROM calls "
            f"WHERE walk_id = %s AND error IS NULL AND path IN ({marks}) ORDER BY id",
            (to_walk, from_walk, *some),
        )


def as_record(given: Iterable[Given]) -> Record:
    return {each.path: Noted(each.digest, each.given) for each in given}


def _told(given: Any) -> Any:
    if isinstance(given, ToolResult):
        return asdict(given)
    if isinstance(given, Reply):
        told = given._asdict()
        told["usage"], told["tool_calls"] = list(given.usage), [list(c) for c in given.tool_calls]
        return told
    if isinstance(given, Found):
        return {"version": given.version, "passages": [list(each) for each in given.passages]}
    return list(given) if isinstance(given, PersonSaid | Refused | NotBegun) else given


def _reply(told: dict[str, Any]) -> Reply:
    calls = tuple(ToolCall(*each) for each in told["tool_calls"])
    return Reply(**{**told, "usage": Usage(*told["usage"]), "tool_calls": calls})


def _found(told: dict[str, Any]) -> Found:
    return Found(told["version"], tuple(FoundPassage(*each) for each in told["passages"]))


_READ: dict[str, Callable[[Any], Any]] = {
    "reply": _reply,
    "tool": lambda told: ToolResult(**told),
    "found": _found,
    "person": lambda told: PersonSaid(*told),
    "heard": lambda told: told,
    "late": lambda told: told,
    "refused": lambda told: Refused(*told),
    "rest": lambda told: NotBegun(told[0], Refused(*told[1])),
}
