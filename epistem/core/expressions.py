"""Expressions that people and models write, in the Common Expression Language (CEL), within bounds."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from math import isfinite
from typing import TYPE_CHECKING, Any, Literal

from epistem.core.errors import InvalidInput

if TYPE_CHECKING:
    from cel_expr_python.cel import Env

Kind = Literal["string", "any"]
MOST_CHARACTERS = 2_000
MOST_MACROS, MOST_SUMS = 6, 8
"""Of an expression with values. Each `map` could make its value as much larger as there are sums in it; the
evaluator bounds its steps, not its memory, and with these a value of 400 kB stays under 60 MB."""
MOST_SIGNS = 30
"""Of one without values, as a sum that a model has worked out: the language reads no deeper."""
MOST_TEXT = 400_000
MOST_DEEP = 40
"""Levels of a value that are told."""
_TEXT = re.compile(
    r"[rRbB]{0,2}(?:\"\"\"[\s\S]*?\"\"\"|'''[\s\S]*?'''|\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*')|//[^\n]*"
)
_MACRO = re.compile(r"\.\s*(?:map|filter|all|exists|exists_one)\s*\(")
_PLACE = re.compile(r"<input>:(\d+):(\d+): ([^\n]{1,300})")


class Compiled:
    """An expression that can be worked out many times. `gives` is the kind of its value: `dyn` where that shows
    only then."""

    def __init__(self, compiled: Any, gives: str) -> None:
        self._compiled, self.gives = compiled, gives

    def value(self, data: Mapping[str, Any]) -> Any:
        """Raises InvalidInput, in words, where it can't be worked out of this."""
        try:
            result = self._compiled.eval(data=data)
            value, kind = result.plain_value(), result.type().name().lower()
        except Exception as error:
            raise InvalidInput(_plain(str(error))) from error
        if kind in ("error", "*error*"):
            raise InvalidInput(_plain(str(value)))
        if not _is_finite(value):
            raise InvalidInput("it gives Infinity, or what is no number")
        return value


def compiled_expression(
    expression: str, variables: Mapping[str, Kind], *, field: str | None = None
) -> Compiled:
    """Over variables of these names. Raises InvalidInput that tells the place."""
    if len(expression) > MOST_CHARACTERS:
        raise InvalidInput(
            f"The expression is longer than {MOST_CHARACTERS:,} characters.", field=field
        )
    bare = _TEXT.sub("''", expression)
    sums = MOST_SUMS if variables or "'" in bare or "[" in bare else MOST_SIGNS
    for what, number, most in (
        ("loops such as map and all", len(_MACRO.findall(bare)), MOST_MACROS),
        ("signs +", bare.count("+"), sums),
    ):
        if number > most:
            raise InvalidInput(
                f"The expression has {number} {what}; {most} are allowed. Make two of it.",
                field=field,
            )
    try:
        environment = _environment(tuple(variables.items()))
    except ImportError as error:
        raise InvalidInput(
            "Expressions need the package cel-expr-python, which can't be loaded here.", field=field
        ) from error
    try:
        compiled = environment.compile(clean(expression))
        gives = compiled.return_type().name().lower()
    except Exception as error:
        may = f" It may use {', '.join(variables)}." if variables else ""
        raise InvalidInput(
            f"The expression can't be read{_place(str(error), expression)}.{may}", field=field
        ) from error
    return Compiled(compiled, gives)


@lru_cache(maxsize=16)
def _environment(variables: tuple[tuple[str, Kind], ...]) -> Env:
    from cel_expr_python import cel

    kinds = {"string": cel.Type.STRING, "any": cel.Type.DYN}
    return cel.NewEnv(variables={name: kinds[kind] for name, kind in variables})


def told_of(value: Any, deep: int = 0) -> Any:
    """A value as the language has it: numbers that are too large for it are told about. Raises InvalidInput for what it
    can't hold whole."""
    if deep > MOST_DEEP:
        raise InvalidInput(f"it is nested more than {MOST_DEEP} levels deep")
    if isinstance(value, str):
        if len(value) > MOST_TEXT:
            raise InvalidInput(
                f"a text has {len(value):,} characters, of which an expression can see {MOST_TEXT:,}"
            )
        return clean(value)
    if isinstance(value, dict):
        return {clean(str(key)): told_of(each, deep + 1) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [told_of(each, deep + 1) for each in value]
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int):
        return value if -(2**63) <= value < 2**63 else _float(value)
    return value if isinstance(value, float) and isfinite(value) else None


def _is_finite(value: Any) -> bool:
    if isinstance(value, float):
        return isfinite(value)
    if isinstance(value, Mapping):
        return all(map(_is_finite, value.values()))
    return not isinstance(value, list | tuple) or all(map(_is_finite, value))


def clean(text: str) -> str:
    """Without halves of surrogate pairs."""
    return text.encode("utf-8", "replace").decode()


def _place(error: str, expression: str) -> str:
    """` at “answer <”, column 15: Syntax error: …`."""
    if "recursion depth" in error:
        return ": it is nested too deep, so make two of it"
    match = _PLACE.search(error)
    if match is None:
        return f": {_plain(error)}"
    line, column = int(match[1]), int(match[2])
    lines = expression.split("\n")
    before = lines[line - 1][:column][-30:] if line <= len(lines) else ""
    where = f"line {line}, column {column}" if len(lines) > 1 else f"column {column}"
    return f" at {where}, after “{before}”: {_plain(match[3].split(' expecting ')[0])}"


def _plain(error: str) -> str:
    return " ".join(re.sub(r"^[A-Z_]+: |\[[A-Z_]+\]|\(in container '[^']*'\)", "", error).split())[
        :200
    ].rstrip(".")


def _float(value: int) -> float | None:
    try:
        return float(value)
    except OverflowError:
        return None
