"""`POST /v1/messages`: the other common format.

A top-level `system`, content in blocks, `stop_reason`, and a stream of typed events. Inside it is
turned into the first format, so that both are answered by the same mechanisms.
"""

from __future__ import annotations

import hashlib
import json
import secrets
from collections.abc import Iterator
from typing import Any

from aiohttp import web

from epistem.standin.asking import (
    PACE,
    Answered,
    answer_to,
    body_of,
    fault_of,
    go_wrong,
    key_of,
    take_time,
    tokens_asked,
    whole,
)
from epistem.standin.checking import Refused, checked, fits_window
from epistem.standin.streaming import pieces_of, send

KINDS = {
    400: "invalid_request_error",
    401: "authentication_error",
    403: "permission_error",
    404: "not_found_error",
    413: "request_too_large",
    429: "rate_limit_error",
    529: "overloaded_error",
}


def error(status: int, message: str, param: str | None, code: str) -> web.Response:
    """The field's name goes into the message, since this format has no place of its own for it."""
    kind = KINDS.get(status, "invalid_request_error" if status < 500 else "api_error")
    said = message if param is None or param in message else f"{param}: {message}"
    return web.json_response(
        {"type": "error", "error": {"type": kind, "message": said}}, status=status
    )


async def messages(request: web.Request) -> web.StreamResponse:
    fault = fault_of(request)
    if (gone_wrong := await go_wrong(request, fault, error)) is not None:
        return gone_wrong
    body = _as_chat(await body_of(request))
    model = checked(body)
    asked = tokens_asked(body)
    fits_window(model, asked)
    key = key_of(body)
    answered = answer_to(body, model, key)
    digest = secrets.token_hex(16) if key is None else hashlib.sha256(key.encode()).hexdigest()
    message = {
        "id": f"msg_{digest[:24]}",
        "type": "message",
        "role": "assistant",
        "model": model.name,
        "content": [{"type": "text", "text": answered.text}],
        "stop_reason": _reason(answered),
        "stop_sequence": answered.stop,
        "usage": {"input_tokens": asked, "output_tokens": answered.tokens},
    }
    pace = request.app[PACE]
    if not body.get("stream"):
        await take_time(pace, model, answered.tokens)
        return whole(message, fault)
    await take_time(pace, model, 0)
    wait_s = pace * model.ms_per_token / 1000
    events = [_packed(event, wait_s) for event in _events(message, answered)]
    return await send(request, events, fault)


def _reason(answered: Answered) -> str:
    if answered.finish == "length":
        return "max_tokens"
    return "end_turn" if answered.stop is None else "stop_sequence"


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
    for at, message in enumerate(given):
        if isinstance(message, dict) and message.get("role") not in ("user", "assistant"):
            field = f"messages[{at}].role"
            raise Refused(400, "`role` must be user or assistant.", field, "invalid_value")
    system = body.get("system")
    if not isinstance(system, str | list | None):
        raise Refused(400, "`system` must be text.", "system", "invalid_type")
    chat = {name: body[name] for name in ("model", "temperature", "top_p", "seed") if name in body}
    chat |= {"max_tokens": limit, "stop": body.get("stop_sequences"), "messages": given}
    if system:
        chat["messages"] = [{"role": "system", "content": system}, *given]
    if body.get("stream") is not None:
        chat["stream"] = body["stream"]
    return chat


def _packed(event: dict[str, Any], wait_s: float) -> tuple[bytes, float]:
    data = json.dumps(event, ensure_ascii=False)
    sent = f"event: {event['type']}\ndata: {data}\n\n".encode()
    return sent, wait_s if event["type"] == "content_block_delta" else 0.0


def _events(message: dict[str, Any], answered: Answered) -> Iterator[dict[str, Any]]:
    usage = message["usage"]
    begun: dict[str, Any] = {"content": [], "stop_reason": None, "stop_sequence": None}
    started = {**message, **begun, "usage": {**usage, "output_tokens": 1}}
    yield {"type": "message_start", "message": started}
    block = {"type": "text", "text": ""}
    yield {"type": "content_block_start", "index": 0, "content_block": block}
    yield {"type": "ping"}
    for piece in pieces_of(answered.text):
        delta = {"type": "text_delta", "text": piece}
        yield {"type": "content_block_delta", "index": 0, "delta": delta}
    yield {"type": "content_block_stop", "index": 0}
    ended = {name: message[name] for name in ("stop_reason", "stop_sequence")}
    told = {"output_tokens": usage["output_tokens"]}
    yield {"type": "message_delta", "delta": ended, "usage": told}
    yield {"type": "message_stop"}
