"""Calls of tools in a stream: put together from pieces that name their place in many ways."""

from __future__ import annotations

from typing import Any

import orjson

from epistem.core.wire.halves import whole
from epistem.core.wire.reading import arguments_from, numbered
from epistem.core.wire.reply import ToolCall


class _Begun:
    def __init__(self, index: Any, call_id: str, name: str) -> None:
        self.index, self.id, self.name = index, call_id, name
        self.pieces: list[str] = []

    @property
    def is_whole(self) -> bool:
        """Whether its arguments are a JSON object by now."""
        return _is_object("".join(self.pieces))

    @property
    def arguments(self) -> str:
        """Put together; where they came once more as a whole, or as a whole that grew, that."""
        joined = whole("".join(self.pieces))
        if _is_object(joined):
            return joined
        return next((piece for piece in reversed(self.pieces) if _is_object(piece)), joined)


class CallsBegun:
    """Servers say which call a piece goes on by an index, an id, both, or neither, in each piece or once; they repeat
    the name in every piece or cut it, give the id or the index late, give all calls one index, leave arguments out, or
    tell them twice."""

    def __init__(self) -> None:
        self._calls: list[_Begun] = []
        self._orphans: list[tuple[Any, str, str]] = []

    def __bool__(self) -> bool:
        return bool(self._calls)

    def add(self, index: Any, call_id: Any, name: Any, arguments: Any) -> None:
        """A piece. A name, or an id that is not known, may begin a call."""
        own = str(call_id) if call_id else ""
        called = name if isinstance(name, str) else ""
        call = self._goes_on(index, own, called, arguments)
        if call is None:
            if not called:
                if isinstance(arguments, str):
                    self._orphans.append((index, own, arguments))  # its name may come late
                return
            call = _Begun(index, own, called)
            self._calls.append(call)
            self._adopt(call)
        elif called and called != call.name:
            call.name = called if called.startswith(call.name) else call.name + called
        call.id = call.id or own
        call.index = index if call.index is None else call.index
        if isinstance(arguments, str):
            if not (arguments and call.is_whole and arguments == "".join(call.pieces)):
                call.pieces.append(arguments)
        elif arguments is not None:
            call.pieces = [arguments_from(arguments)]

    def all(self) -> tuple[ToolCall, ...]:
        return numbered(
            ToolCall(call.id, whole(call.name), arguments_from(call.arguments))
            for call in self._calls
        )

    def _adopt(self, call: _Begun) -> None:
        """The arguments that came before its name."""
        mine = [
            each
            for each in self._orphans
            if (each[1] and each[1] == call.id) or (not each[1] and each[0] == call.index)
        ]
        call.pieces += [text for _, _, text in mine]
        self._orphans = [each for each in self._orphans if each not in mine]

    def _goes_on(self, index: Any, call_id: str, name: str, arguments: Any) -> _Begun | None:
        """The call that a piece belongs to; None where it begins another."""
        if call_id:
            known = next((call for call in self._calls if call.id == call_id), None)
            if known is not None:
                return known
        call = self._at(index)
        if call is None or (call_id and call.id):
            return None
        if not name or name == call.name:
            again = bool(name and arguments) and call.is_whole
            return None if again and arguments != "".join(call.pieces) else call
        begun = bool(call.pieces and "".join(call.pieces).strip())
        return None if begun or index is None else call  # another call, or the rest of its name

    def _at(self, index: Any) -> _Begun | None:
        """The last that has this index; of a piece without one the last of all, and of an index that is told late the
        last that has none."""
        if index is None:
            return self._calls[-1] if self._calls else None
        at = [call for call in self._calls if call.index == index]
        if not at:
            at = [call for call in self._calls if call.index is None]
        return at[-1] if at else None


def _is_object(text: str) -> bool:
    try:
        return isinstance(orjson.loads(text), dict)
    except orjson.JSONDecodeError:
        return False
