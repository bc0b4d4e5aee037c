"""`POST /v1/messages`: the other common format.

A top-level `system`, content in blocks, `stop_reason`, and a stream of typed events. Inside it is
turned into the first format, so that both are answered by the same mechanisms.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from typing import Any

from aiohttp import web

from epistem.core.wire.tokens import tokens
from epistem.standin.answering import Answer
from epistem.standin.asking import (
    SERVICE,
    Asked,
    ask,
    body_of,
    fault_of,
    go_wrong,
    take_time,
    tokens_asked,
    whole,
)
from epistem.standin.checking import Refused, checked
from epistem.standin.streaming import Event, paced, packed, send

KINDS = {
    400: "invalid_request_error",
    401: "authentication_error",
    403: "permission_error",
    404: "not_found_error",
    413: "request_too_large",
    429: "rate_limit_error",
    529: "overloaded_error",
}
SAME = ("model", "temperature", "top_p", "seed", "stream", "reasoning_format")
REASONS = {
    "length": "max_tokens",
    "tool_calls": "tool_use",
    "content_filter": "refusal",
    "stop": "end_turn",
}


def error(status: int, message: str, param: str | None, code: str) -> web.Response:
    """The field's name goes into the message, since this format has no place of its own for it."""
    kind = KINDS.get(status, "invalid_request_error" if status < 500 else "api_error")
    said = message if param is None or param in message else f"{param}: {message}"
    return web.json_response(
        {"type": "error", "error": {"type": kind, "message": said}}, status=status
    )


async def messages(request: web.Request) -> web.StreamResponse:
    body = _as_chat(await body_of(request))
    model = checked(body)
    fault = fault_of(request, model)
    if (gone_wrong := await go_wrong(request, fault, error)) is not None:
        return gone_wrong
    asked = await ask(request, body, model, fault)
    [given] = asked.answers
    message = {
        "id": f"msg_{asked.id}",
        "type": "message",
        "role": "assistant",
        "model": model.name,
        "content": _blocks(given, asked),
        "stop_reason": "stop_sequence" if given.stopped_at is not None else REASONS[given.finish],
        "stop_sequence": given.stopped_at,
        "usage": _usage(asked),
    }
    if not body.get("stream"):
        await take_time(request, model, given.count)
        return whole(message, fault)
    await take_time(request, model, 0)
    pace_s = request.app[SERVICE].pace * model.ms_per_token / 1000
    return await send(request, paced(_events(message), pace_s), fault)


async def count_tokens(request: web.Request) -> web.Response:
    """`POST /v1/messages/count_tokens`: the same body, counted and not answered."""
    given = await body_of(request)
    body = _as_chat({"max_tokens": 1, **given} if isinstance(given, dict) else given)
    checked(body)
    async with request.app[SERVICE].turns.of(request):
        return web.json_response({"input_tokens": tokens_asked(body)})


def _usage(asked: Asked) -> dict[str, int]:
    return {
        "input_tokens": asked.tokens - asked.cached,
        "cache_creation_input_tokens": 0,
        "cache_read_input_tokens": asked.cached,
        "output_tokens": asked.answered,
    }


def _blocks(given: Answer, asked: Asked) -> list[dict[str, Any]]:
    blocks: list[dict[str, Any]] = []
    if given.thought and given.where == "field":
        signature = hashlib.sha256(given.thought.encode()).hexdigest()
        blocks.append({"type": "thinking", "thinking": given.thought, "signature": signature})
    if given.content or not given.calls:
        blocks.append({"type": "text", "text": given.text})
    for at, call in enumerate(given.calls):
        block = {"type": "tool_use", "id": f"toolu_{asked.id}{at}", "name": call.name}
        blocks.append({**block, "input": json.loads(call.arguments)})
    return blocks


def _as_chat(body: Any) -> dict[str, Any]:
    """The same request in the first format. Raises Refused for what this one asks besides."""
    if not isinstance(body, dict):
        raise Refused(400, "The body must be an object.", None, "invalid_type")
    limit = body.get("max_tokens")
    if not isinstance(limit, int) or isinstance(limit, bool) or limit < 1:
        raise Refused(400, "`max_tokens` must be a whole number from 1.", "max_tokens", "required")
    temperature = body.get("temperature")
    if isinstance(temperature, int | float) and temperature > 1:
        raise Refused(400, "`temperature` must be from 0 to 1.", "temperature", "invalid_value")
    given = body.get("messages")
    if not isinstance(given, list) or not given:
        message = "`messages` must be a list that is not empty."
        raise Refused(400, message, "messages", "invalid_type")
    system = body.get("system")
    if not isinstance(system, str | list | None):
        raise Refused(400, "`system` must be text.", "system", "invalid_type")
    chat = {name: body[name] for name in SAME if name in body}
    chat |= {"max_tokens": limit, "stop": body.get("stop_sequences"), "messages": []}
    chat["messages"] = [{"role": "system", "content": system}] if system else []
    for at, message in enumerate(given):
        chat["messages"] += _turns(message, at)
    thinking = body.get("thinking")
    if not (isinstance(thinking, dict) and thinking.get("type") in ("enabled", "adaptive")):
        chat["reasoning_effort"] = "none"
    elif isinstance(budget := thinking.get("budget_tokens"), int):
        chat["reasoning_effort"] = (
            "low" if budget < 2_048 else "medium" if budget < 8_192 else "high"
        )
    return chat | _tools(body)


