"""A reply's shape in plain words: what `{{ reply_shape() }}` puts into a part."""

from __future__ import annotations

import json
from typing import Any

from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import listed

NOUNS = {
    "string": "text",
    "integer": "whole number",
    "number": "number",
    "boolean": "true or false",
    "null": "null",
    "object": "object",
    "array": "list",
}
MAX_DEPTH = 8


def shape_in_words(reply: ReplyShape) -> str:
    """Empty for a reply that is plain text, or whose schema is not one yet."""
    if reply.kind == "label":
        if not reply.labels:
            return ""
        return f"Answer with one of these labels and nothing else: {', '.join(reply.labels)}."
    if reply.kind == "json":
        return schema_in_words(reply.json_schema)
    return ""


def schema_in_words(schema: Any) -> str:
    """One line a field, those of objects inside indented below."""
    if not isinstance(schema, dict) or not schema:
        return ""
    if "properties" not in schema:
        return f"Answer with JSON and nothing else: {_kind(schema)}."
    lines = ["Answer with one JSON object and nothing else. Its fields:"]
    return "\n".join([*lines, *_fields(schema, 0)])


def _fields(schema: dict[str, Any], depth: int) -> list[str]:
    lines: list[str] = []
    required = schema.get("required")
    required = required if isinstance(required, list) else []
    properties = schema.get("properties")
    if not isinstance(properties, dict) or depth > MAX_DEPTH:
        return lines
    for name, field in properties.items():
        field = field if isinstance(field, dict) else {}
        told = [_kind(field)]
        if name not in required:
            told.append("may be left out")
        about = str(field.get("description", "")).strip().rstrip(".")
        line = f"{'  ' * depth}- {name} ({', '.join(told)})"
        lines.append(f"{line}: {about}" if about else line)
        inside = field.get("items") if field.get("type") == "array" else field
        if isinstance(inside, dict) and "properties" in inside:
            lines += _fields(inside, depth + 1)
    return lines


def _kind(field: dict[str, Any]) -> str:
    if "const" in field:
        return f"always {json.dumps(field['const'], ensure_ascii=False)}"
    if isinstance(field.get("enum"), list):
        return f"one of {listed([json.dumps(v, ensure_ascii=False) for v in field['enum']])}"
    kind = field.get("type")
    if isinstance(kind, list):
        return " or ".join(_kind({**field, "type": each}) for each in kind)
    if kind == "array":
        inside = field.get("items")
        items = inside if isinstance(inside, dict) else {}
        return f"list of {_bounds(field.get('minItems'), field.get('maxItems'))}{_plural(items)}"
    noun = NOUNS.get(str(kind), "any value")
    if kind == "string":
        bounds = _bounds(field.get("minLength"), field.get("maxLength"))
        return f"{noun} of {bounds}characters" if bounds else noun
    return noun + _range(field)


def _plural(items: dict[str, Any]) -> str:
    kind = items.get("type")
    if "enum" in items or "const" in items:
        return f"values, each {_kind(items)}"
    if kind == "object":
        return "objects, each with the fields below"
    plain = {"string": "texts", "integer": "whole numbers", "number": "numbers", "array": "lists"}
    return plain.get(str(kind), "values")


def _bounds(low: Any, high: Any) -> str:
    if low is not None and high is not None:
        return f"{low} to {high} "
    if high is not None:
        return f"at most {high} "
    return f"at least {low} " if low is not None else ""


def _range(field: dict[str, Any]) -> str:
    low, high = field.get("minimum"), field.get("maximum")
    if low is not None and high is not None:
        return f" from {low} to {high}"
    if low is not None:
        return f" of {low} or more"
    return f" of {high} or less" if high is not None else ""
