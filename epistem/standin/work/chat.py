"""Talk: what the instructions, records, results of tools and pictures say to the user's words."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from epistem.standin.job import Job, register
from epistem.standin.request import sentences
from epistem.standin.tools import missing_argument
from epistem.standin.words import kinship, lexicon, likeness, shared_groups, stems
from epistem.standin.work.passages import invented, near
from epistem.standin.writing import Sentence

JOB_NEAR = 0.06
_WHO = re.compile(
    r"\bwho are you\b|\bwhat are you\b|\bare you (?:a )?(?:real|human|person|robot|bot|machine)\b",
    re.I,
)
_WISH = re.compile(
    r"\b(?:can|could|may|will|would) (?:i|we|you)\b|\b(?:want|need|demand|expect|like)\b|\bplease\b",
    re.I,
)


def guarded(job: Job, content: Iterable[Sentence]) -> Iterator[Sentence]:
    """Content, unless the question is off the job; with promises, claims and moods let in or kept out."""
    if job.plan.on_job and _off_job(job):
        refusals = lexicon()["voice"]["refusals"]
        yield dict.fromkeys(refusals, 0.0)
        return
    if _WHO.search(job.text) and job.plan.persona:
        yield f"I am the {re.sub(r'^(?:a|an|the) ', '', job.plan.persona)}."
    if promise := _promise(job):
        yield promise
    yield from content


def lead(job: Job) -> Iterator[str]:
    """A sentence that says what comes: a habit where nothing is said about length."""
    plan = job.plan
    told = plan.max_words or plan.sentences or plan.short or plan.alone or plan.collect
    topic = " ".join(w for w in re.findall(r"[A-Za-z'’-]{4,}", job.text) if stems(w))[:50].lower()
    if topic and not told and job.mind.happens(0.3 + job.model.voice, "lead"):
        yield f"Here is what I can tell you about {topic}."


def _off_job(job: Job) -> bool:
    """Nothing of what the user says touches what the instructions and materials are about."""
    about = " ".join([job.instructions, *(p.text for p in job.request.passages)])
    overlap = set(stems(job.text)) & set(stems(about))
    close = max(
        likeness(job.text, about),
        0.5 * kinship(job.text, about),
        0.3 * shared_groups(job.text, about),
    )
    return not overlap or close + 0.02 * job.mind.misreads("off the job") < JOB_NEAR


def _promise(job: Job) -> str:
    """Told never to promise something that the user wishes, it says so; untold, it likes to please."""
    if not _WISH.search(job.text):
        return ""
    heard = [p for p in job.plan.promises if likeness(job.text, p) > 0 or kinship(job.text, p) > 0]
    if heard:
        return f"I can't promise {heard[0]}."
    asked = re.search(
        r"\b(?:get|have|want|need|expect|demand|give me|send me)\s+((?:an?|my|the|some|full|your)\s[\w -]{2,40})",
        job.text,
        re.I,
    )
    if asked and job.mind.happens(0.65, "promise"):
        thing = re.sub(
            r"\b(?:back|please|now|today)\b.*", "", re.sub(r"\bmy\b", "your", asked[1], flags=re.I)
        ).strip()
        return f"Yes, we will give you {thing}."
    return ""


def _content(job: Job) -> Iterator[Sentence]:
    if name := missing_argument(job):
        yield f"What is the {name}?"
        return
    if results := job.request.results:
        for about, text in results:
            first, *more = told_by(text)
            yield f"{about}: {first[:1].lower()}{first[1:]}" if about else first
            yield from more
        return
    for picture in job.request.pictures:
        size, colours = (
            f"{picture.width} by {picture.height} pixels",
            " and ".join(picture.colours[:2]),
        )
        told = f"The picture shows {picture.told.rstrip('.')}."
        yield told if picture.told else f"It is a picture of {size}, mostly {colours or 'mixed'}."
    if record := _record(job):
        yield from record
        return
    known = [
        s
        for s in sentences(job.instructions)
        if len(s) > 20 and near(job, s) > 0.12 and not _is_order(s) and s not in job.text
    ]
    found = sorted(known, key=lambda s: -near(job, s))[:3]
    if found:
        yield from lead(job)
    yield from found
    if not found and job.request.examples:
        nearest = max(job.request.examples, key=lambda e: likeness(job.text, e.text))
        if likeness(job.text, nearest.text) > 0.1:
            yield nearest.answer
            return
    if found:
        return
    if job.request.pictures:
        return
    if job.plan.unknown:
        yield {job.plan.unknown: 0.0}
        return
    about = " ".join(job.text.split()[:12]).rstrip(".?!,")
    yield f"You say: “{about}”." if about else "I have read your message."
    tools_there = bool((job.request.body or {}).get("tools"))
    if not tools_there and job.mind.happens(0.25 * (1.2 - job.model.knowledge) * 2, "claim"):
        yield str(lexicon()["voice"]["claims"][0])
    if not job.plan.grounded:
        yield invented(job)
    yield "There is more to say, and it depends on what you need."


def _is_order(sentence: str) -> bool:
    return bool(
        re.match(
            r"(?:you are|never|do not|don't|always|answer|use|keep|write|if|ask|be|only|say|refuse|reply)\b",
            sentence,
            re.I,
        )
    )


def told_by(text: str) -> list[str]:
    """The result of a tool as sentences."""
    try:
        value = json.loads(text)
    except (ValueError, RecursionError):
        said = (s if s.endswith((".", "!", "?")) else f"{s}." for s in sentences(text)[:4])
        return list(said) or ["The tool gave no answer."]
    rows = value if isinstance(value, list) else [value]
    return [_row(row) for row in rows[:5]] or ["There is nothing to show for it."]


def _row(row: Any) -> str:
    if isinstance(row, Mapping):
        return (
            ", ".join(
                f"{str(k).replace('_', ' ')} {_plain(v)}" for k, v in list(row.items())[:6]
            ).capitalize()
            + "."
        )
    return f"It is {_plain(row)}."


def _plain(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)[:80]


def _record(job: Job) -> list[str]:
    """What a record in the request says to the question: the fields whose names it touches."""
    block = job.request.block("record", "booking", "order", "data", "profile", "account")
    pairs: list[tuple[str, str]] = re.findall(
        r"^\s*[\"-]*\s*([\w ]{2,30}?)\"?\s*[:=]\s*\"?([^\n\"]+?)\"?,?\s*$", block, re.M
    )
    asked = set(stems(job.text))
    hits = [
        (k, v)
        for k, v in pairs
        if asked & set(stems(k.replace("_", " "))) or kinship(job.text, k) > 0.4
    ]
    return [f"The {k.strip().replace('_', ' ')} is {v.strip()}." for k, v in (hits or pairs)[:3]]


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if rule.get("enum") or rule.get("type") in ("integer", "number", "boolean", "array"):
        return None
    if re.search(r"answer|reply|response|message|text|body", name, re.I):
        found = next(iter(guarded(job, _content(job))), None)
        return found if isinstance(found, str) else None
    if job.request.pictures and re.search(r"colou?r", name, re.I):
        return next(iter(job.request.pictures[0].colours), None)
    if job.request.pictures and re.search(r"descri|shows|caption|content|item|object", name, re.I):
        return job.request.pictures[0].told or None
    return None


register("chat", lambda job: True, lambda job: job.write(guarded(job, _content(job))), _value)
