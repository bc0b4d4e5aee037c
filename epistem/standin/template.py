"""Templates of an answer as people write them in a prompt, `{"relevance": n, "reason": "…"}`, and what the
values that stand in them ask for."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

from epistem.standin.words import stems

MOST_CHARACTERS = 4_000
CERTAIN = 5.0
_VALUE = re.compile(
    r'(?P<before>[:,\[]\s*)(?P<bare>[^\s"{}\[\],:][^"{}\[\],]*?)(?P<after>\s*(?=[,}\]]))'
)
_RANGE = re.compile(r"(\d+)\s*(?:-|–|to|and|\.\.)\s*(\d+)")
_NUMBER = re.compile(
    rf"(?:an? |the )?(?:n|x|k|int|integer|number|num|float|score)(?:[ :,]+(?:from|between|of)?\s*{_RANGE.pattern})?"
    rf"|{_RANGE.pattern}",
    re.I,
)
_TRUTH = re.compile(
    r"bool(?:ean)?|(?:true|false|yes|no)\s*(?:\bor\b|[|/,])\s*(?:true|false|yes|no)", re.I
)
_NOT = r"(?:no|not|never|without|isn't|wasn't|aren't|n't|nor|hardly)"


def template_at(text: str, start: int) -> Any:
    """The JSON that begins there, also where its values are stand-ins of no JSON; None for what is none."""
    try:
        return json.JSONDecoder().raw_decode(text, start)[0]
    except (ValueError, RecursionError):
        pass
    depth = 0
    for at in range(start, min(len(text), start + MOST_CHARACTERS)):
        depth += (text[at] in "{[") - (text[at] in "}]")
        if depth == 0:
            return _loosely(text[start : at + 1])
    return None


def _loosely(text: str) -> Any:
    quoted = text.replace("“", '"').replace("”", '"').replace("...", "…")

    def as_text(found: re.Match[str]) -> str:
        bare = found["bare"].strip()
        if bare in ("true", "false", "null") or re.fullmatch(r"-?\d+(?:\.\d+)?", bare):
            return found[0]
        return f"{found['before']}{json.dumps(bare)}{found['after']}"

    try:
        return json.loads(_VALUE.sub(as_text, quoted))
    except (ValueError, RecursionError):
        return None


def hinted_by(value: str) -> Mapping[str, Any]:
    """The schema of what a text in a template asks for: `1-5`, `true or false`, `low | high`, `…`. A text
    that may as well be a value, such as `yes` or `10 cm`, asks for a text."""
    bare = value.strip(" <>[]()")
    if _TRUTH.fullmatch(bare):
        return {"type": "boolean"}
    if _NUMBER.fullmatch(bare):
        scale = _RANGE.search(bare)
        low, high = sorted(map(int, scale.groups())) if scale else (0, 0)
        bounds = {"minimum": low, "maximum": high} if scale else {}
        return {"type": "number" if "float" in bare.lower() else "integer", **bounds}
    choices = [each for each in map(str.strip, bare.split("|")) if each]
    return {"enum": choices} if len(choices) > 1 else {"type": "string"}


def truth_of(name: str, text: str) -> float | None:
    """How surely a yes/no field of that name is true by the text's own words, below 0 for false; None
    where they do not say: `signed` in “a signed copy” is, in “it is not signed” is not."""
    wanted = set(stems(re.sub(r"[_-]", " ", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name))))
    wanted -= {"is", "has", "have", "was", "want", "need", "can"}
    if not wanted:
        return None
    words = re.findall(r"[\w'’]+", text.lower())
    for at, word in enumerate(words):
        if not wanted.isdisjoint(stems(word)):
            before = " ".join(words[max(0, at - 3) : at])
            denied = re.search(rf"\b{_NOT}\b|n['’]t\b", before)
            return -CERTAIN if denied else CERTAIN
        if word.startswith("un") and not wanted.isdisjoint(stems(word[2:])):
            return -CERTAIN
    return None
