"""The wire formats there are, by name: what to post where, and how to read what comes back."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import orjson

from epistem.core.errors import InvalidInput
from epistem.core.shapes import listed
from epistem.core.wire import chat_completions, messages
from epistem.core.wire.habits import USUAL_HABITS, Habits, as_it_takes, key_headers
from epistem.core.wire.reply import Reply
from epistem.core.wire.stream import LineReader, StreamReader

USUAL = "chat_completions"
CALLER = "X-Epistem-Caller"
"""A header that tells the models that come with Epistem who asks, so that each who does is answered in turn."""
_VERSIONED = re.compile(r"/v[0-9][A-Za-z0-9]*\Z")


@dataclass(frozen=True)
class WireFormat:
    """`ignores` are settings that it has no place for."""

    name: str
    path: str
    build_request: Callable[..., dict[str, Any]]
    build_next: Callable[..., dict[str, Any]]
    encode_streamed: Callable[[Mapping[str, Any]], bytes]
    encode_with_seed: Callable[[bytes, int], bytes]
    key_headers: Callable[[str], dict[str, str]]
    parse_reply: Callable[[bytes], Reply]
    reader: Callable[[], LineReader]
    ignores: tuple[str, ...] = ()

    def encode(self, body: bytes, seed: int | None) -> bytes:
        """The bytes to post for an encoded body that has no seed yet."""
        return body if seed is None else self.encode_with_seed(body, seed)

    def streamed(self, body: bytes) -> bytes:
        """The same request, as one that asks for the answer piece by piece."""
        return self.encode_streamed(orjson.loads(body))


FORMATS = {
    USUAL: WireFormat(
        USUAL,
        chat_completions.PATH,
        chat_completions.build_request,
        chat_completions.build_next,
        chat_completions.encode_streamed,
        chat_completions.encode_with_seed,
        lambda key: {"Authorization": f"Bearer {key}"},
        chat_completions.parse_reply,
        StreamReader,
    ),
    "messages": WireFormat(
        "messages",
        messages.PATH,
        messages.build_request,
        messages.build_next,
        messages.encode_streamed,
        messages.encode_with_seed,
        messages.key_headers,
        messages.parse_reply,
        messages.StreamReader,
        ("frequency_penalty", "presence_penalty"),
    ),
}


@lru_cache(maxsize=1_000)
def format_of(name: str, habits: Habits = USUAL_HABITS) -> WireFormat:
    """The format of that name, as a server with these habits takes it. Raises InvalidInput."""
    if name not in FORMATS:
        message = (
            f"There is no wire format “{name[:40]}”. There are {listed(sorted(FORMATS), 'and')}."
        )
        raise InvalidInput(message, field="wire_format")
    usual = FORMATS[name]
    if habits == USUAL_HABITS:
        return usual
    told = replace(usual, key_headers=lambda key: key_headers(key, habits, usual.key_headers(key)))
    if name != USUAL:
        return told
    return replace(
        told,
        build_request=lambda *given, **more: as_it_takes(
            usual.build_request(*given, **more), habits
        ),
        encode_streamed=lambda body: orjson.dumps(
            as_it_takes(orjson.loads(usual.encode_streamed(body)), habits)
        ),
        encode_with_seed=(
            (lambda encoded, seed: encoded) if "seed" in habits.refuses else usual.encode_with_seed
        ),
        ignores=(*usual.ignores, *habits.refuses),
    )


def url_of(address: str, path: str) -> str:
    """Where to post: the address may end in the version that the path begins with, or in the path."""
    base = address.rstrip("/")
    if base.endswith(path):
        return base
    own = path.removeprefix("/v1")
    if base.endswith(own):
        return base
    return base + (own if _VERSIONED.search(base) else path)
