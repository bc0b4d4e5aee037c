"""The labels that an answer may give."""

from __future__ import annotations

from typing import Any

from epistem.core.prompts.content import ReplyShape


def labels_of(reply: ReplyShape) -> list[str]:
    """Those of the reply shape; of a JSON reply the choices of its field `label`, or else of the first
    field that has choices. None for plain text."""
    if reply.kind == "text":
        return []
    if reply.kind == "json" and isinstance(reply.json_schema, dict):
        fields = reply.json_schema.get("properties")
        found = (
            {name: choices for name, each in fields.items() if (choices := _choices(each))}
            if isinstance(fields, dict)
            else {}
        )
        if found:
            return found.get("label") or next(iter(found.values()))
    return list(reply.labels)


def _choices(schema: Any) -> list[str]:
    choices = schema.get("enum") if isinstance(schema, dict) else None
    return [each for each in choices if isinstance(each, str)] if isinstance(choices, list) else []
