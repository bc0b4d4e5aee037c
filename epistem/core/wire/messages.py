"""The second common format: a top-level system text, content in blocks, typed stream events.

It has no seed, no penalties and no reply schema, so these are not sent; the limit of the answer must be.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import orjson

from epistem.core.errors import WireError
from epistem.core.wire.reading import error_in, json_from, numbered, piece_from, text_from
from epistem.core.wire.reply import (
    AS_IT_LIKES,
    NOT_TOLD,
    Content,
    Reply,
    ToolCall,
    ToolOffer,
    ToolWish,
    Usage,
)
from epistem.core.wire.stream import LineReader, Piece

PATH = "/v1/messages"
USUAL_LIMIT = 4_096
"""Tokens of an answer where the prompt sets no limit."""

SENT = {"temperature": "temperature", "top_p": "top_p", "stop": "stop_sequences"}
FINISHES = {
    "end_turn": "stop",
    "stop_sequence": "stop",
    "max_tokens": "length",
    "tool_use": "tool_calls",
    "refusal": "content_filter",
}


def build_request(
    model: str,
    messages: Iterable[tuple[str, Content]],
    settings: Mapping[str, Any],
    *,
    seed: int | None = None,
    json_schema: Any = None,
    tools: Sequence[ToolOffer] = (),
    wish: ToolWish = AS_IT_LIKES,
) -> dict[str, Any]:
    """The body to post. `messages` are (role, content); system texts are joined at the top."""
    told = list(messages)
    system = "\n\n".join(_text(said) for role, said in told if role in ("system", "developer"))
    body: dict[str, Any] = {
        "model": model,
        "max_tokens": settings.get("max_tokens") or USUAL_LIMIT,
        "messages": [
            {"role": role, "content": _blocks(said)}
            for role, said in told
            if role in ("user", "assistant")
        ],
    }
    if system:
        body["system"] = system
    body |= {
        there: settings[here] for here, there in SENT.items() if settings.get(here) is not None
    }
    if tools:
        body["tools"] = [
            {"name": t.name, "description": t.description, "input_schema": t.parameters}
            for t in tools
        ]
        if wish != AS_IT_LIKES:
            body["tool_choice"] = _choice(wish)
    return body


def build_next(
    body: Mapping[str, Any],
    reply: Reply,
    results: Sequence[tuple[ToolCall, str]],
    *,
    last: bool = False,
) -> dict[str, Any]:
    """The request that goes on after the model called tools, with what each answered. It had to call one: now it
    may answer. `last`: it may call no more."""
    said: list[dict[str, Any]] = [{"type": "text", "text": reply.text}] if reply.text else []
    said += [
        {"type": "tool_use", "id": c.id, "name": c.name, "input": _arguments(c.arguments)}
        for c in reply.tool_calls
    ]
    told = [{"type": "tool_result", "tool_use_id": c.id, "content": a} for c, a in results]
    more = [{"role": "assistant", "content": said}, {"role": "user", "content": told}]
    on = {**body, "messages": [*body["messages"], *more]}
    before = on.pop("tool_choice", {})
    if last:
        return {**on, "tool_choice": {"type": "none"}}
    return {**on, "tool_choice": _choice(ToolWish(several=False))} if _ALONE in before else on


def encode_streamed(body: Mapping[str, Any]) -> bytes:
    return orjson.dumps({**body, "stream": True})


def encode_with_seed(encoded: bytes, seed: int) -> bytes:
    """As it is: the format has no seed."""
    return encoded


def key_headers(key: str) -> dict[str, str]:
    return {"x-api-key": key}


def parse_reply(raw: bytes) -> Reply:
    """Raises WireError, saying what is missing, if the bytes are not a reply."""
    body = json_from(raw)
    if isinstance(body, dict) and body.get("type") != "message" and (words := error_in(body)):
        raise WireError(words)
    blocks = body.get("content") if isinstance(body, dict) else None
    if not isinstance(blocks, list):
        raise WireError("The reply has no content blocks.")
    return Reply(
        text=_joined(blocks, "text"),
        finish_reason=_finish(body.get("stop_reason")),
        usage=_usage(body.get("usage")),
        model=str(body.get("model") or ""),
        reasoning=_joined(blocks, "thinking"),
        tool_calls=numbered(
            ToolCall(
                str(b.get("id") or ""), str(b.get("name")), orjson.dumps(b.get("input")).decode()
            )
            for b in blocks
            if isinstance(b, dict) and b.get("type") == "tool_use"
        ),
    )


class StreamReader(LineReader):
    """Feed it the bytes as they come, cut anywhere; then `reply` is the whole of it."""

    def __init__(self) -> None:
        super().__init__()
        self._stop_reason: Any = None
        self._told: dict[str, Any] = {}

    @property
    def finish(self) -> str | None:
        return None if self._stop_reason is None else _finish(self._stop_reason)

    @property
    def usage(self) -> Usage:
        return _usage(self._told)

    def read(self, body: dict[str, Any]) -> list[Piece]:
        if isinstance(message := body.get("message"), dict):
            self.model = str(message.get("model") or self.model)
            self._told |= message.get("usage") or {}
        if isinstance(usage := body.get("usage"), dict):
            self._told |= usage
        block = body.get("content_block")
        if isinstance(block, dict) and block.get("type") == "tool_use":
            self.calls.add(body.get("index"), block.get("id"), block.get("name"), None)
        delta = body.get("delta")
        if not isinstance(delta, dict):
            return []
        if delta.get("type") == "input_json_delta":
            self.calls.add(body.get("index"), None, None, delta.get("partial_json"))
            return []
        self._stop_reason = delta.get("stop_reason") or self._stop_reason
        if delta.get("type") == "thinking_delta":
            return self.keep("reasoning", piece_from(delta.get("thinking")))
        return self.keep("content", piece_from(delta.get("text")))


_ALONE = "disable_parallel_tool_use"


def _choice(wish: ToolWish) -> dict[str, Any]:
    kinds = {"auto": "auto", "must": "any", "this": "tool", "none": "none"}
    told: dict[str, Any] = {"type": kinds[wish.choice]}
    if wish.choice == "this":
        told["name"] = wish.name
    if not wish.several and wish.choice != "none":
        told[_ALONE] = True
    return told


def _text(content: Content) -> str:
    return content if isinstance(content, str) else "\n".join(v for k, v in content if k == "text")


def _blocks(content: Content) -> Any:
    if isinstance(content, str):
        return content
    return [
        {"type": "text", "text": value} if kind == "text" else _image(value)
        for kind, value in content
    ]


def _image(address: str) -> dict[str, Any]:
    kind, _, data = address.removeprefix("data:").partition(";base64,")
    return {"type": "image", "source": {"type": "base64", "media_type": kind, "data": data}}


def _arguments(text: str) -> Any:
    """What is no record can't be sent on as it was written, and is not to be lost."""
    try:
        read = orjson.loads(text or b"{}")
    except orjson.JSONDecodeError:
        read = text
    return read if isinstance(read, dict) else {"as_written": read}


def _joined(blocks: list[Any], kind: str) -> str:
    return "".join(
        text_from(b.get(kind)) for b in blocks if isinstance(b, dict) and b.get("type") == kind
    )


def _finish(reason: Any) -> str:
    return FINISHES.get(str(reason), str(reason or "unknown"))


def _usage(usage: Any) -> Usage:
    """What is read from a cache is part of what was sent. NOT_TOLD where nothing is said."""
    usage = usage if isinstance(usage, dict) else {}
    sent = ("input_tokens", "cache_read_input_tokens", "cache_creation_input_tokens")

    def whole(name: str) -> int:
        value = usage.get(name)
        return value if isinstance(value, int) and value >= 0 else 0

    told = Usage(sum(map(whole, sent)), whole("output_tokens"))
    return told if any(told[:2]) else NOT_TOLD
