"""Secrets that are sent along, taken out of all that comes back: a server may repeat a key in an answer, an error, a
stream. What is shown, kept or logged of it has passed here."""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Iterable, Mapping
from typing import Any, Final
from urllib.parse import quote

from epistem.core.wire.reply import Reply

SHORTEST: Final = 8
"""Characters: shorter ones are words of any text."""
SHORTEST_PIECE: Final = 5
MOST_SEARCHED: Final = 1_000_000
"""Bytes in which the pieces of a secret are looked for; longer ones that hold some are not kept at all."""
HIDDEN: Final = "(key hidden)"
_TELLING = re.compile(r"auth|key|token|secret|cookie|signature|password|credential", re.I)
_RANDOM = re.compile(r"(?=[^\s]*\d)(?=[^\s]*[A-Za-z])[^\s]{20,}")


class Secrets:
    """Of one place that is asked. Nothing is changed where none of them stands."""

    def __init__(self, values: Iterable[str]) -> None:
        told = {value for value in values if len(value) >= SHORTEST}
        self._values = sorted(told, key=len, reverse=True)
        forms = {form for value in self._values for form in _forms(value)}
        self._forms = sorted(forms, key=len, reverse=True)
        self._bytes = [form.encode() for form in self._forms]

    @classmethod
    def of_headers(cls, headers: Mapping[str, str]) -> Secrets:
        """Those whose names tell that they are secret, or that look as if they were."""
        found = []
        for name, value in headers.items():
            if _TELLING.search(name) or _RANDOM.fullmatch(value):
                found += [value, value.rpartition(" ")[2]]  # with and without “Bearer”
        return cls(found)

    def hide(self, told: str) -> str:
        for form in self._forms:
            if form in told:
                told = told.replace(form, HIDDEN)
        return told

    def hide_bytes(self, told: bytes) -> bytes:
        for form in self._bytes:
            if form in told:
                told = told.replace(form, HIDDEN.encode())
        return told

    def hide_in(self, came: Reply) -> Reply:
        """Of what was put together: a key that came in pieces, or escaped, stands in it whole."""
        if not self._values:
            return came
        calls = tuple(
            each._replace(name=self.hide(each.name), arguments=self.hide(each.arguments))
            for each in came.tool_calls
        )
        return came._replace(
            text=self.hide(came.text),
            reasoning=self.hide(came.reasoning),
            model=self.hide(came.model),
            tool_calls=calls,
        )

    def raw_of(self, raw: bytes, came: Reply, hidden: Reply) -> bytes:
        """The bytes that a reply was read from. Where a key stood in the reply it may be in them in pieces or escaped,
        too: then every piece of it is taken out."""
        told = self.hide_bytes(raw)
        if came == hidden:
            return told
        try:
            return json.dumps(self._through(json.loads(told)), ensure_ascii=False).encode()
        except (ValueError, RecursionError):
            return self._without_pieces(told)

    def masker(self) -> Masker:
        return Masker(self)

    def _through(self, value: Any) -> Any:
        if isinstance(value, str):
            return self.hide(value)
        if isinstance(value, list):
            return [self._through(each) for each in value]
        if isinstance(value, dict):
            return {self.hide(name): self._through(each) for name, each in value.items()}
        return value

    def _without_pieces(self, raw: bytes) -> bytes:
        if len(raw) > MOST_SEARCHED:
            return HIDDEN.encode()
        for value in self._values:
            secret = value.encode()
            for size in range(len(secret), SHORTEST_PIECE - 1, -1):
                for start in range(len(secret) - size + 1):
                    raw = raw.replace(secret[start : start + size], HIDDEN.encode())
        return raw

    def held_back(self, told: str) -> int:
        """How many of the last characters may be the beginning of one."""
        longest = 0
        for form in self._forms:
            for size in range(min(len(form) - 1, len(told)), longest, -1):
                if told.endswith(form[:size]):
                    longest = size
                    break
        return longest


class Masker:
    """For a text that comes in pieces: what may be the beginning of a secret waits for what comes next."""

    def __init__(self, secrets: Secrets) -> None:
        self._secrets, self._waiting = secrets, ""

    def feed(self, piece: str) -> str:
        told = self._secrets.hide(self._waiting + piece)
        size = self._secrets.held_back(told)
        self._waiting = told[len(told) - size :]
        return told[: len(told) - size]

    def rest(self) -> str:
        told, self._waiting = self._waiting, ""
        return told


def _forms(value: str) -> set[str]:
    """As it may be written: in JSON, in an address, in base 64."""
    told = {value, json.dumps(value)[1:-1], value.replace("/", "\\/"), quote(value, safe="")}
    coded = base64.b64encode(value.encode()).decode().rstrip("=")
    return told | {coded[:-1]} if len(coded) > SHORTEST else told
