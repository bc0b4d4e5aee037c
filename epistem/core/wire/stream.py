"""A streamed reply: bytes in, pieces out, the whole reply at the end."""

from __future__ import annotations

import re
from typing import Any, Literal, NamedTuple

from epistem.core.errors import WireError
from epistem.core.wire.calling import CallsBegun
from epistem.core.wire.halves import Joiner
from epistem.core.wire.reading import (
    BOM,
    error_in,
    finish_from,
    json_from,
    piece_from,
    text_from,
    thought_piece_from,
    usage_from,
    without_thoughts,
    words_of,
)
from epistem.core.wire.reply import Reply, Usage
from epistem.core.wire.thinking import ThinkMarks

MAX_LINE_BYTES = 12_000_000
_ENDS = re.compile(rb"[\r\n]")
Kind = Literal["content", "reasoning"]


class Piece(NamedTuple):
    """What came next of the answer, or of the reasoning before it."""

    kind: Kind
    text: str


class NothingCame(WireError):
    """The stream ended before it began."""


def is_events(beginning: bytes) -> bool:
    """Whether a body that begins so is a stream of events, whatever its content type says."""
    begun = beginning.removeprefix(BOM).lstrip()
    return begun.startswith((b"data:", b"event:", b"id:", b"retry:", b":"))


class LineReader:
    """Reads server-sent events from bytes that are cut anywhere. A format says what an event means.

    Lines may end in LF, CR or both; an event's data may stand on several lines, and the empty line
    that ends it may be missing.
    """

    def __init__(self) -> None:
        self._rest = b""
        self._unended: list[bytes] = []
        self._waiting = 0
        self._begun = False
        self._data: list[bytes] = []
        self._event = b""
        self._kept: dict[Kind, list[str]] = {"content": [], "reasoning": []}
        self._halves: dict[Kind, Joiner] = {"content": Joiner(), "reasoning": Joiner()}
        self._marks = ThinkMarks()
        self._done = False
        self.calls = CallsBegun()
        self.refusal = ""
        self.model = ""

    @property
    def finish(self) -> str | None:
        """Why the answer ended; None while it has not."""
        raise NotImplementedError

    @property
    def is_done(self) -> bool:
        """It said that nothing follows."""
        return self._done

    @property
    def is_whole(self) -> bool:
        """The answer is there; whatever is wrong with what follows it."""
        return self._done or self.finish is not None

    @property
    def usage(self) -> Usage:
        raise NotImplementedError

    def read(self, body: dict[str, Any]) -> list[Piece]:
        """What an event adds."""
        raise NotImplementedError

    def keep(self, kind: Kind, text: str) -> list[Piece]:
        """Pieces of what came; reasoning that stands between marks in the content is told apart."""
        text = self._halves[kind].feed(text)
        if not text:
            return []
        if kind == "reasoning":
            self._kept[kind].append(text)
            return [Piece(kind, text)]
        return self._pieces_of(self._marks.feed(text))

    def feed(self, data: bytes) -> list[Piece]:
        """The pieces that are whole by now. Raises WireError for an event that can't be read."""
        if self._begun and not self._rest.endswith(b"\r") and not _ENDS.search(data):
            self._unended.append(data)  # of a line that goes on, put together when it ends
            self._waiting += len(data)
            self._check_size()
            return []
        data = b"".join((self._rest, *self._unended, data))
        self._unended, self._waiting = [], 0
        if not self._begun and len(data) >= len(BOM):
            data, self._begun = data.removeprefix(BOM), True
        held = data.endswith(b"\r")  # a line feed may follow it
        if held:
            data = data[:-1]
        *lines, self._rest = data.replace(b"\r\n", b"\n").replace(b"\r", b"\n").split(b"\n")
        if held:
            self._rest += b"\r"
        self._check_size()
        return [piece for line in lines for piece in self._line(line)]

    def reply(self) -> Reply:
        """Raises NothingCame for an empty stream, and WireError when it broke off before the answer
        was over."""
        if self._rest or self._unended:
            self.feed(b"\n")
        self._dispatch(whole=True)
        self._kept["reasoning"].append(self._halves["reasoning"].rest())
        self._pieces_of(self._marks.feed(self._halves["content"].rest()))
        self._pieces_of(self._marks.end())
        text, reasoning = ("".join(self._kept[kind]) for kind in ("content", "reasoning"))
        finish, calls = self.finish, self.calls.all()
        if finish is None and not self._done:
            if not text and not reasoning and not calls:
                raise NothingCame("The stream broke off before an answer began.")
            raise WireError("The stream broke off before the answer was over.")
        text, unopened = without_thoughts(text)
        refused = bool(self.refusal) and not text
        if refused:
            finish = "content_filter"
        return Reply(
            text or self.refusal,
            finish or ("tool_calls" if calls else "stop"),
            self.usage,
            self.model,
            reasoning or unopened,
            calls,
        )

    def _check_size(self) -> None:
        size = len(self._rest) + self._waiting + sum(map(len, self._data))
        if size > MAX_LINE_BYTES:
            raise WireError(f"A line of the stream is longer than {MAX_LINE_BYTES:,} bytes.")

    def _pieces_of(self, cut: list[tuple[bool, str]]) -> list[Piece]:
        pieces = [Piece("reasoning" if thought else "content", text) for thought, text in cut]
        for kind, text in pieces:
            self._kept[kind].append(text)
        return pieces

    def _line(self, line: bytes) -> list[Piece]:
        if not line.strip():
            told = self._dispatch(whole=True)
            self._event = b""
            return told
        if line.startswith(b"event:"):
            self._event = line[6:].strip()
        if line.startswith(b"data:"):
            self._data.append(line[5:].strip())
        elif line[:1] in (b"{", b"["):  # one JSON a line, without the marks of an event
            self._data.append(line)
        else:
            return []  # a comment, or an event's name or number
        return self._dispatch(whole=False)

    def _dispatch(self, *, whole: bool) -> list[Piece]:
        """Read the event whose data is there, if it is all there."""
        if not whole and len(self._data) > 1:
            return []  # data on several lines ends at the empty line
        data = b"\n".join(self._data).strip()
        if not data:
            self._data = []
            return []
        if data == b"[DONE]" or self._done:
            self._data, self._done = [], True
            return []
        try:
            body = json_from(data)
        except WireError as error:
            if not whole:
                return []  # the rest of it is on the next line
            self._data = []
            if self.is_whole:
                return []
            if self._event == b"error":
                raise WireError(f"The stream ended in an error: {words_of(data)}") from error
            raise WireError(f"An event of the stream can't be read. {error.message}") from error
        self._data = []
        if body is None or (self.is_whole and not isinstance(body, dict)):
            return []
        if words := error_in(body):
            if self.is_whole:
                return []
            raise WireError(f"The stream ended in an error: {words}")
        if isinstance(body, str) and self._event == b"error":
            raise WireError(f"The stream ended in an error: {body}")
        if not isinstance(body, dict):
            raise WireError("An event of the stream is not an object.")
        return self.read(body)


