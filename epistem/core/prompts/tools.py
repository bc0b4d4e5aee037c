"""A call of a tool as a model makes it: read, held against the tool's parameters, and answered where nothing has
to be reached for it: as the case says, by example, or by the fixed answer."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple

from epistem.core import strict_json
from epistem.core.plain import is_whole
from epistem.core.prompts.tool import AS_USUAL, SqlWork, Tool, ToolAnswer, ToolChoice, ToolTold
from epistem.core.schemas import compile_schema
from epistem.core.shapes import listed
from epistem.core.tools.telling import fault_told

How = Literal["fixed", "recorded", "live"]
Where = Literal["try", "trial"]

_TEXT = {"type": "string"}
_QUERY = {
    "query": {
        **_TEXT,
        "description": "One SELECT. Empty: you are shown the tables and their columns.",
    }
}
PARAMETERS: dict[str, dict[str, Any]] = {
    "sql": {"properties": _QUERY, "required": ["query"]},
    "clock": {"properties": {}},
    "arithmetic": {
        "properties": {
            "expression": {
                **_TEXT,
                "description": "As 12.50 * 3.0 + 4.2. Whole numbers divide to whole ones: write 7.0 / 2.0",
            }
        },
        "required": ["expression"],
    },
    "look_up": {"properties": {"question": _TEXT}, "required": ["question"]},
}
"""Of those kinds whose parameters follow from what they do."""


class ToolsAtHand(NamedTuple):
    """What the tools of an answer are; `told` is what they answer for its case before all else."""

    tools: Sequence[Tool] = ()
    told: Sequence[ToolTold] = ()
    choice: ToolChoice = AS_USUAL


@dataclass(frozen=True)
class ToolResult:
    """What the model is told. `fault` says what went wrong, else None. `how` it was had: it is the tool's fixed
    answer, or was recorded for this call, or something was reached; that took `ms`."""

    answer: str
    fault: str | None = None
    how: How = "fixed"
    ms: float = 0.0


class ToReach(NamedTuple):
    """A call that something has to be reached for."""

    tool: Tool
    arguments: dict[str, Any]


def answer_call(
    at_hand: ToolsAtHand, name: str, arguments: str, where: Where = "trial"
) -> ToolResult | ToReach:
    """The answer to a call, with its arguments as the model wrote them."""
    read = read_call(at_hand.tools, name, arguments)
    if isinstance(read, ToolResult):
        return read
    tool, given = read
    told = [each for each in at_hand.told if each.tool == name]
    if (found := _by_example(told, given)) is not None:
        return ToolResult(found, how="recorded")
    if tool.does is not None and _reaches(tool, where):
        return read
    if (found := _by_example(tool.by_example, given)) is not None:
        return ToolResult(found)
    if tool.does is not None and not tool.answer:
        return faulty(f"The tool “{name}” has no recorded answer to this call.")
    return ToolResult(tool.answer)


def read_call(tools: Iterable[Tool], name: str, arguments: str) -> ToReach | ToolResult:
    """The tool that is called and its arguments; a result with a fault for what can't be called so."""
    known = {tool.name: tool for tool in tools}
    tool = known.get(name)
    if tool is None:
        there = f"There are {listed(sorted(known), 'and')}." if known else "There are none."
        return faulty(f"There is no tool “{name}”. {there}")
    try:
        given = strict_json.loads(arguments or "{}")
    except (ValueError, RecursionError):
        return faulty("The arguments are not JSON.")
    if not isinstance(given, dict):
        return faulty("The arguments have to be a JSON object.")
    try:
        if not is_whole(json.dumps(given, ensure_ascii=False)):
            return faulty("The arguments have half a character in them. Write it whole, or not.")
        wrong = compile_schema(parameters_of(tool)).first_fault(given)
    except (ValueError, RecursionError):
        return faulty("The arguments are nested too deep.")
    if wrong is not None:
        where = f" at {wrong.path}" if wrong.path else ""
        return faulty(f"The arguments do not fit{where}: {wrong.message}")
    return ToReach(tool, given)


def parameters_of(tool: Tool) -> dict[str, Any]:
    """The schema of its arguments: its own, else that of what it does; without either it takes none."""
    if isinstance(tool.parameters, dict):
        return tool.parameters
    kind = tool.does.kind if tool.does else ""
    if isinstance(tool.does, SqlWork) and tool.does.statement:
        kind = ""
    return PARAMETERS.get(kind, {"properties": {}})


def faulty(why: str, how: How = "fixed", ms: float = 0.0) -> ToolResult:
    return ToolResult(fault_told(why), why, how, ms)


def _reaches(tool: Tool, where: Where) -> bool:
    """Whether a call goes out: in a trial only if the tool says so, and never where it changes something."""
    inside = tool.does is not None and tool.does.kind in ("clock", "arithmetic", "look_up")
    if where == "try" or inside:
        return True
    return tool.in_trials != "recorded" and not tool.changes


def does_nothing_in_trials(tool: Tool) -> bool:
    """Whether a trial has nothing but what its cases say that it answers."""
    return not _reaches(tool, "trial") and not tool.answer and not tool.by_example


def _by_example(told: Iterable[ToolAnswer], given: dict[str, Any]) -> str | None:
    for each in told:
        if all(name in given and given[name] == value for name, value in each.arguments.items()):
            return each.answer
    return None
