"""A model server that answers as a test tells it to, and remembers what it was asked."""

from __future__ import annotations

import asyncio
import json
from collections import deque
from collections.abc import Callable
from threading import Lock
from typing import Any

from aiohttp import web

Answer = Callable[[dict[str, Any]], Any]


def completion(text: str, finish_reason: str = "stop", **more: Any) -> dict[str, Any]:
    return {
        "model": "made-up-1",
        "choices": [
            {"message": {"role": "assistant", "content": text}, "finish_reason": finish_reason}
        ],
        "usage": {"prompt_tokens": 10, "completion_tokens": 4},
        **more,
    }


class ModelServer:
    """`answer` makes the text of an answer, or a whole body; `script` holds what is sent first, one by one.

    An entry of the script is a (status, body, headers) triple, or "drop" to cut the connection; what
    `answer` makes may be such a triple, too.
    """

    def __init__(self) -> None:
        self.url = ""
        self.answer: Answer = lambda body: '{"label": "delay"}'
        self.script: deque[Any] = deque()
        self.delay_s = 0.0
        self.requests: list[dict[str, Any]] = []
        self.headers: list[dict[str, str]] = []
        self.in_flight = self.most_in_flight = 0
        self._lock = Lock()

    @property
    def seeds(self) -> list[int]:
        """The seed of every request so far: each cell has its own."""
        with self._lock:
            return [body["seed"] for body in self.requests]

    def app(self) -> web.Application:
        app = web.Application(client_max_size=64_000_000)
        app.router.add_post("/v1/chat/completions", self._handle)
        app.router.add_post("/v1/embeddings", self._handle)
        return app

    async def _handle(self, request: web.Request) -> web.StreamResponse:
        body = json.loads(await request.read())
        with self._lock:
            self.requests.append(body)
            self.headers.append(dict(request.headers))
            self.in_flight += 1
            self.most_in_flight = max(self.most_in_flight, self.in_flight)
            told = self.script.popleft() if self.script else None
        try:
            await asyncio.sleep(self.delay_s)
            if told == "drop":
                assert request.transport is not None
                request.transport.close()
                return web.Response()
            said = None if told is not None else self.answer(body)
            if isinstance(said, tuple):
                told = said
            if told is not None:
                status, content, headers = told
                text = content if isinstance(content, str) else json.dumps(content)
                return web.Response(status=status, text=text, headers=headers)
            return web.json_response(completion(said) if isinstance(said, str) else said)
        finally:
            with self._lock:
                self.in_flight -= 1