class StreamReader(LineReader):
    """Of the chat-completions format."""

    def __init__(self) -> None:
        super().__init__()
        self._finish: str | None = None
        self._told: dict[str, Any] = {}
        self._choice: Any = None

    @property
    def finish(self) -> str | None:
        return self._finish

    @property
    def usage(self) -> Usage:
        return usage_from(self._told, "".join(self._kept["content"][:1]))

    def read(self, body: dict[str, Any]) -> list[Piece]:
        self.model = str(body.get("model") or self.model)
        choice = self._own(body.get("choices"))
        if words := error_in({"error": choice.get("error")}):
            raise WireError(f"The stream ended in an error: {words}")
        self._take_usage(body.get("usage") or choice.get("usage"))
        if choice.get("finish_reason"):
            self._finish = finish_from(choice["finish_reason"])
        delta = choice.get("delta")
        if not isinstance(delta, dict) or not delta:
            delta = self._at_once(choice)
        calls = delta.get("tool_calls")
        for call in calls if isinstance(calls, list) else []:
            self._take_call(call)
        if isinstance(old := delta.get("function_call"), dict):
            self.calls.add(None, None, old.get("name"), old.get("arguments"))
        self.refusal += text_from(delta.get("refusal"))
        thought = self.keep("reasoning", thought_piece_from(delta))
        return [*thought, *self.keep("content", piece_from(delta.get("content")))]

    def _own(self, choices: Any) -> dict[str, Any]:
        """Of several answers the one that came first, throughout."""
        told = (
            [each for each in choices if isinstance(each, dict)]
            if isinstance(choices, list)
            else []
        )
        if told and self._choice is None:
            self._choice = told[0].get("index")
        return next((each for each in told if each.get("index", self._choice) == self._choice), {})

    def _at_once(self, choice: dict[str, Any]) -> dict[str, Any]:
        """What stands where a piece should: a whole message (once), or a text."""
        message = choice.get("message")
        if isinstance(message, dict):
            return {} if any(self._kept.values()) or self.calls else message
        return {"content": choice.get("text")}

    def _take_call(self, call: Any) -> None:
        if isinstance(call, dict):
            function = call.get("function")
            function = function if isinstance(function, dict) else call
            name, arguments = function.get("name"), function.get("arguments")
            self.calls.add(call.get("index"), call.get("id"), name, arguments)

    def _take_usage(self, told: Any) -> None:
        """It may come in pieces, each with other counts, or grow."""
        if isinstance(told, dict):
            self._told |= {name: value for name, value in told.items() if value is not None}
