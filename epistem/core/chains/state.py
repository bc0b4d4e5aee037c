"""The state of a walk: named values that steps write, each in its own way, within a size."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from copy import deepcopy
from functools import lru_cache
from typing import Any

from epistem.core.chains.content import Chain
from epistem.core.chains.depends import names_in
from epistem.core.errors import InvalidInput
from epistem.core.expressions import Compiled, compiled_expression, told_of
from epistem.core.shapes import count

MOST_STATE = 2_000_000
"""Characters of all values together, as JSON."""
Written = list[tuple[str, Any]]


@lru_cache(maxsize=2_000)
def _compiled(expression: str, names: tuple[str, ...]) -> Compiled:
    return compiled_expression(expression, dict.fromkeys(names, "any"))


class State:
    """What the inputs and the values are at one place of a walk. A copy of it is another's, so that branches side by
    side see nothing of each other."""

    def __init__(self, chain: Chain, inputs: Mapping[str, Any]) -> None:
        self._how = {each.name: each.how for each in chain.state}
        self._read: list[str] = []
        self.inputs = dict(inputs)
        self.values: dict[str, Any] = {
            each.name: deepcopy(each.start) for each in chain.state if each.start is not None
        }
        for each in chain.state:
            if each.start is None and each.how != "replace":
                self.values[each.name] = [] if each.how == "append" else {}

    def copied(self, **more: Any) -> State:
        """With more names, as the item of a list. Values are never changed in place, so they are shared."""
        other = object.__new__(State)
        other._how, other._read = self._how, self._read
        other.inputs, other.values = {**self.inputs, **more}, dict(self.values)
        return other

    def known(self) -> dict[str, Any]:
        return {**self.inputs, **self.values}

    def value_of(self, expression: str, more: Mapping[str, Any] | None = None) -> Any:
        """Raises InvalidInput, in words, where it can't be worked out of what is there."""
        data = {**self.known(), **(more or {})}
        used = tuple(name for name in names_in(expression) if name in data)
        compiled = _compiled(expression, used)
        try:
            return compiled.value({name: told_of(data[name]) for name in used})
        except InvalidInput as error:
            wrong = f"“{expression[:80]}” can't be worked out: {error.message.rstrip('.')}."
            raise InvalidInput(wrong) from error

    def truth_of(self, expression: str) -> bool:
        """Raises InvalidInput as `value_of`, and for what is neither true nor false."""
        value = self.value_of(expression)
        if not isinstance(value, bool):
            raise InvalidInput(f"“{expression[:80]}” gives {str(value)[:60]}, not true or false.")
        return value

    def write(self, written: Iterable[tuple[str, Any]]) -> None:
        """Each in its way. Raises InvalidInput for a value that can't be written so, or once all is too large."""
        for name, value in written:
            how = self._how[name]
            if how == "append":
                self.values[name] = [
                    *self.values[name],
                    *(value if isinstance(value, list) else [value]),
                ]
            elif how == "merge":
                if not isinstance(value, Mapping):
                    raise InvalidInput(
                        f"“{name}” is merged, so only a record can be written to it."
                    )
                self.values[name] = {**self.values[name], **value}
            else:
                self.values[name] = value
        size = len(json.dumps(self.values, ensure_ascii=False, default=str))
        if size > MOST_STATE:
            raise InvalidInput(f"The state has {count(size, 'character')}; {MOST_STATE:,} at most.")
