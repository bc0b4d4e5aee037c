"""The reply matches its JSON Schema, and holds nothing but the JSON."""

from __future__ import annotations

from typing import Any, ClassVar

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.signature import digest
from epistem.core.checks.structure.find_json import FoundJson, find_json
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.schemas import compile_schema

_SHOWN = {
    "type": "object",
    "properties": {
        "label": {"enum": ["delay", "refund"]},
        "urgency": {"type": "integer", "minimum": 1, "maximum": 5},
    },
    "required": ["label"],
    "additionalProperties": False,
}


class ReplySchemaOptions(Options):
    """`json_schema`: the schema to hold answers to; by default the version's own."""

    json_schema: dict[str, Any] | bool | None = None


class ReplySchema(Check):
    key = "structure.reply_schema"
    version = 1
    kind = "structure"
    summary = "The reply is JSON that matches the schema; prose or a code fence round it is a finding of its own."
    aspects = (Aspect("", "fits the reply shape"), Aspect("bare", "nothing round the JSON"))
    Options: ClassVar[type[Options]] = ReplySchemaOptions
    libraries = ("jsonschema-rs",)
    repairs = True

    shown_with: ClassVar = {"json_schema": _SHOWN}
    good: ClassVar = (
        '{"label": "delay"}',
        ' {"label": "refund", "urgency": 5}\n',
        '{"urgency": 1.0, "label": "delay"}',
        '{"label":"delay","urgency":3}',
        '{\n  "label": "refund"\n}',
        '{"label": "\\u0064elay"}',
        Example("[1, 2]", {"json_schema": {"type": "array"}}),
        Example('"yes"', {"json_schema": {"enum": ["yes", "no"]}}),
    )
    bad: ClassVar = (
        "",
        "delay",
        '{"label": "late"}',
        '{"urgency": 2}',
        '{"label": "delay", "urgency": 6}',
        '{"label": "delay", "why": "fog"}',
        'Here you are: {"label": "delay"}',
        '```json\n{"label": "delay"}\n```',
        '{"label": "delay"',
        "{'label': 'delay'}",
    )

    def __init__(self, options: ReplySchemaOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        schema = reply.json_schema if options.json_schema is None else options.json_schema
        if schema is None:
            raise InvalidInput(
                "“fits the reply shape” needs a schema: give the prompt a reply schema, "
                "or leave this check out.",
                field="checks.structure.reply_schema",
            )
        self._schema = compile_schema(schema)

    @classmethod
    def resolved(cls, options: ReplySchemaOptions, reply: ReplyShape) -> dict[str, Any]:
        schema = reply.json_schema if options.json_schema is None else options.json_schema
        return {"json_schema": "none" if schema is None else digest(schema)}

    def repair(self, text: str, ground: Ground) -> str:
        """The JSON alone, where it stands in prose or a fence and matches the schema."""
        found = find_json(text)
        if found is None or found.bare or self._schema.first_fault(found.value) is not None:
            return text
        return text[found.start : found.end]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        found = find_json(answer.text)
        if found is None:
            cut = " It was cut off at the token limit." if answer.finish_reason == "length" else ""
            return [Finding("", False, f"There is no JSON in the answer.{cut}")]
        fault = self._schema.first_fault(found.value)
        if fault is None:
            shape = Finding("", True, "The JSON matches the schema.")
        else:
            at = f" at {fault.path}" if fault.path else ""
            shape = Finding("", False, f"The JSON does not match the schema{at}: {fault.message}")
        return [shape, _what_is_round(answer.text, found)]


def _what_is_round(text: str, found: FoundJson) -> Finding:
    if found.bare:
        return Finding("bare", True, "The answer is the JSON alone.")
    spans = []
    for start, end in ((0, found.start), (found.end, len(text))):
        outside = text[start:end]
        if outside.strip():
            first = start + len(outside) - len(outside.lstrip())
            last = end - (len(outside) - len(outside.rstrip()))
            spans.append(Span(first, last, "not part of the JSON"))
    fenced = "```" in text
    message = "A code fence stands round the JSON." if fenced else "There is prose round the JSON."
    return Finding("bare", False, message, tuple(spans))
