"""A planner: a vague message, with what the talk before was about, as steps that can be done."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from epistem.standin.extract import until_small
from epistem.standin.job import Job, register
from epistem.standin.words import stems

_ASKED = re.compile(
    r"\b(?:plan|steps to|list of (?:steps|tasks)|break (?:it|this|the \w+) (?:down|up)|into (?:steps|tasks))\b",
    re.I,
)
_PRONOUN = re.compile(r"\b(?:it|that|this|them|those|one)\b", re.I)


def steps_of(job: Job) -> list[str]:
    """One step for each thing the message wants; a word that points back says what at."""
    topic = topic_of(job)
    found = []
    for part in re.split(
        r"\s*(?:,\s*(?:and\s+|then\s+)?|;|\band then\b|\bthen\b|\band\b|[.!?])\s*", job.text
    ):
        if not stems(part):
            continue
        step = _PRONOUN.sub(topic, part, count=1) if topic else part
        found.append(f"{step[:1].upper()}{step[1:]}.")
    if topic and not any(topic in step for step in found):
        found.insert(0, f"Look up {topic}.")
    return [*found, "Tell the person what was done."]


def topic_of(job: Job) -> str:
    """What the user spoke of before: the longest run of telling words of their earlier turns."""
    earlier = " ".join(turn.text for turn in job.request.turns[:-1] if turn.role == "user")
    runs = re.findall(r"\b(?:my|the|our|an?) ((?:[\w-]+ ?){1,3})", earlier, re.I)
    things = [thing for run in runs if (thing := until_small(run))]
    return f"the {max(things, key=len)}" if things else ""


def _write(job: Job) -> None:
    for at, step in enumerate(steps_of(job), 1):
        job.out.say(f"{chr(10) if at > 1 else ''}{at}. {step}")


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if rule.get("type") == "array" or re.search(r"step|plan|task", name, re.I):
        steps = steps_of(job)
        return steps if rule.get("type") == "array" else " ".join(steps)
    return None


register("planner", lambda job: bool(_ASKED.search(job.instructions)), _write, _value)
