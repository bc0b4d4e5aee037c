"""What servers send, read as they write it: each reader here bears the habits of many of them."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from math import isfinite
from typing import Any

import orjson

from epistem.core.errors import WireError
from epistem.core.wire.halves import whole
from epistem.core.wire.reply import NOT_TOLD, ToolCall, Usage

BOM = b"\xef\xbb\xbf"
LARGE, MOST_HELD = 1_000_000, 300_000
"""Bytes of a body from which on it is looked at before it is read, and the lists and records that it may hold: a
small body of many of them fills the memory."""
MOST_TOKENS = 100_000_000
"""No answer has as many."""
MOST_WORDS = 600
"""Characters of a server's own words that reach a person."""
_INPUT = ("prompt_tokens", "input_tokens", "prompt_eval_count", "prompt_token_count")
_OUTPUT = (
    "completion_tokens",
    "output_tokens",
    "eval_count",
    "generated_tokens",
    "candidates_token_count",
)
_FINISHES = {
    "eos": "stop",
    "eos_token": "stop",
    "end_turn": "stop",
    "stop_sequence": "stop",
    "completed": "stop",
    "max_tokens": "length",
    "model_length": "length",
    "max_output_tokens": "length",
    "tool_use": "tool_calls",
    "tool_call": "tool_calls",
    "refusal": "content_filter",
    "safety": "content_filter",
}
_THOUGHT = re.compile(r"\s*<think>(.*?)(?:</think>|\Z)", re.DOTALL)
MOST_DEEP = 5
_HOLD = ("text", "value", "content", "parts", "output_text")
"""Names under which a record holds its text."""
_TEXTS = ("text", "output_text", "message")
_THINKING = ("thinking", "reasoning", "thought")
THOUGHTS = (
    "reasoning_content", "reasoning", "thinking", "reasoning_text", "thought", "thoughts", "reasoning_details",
    "thinking_blocks",
)  # fmt: skip
_NOT_SHOWN = re.compile(r"(?is)<(script|style|head)\b.*?</\1\s*>|<[^>]*>")
_TITLE = re.compile(r"(?is)<title[^>]*>(.*?)</title>")


def json_from(raw: bytes) -> Any:
    """The JSON of a body, with a byte order mark, NaN and halves of surrogate pairs let pass.

    Raises WireError, with the first words of what it is instead.
    """
    raw = raw.removeprefix(BOM)
    if len(raw) > LARGE and raw.count(b"[") + raw.count(b"{") > MOST_HELD:
        raise WireError(f"The reply holds more than {MOST_HELD:,} lists and records.")
    try:
        return orjson.loads(raw)
    except orjson.JSONDecodeError as error:
        try:
            return json.loads(raw.decode("utf-8", "surrogateescape"))
        except (ValueError, RecursionError):
            words = _plain(raw)
            said = f" It begins: {words[:120]}" if words else " It is empty."
            raise WireError(f"The reply is not JSON ({error}).{said}") from error


def text_from(content: Any) -> str:
    """A text, or the texts of a list of parts put together; nothing for what is neither."""
    return whole(_text_in(content))


def piece_from(content: Any) -> str:
    """The same of a piece, which may end in half a character."""
    return _text_in(content)


def _text_in(content: Any, deep: int = 0) -> str:
    if isinstance(content, str):
        return content
    if isinstance(content, dict) and deep < MOST_DEEP:
        if content.get("type", "text") not in _TEXTS or content.get("thought") is True:
            return ""
        return next((told for key in _HOLD if (told := _text_in(content.get(key), deep + 1))), "")
    if not isinstance(content, list) or deep >= MOST_DEEP:
        return ""
    return "".join(_text_in(part, deep + 1) for part in content)


def thoughts_from(message: dict[str, Any]) -> str:
    """The reasoning that a message tells beside its content."""
    return whole(thought_piece_from(message))


def thought_piece_from(message: dict[str, Any]) -> str:
    """The same of a piece of one, which may end in half a character."""
    for key in THOUGHTS:
        if told := _thought_in(message.get(key)):
            return told
    content = message.get("content")
    parts = content if isinstance(content, list) else [content]
    return "".join(
        _thought_in(part)
        for part in parts
        if isinstance(part, dict) and (part.get("type") in _THINKING or part.get("thought") is True)
    )


def _thought_in(told: Any, deep: int = 0) -> str:
    """Of a text, or of whatever holds it under one of the names that servers use."""
    if isinstance(told, str):
        return told
    if isinstance(told, list) and deep < MOST_DEEP:
        return "".join(_thought_in(each, deep + 1) for each in told)
    if isinstance(told, dict) and deep < MOST_DEEP:
        keys = ("thinking", "text", "content", "summary", "value")
        return next((found for key in keys if (found := _thought_in(told.get(key), deep + 1))), "")
    return ""


def without_thoughts(text: str) -> tuple[str, str]:
    """(the answer, the reasoning) where reasoning stands before the answer in <think> marks.

    Some servers leave the first mark to the prompt, so that the second one stands alone.
    """
    if "think>" not in text:
        return text, ""
    if begun := _THOUGHT.match(text):
        return text[begun.end() :].lstrip(), begun[1].strip()
    before, mark, after = text.partition("</think>")
    return (after.lstrip(), before.strip()) if mark and "<think>" not in before else (text, "")


