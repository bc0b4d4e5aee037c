"""A streamed reply: bytes in, pieces out, the whole reply at the end."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

import orjson

from epistem.core.errors import WireError
from epistem.core.wire.chat_completions import Reply, ToolCall, Usage, usage_from

MAX_LINE_BYTES = 12_000_000


class Piece(NamedTuple):
    """What came next of the answer, or of the reasoning before it."""

    kind: Literal["content", "reasoning"]
    text: str


class LineReader:
    """Reads server-sent events from bytes that are cut anywhere. A format says what an event means."""

    def __init__(self) -> None:
        self._rest = b""
        self._kept: dict[str, list[str]] = {"content": [], "reasoning": []}
        self._calls: dict[Any, list[str]] = {}
        self.model = ""

    @property
    def finish(self) -> str | None:
        """Why the answer ended; None while it has not."""
        raise NotImplementedError

    @property
    def usage(self) -> Usage:
        raise NotImplementedError

    def read(self, body: dict[str, Any]) -> list[Piece]:
        """What an event adds."""
        raise NotImplementedError

    def keep(self, kind: Literal["content", "reasoning"], text: Any) -> list[Piece]:
        if not isinstance(text, str) or not text:
            return []
        self._kept[kind].append(text)
        return [Piece(kind, text)]

    def begin_call(self, index: Any, call_id: Any, name: Any) -> None:
        """The model begins to call a tool; its arguments follow in pieces."""
        self._calls[index] = [str(call_id or ""), str(name or "")]

    def add_arguments(self, index: Any, text: Any) -> None:
        if isinstance(text, str) and index in self._calls:
            self._calls[index].append(text)

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
        if self.finish is None:
            raise WireError("The stream broke off before the answer was over.")
        text, reasoning = ("".join(self._kept[kind]) for kind in ("content", "reasoning"))
        calls = tuple(
            ToolCall(call_id, name, "".join(arguments) or "{}")
            for call_id, name, *arguments in self._calls.values()
        )
        return Reply(text, self.finish, self.usage, self.model, reasoning, calls)

    def _line(self, line: bytes) -> list[Piece]:
        if not line.startswith(b"data:"):
            return []  # a comment, an event's name, or the empty line between two
        data = line[5:].strip()
        if data == b"[DONE]":
            return []
        try:
            body = orjson.loads(data)
        except orjson.JSONDecodeError as error:
            raise WireError(f"An event of the stream is not JSON ({error}).") from error
        if not isinstance(body, dict):
            raise WireError("An event of the stream is not an object.")
        if isinstance(body.get("error"), dict):
            raise WireError(f"The stream ended in an error: {body['error'].get('message')}")
        return self.read(body)


class StreamReader(LineReader):
    """Of the chat-completions format."""

    def __init__(self) -> None:
        super().__init__()
        self._finish: str | None = None
        self._usage: Any = None

    @property
    def finish(self) -> str | None:
        return self._finish

    @property
    def usage(self) -> Usage:
        return usage_from(self._usage)

    def read(self, body: dict[str, Any]) -> list[Piece]:
        self.model = str(body.get("model") or self.model)
        self._usage = body.get("usage") or self._usage
        choices = body.get("choices")
        choice = choices[0] if isinstance(choices, list) and choices else None
        if not isinstance(choice, dict):
            return []
        if choice.get("finish_reason"):
            self._finish = str(choice["finish_reason"])
        delta = choice.get("delta")
        delta = delta if isinstance(delta, dict) else {}
        calls = delta.get("tool_calls")
        for call in calls if isinstance(calls, list) else []:
            function = call.get("function") if isinstance(call, dict) else None
            if isinstance(function, dict):
                if function.get("name"):
                    self.begin_call(call.get("index"), call.get("id"), function["name"])
                self.add_arguments(call.get("index"), function.get("arguments"))
        thought = self.keep("reasoning", delta.get("reasoning_content"))
        return [*thought, *self.keep("content", delta.get("content"))]
