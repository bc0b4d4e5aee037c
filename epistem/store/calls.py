"""Calls: each exchange with a model, with its exact request and what came of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from math import isfinite
from typing import Any, NamedTuple

from epistem.core.engine.needs import SharedBody
from epistem.core.wire.formats import FORMATS, USUAL
from epistem.store import bodies, entries
from epistem.store.database import Transaction
from epistem.store.documents import hexed
from epistem.store.models import Model

MAX_ERROR = 2_000
MAX_BODY_BYTES = 15_000_000
"""Of a request or a reply: what a column takes, with room for the statement around it."""
MOST = 2**31 - 1
TAKE_TIME = ("answer", "tool")
"""The purposes of calls that an answer waits for."""


class NewCall(NamedTuple):
    """`body` is None where nothing could be sent; `error` is None where a reply came. `estimated` says
    that the server did not tell the tokens. Times are UTC."""

    path: str
    body: SharedBody | None
    seed: int | None
    reply: bytes | None
    started_at: datetime
    total_ms: float
    attempts: int = 1
    input_tokens: int = 0
    output_tokens: int = 0
    reasoning_tokens: int = 0
    estimated: bool = False
    cents: float = 0.0
    first_ms: float | None = None
    error: str | None = None
    streamed: bool = False
    purpose: str = "answer"
    entry_id: int | None = None
    """The model that was asked, where it is not the one that answers, as a judge."""


@dataclass(frozen=True)
class Call:
    """As it is kept. `request` are the exact bytes that were posted; `model` is the entry as it was,
    None where that was not kept yet."""

    path: str
    purpose: str
    model: Model | None
    request: bytes
    reply: bytes | None
    streamed: bool
    input_tokens: int
    output_tokens: int
    reasoning_tokens: int
    estimated: bool
    cents: float
    attempts: int
    started_at: datetime
    first_ms: float | None
    total_ms: float
    error: str | None


class Paid(NamedTuple):
    """A call that got its reply: what a program that is resumed need not ask again."""

    path: str
    hash: bytes
    seed: int | None
    reply: bytes
    cents: float
    ms: float
    purpose: str = "answer"
    output_tokens: int = 0
    entry_id: int | None = None


_NEW = (
    "path, body_id, seed, streamed, reply, input_tokens, output_tokens, reasoning_tokens, estimated, "
    "cents, attempts, started_at, first_ms, total_ms, error"
)


def insert(
    tx: Transaction,
    owner: str,
    made: Sequence[tuple[int, int | None, NewCall]],
    body_ids: Mapping[bytes, int],
) -> None:
    """Keep calls of cells, tries, walks or kept tools (`owner` is `cell`, `try`, `walk` or `tool`): (its id, the
    entry's id, the call)."""
    if made:
        rows = [_row(owner_id, entry_id, c, body_ids) for owner_id, entry_id, c in made]
        tx.run(f"INSERT INTO calls ({owner}_id, entry_id, purpose, {_NEW}) VALUES {','.join(rows)}")


def _row(owner_id: int, entry_id: int | None, c: NewCall, body_ids: Mapping[bytes, int]) -> str:
    """Numbers and hexadecimal digits alone: escaping value by value took a third of a reading's time."""
    body_id = body_ids[c.body.hash] if c.body else None
    reply = hexed(c.reply and c.reply[:MAX_BODY_BYTES])
    error = hexed(clean(c.error[:MAX_ERROR]) if c.error else None)
    cents = c.cents if isfinite(c.cents) else 0.0
    return (
        f"({owner_id:d},{_number(entry_id if c.entry_id is None else c.entry_id)},{hexed(c.purpose.encode())},"
        f"{hexed(c.path.encode())},{_number(body_id)},{_number(c.seed)},"
        f"{c.streamed:d},{reply},{bounded(c.input_tokens):d},{bounded(c.output_tokens):d},"
        f"{bounded(c.reasoning_tokens):d},{c.estimated:d},{cents:.17g},{min(c.attempts, 60_000):d},"
        f"'{c.started_at:%Y-%m-%d %H:%M:%S.%f}',"
        f"{'NULL' if c.first_ms is None else f'{c.first_ms:.17g}'},{c.total_ms:.17g},{error})"
    )


def _number(value: int | None) -> str:
    return "NULL" if value is None else f"{value:d}"


def of(tx: Transaction, owner: str, ids: Iterable[int]) -> dict[int, list[Call]]:
    """The calls of cells, tries or walks, by id, in the order in which they were made."""
    wanted = list(ids)
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    rows = tx.rows(
        f"SELECT {owner}_id, entry_id, purpose, {_NEW} FROM calls WHERE {owner}_id IN ({marks}) ORDER BY id",
        wanted,
    )
    contents = bodies.content_of(tx, (row[4] for row in rows if row[4] is not None))
    known = entries.get_all(tx, (row[1] for row in rows if row[1] is not None))
    found: dict[int, list[Call]] = {each: [] for each in wanted}
    for row in rows:
        model = known.get(row[1])
        found[row[0]].append(_from_row(row, model, contents.get(row[4], b"{}")))
    return found


IN_PLACE = (
    "FROM cells mine JOIN cells c ON c.trial_id = %s AND c.arm = mine.arm "
    "AND c.case_at = mine.case_at AND c.repeat_no = mine.repeat_no"
)
"""Cells (`mine`) with those of another trial (`c`) that stand in the same places."""


def in_place_of(tx: Transaction, source_id: int, cell_ids: Sequence[int]) -> dict[int, list[Call]]:
    """The calls by which that trial got its answers in the places of these cells, judges apart, with what the person
    was made to say."""
    if not cell_ids:
        return {}
    marks = ", ".join(["%s"] * len(cell_ids))
    rows = tx.rows(
        f"SELECT mine.id, c.id {IN_PLACE} WHERE mine.id IN ({marks})", (source_id, *cell_ids)
    )
    made = of(tx, "cell", [then for _, then in rows])
    return {
        mine: [call for call in made[then] if call.purpose not in ("judge", "blame")]
        for mine, then in rows
    }


def paid_of_cells(tx: Transaction, cell_ids: Iterable[int]) -> dict[int, list[Paid]]:
    """What was answered already of cells that have no reading, by cell."""
    wanted = list(cell_ids)
    if not wanted:
        return {}
    marks = ", ".join(["%s"] * len(wanted))
    found: dict[int, list[Paid]] = {}
    for cell_id, path, digest, *told in tx.rows(
        "SELECT c.cell_id, c.path, b.hash, c.seed, c.reply, c.cents, c.total_ms, c.purpose, "
        "c.output_tokens, c.entry_id "
        "FROM calls c "
        f"JOIN bodies b ON b.id = c.body_id WHERE c.cell_id IN ({marks}) AND c.error IS NULL ORDER BY c.id",
        wanted,
    ):
        found.setdefault(cell_id, []).append(Paid(path, bytes(digest), *told))
    return found


def paths_paid(tx: Transaction, cell_ids: Iterable[int]) -> set[tuple[int, str]]:
    """(cell, path) of the calls that got a reply."""
    wanted = list(cell_ids)
    if not wanted:
        return set()
    marks = ", ".join(["%s"] * len(wanted))
    rows = tx.rows(
        f"SELECT cell_id, path FROM calls WHERE cell_id IN ({marks}) AND error IS NULL", wanted
    )
    return {(int(cell_id), path) for cell_id, path in rows}


def clean(text: str) -> bytes:
    """In UTF-8: halves of surrogate pairs become `?`."""
    return text.encode("utf-8", "replace")


def bounded(tokens: int) -> int:
    return max(0, min(tokens, MOST))


def _from_row(row: tuple[Any, ...], model: Model | None, content: bytes) -> Call:
    _, _, purpose, path, _, seed, streamed, reply, *numbers = row
    (tokens_in, tokens_out, thought, estimated, cents, attempts, began, first, total, error) = (
        numbers
    )
    wire = model.format if model else FORMATS[USUAL]
    return Call(
        path, purpose, model, wire.encode(content, seed), reply, bool(streamed), tokens_in, tokens_out,
        thought, bool(estimated), cents, attempts, began, first, total, error,
    )  # fmt: skip
