"""The wire formats there are, by name: what to post where, and how to read what comes back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from epistem.core.errors import InvalidInput
from epistem.core.shapes import listed
from epistem.core.wire import chat_completions, messages
from epistem.core.wire.chat_completions import Reply
from epistem.core.wire.stream import LineReader, StreamReader

USUAL = "chat_completions"


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


def format_of(name: str) -> WireFormat:
    if name not in FORMATS:
        message = (
            f"There is no wire format “{name[:40]}”. There are {listed(sorted(FORMATS), 'and')}."
        )
        raise InvalidInput(message, field="wire_format")
    return FORMATS[name]
