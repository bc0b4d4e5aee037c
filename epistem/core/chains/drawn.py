"""A walk as it is kept and drawn: each step with what it took, and when it began if nothing had waited for nothing."""

from __future__ import annotations

import heapq
import json
import re
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from epistem.core.chains.walked import Stepped

MOST_KEPT = 20_000
"""Characters of a value as JSON that are kept of what a step was given and wrote; the state is kept whole."""
_LAST = re.compile(r"[.~][^.~]*\Z")
_AT_ONCE = {"each": 4, "both": 8}


class Bar(NamedTuple):
    """When a step begins, in ms from the beginning of the walk, and how long it takes, with what it holds."""

    at: str
    start_ms: float
    ms: float


def owner_of(path: str, places: Mapping[str, Any]) -> str | None:
    """The place of the step that needed what has this path."""
    while path and path not in places:
        path = _LAST.sub("", path) if _LAST.search(path) else ""
    return path or None


def own_ms(steps: Sequence[Stepped], took: Mapping[str, float]) -> dict[str, float]:
    """What each step took itself, by its place: the calls, tools and look-ups of it (`took`, by path). Answers that
    are voted on come side by side, so the longest counts."""
    kinds = {step.at: step.kind for step in steps}
    found = dict.fromkeys(kinds, 0.0)
    for path, ms in took.items():
        at = owner_of(path, kinds)
        if at is not None:
            found[at] = max(found[at], ms) if kinds[at] == "vote" else found[at] + ms
    return found


def bars_of(steps: Sequence[Stepped], own: Mapping[str, float]) -> list[Bar]:
    """In the order of the steps. Items of a list and branches begin together, as far as they may."""
    parents: dict[str, list[Stepped]] = {}
    places = {step.at: step for step in steps}
    for step in steps:
        up = owner_of(_LAST.sub("", step.at), places) if "." in step.at else None
        parents.setdefault(up or "", []).append(step)
    bars: dict[str, Bar] = {}

    def lay(step: Stepped, start: float) -> float:
        """The end of it."""
        end = start + own.get(step.at, 0.0)
        inner = parents.get(step.at, [])
        if step.kind in _AT_ONCE:
            end = _side_by_side(step, inner, end)
        else:
            for each in inner:
                end = lay(each, end)
        bars[step.at] = Bar(step.at, start, end - start)
        return end

    def _side_by_side(step: Stepped, inner: Sequence[Stepped], start: float) -> float:
        lines: dict[str, list[Stepped]] = {}
        for each in inner:
            lines.setdefault(each.at[len(step.at) + 1 :].split(".")[0], []).append(each)
        free = [start] * _AT_ONCE[step.kind]
        ends = [start]
        for line in lines.values():
            at = heapq.heappop(free)
            for each in line:
                at = lay(each, at)
            heapq.heappush(free, at)
            ends.append(at)
        return max(ends)

    end = 0.0
    for step in parents.get("", []):
        end = lay(step, end)
    return [bars[step.at] for step in steps if step.at in bars]


def told_step(step: Stepped, ms: float = 0.0) -> dict[str, Any]:
    """As JSON, long values cut."""
    told = step._asdict()
    told["tools"] = [tool._asdict() for tool in step.tools]
    told["said"] = [each._asdict() for each in step.said]
    told["found"] = [
        {
            "input": each.input,
            "collection": each.looking.collection,
            "version": each.looking.version,
            "question": each.question,
            "passages": [passage.reference for passage in each.passages],
        }
        for each in step.found
    ]
    told["ms"] = ms
    return in_short(told, MOST_KEPT)


def texts_of_steps(steps: Sequence[Mapping[str, Any]]) -> dict[str, str]:
    """What each step wrote last, by its name, of steps as they are told: the one value as text, or all as a record."""
    found = {}
    for step in steps:
        wrote = {name: cut(value) for name, value in step["wrote"].items()}
        if wrote:
            value = next(iter(wrote.values())) if len(wrote) == 1 else wrote
            text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
            found[step["name"]] = text
    return found


def in_short(told: Mapping[str, Any], most: int) -> dict[str, Any]:
    """A step as JSON with no value longer than that."""
    return {
        **told,
        "given": {name: cut(value, most) for name, value in told["given"].items()},
        "wrote": {name: cut(value, most) for name, value in told["wrote"].items()},
        "told": told["told"][:most],
        "reasoning": told["reasoning"][:most],
        "tools": [
            {**tool, "arguments": tool["arguments"][:most], "answer": tool["answer"][:most]}
            for tool in told["tools"]
        ],
    }


def cut(value: Any, most: int = MOST_KEPT) -> Any:
    """The value where it is short enough as JSON, else the beginning of it as text, with a word on its length."""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)
    if len(text) <= most:
        return value if isinstance(value, str) else json.loads(text)
    return f"{text[:most]}… ({len(text):,} characters)"


def step_of_place(at: str) -> str:
    """The place of a step in its chain, without the rounds and items of a walk: `2.r1.3` is `2.3`."""
    return ".".join(part for part in at.split(".") if not re.fullmatch(r"[rit]\d+", part))


def failed_at(steps: Sequence[Stepped]) -> Stepped | None:
    """The last step with a fault; among them the innermost."""
    faulty = [step for step in steps if step.fault]
    return faulty[-1] if faulty else None


def comes_before(at: str, other: str, order: Sequence[str], kinds: Mapping[str, str]) -> bool:
    """Whether the step at `at` does not wait for the one at `other`: it stands before it, holds it, or is in another
    item or branch beside it. `order` are the places of the walk in order."""
    if at == other:
        return False
    if other.startswith(f"{at}."):
        return True
    mine, its = at.split("."), other.split(".")
    shared = 0
    while shared < min(len(mine), len(its)) and mine[shared] == its[shared]:
        shared += 1
    holder = ".".join(mine[:shared])
    if kinds.get(holder) in _AT_ONCE:
        return True
    return order.index(at) < order.index(other)
