"""The model list."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from math import fsum
from typing import Any

from epistem.core.errors import InvalidInput
from epistem.core.prompts.request import ABILITIES
from epistem.core.shapes import listed
from epistem.core.wire.formats import USUAL, WireFormat, format_of
from epistem.core.wire.habits import USUAL_HABITS, Habits
from epistem.store.database import Transaction
from epistem.store.documents import dumps


@dataclass(frozen=True)
class Model:
    """`abilities` are what it can do of ABILITIES; `headers` are sent with every request.

    `input_cents` and `output_cents` are for a million tokens. `key_reference` names a
    key, never is one. `served_as` is its name at the server, empty when it is the same. `built_in` ones are
    put there anew at every start."""

    name: str
    address: str
    key_reference: str | None
    context_window: int
    input_cents: float
    output_cents: float
    time_limit_ms: int = 60_000
    about: str = ""
    served_as: str = ""
    wire_format: str = USUAL
    policy: str = ""
    abilities: frozenset[str] = ABILITIES
    requests_per_minute: int | None = None
    headers: Mapping[str, str] = field(default_factory=dict)
    built_in: bool = False
    calls_at_once: int | None = None
    tokens_per_minute: int | None = None
    habits: Habits = USUAL_HABITS

    @property
    def format(self) -> WireFormat:
        """Its wire format, as its server takes it."""
        return format_of(self.wire_format, self.habits)

    @property
    def asked_as(self) -> str:
        """The name that a request is sent with."""
        return self.served_as or self.name

    def cost_cents(self, input_tokens: int, output_tokens: int) -> float:
        return fsum((input_tokens * self.input_cents, output_tokens * self.output_cents)) / 1e6


def reached_today(entry: Model, listed: Sequence[Model]) -> Model:
    """A model as it was, with what it is allowed at once and a minute, how long it may take and its key as
    the list has them today. One that is built in stands at another address after every start."""
    today = next((model for model in listed if model.name == entry.name), None)
    if today is None:
        return entry
    return replace(
        entry,
        address=today.address if entry.built_in and today.built_in else entry.address,
        calls_at_once=today.calls_at_once,
        requests_per_minute=today.requests_per_minute,
        tokens_per_minute=today.tokens_per_minute,
        time_limit_ms=today.time_limit_ms,
        key_reference=today.key_reference,
    )


_NAMES = [each.name for each in fields(Model)]


def put(tx: Transaction, model: Model) -> None:
    """Add the model, or change the one of that name, which takes its revision on.

    At another address, or by another name there, it has not answered yet; one that is built in is at another
    one after every start.
    """
    changes = ", ".join(f"{name} = VALUES({name})" for name in _NAMES[1:])
    tx.run(
        f"INSERT INTO models ({', '.join(_NAMES)}, changed_by) "
        f"VALUES ({', '.join(['%s'] * len(_NAMES))}, %s) ON DUPLICATE KEY UPDATE "
        "answered_at = IF((address = VALUES(address) OR built_in AND VALUES(built_in)) "
        "AND served_as = VALUES(served_as), answered_at, NULL), "
        f"{changes}, "
        "changed_by = VALUES(changed_by), revision = revision + 1",
        [*(_kept(getattr(model, name)) for name in _NAMES), tx.by],
    )


def revisions(tx: Transaction) -> dict[str, int]:
    """How often each entry was put there, by name; a change has to say which it changes."""
    return {name: int(number) for name, number in tx.rows("SELECT name, revision FROM models")}


def answered(tx: Transaction) -> set[str]:
    """Names of those that have answered, at the address that they have now."""
    return {name for (name,) in tx.rows("SELECT name FROM models WHERE answered_at IS NOT NULL")}


def heard(tx: Transaction, name: str) -> None:
    """It has answered."""
    tx.run("UPDATE models SET answered_at = NOW(3) WHERE name = %s AND answered_at IS NULL", [name])


def heard_in(tx: Transaction, trial_id: int) -> None:
    """Those that a trial had answers from have answered; one that judges past answers had none."""
    tx.run(
        "UPDATE models m JOIN arms a ON a.model = m.name "
        "JOIN arm_sums s ON s.trial_id = a.trial_id AND s.arm = a.position "
        "JOIN trials t ON t.id = a.trial_id AND t.answers_of IS NULL "
        "SET m.answered_at = NOW(3) WHERE a.trial_id = %s AND s.answered > 0 AND m.answered_at IS NULL",
        [trial_id],
    )


def asked_by_trial(tx: Transaction, name: str) -> int | None:
    """A trial that is going on and asks it, if there is one."""
    row = tx.first(
        "SELECT t.id FROM trials t JOIN arms a ON a.trial_id = t.id "
        "WHERE a.model = %s AND t.status IN ('waiting', 'running') LIMIT 1",
        [name],
    )
    return None if row is None else int(row[0])


def remove(tx: Transaction, name: str) -> None:
    tx.run("DELETE FROM models WHERE name = %s", [name])


def all_of(tx: Transaction) -> list[Model]:
    """Cheapest first."""
    rows = tx.rows(f"SELECT {', '.join(_NAMES)} FROM models ORDER BY output_cents, name")
    return [_from_row(row) for row in rows]


def get(tx: Transaction, name: str, *, field: str = "model") -> Model:
    """Raises InvalidInput, listing the models there are."""
    return pick(all_of(tx), name, field=field)


def pick(models: Iterable[Model], name: str, *, field: str = "model") -> Model:
    known = {model.name: model for model in models}
    if name not in known:
        there = f"There are {listed(sorted(known), 'and')}." if known else "The list is empty."
        raise InvalidInput(f"There is no model “{name[:80]}”. {there}", field=field)
    return known[name]


def to_json(model: Model) -> dict[str, Any]:
    """The whole entry, as it can be kept beside what the model answered."""
    told = {name: getattr(model, name) for name in _NAMES}
    return {**told, "abilities": sorted(model.abilities), "headers": dict(model.headers),
            "habits": model.habits.to_json()}  # fmt: skip


def from_json(told: Mapping[str, Any]) -> Model:
    """The other way. What has been added to entries since is as usual."""
    known = {name: value for name, value in told.items() if name in _NAMES}
    habits = Habits.from_json(known.get("habits") or {})
    return Model(**{**known, "abilities": frozenset(known["abilities"]), "habits": habits})


def _kept(value: object) -> object:
    """As a column holds it."""
    if isinstance(value, frozenset):
        return ",".join(sorted(value))
    if isinstance(value, Habits):
        return dumps(value.to_json())
    return dumps(value) if isinstance(value, Mapping) else value


def _from_row(row: tuple[Any, ...]) -> Model:
    given = dict(zip(_NAMES, row, strict=True))
    given["abilities"] = frozenset(filter(None, given["abilities"].split(",")))
    given["headers"] = json.loads(given["headers"] or "{}")
    given["built_in"] = bool(given["built_in"])
    given["habits"] = Habits.from_json(json.loads(given["habits"] or "{}"))
    return Model(**given)
