"""What a tool answers in a try: by example, else its fixed answer."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from epistem.core.prompts.content import Tool, ToolTold
from epistem.core.schemas import compile_schema
from epistem.core.shapes import listed


@dataclass(frozen=True)
class ToolResult:
    """`fault` says what is wrong with the call, and is what the model is told; else None."""

    answer: str
    fault: str | None = None


def with_told(tools: Sequence[Tool], told: Sequence[ToolTold]) -> list[Tool]:
    """The tools, as they answer for a case that says what they answer: its answers come first."""
    if not told:
        return list(tools)
    return [
        tool.model_copy(
            update={
                "by_example": [each for each in told if each.tool == tool.name] + tool.by_example
            }
        )
        for tool in tools
    ]


def answer_call(tools: Iterable[Tool], name: str, arguments: str) -> ToolResult:
    """The answer to a call, with its arguments as the model wrote them."""
    known = {tool.name: tool for tool in tools}
    tool = known.get(name)
    if tool is None:
        there = f"There are {listed(sorted(known), 'and')}." if known else "There are none."
        return _fault(f"There is no tool “{name}”. {there}")
    try:
        given = json.loads(arguments or "{}")
    except ValueError:
        return _fault("The arguments are not JSON.")
    if not isinstance(given, dict):
        return _fault("The arguments have to be a JSON object.")
    if isinstance(tool.parameters, dict):
        wrong = compile_schema(tool.parameters).first_fault(given)
        if wrong is not None:
            where = f" at {wrong.path}" if wrong.path else ""
            return _fault(f"The arguments do not fit{where}: {wrong.message}")
    for example in tool.by_example:
        if _contains(given, example.arguments):
            return ToolResult(example.answer)
    return ToolResult(tool.answer)


def _contains(given: dict[str, Any], wanted: dict[str, Any]) -> bool:
    return all(name in given and given[name] == value for name, value in wanted.items())


def _fault(why: str) -> ToolResult:
    return ToolResult(json.dumps({"error": why}, ensure_ascii=False), why)
