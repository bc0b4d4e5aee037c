"""`POST /v1/chat/completions`."""

from __future__ import annotations

import hashlib
import secrets
import time

from aiohttp import web

from epistem.standin.asking import (
    PACE,
    answer_to,
    body_of,
    fault_of,
    go_wrong,
    key_of,
    take_time,
    tokens_asked,
    whole,
)
from epistem.standin.checking import checked, fits_window
from epistem.standin.streaming import chat_events, send


def error(status: int, message: str, param: str | None, code: str) -> web.Response:
    kind = "invalid_request_error" if status < 500 else "server_error"
    body = {"error": {"message": message, "type": kind, "param": param, "code": code}}
    return web.json_response(body, status=status)


async def chat_completions(request: web.Request) -> web.StreamResponse:
    fault = fault_of(request)
    if (gone_wrong := await go_wrong(request, fault, error)) is not None:
        return gone_wrong
    body = await body_of(request)
    model = checked(body)
    asked = tokens_asked(body)
    fits_window(model, asked)
    key = key_of(body)
    answers = [
        answer_to(body, model, f"{key}/{at}" if key and at else key)
        for at in range(body.get("n") or 1)
    ]
    tokens = [answered.tokens for answered in answers]
    usage = {
        "prompt_tokens": asked,
        "completion_tokens": sum(tokens),
        "total_tokens": asked + sum(tokens),
    }
    digest = secrets.token_hex(16) if key is None else hashlib.sha256(key.encode()).hexdigest()
    frame = {
        "id": f"chatcmpl-{digest[:24]}",
        "object": "chat.completion",
        "created": int(time.time()) if key is None else model.created,
        "model": model.name,
    }
    pace = request.app[PACE]
    if body.get("stream"):
        await take_time(pace, model, 0)
        wanted = bool((body.get("stream_options") or {}).get("include_usage"))
        frame["object"] = "chat.completion.chunk"
        events = chat_events(
            frame, [(a.text, a.finish) for a in answers], usage if wanted else None,
            wait_s=pace * model.ms_per_token / 1000,
        )  # fmt: skip
        return await send(request, events, fault)
    await take_time(pace, model, max(tokens))
    choices = [
        {
            "index": index,
            "message": {"role": "assistant", "content": answered.text},
            "finish_reason": answered.finish,
        }
        for index, answered in enumerate(answers)
    ]
    return whole({**frame, "choices": choices, "usage": usage}, fault)
