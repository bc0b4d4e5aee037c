"""A streamed reply in the chat-completions format: bytes in, pieces out, the whole reply at the end."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

import orjson

from epistem.core.errors import WireError
from epistem.core.wire.chat_completions import Reply, usage_from

MAX_LINE_BYTES = 12_000_000


class Piece(NamedTuple):
    """What came next of the answer, or of the reasoning before it."""

    kind: Literal["content", "reasoning"]
    text: str


class StreamReader:
    """Feed it the bytes as they come, cut anywhere; then `reply` is the whole of it."""

    def __init__(self) -> None:
        self._rest = b""
        self._content: list[str] = []
        self._reasoning: list[str] = []
        self._finish: str | None = None
        self._model = ""
        self._usage: Any = None
        self._done = False

    def feed(self, data: bytes) -> list[Piece]:
        """The pieces that are whole by now. Raises WireError for an event that can't be read."""
        *lines, self._rest = (self._rest + data).split(b"\n")
        if len(self._rest) > MAX_LINE_BYTES:
            raise WireError(f"A line of the stream is longer than {MAX_LINE_BYTES:,} bytes.")
        return [piece for line in lines for piece in self._line(line.strip(b"\r"))]

    def reply(self) -> Reply:
        """Raises WireError when the stream broke off before the answer was over."""
        if self._rest:
            self.feed(b"\n")
        if self._finish is None and not self._done:
            raise WireError("The stream broke off before the answer was over.")
        return Reply(
            text="".join(self._content),
            finish_reason=self._finish or "unknown",
            usage=usage_from(self._usage),
            model=self._model,
            reasoning="".join(self._reasoning),
        )

    def _line(self, line: bytes) -> list[Piece]:
        if not line.startswith(b"data:"):
            return []  # a comment, an event's name, or the empty line between two
        data = line[5:].strip()
        if data == b"[DONE]":
            self._done = True
            return []
        try:
            body = orjson.loads(data)
        except orjson.JSONDecodeError as error:
            raise WireError(f"An event of the stream is not JSON ({error}).") from error
        if not isinstance(body, dict):
            raise WireError("An event of the stream is not an object.")
        if isinstance(body.get("error"), dict):
            raise WireError(f"The stream ended in an error: {body['error'].get('message')}")
        self._model = str(body.get("model") or self._model)
        self._usage = body.get("usage") or self._usage
        choices = body.get("choices")
        choice = choices[0] if isinstance(choices, list) and choices else None
        return self._choice(choice) if isinstance(choice, dict) else []

    def _choice(self, choice: dict[str, Any]) -> list[Piece]:
        if choice.get("finish_reason"):
            self._finish = str(choice["finish_reason"])
        delta = choice.get("delta")
        delta = delta if isinstance(delta, dict) else {}
        pieces = []
        for kind, key, kept in (
            ("reasoning", "reasoning_content", self._reasoning),
            ("content", "content", self._content),
        ):
            text = delta.get(key)
            if isinstance(text, str) and text:
                kept.append(text)
                pieces.append(Piece(kind, text))  # type: ignore[arg-type]
        return pieces
