"""An expression of one's own, in the Common Expression Language: true lets an answer pass."""

from __future__ import annotations

import json
import re
from functools import lru_cache
from math import isfinite
from typing import TYPE_CHECKING, Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Spent
from epistem.core.checks.shapes import MOST_LOOKED_AT
from epistem.core.checks.structure.find_json import find_json
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape

if TYPE_CHECKING:
    from cel_expr_python.cel import Env

KNOWN = ("answer", "json", "inputs", "case", "turns", "tools", "usage", "timing")
MOST_MACROS, MOST_SUMS = 6, 8
"""Of an expression. Each `map` could make its value as much larger as there are sums in it; the evaluator bounds
its steps, not its memory, and with these a value of 400 kB stays under 60 MB."""
MOST_DEEP = 40
"""Levels of a value that are told."""
_TEXT = re.compile(
    r"[rRbB]{0,2}(?:\"\"\"[\s\S]*?\"\"\"|'''[\s\S]*?'''|\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*')|//[^\n]*"
)
_MACRO = re.compile(r"\.\s*(?:map|filter|all|exists|exists_one)\s*\(")
_PLACE = re.compile(r"<input>:(\d+):(\d+): ([^\n]{1,300})")


class ExpressionOptions(Options):
    expression: str = Field(
        "size(answer) > 0",
        min_length=1,
        max_length=2_000,
        title="Expression",
        description="In CEL, true or false, over answer, json, inputs, case, turns, tools, usage and timing: "
        "json.total <= 100 && !answer.contains('?')",
    )


def _about(text: str, expression: str, **more: Any) -> Example:
    return Example(text, {"expression": expression}, **more)


_SPENT = Spent(200, 40, 900.0, 0.02)