def finish_from(reason: Any, calls: Iterable[Any] = ()) -> str:
    """Why an answer ended, in the usual words."""
    told = str(reason or "").lower()
    return _FINISHES.get(told, told) or ("tool_calls" if calls else "unknown")


def usage_from(usage: Any, text: str = "") -> Usage:
    """What a body says of tokens, by the names that servers use. NOT_TOLD where it says nothing, or
    says that an answer with a text had none at all."""
    if not isinstance(usage, dict):
        return NOT_TOLD
    told_in, told_out = _first_whole(usage, _INPUT), _first_whole(usage, _OUTPUT)
    total = _whole(usage.get("total_tokens"))
    if told_out is None and told_in is not None and total is not None:
        told_out = max(0, total - told_in)
    if told_in is None and told_out is None:
        return NOT_TOLD
    if not told_in and not told_out and text:
        return NOT_TOLD
    details = usage.get("completion_tokens_details") or usage.get("output_tokens_details")
    thought = _whole(details.get("reasoning_tokens")) if isinstance(details, dict) else None
    return Usage(told_in or 0, told_out or 0, thought or 0, told_in is not None)


def arguments_from(told: Any) -> str:
    """A call's arguments as JSON: as the model wrote them, or written out where they came as an object."""
    if told is None or told == "":
        return "{}"
    return whole(told) if isinstance(told, str) else orjson.dumps(told).decode()


def calls_from(message: dict[str, Any]) -> tuple[ToolCall, ...]:
    """The calls of tools in a message. What has no id gets one by its place; none is there twice."""
    told = message.get("tool_calls")
    told = told if isinstance(told, list) else []
    if isinstance(old := message.get("function_call"), dict):
        told = told or [{"function": old}]
    calls = []
    for call in told:
        if not isinstance(call, dict):
            continue
        inner = call.get("function")
        function = inner if isinstance(inner, dict) else call
        if not isinstance(function.get("name"), str):
            continue
        calls.append(
            ToolCall(
                str(call.get("id") or ""),
                whole(function["name"]),
                arguments_from(function.get("arguments")),
            )
        )
    return numbered(calls)


def numbered(calls: Iterable[ToolCall]) -> tuple[ToolCall, ...]:
    """Each call with an id that no other has: answers are told apart by it."""
    seen: set[str] = set()
    found = []
    for place, call in enumerate(calls, start=1):
        own = call.id if call.id and call.id not in seen else f"call_{place}"
        seen.add(own)
        found.append(call._replace(id=own))
    return tuple(found)


def error_in(body: Any) -> str | None:
    """A server's own words for what went wrong, if that is what the body tells; else None."""
    if isinstance(body, list):
        told = [words for each in body if (words := error_in(each))]
        return "; ".join(told) or None
    if not isinstance(body, dict):
        return None
    if words := _said(body.get("error")):
        return words
    if body.get("choices"):
        return None
    for key in ("errors", "detail"):
        if words := _said(body.get(key)):
            return words
    message = body.get("message")
    if isinstance(message, str) and "content" not in body and "choices" not in body:
        return message.strip() or None
    return None


def words_of(raw: bytes) -> str:
    """What a body that tells of a failure says: the server's own words, on one line, cut short."""
    try:
        body = json_from(raw) if raw.strip()[:1] in (b"{", b"[", b'"', BOM[:1]) else None
    except WireError:
        body = None
    words = error_in(body) or (body if isinstance(body, str) else None)
    return _plain(raw) if words is None else _on_one_line(words)


def _plain(raw: bytes) -> str:
    """The text of a body that is no JSON: of HTML its title, or what would be shown of it."""
    text = raw[:6_000].decode("utf-8", "replace").removeprefix("\ufeff")
    if re.match(r"\s*<[!?A-Za-z]", text):
        titled = _TITLE.search(text)
        text = (titled[1] if titled else "") or _NOT_SHOWN.sub(" ", text)
    return _on_one_line(text)


def _on_one_line(words: str) -> str:
    words = " ".join(whole(words).split())
    return words if len(words) <= MOST_WORDS else f"{words[: MOST_WORDS - 1]}…"


def _said(told: Any) -> str:
    if isinstance(told, str):
        return told.strip()
    if isinstance(told, list):
        return "; ".join(filter(None, map(_said, told)))
    if not isinstance(told, dict):
        return ""
    for key in ("message", "msg", "error", "detail", "description", "reason"):
        if words := _said(told.get(key)):
            where = told.get("loc")
            at = ".".join(map(str, where)) if isinstance(where, list) else ""
            return f"{at}: {words}" if at else words
    return json.dumps(told, ensure_ascii=False, default=str) if told else ""


def _first_whole(usage: dict[str, Any], names: Iterable[str]) -> int | None:
    return next((told for name in names if (told := _whole(usage.get(name))) is not None), None)


def _whole(value: Any) -> int | None:
    """A count of tokens, as whole number, float or text; None for what can't be one."""
    if isinstance(value, str) and value.strip().isdigit() and len(value) < 20:
        value = int(value)
    if isinstance(value, bool) or not isinstance(value, int | float) or not isfinite(value):
        return None
    return round(value) if 0 <= value <= MOST_TOKENS else None
