"""Calls of tools: whether, which, how many at once, and with which arguments.

Each tool is scored by how alike its name and description and the user's words are. To call none has
the score QUIET, and the choice is drawn like any other: more tools and more heat give more wrong calls.
Arguments are read from the text by the types of the tool's parameters. Where a required one is not
said, a careful model asks for it, and a careless one makes it up.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from itertools import product
from math import exp
from typing import Any, NamedTuple

from epistem.standin import extract
from epistem.standin.job import Job
from epistem.standin.mind import rng_of
from epistem.standin.sampler import cut_to
from epistem.standin.words import kinship, likeness, stems
from epistem.standin.work import sql

QUIET = 0.16
MOST_CALLS = 4
_QUERY = re.compile(r"\b(?:sql|query|statement)\b", re.I)
_WHOLE = ("question", "search", "search_words")
"""Parameters that take all that was said."""


class Call(NamedTuple):
    name: str
    arguments: str


def calls_for(job: Job) -> tuple[Call, ...]:
    """The calls it makes instead of an answer; none once their results are in."""
    body = job.request.body or {}
    tools = {t["function"]["name"]: t["function"] for t in body.get("tools") or ()}
    choice = body.get("tool_choice") or "auto"
    if not tools or choice == "none":
        return ()
    forced = choice["function"]["name"] if isinstance(choice, dict) else None
    if forced is None and choice != "required" and job.request.results:
        return ()
    scores = {name: _score(job, tool) for name, tool in tools.items()}
    wanted = [forced] if forced else _wanted(job, scores, must=choice == "required")
    if body.get("parallel_tool_calls") is False:
        wanted = wanted[:1]
    calls = [call for name in wanted for call in _calls_of(job, tools[name], must=choice != "auto")]
    most = 1 if body.get("parallel_tool_calls") is False else MOST_CALLS
    return tuple(dict.fromkeys(calls))[:most]


def _score(job: Job, tool: Mapping[str, Any]) -> float:
    about = re.sub(r"[_-]", " ", f"{tool['name']} {tool.get('description') or ''}")
    score = likeness(job.text, about) + 0.5 * job.model.knowledge * kinship(job.text, about)
    named = set(stems(job.text)) & set(stems(tool["name"].replace("_", " ")))
    return score + 0.2 * len(named) + 0.1 * job.mind.misreads(f"tool {tool['name']}")


def _wanted(job: Job, scores: Mapping[str, float], *, must: bool) -> list[str]:
    """The tool drawn, and others that the text speaks for nearly as plainly."""
    ways: dict[str, float] = dict(scores) if must else {"": QUIET, **scores}
    temperature = job.out.settings.temperature
    best = max(ways, key=ways.__getitem__)
    if temperature <= 0:
        chosen = best
    else:
        weights = [
            exp(job.model.attention * 2.2 * (z - ways[best]) / temperature) for z in ways.values()
        ]
        p = cut_to([w / sum(weights) for w in weights], job.out.settings.top_p)
        chosen = rng_of(f"{job.mind.luck('tool')}").choices(list(ways), p)[0]
    if not chosen:
        return []
    beside = [
        n for n, z in scores.items() if n != chosen and z > 1.3 * QUIET and z > 0.5 * scores[chosen]
    ]
    both = re.search(r"\b(?:and|also|then|as well)\b", job.text, re.I)
    return [chosen, *(beside if both else [])]


def _calls_of(job: Job, tool: Mapping[str, Any], *, must: bool) -> list[Call]:
    """One call, or one for each of several values of the same parameter ("in A and B")."""
    rules, required = _parameters(tool)
    found: dict[str, list[Any]] = {}
    for name, rule in rules.items():
        values = (
            extract.every(name, job.text, rule) or extract.every(name, job.request.told, rule)[-1:]
        )
        if name in _WHOLE and rule.get("type", "string") == "string":
            values = [job.text.strip()[:400]] if job.text.strip() else []
        if _QUERY.search(name) and sql.tables_in(job.instructions):
            values = [f"{sql.query_for(job)};"]
        if not values and name in required:
            if not must and not job.mind.slips(f"argument {name}", times=3):
                return []
            values = [_made_up(job, name, rule)]
        if values:
            found[name] = values if rule.get("type") != "array" else [values]
    many = max((name for name in found), key=lambda n: len(found[n]), default=None)
    several = {n: (v if n == many else v[:1]) for n, v in found.items()}
    if job.mind.slips("tool arguments") and several:
        several.pop(next(reversed(several)))
    return [
        Call(tool["name"], json.dumps(dict(zip(several, values, strict=True)), ensure_ascii=False))
        for values in product(*several.values())
    ]


def _made_up(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    kind = rule.get("type", "string")
    if rule.get("enum"):
        return rule["enum"][0]
    if kind in ("integer", "number"):
        return rule.get("minimum", 1)
    return {"boolean": False, "array": [], "object": {}}.get(
        str(kind), " ".join(stems(job.text)[:3])
    )


def missing_argument(job: Job) -> str:
    """What it has to ask for before it can call the tool that fits best, or ""."""
    tools = [t["function"] for t in (job.request.body or {}).get("tools") or ()]
    best = max(tools, key=lambda tool: _score(job, tool), default=None)
    if best is None or _score(job, best) < QUIET or job.request.results:
        return ""
    rules, required = _parameters(best)
    open_ones = [
        n
        for n in required
        if n not in _WHOLE and not extract.every(n, job.request.told, rules.get(n) or {})
    ]
    return open_ones[0].replace("_", " ") if open_ones else ""


def _parameters(tool: Mapping[str, Any]) -> tuple[dict[str, Any], list[str]]:
    """The rules of a tool's parameters by name, and the names of those that it must have."""
    schema = tool.get("parameters") or {}
    rules, required = schema.get("properties"), schema.get("required")
    named = (
        {n: r if isinstance(r, dict) else {} for n, r in rules.items()}
        if isinstance(rules, dict)
        else {}
    )
    return named, [n for n in required if n in named] if isinstance(required, list) else []
