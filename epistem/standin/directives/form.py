"""What the answer looks like: JSON, a list, a code block, nothing beside it, thoughts first."""

import json
import re

from epistem.standin.directives import asks, register


def _is_json(text: str, value: bool) -> bool:
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return False
    return True


def _is_alone(text: str, value: bool) -> bool:
    return not re.match(r"(?:here|sure|the answer|answer:|label:|```)", text, re.I)


def _is_listed(text: str, value: bool) -> bool:
    return bool(re.search(r"^\s*(?:[-*•]|\d+[.)])\s", text, re.M))


register("json", asks("json"), kept=_is_json, ease=2.0)
register("alone", asks("alone"), kept=_is_alone, ease=0.5)
register("listed", asks("listed"), kept=_is_listed, against=("bare",))
register("fenced", asks("fenced"), kept=lambda text, value: "```" in text, against=("bare",))
register(
    "bare",
    asks("bare"),
    kept=lambda text, value: not re.search(r"```|^\s*[-*•] |\*\*|^#", text, re.M),
)
register("think", asks("think"))
