"""`POST /v1/chat/completions`."""

from __future__ import annotations

import hashlib
import time
from typing import Any

from aiohttp import web

from epistem.standin.answering import Answer
from epistem.standin.asking import (
    SERVICE,
    Asked,
    ask,
    body_of,
    fault_of,
    go_wrong,
    take_time,
    whole,
)
from epistem.standin.checking import checked
from epistem.standin.sampler import Token
from epistem.standin.streaming import Event, paced, packed, send

SPOKEN = ("content", "reasoning_content", "tool_calls")
"""What takes a token's time in a stream."""


def error(status: int, message: str, param: str | None, code: str) -> web.Response:
    kind = "invalid_request_error" if status < 500 else "server_error"
    body = {"error": {"message": message, "type": kind, "param": param, "code": code}}
    return web.json_response(body, status=status)


async def chat_completions(request: web.Request) -> web.StreamResponse:
    body = await body_of(request)
    model = checked(body)
    fault = fault_of(request, model)
    if (gone_wrong := await go_wrong(request, fault, error)) is not None:
        return gone_wrong
    asked = await ask(request, body, model, fault)
    frame = {
        "id": f"chatcmpl-{asked.id}",
        "object": "chat.completion",
        "created": int(time.time()) if asked.key is None else model.created,
        "model": model.name,
        "system_fingerprint": f"fp_{hashlib.sha256(repr(model).encode()).hexdigest()[:10]}",
    }
    if body.get("stream"):
        await take_time(request, model, 0)
        frame["object"] = "chat.completion.chunk"
        pace_s = request.app[SERVICE].pace * model.ms_per_token / 1000
        return await send(request, paced(_events(frame, asked), pace_s), fault)
    await take_time(request, model, max(given.count for given in asked.answers))
    choices = [
        {
            "index": at,
            "message": _message(given, f"{asked.id}{at}"),
            "logprobs": _logprobs(asked, given.content),
            "finish_reason": given.finish,
        }
        for at, given in enumerate(asked.answers)
    ]
    return whole({**frame, "choices": choices, "usage": _usage(asked)}, fault)


def _usage(asked: Asked) -> dict[str, Any]:
    return {
        "prompt_tokens": asked.tokens,
        "completion_tokens": asked.answered,
        "total_tokens": asked.tokens + asked.answered,
        "prompt_tokens_details": {"cached_tokens": asked.cached},
        "completion_tokens_details": {"reasoning_tokens": asked.thought},
    }


def _message(given: Answer, id: str) -> dict[str, Any]:
    message: dict[str, Any] = {"role": "assistant", "content": given.text or None, "refusal": None}
    if not given.calls:
        message["content"] = given.text
    if given.thought and given.where == "field":
        message["reasoning_content"] = given.thought
    if given.calls:
        message["tool_calls"] = _calls(given, id)
    return message


def _calls(given: Answer, id: str) -> list[dict[str, Any]]:
    return [
        {"id": f"call_{id}{at}", "type": "function", "function": call._asdict()}
        for at, call in enumerate(given.calls)
    ]


def _logprobs(asked: Asked, written: tuple[Token, ...]) -> dict[str, Any] | None:
    if not asked.body.get("logprobs"):
        return None
    many = asked.body.get("top_logprobs") or 0
    content = [
        {**_token(t.text, t.logprob), "top_logprobs": [_token(*top) for top in t.top[:many]]}
        for t in written
    ]
    return {"content": content, "refusal": None}


def _token(text: str, logprob: float) -> dict[str, Any]:
    return {"token": text, "logprob": round(logprob, 6), "bytes": list(text.encode("utf-8"))}


def _events(frame: dict[str, Any], asked: Asked) -> list[Event]:
    """Choices side by side, token by token; `usage` last when it is asked for."""
    wanted = bool((asked.body.get("stream_options") or {}).get("include_usage"))
    more = {"usage": None} if wanted else {}
    chunks = [
        _chunk(at, {"role": "assistant", "content": "", "refusal": None})
        for at in range(len(asked.answers))
    ]
    rows = [_deltas(asked, given, f"{asked.id}{at}") for at, given in enumerate(asked.answers)]
    for step in range(max(map(len, rows))):
        chunks += [_chunk(at, *row[step]) for at, row in enumerate(rows) if step < len(row)]
    chunks += [_chunk(at, {}, None, given.finish) for at, given in enumerate(asked.answers)]
    events = [
        packed(
            {**frame, "choices": [chunk], **more},
            spoken=any(chunk["delta"].get(kind) for kind in SPOKEN),
        )
        for chunk in chunks
    ]
    if wanted:
        events.append(packed({**frame, "choices": [], "usage": _usage(asked)}))
    return [*events, Event(b"data: [DONE]\n\n", False)]


def _deltas(asked: Asked, given: Answer, id: str) -> list[tuple[dict[str, Any], Any]]:
    """What each piece adds, with its log-probabilities."""
    thought = given.reasoning if given.where == "field" else ()
    found: list[tuple[dict[str, Any], Any]] = [
        ({"reasoning_content": t.text}, None) for t in thought
    ]
    found += [({"content": t.text}, _logprobs(asked, (t,))) for t in given.content]
    for at, call in enumerate(_calls(given, id)):
        head = {
            **call,
            "index": at,
            "function": {"name": call["function"]["name"], "arguments": ""},
        }
        found.append(({"tool_calls": [head]}, None))
        text = call["function"]["arguments"]
        for start in range(0, len(text), 8):
            part = {"index": at, "function": {"arguments": text[start : start + 8]}}
            found.append(({"tool_calls": [part]}, None))
    return found


def _chunk(
    index: int, delta: dict[str, Any], logprobs: Any = None, finish: str | None = None
) -> dict[str, Any]:
    return {"index": index, "delta": delta, "logprobs": logprobs, "finish_reason": finish}
