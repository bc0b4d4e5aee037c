"""Reckoning from a record: rules such as "If class is lounge, the fare is 20" applied one after the other.

A rule is followed as far as it is heard: plainer in a list than within a paragraph. A careless model also
drops a step, or takes an amount that stands beside the right one.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from epistem.standin.job import Job, register
from epistem.standin.rule import Rule

FEWEST_RULES = 3
MOST_RULES, MOST_FIELDS = 60, 60
IN_A_LIST, IN_PROSE = 2.0, 0.0
"""How plain a rule is by where it stands."""
_VALUE = r"[\w€£$-][\w€£$.-]*?(?: \w+)??"
_CONDITION = re.compile(
    r"(?:if|when|where) (?:the |there (?:is|are) )?(?P<field>[\w ]{1,30}?) (?:is|are) "
    rf"(?:(?P<how>over|above|more than|under|below|less than|at least|at most) )?(?P<value>{_VALUE})\s*[,:]\s*"
    r"(?:then )?(?P<rest>.+)",
    re.I | re.S,
)
_EACH = re.compile(
    r"for each (?:of (?:the )?)?(?P<field>[\w ]{1,30}?),? (?P<rest>(?:add|take|the) .+)",
    re.I | re.S,
)
_EFFECTS = (
    ("times", re.compile(r"multiply the (?P<target>\w+) by (?:the )?(?:number of )?(?P<amount>[\w.]+)", re.I)),
    ("off %", re.compile(r"take (?P<amount>[\d.]+) ?(?:%|percent) off the (?P<target>\w+)", re.I)),
    ("off", re.compile(r"take (?P<amount>[\d.]+) off the (?P<target>\w+)", re.I)),
    ("on %", re.compile(r"add (?P<amount>[\d.]+) ?(?:%|percent) to the (?P<target>\w+)", re.I)),
    ("on", re.compile(r"add (?P<amount>[\d.]+) to the (?P<target>\w+)", re.I)),
    ("is", re.compile(r"the (?P<target>\w+) is (?:the )?(?P<amount>[\w.]+)", re.I)),
)  # fmt: skip
_COMPARED = {
    "over": lambda a, b: a > b,
    "above": lambda a, b: a > b,
    "more than": lambda a, b: a > b,
    "under": lambda a, b: a < b,
    "below": lambda a, b: a < b,
    "less than": lambda a, b: a < b,
    "at least": lambda a, b: a >= b,
    "at most": lambda a, b: a <= b,
}
_LINE = re.compile(r"^\s*(?:[-*•]|\d{1,2}[.)])\s+")


@dataclass(frozen=True)
class Step:
    """What is done to `target`, where the condition holds; "" for none. `each` is a field that it is done
    for as often as that says."""

    words: str
    does: str
    target: str
    amount: str
    field: str = ""
    how: str = ""
    value: str = ""
    each: str = ""
    ease: float = 0.0


@lru_cache(maxsize=500)
def steps_in(text: str) -> tuple[Step, ...]:
    """The rules of a text, in its order."""
    found: list[Step] = []
    for line in text.splitlines():
        in_list = _LINE.match(line) is not None
        for sentence in re.split(
            r"(?<=[^\d\s])\.\s+|(?<=\d)\.\s+(?=[A-Z])|;\s+", _LINE.sub("", line)
        ):
            step = _step(sentence.strip().rstrip("."), IN_A_LIST if in_list else IN_PROSE)
            if step is not None:
                found.append(step)
    return tuple(found[:MOST_RULES])


def _step(sentence: str, ease: float) -> Step | None:
    condition, each = _CONDITION.match(sentence), _EACH.match(sentence)
    rest = condition["rest"] if condition else each["rest"] if each else sentence
    for does, pattern in _EFFECTS:
        effect = pattern.match(rest)
        if effect is not None:
            step = Step(
                sentence, does, effect["target"].lower(), effect["amount"].lower(), ease=ease
            )
            if condition:
                field, value = condition["field"].lower(), condition["value"].lower()
                how = (condition["how"] or "").lower()
                return replace(step, field=field, how=how, value=value)
            return replace(step, each=each["field"].lower()) if each else step
    return None


def record_of(job: Job) -> dict[str, str]:
    """The record that the user sent: JSON, or a `name: value` a line."""
    text = job.request.block("booking", "record", "order", "data") or job.request.turns[-1].text
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        value = None
    if isinstance(value, dict):
        return {_named(name): str(told).lower() for name, told in value.items()}
    lines = (line.partition(":") for line in text.splitlines()[:MOST_FIELDS])
    return {
        _named(name): told.strip().lower() for name, mark, told in lines if mark and told.strip()
    }


def reckoned(job: Job) -> tuple[dict[str, float | str], list[str]]:
    """What comes out by target, and the conditions that were met on the way."""
    record = record_of(job)
    steps = steps_in(job.instructions)
    found: dict[str, float | str] = {}
    because: list[str] = []
    for at, step in enumerate(steps):
        rule = Rule("reckon", step.words, step.words, (len(steps) - at) * 12, step.ease)
        if not job.mind.hears(rule, max(len(steps) // 3, 1)):
            continue
        if step.field and not _holds(step, {**record, **found}):
            continue
        times = _number(record.get(_named(step.each), "0")) if step.each else 1.0
        if times is None or times == 0:
            continue
        if job.mind.slips(f"drops {step.words}", times=0.5):
            continue
        if step.field:
            because.append(
                f"{step.field} is {record.get(_named(step.field), found.get(step.field))}"
            )
        _apply(step, times, record, found)
    return {name: round(v, 2) if isinstance(v, float) else v for name, v in found.items()}, because


def _apply(
    step: Step, times: float, record: Mapping[str, str], found: dict[str, float | str]
) -> None:
    told: float | str | None = _number(step.amount)
    if told is None:
        told = found.get(step.amount, record.get(_named(step.amount), step.amount))
        told = told if isinstance(told, float) or (n := _number(str(told))) is None else n
    if step.does == "is":
        found[step.target] = told
        return
    before = found.get(step.target, 0.0)
    if not isinstance(before, float) or not isinstance(told, float):
        return
    match step.does:
        case "times":
            found[step.target] = before * told
        case "on":
            found[step.target] = before + told * times
        case "off":
            found[step.target] = before - told * times
        case "on %":
            found[step.target] = before * (1 + told / 100)
        case "off %":
            found[step.target] = before * (1 - told / 100)


def _holds(step: Step, known: Mapping[str, float | str]) -> bool:
    here = known.get(_named(step.field))
    if here is None:
        return False
    if not step.how:
        return str(here) == step.value or _number(str(here)) == _number(step.value) is not None
    one, other = _number(str(here)), _number(step.value)
    return one is not None and other is not None and bool(_COMPARED[step.how](one, other))


def _number(text: str) -> float | None:
    found = re.fullmatch(r"[€£$]? ?(-?\d{1,9}(?:\.\d{1,4})?)", text.strip())
    return float(found[1]) if found else None


def _named(name: str) -> str:
    return name.strip().lower().replace("_", " ")


def _told(job: Job) -> Iterator[str]:
    found, because = reckoned(job)
    for name, value in found.items():
        yield f"The {name} is {value:g}." if isinstance(value, float) else f"The {name} is {value}."
    if because:
        yield f"That is because {' and '.join(because[:3])}."


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    found, because = reckoned(job)
    if re.search(r"reason|because|why", name, re.I):
        return f"Because {' and '.join(because[:4])}." if because else None
    value = found.get(name.lower())
    if isinstance(value, float) and rule.get("type") == "integer":
        return int(value)
    return value


def _fits(job: Job) -> bool:
    return len(steps_in(job.instructions)) >= FEWEST_RULES and len(record_of(job)) > 1


register("reckon", _fits, lambda job: job.write(_told(job)), _value)
