"""Where a model is asked, and within which limits."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from epistem.core.wire import embeddings
from epistem.core.wire.chat_completions import MODELS_PATH
from epistem.core.wire.formats import USUAL, WireFormat, format_of, url_of
from epistem.core.wire.habits import USUAL_HABITS, Habits


class Entry(Protocol):
    """What a model list says of a model."""

    @property
    def name(self) -> str: ...
    @property
    def address(self) -> str: ...
    @property
    def key_reference(self) -> str | None: ...
    @property
    def time_limit_ms(self) -> int: ...
    @property
    def wire_format(self) -> str: ...
    @property
    def habits(self) -> Habits: ...
    @property
    def headers(self) -> Mapping[str, str]: ...
    @property
    def calls_at_once(self) -> int | None: ...
    @property
    def requests_per_minute(self) -> int | None: ...
    @property
    def tokens_per_minute(self) -> int | None: ...
    @property
    def built_in(self) -> bool: ...


@dataclass(frozen=True, eq=False)
class Endpoint:
    """One is equal to itself alone, so that it is found quickly on the path of every call.
    `key_reference` names a key (`models.keys`), never is one. `headers` are sent besides the usual
    ones. Calls at once, and requests and tokens a minute, are what the server allows all who ask it together;
    None is no limit. A `built_in` one comes with Epistem: it is told who asks."""

    model: str
    address: str
    key_reference: str | None = None
    time_limit_ms: int = 60_000
    wire_format: str = USUAL
    headers: tuple[tuple[str, str], ...] = ()
    habits: Habits = USUAL_HABITS
    calls_at_once: int | None = None
    requests_per_minute: int | None = None
    tokens_per_minute: int | None = None
    built_in: bool = False

    @classmethod
    def of(cls, entry: Entry, *, most_ms: int | None = None) -> Endpoint:
        """That of a model of the list, waiting `most_ms` at the longest."""
        limit = entry.time_limit_ms if most_ms is None else min(entry.time_limit_ms, most_ms)
        return cls(
            entry.name,
            entry.address,
            entry.key_reference,
            limit,
            entry.wire_format,
            tuple(entry.headers.items()),
            entry.habits,
            entry.calls_at_once,
            entry.requests_per_minute,
            entry.tokens_per_minute,
            entry.built_in,
        )

    @cached_property
    def format(self) -> WireFormat:
        return format_of(self.wire_format, self.habits)

    @cached_property
    def url(self) -> str:
        """Where a request is posted."""
        return url_of(self.address, self.format.path)

    @cached_property
    def offers_url(self) -> str:
        """Where its server lists the models that it offers."""
        return url_of(self.address.rstrip("/").removesuffix(self.format.path), MODELS_PATH)

    @cached_property
    def embeddings_url(self) -> str:
        """Where its server makes vectors of texts."""
        return url_of(self.address.rstrip("/").removesuffix(self.format.path), embeddings.PATH)

    @cached_property
    def limited(self) -> bool:
        """Whether a call may have to wait for its turn."""
        return bool(self.calls_at_once or self.requests_per_minute or self.tokens_per_minute)
