"""Calls of tools in a stream: put together from pieces that name their place in many ways."""

from __future__ import annotations

from typing import Any

import orjson

from epistem.core.wire.reading import arguments_from, numbered
from epistem.core.wire.reply import ToolCall


class _Begun:
    def __init__(self, index: Any, call_id: str, name: str) -> None:
        self.index, self.id, self.name = index, call_id, name
        self.arguments: list[str] = []

    @property
    def whole(self) -> bool:
        """Whether its arguments are a JSON object by now."""
        try:
            return isinstance(orjson.loads("".join(self.arguments)), dict)
        except orjson.JSONDecodeError:
            return False


class CallsBegun:
    """Servers say which call a piece goes on by an index, an id, both, or neither; they repeat the
    name in every piece, give the id late, give all calls one index, or leave arguments out."""

    def __init__(self) -> None:
        self._calls: list[_Begun] = []

    def __bool__(self) -> bool:
        return bool(self._calls)

    def add(self, index: Any, call_id: Any, name: Any, arguments: Any) -> None:
        """A piece. A name, or an id that is not known, may begin a call."""
        own = str(call_id) if call_id else ""
        called = name if isinstance(name, str) else ""
        call = self._goes_on(index, own, called, arguments)
        if call is None:
            if not called:
                return  # arguments of nothing that was begun
            call = _Begun(index, own, called)
            self._calls.append(call)
        call.id = call.id or own
        if isinstance(arguments, str):
            call.arguments.append(arguments)
        elif arguments is not None:
            call.arguments = [arguments_from(arguments)]

    def all(self) -> tuple[ToolCall, ...]:
        return numbered(
            ToolCall(call.id, call.name, arguments_from("".join(call.arguments)))
            for call in self._calls
        )

    def _goes_on(self, index: Any, call_id: str, name: str, arguments: Any) -> _Begun | None:
        """The call that a piece belongs to; None where it begins another."""
        if call_id:
            known = next((call for call in self._calls if call.id == call_id), None)
            if known is not None:
                return known
        at = [call for call in self._calls if call.index == index]
        call = at[-1] if at else None
        if call is None or (call_id and call.id):
            return None
        another = bool(name) and (name != call.name or (bool(arguments) and call.whole))
        return None if another else call
