"""What does not stop a draft from being sent, and is worth a second look all the same."""

from __future__ import annotations

from epistem.core import strict_json
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt, ReplyShape
from epistem.core.prompts.problems import Problem
from epistem.core.schemas import compile_schema

MOST = 20
"""Doubts that are told at once."""
LONG = 20_000
"""Characters of an answer; a longer one is not looked at at every key."""


def doubts_of(prompt: Prompt) -> list[Problem]:
    """Examples that are shown to the model and whose answer the reply shape would not let through."""
    found: list[Problem] = []
    for at, example in enumerate(prompt.examples):
        if example.off or not example.answer.strip() or len(example.answer) > LONG:
            continue
        if wrong := _misfit(example.answer, prompt.reply):
            found.append(Problem(f"examples.{at}.answer", wrong))
        if len(found) == MOST:
            break
    return found


def _misfit(answer: str, reply: ReplyShape) -> str:
    """Why the answer is none of this shape; "" where it is one, or where that can't be told."""
    if reply.kind == "label":
        fits = not reply.labels or answer.strip() in reply.labels
        return "" if fits else "The answer is none of the labels."
    if reply.kind != "json":
        return ""
    try:
        value = strict_json.loads(answer)
    except ValueError:
        return "The answer is not JSON, and the reply should be."
    except RecursionError:
        return "The answer is nested too deeply."
    try:
        fault = (
            None
            if reply.json_schema is None
            else compile_schema(reply.json_schema).first_fault(value)
        )
    except InvalidInput:
        return ""  # the schema's own fault is told elsewhere
    return "" if fault is None else f"It does not fit the reply shape: {fault.message}"