def _turns(message: Any, at: int) -> Iterator[dict[str, Any]]:
    """A message of blocks as messages: results of tools, then what is said, with its calls."""
    field = f"messages[{at}]"
    if not isinstance(message, dict) or message.get("role") not in ("user", "assistant"):
        raise Refused(400, "`role` must be user or assistant.", f"{field}.role", "invalid_value")
    content = message.get("content")
    if not isinstance(content, list):
        yield message
        return
    calls, parts = [], []
    for number, block in enumerate(content):
        kind = block.get("type") if isinstance(block, dict) else None
        if kind == "tool_result":
            yield {
                "role": "tool",
                "tool_call_id": block.get("tool_use_id"),
                "content": block.get("content") or "",
            }
        elif kind == "tool_use":
            function = {"name": block.get("name"), "arguments": json.dumps(block.get("input"))}
            calls.append({"id": block.get("id"), "type": "function", "function": function})
        elif kind == "image":
            parts.append(_image(block, f"{field}.content[{number}]"))
        elif kind in ("text", None):
            parts.append(block)
    if parts or calls or not content:
        yield {
            "role": message["role"],
            "content": parts,
            **({"tool_calls": calls} if calls else {}),
        }


def _image(block: dict[str, Any], field: str) -> dict[str, Any]:
    source = block.get("source")
    if not isinstance(source, dict) or source.get("type") != "base64":
        raise Refused(400, "`source` must be base64.", f"{field}.source", "invalid_value")
    url = f"data:{source.get('media_type')};base64,{source.get('data')}"
    return {"type": "image_url", "image_url": {"url": url}}


def _tools(body: dict[str, Any]) -> dict[str, Any]:
    given, choice = body.get("tools"), body.get("tool_choice")
    if given is None:
        return {}
    if not isinstance(given, list) or not all(isinstance(tool, dict) for tool in given):
        raise Refused(400, "`tools` must be a list of objects.", "tools", "invalid_type")
    tools = [
        {
            "type": "function",
            "function": {
                "name": t.get("name"),
                "description": t.get("description"),
                "parameters": t.get("input_schema"),
            },
        }
        for t in given
    ]
    chat: dict[str, Any] = {"tools": tools}
    if choice is not None:
        kind = choice.get("type") if isinstance(choice, dict) else None
        known = {"auto": "auto", "any": "required", "none": "none"}
        if kind not in (*known, "tool"):
            raise Refused(
                400,
                "`tool_choice.type` must be auto, any, tool or none.",
                "tool_choice",
                "invalid_value",
            )
        named = {"type": "function", "function": {"name": choice.get("name")}}
        chat["tool_choice"] = named if kind == "tool" else known[kind]
        chat["parallel_tool_calls"] = not choice.get("disable_parallel_tool_use", False)
    return chat


def _events(message: dict[str, Any]) -> Iterator[Event]:
    """The message, opened, its blocks one after the other, and closed."""
    begun: dict[str, Any] = {"content": [], "stop_reason": None, "stop_sequence": None}
    started = {**message, **begun, "usage": {**message["usage"], "output_tokens": 1}}
    yield _event({"type": "message_start", "message": started})
    for index, block in enumerate(message["content"]):
        empty, deltas = _opened(block)
        yield _event({"type": "content_block_start", "index": index, "content_block": empty})
        if index == 0:
            yield _event({"type": "ping"})
        for delta in deltas:
            event = {"type": "content_block_delta", "index": index, "delta": delta}
            yield _event(event, spoken=True)
        yield _event({"type": "content_block_stop", "index": index})
    ended = {name: message[name] for name in ("stop_reason", "stop_sequence")}
    yield _event(
        {
            "type": "message_delta",
            "delta": ended,
            "usage": {"output_tokens": message["usage"]["output_tokens"]},
        }
    )
    yield _event({"type": "message_stop"})


def _opened(block: dict[str, Any]) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """A block with nothing in it yet, and what is added to it piece by piece."""
    if block["type"] == "tool_use":
        text = json.dumps(block["input"], ensure_ascii=False)
        parts = [text[at : at + 8] for at in range(0, len(text), 8)]
        return {**block, "input": {}}, [
            {"type": "input_json_delta", "partial_json": p} for p in parts
        ]
    if block["type"] == "thinking":
        deltas = [{"type": "thinking_delta", "thinking": t} for t in tokens(block["thinking"])]
        signed = {"type": "signature_delta", "signature": block["signature"]}
        return {"type": "thinking", "thinking": "", "signature": ""}, [*deltas, signed]
    return {"type": "text", "text": ""}, [
        {"type": "text_delta", "text": t} for t in tokens(block["text"])
    ]


def _event(body: dict[str, Any], *, spoken: bool = False) -> Event:
    return packed(body, spoken=spoken, named=body["type"])