class Expression(Check):
    key = "outcome.expression"
    version = 1
    kind = "outcome"
    summary = "An expression of your own in CEL is true, over the answer, its JSON, the case, tools, tokens and time."
    also_called = ("cel", "custom", "own rule", "formula", "condition", "script", "assert")
    aspects = (Aspect("", "own expression"),)
    reads = frozenset({"turns", "tools", "spent"})
    libraries = ("cel-expr-python",)
    Options: ClassVar[type[Options]] = ExpressionOptions
    good: ClassVar = (
        "The boat is late.",
        _about('{"total": 90}', "json.total <= 100"),
        _about("Here: [1, 2, 3]", "json.all(x, x > 0) && size(json) == 3"),
        _about("At nine.", "answer.matches('[Nn]ine') && !answer.contains('?')"),
        _about("Hollin", "answer == inputs.port", inputs={"port": "Hollin"}),
        _about("refund", "answer == case.label", expect={"label": "refund"}),
        _about("Fine.", "tools.exists(t, t.name == 'tide' && t.arguments.port == 'Hollin')",
               tools=(("tide", '{"port": "Hollin"}'),)),
        _about("Fine.", "usage.output_tokens < 50 && timing.ms < 1000.0", spent=_SPENT),
        _about("And then?", "size(turns) == 2 && turns[0].text != answer",
               before=(("assistant", "First."), ("user", "And?"))),
        _about("no JSON here", "json == null"),
        _about("prize: 5 € 🙂", "answer.endsWith('🙂')"),
    )  # fmt: skip
    bad: ClassVar = (
        "",
        _about('{"total": 190}', "json.total <= 100"),
        _about("Here: [1, -2]", "json.all(x, x > 0)"),
        _about("At ten.", "answer.contains('nine')"),
        _about("Sandray", "answer == inputs.port", inputs={"port": "Hollin"}),
        _about("Fine.", "tools.exists(t, t.name == 'tide')"),
        _about("Fine.", "usage.output_tokens < 10", spent=_SPENT),
        _about('{"label": "delay"}', "has(json.urgency)"),
        _about("x", "size(answer) > 1 ? true : false"),
    )  # fmt: skip

    def __init__(self, options: ExpressionOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        self._compiled = _compiled(options.expression)

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        told = " ".join(options.expression.split())
        return (
            told
            if 3 < len(told) <= 110
            else f"{told[:109]}…"
            if len(told) > 110
            else f"is true: {told}"
        )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        found = find_json(answer.text[:MOST_LOOKED_AT])
        spent = answer.spent
        data = {
            "answer": _clean(answer.text[:MOST_LOOKED_AT]),
            "json": None if found is None else _told(found.value),
            "inputs": _told(dict(ground.inputs)),
            "case": _told(ground.expect.to_json()),
            "turns": [{"role": turn.role, "text": _clean(turn.text)} for turn in answer.before],
            "tools": [
                {"name": _clean(u.name), "arguments": _arguments(u.arguments)} for u in answer.tools
            ],
            "usage": spent
            and {
                "input_tokens": spent.input_tokens,
                "output_tokens": spent.output_tokens,
                "cents": spent.cents,
            },
            "timing": spent and {"ms": spent.ms},
        }
        try:
            result = self._compiled.eval(data=data)
            value = result.plain_value()
        except Exception as error:
            return [
                Finding("", None, f"The expression could not be worked out: {_plain(str(error))}")
            ]
        if isinstance(value, bool) and result.type().name().lower() == "bool":
            return [Finding("", value, "It is true." if value else "It is false.")]
        if result.type().name().lower() in ("error", "*error*"):
            return [
                Finding(
                    "",
                    None,
                    f"The expression could not be worked out: {_plain(str(value))}{_hint(str(value))}",
                )
            ]
        return [Finding("", None, f"The expression gives {str(value)[:80]}, not true or false.")]


@lru_cache(maxsize=1)
def _environment() -> Env:
    from cel_expr_python import cel

    kinds = dict.fromkeys(KNOWN, cel.Type.DYN) | {"answer": cel.Type.STRING}
    return cel.NewEnv(variables=kinds)


def _compiled(expression: str) -> Any:
    """Raises InvalidInput that tells the place."""
    bare = _TEXT.sub("''", expression)
    for what, number, most in (
        ("loops such as map and all", len(_MACRO.findall(bare)), MOST_MACROS),
        ("signs +", bare.count("+"), MOST_SUMS),
    ):
        if number > most:
            raise InvalidInput(
                f"The expression has {number} {what}; {most} are allowed. Attach it as two checks.",
                field="options.expression",
            )
    try:
        environment = _environment()
    except ImportError as error:
        raise InvalidInput(
            "Expressions need the package cel-expr-python, which can't be loaded here.",
            field="options.expression",
        ) from error
    try:
        compiled = environment.compile(_clean(expression))
        gives = compiled.return_type().name().lower()
    except Exception as error:
        raise InvalidInput(
            f"The expression can't be read{_place(str(error), expression)}. It may use {', '.join(KNOWN)}.",
            field="options.expression",
        ) from error
    if gives not in ("bool", "dyn"):
        raise InvalidInput(
            f"The expression gives {gives}, not true or false. Compare it with something: … == …",
            field="options.expression",
        )
    return compiled


def _place(error: str, expression: str) -> str:
    """` at “answer <”, column 15: Syntax error: …`."""
    match = _PLACE.search(error)
    if match is None:
        return f": {_plain(error)}"
    line, column = int(match[1]), int(match[2])
    lines = expression.split("\n")
    before = lines[line - 1][:column][-30:] if line <= len(lines) else ""
    where = f"line {line}, column {column}" if len(lines) > 1 else f"column {column}"
    return f" at {where}, after “{before}”: {_plain(match[3].split(' expecting ')[0])}"


def _hint(error: str) -> str:
    return (
        " Ask whether it is there first: has(json.label) && …"
        if "not found" in error.lower()
        else ""
    )


def _plain(error: str) -> str:
    return " ".join(re.sub(r"^[A-Z_]+: |\[[A-Z_]+\]|\(in container '[^']*'\)", "", error).split())[
        :200
    ].rstrip(".")


def _clean(text: str) -> str:
    return text.encode("utf-8", "replace").decode()


def _told(value: Any, deep: int = 0) -> Any:
    """A value as the language has it: numbers that are too large for it are told about."""
    if deep > MOST_DEEP:
        return None
    if isinstance(value, str):
        return _clean(value[:MOST_LOOKED_AT])
    if isinstance(value, dict):
        return {_clean(str(key)): _told(each, deep + 1) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [_told(each, deep + 1) for each in value]
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int):
        return value if -(2**63) <= value < 2**63 else _float(value)
    return value if isinstance(value, float) and isfinite(value) else None


def _float(value: int) -> float | None:
    try:
        return float(value)
    except OverflowError:
        return None


def _arguments(text: str) -> Any:
    try:
        return _told(json.loads(text))
    except (ValueError, RecursionError):
        return _clean(text)
