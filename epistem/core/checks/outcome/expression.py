"""An expression of one's own, in the Common Expression Language: true lets an answer pass."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field

from epistem.core import strict_json
from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Spent
from epistem.core.checks.structure.find_json import find_json
from epistem.core.errors import InvalidInput
from epistem.core.expressions import Compiled, Kind, clean, compiled_expression, told_of
from epistem.core.prompts.content import ReplyShape

KNOWN = ("answer", "json", "inputs", "case", "turns", "tools", "usage", "timing")
_KINDS: dict[str, Kind] = {name: "string" if name == "answer" else "any" for name in KNOWN}


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
        self._compiled = _condition(options.expression)

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
        try:
            value = self._compiled.value(_data(answer, ground))
        except InvalidInput as error:
            told = f"The expression could not be worked out: {error.message}{_hint(error.message)}"
            return [Finding("", None, told)]
        if isinstance(value, bool):
            return [Finding("", value, "It is true." if value else "It is false.")]
        return [Finding("", None, f"The expression gives {str(value)[:80]}, not true or false.")]


def _data(answer: Answer, ground: Ground) -> dict[str, Any]:
    """What the expression sees. Raises InvalidInput where it can't see it whole."""
    text, spent = told_of(answer.text), answer.spent
    found = find_json(answer.text)
    tokens = spent and {
        "input_tokens": spent.input_tokens,
        "output_tokens": spent.output_tokens,
        "cents": spent.cents,
    }
    return {
        "answer": text,
        "json": None if found is None else told_of(found.value),
        "inputs": told_of(dict(ground.inputs)),
        "case": told_of(ground.expect.to_json()),
        "turns": [{"role": turn.role, "text": told_of(turn.text)} for turn in answer.before],
        "tools": [
            {"name": clean(u.name), "arguments": _arguments(u.arguments)} for u in answer.tools
        ],
        "usage": tokens,
        "timing": spent and {"ms": spent.ms},
    }


def _condition(expression: str) -> Compiled:
    """Raises InvalidInput that tells the place."""
    compiled = compiled_expression(expression, _KINDS, field="options.expression")
    if compiled.gives not in ("bool", "dyn"):
        raise InvalidInput(
            f"The expression gives {compiled.gives}, not true or false. Compare it with something: … == …",
            field="options.expression",
        )
    return compiled


def _hint(error: str) -> str:
    return (
        " Ask whether it is there first: has(json.label) && …"
        if "not found" in error.lower()
        else ""
    )


def _arguments(text: str) -> Any:
    try:
        return told_of(strict_json.loads(text))
    except (ValueError, RecursionError):
        return told_of(text)
