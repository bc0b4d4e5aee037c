"""A talk that collects fields: what is known so far, what is asked for next, what comes at the end.

A field is known when the user's words have a value of its kind, or when the user answered the question
that asked for it. Without "one question at a time" heard it asks for several at once; without an order
heard it asks in its own; without "before" heard it is done too soon; a careless model asks again for
what it has been told.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from itertools import pairwise
from typing import Any

from epistem.standin import extract
from epistem.standin.job import Job, register
from epistem.standin.words import stems
from epistem.standin.work.chat import guarded
from epistem.standin.writing import Sentence

REFUSES = re.compile(
    r"\b(?:rather not|won't|will not|don't want to|do not want to|not going to|no thanks|none of your|"
    r"prefer not|refuse|why do you need|skip that|not telling)\b",
    re.I,
)


_SILENT = re.compile(r"\s*\((?:nothing said|silence|no (?:answer|reply))\b[^)]*\)\s*", re.I)


def fields_of(job: Job) -> tuple[str, ...]:
    """The fields to collect, whether or not the model keeps to how: what is asked for is plain."""
    return next((rule.value for rule in job.rules if rule.name == "collect"), ())


def known(job: Job) -> dict[str, Any]:
    """Values by field, from the user's own words and their answers to questions about a field."""
    fields = fields_of(job)
    found = {name: extract.find(name, job.request.told) for name in fields}
    answered = set()
    for asked, told in pairwise(job.request.turns):
        if (asked.role, told.role) != ("assistant", "user") or REFUSES.search(told.text):
            continue
        if _SILENT.fullmatch(told.text):
            continue
        about = [name for name in fields if _asks_for(asked.text, name)]
        # What is told when asked for it counts more than what is read out of other words.
        if len(about) == 1 and about[0] not in answered and told.text.strip():
            answered.add(about[0])
            found[about[0]] = (
                extract.find(about[0], told.text) or told.text.strip().rstrip(".!")[:60]
            )
    return {name: value for name, value in found.items() if value is not None}


def _asks_for(text: str, name: str) -> bool:
    questions = " ".join(re.findall(r"[^.!?]*\?", text))
    return bool(stems(name)) and stems(name)[-1] in stems(questions)


def _refused(job: Job) -> str:
    """The field that the user has just refused to give, or ""."""
    turns = job.request.turns
    if len(turns) < 2 or not REFUSES.search(turns[-1].text):
        return ""
    return next((name for name in fields_of(job) if _asks_for(turns[-2].text, name)), "")


def _content(job: Job) -> Iterator[Sentence]:
    plan, mind = job.plan, job.mind
    fields = fields_of(job)
    have = known(job)
    refused = _refused(job)
    if refused and plan.ask_why:
        yield f"May I ask why you would rather not give the {refused}?"
        return
    if refused and not plan.let_go:
        yield f"I need the {refused} to go on. What is the {refused}?"
        return
    given_up = {name for name in fields if _given_up(job, name)} | ({refused} if refused else set())
    open_fields = [name for name in fields if name not in have and name not in given_up]
    if not plan.in_order:
        open_fields.sort(key=lambda name: mind.luck(f"order {name}"))
    if have and not plan.no_repeat and mind.slips("asks again", times=3):
        open_fields.insert(0, next(iter(have)))
    early = not plan.first and mind.happens(0.6, "too soon")
    if not open_fields or (early and have):
        yield (
            "Thank you, that is all I need."
            if not open_fields
            else "Thank you, I will see to it now."
        )
        if have:
            yield (
                "I have noted: "
                + ", ".join(f"{name} {value}" for name, value in have.items())
                + "."
            )
        if plan.goodbye and not open_fields:
            yield "Goodbye."
        return
    if _SILENT.fullmatch(job.request.turns[-1].text):
        yield from _after_silence(job, open_fields[0])
        return
    if not have and len(job.request.turns) <= 1:
        yield "I can help with that."
    many = 1 if plan.one_question else min(len(open_fields), 2 + int(3 * mind.luck("how many")))
    for name in open_fields[:many]:
        yield {
            f"What is the {name}?": 1.0,
            f"Could you tell me the {name}?": 0.5,
            f"And the {name}?": 0.0 if have else -4.0,
        }


def _after_silence(job: Job, name: str) -> Iterator[Sentence]:
    """Comes back to the person; one that does not know how to says the same again, or takes it for an answer."""
    if job.plan.follow_up:
        yield {
            f"Are you still there? I only need the {name}.": 1.0,
            f"Take your time. When you are ready, what is the {name}?": 0.5,
        }
    elif job.mind.happens(0.6, "repeats itself"):
        before = [turn.text for turn in job.request.turns if turn.role == "assistant"]
        yield before[-1] if before else f"What is the {name}?"
    else:
        yield "Thank you, it is noted."


def _given_up(job: Job, name: str) -> bool:
    """Asked for before, and refused then."""
    return any(
        a.role == "assistant"
        and b.role == "user"
        and REFUSES.search(b.text)
        and _asks_for(a.text, name)
        for a, b in pairwise(job.request.turns)
    )


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    have = known(job)
    asked = next((n for n in have if n.lower() == name.lower().replace("_", " ")), None)
    if asked:
        return have[asked]
    if re.search(r"reply|message|question|answer", name, re.I):
        texts = [s if isinstance(s, str) else max(s, key=s.__getitem__) for s in _content(job)]
        return " ".join(texts)
    return None


register(
    "collect",
    lambda job: bool(fields_of(job)),
    lambda job: job.write(guarded(job, _content(job))),
    _value,
)
