"""Several things asked for by name, such as a cause and an advice: a sentence for each, in their order."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from epistem.standin.job import Job, register
from epistem.standin.request import sentences
from epistem.standin.words import lexicon, stems
from epistem.standin.work.chat import guarded, topic_of
from epistem.standin.writing import Sentence

_NAMES = {
    "cause": r"\b(?:causes?|reasons?|why it|explanation)\b",
    "advice": r"\b(?:advice|advise|tips?|suggest\w*|recommend\w*|what to do|remed(?:y|ies)|how to fix)\b",
    "next": r"\bnext steps?\b",
    "risk": r"\b(?:risks?|dangers?|warnings?)\b",
    "apology": r"\b(?:apolog\w+|say sorry)\b",
    "thanks": r"\b(?:thanks|thank (?:them|the \w+))\b",
}
_WANTED = re.compile(
    r"\b(?:give|name|state|say|tell|write|explain|offer|suggest|include|answer|reply|with|begin|then|end)\b[^.\n]*",
    re.I,
)
_REFUSED = re.compile(r"\b(?:never|do not|don't|without|no)\b[^.\n]*", re.I)
_DETAIL = re.compile(
    r"\b(?:because of|because|due to|after|since|when|from)\s+([^.,;!?\n]{4,60})", re.I
)


def aspects_of(instructions: str) -> list[str]:
    """Names of what is asked for, in the order of the instructions."""
    said = " ".join(_WANTED.findall(_REFUSED.sub("", instructions)))
    found = [
        (match.start(), name)
        for name, pattern in _NAMES.items()
        if (match := re.search(pattern, said, re.I))
    ]
    return [name for _, name in sorted(found)]


def sentence_of(job: Job, name: str) -> Sentence:
    ways = lexicon()["aspects"][name]
    topic, detail = topic_of(job.text), _detail(job.text)
    return {way.format(topic=topic, detail=detail): job.mind.own(way) for way in ways}


def _detail(text: str) -> str:
    """What a text itself gives as the reason, else what it says last."""
    if match := _DETAIL.search(text):
        return _yours(match[1].strip())
    said = sentences(text)
    words = " ".join(said[-1].rstrip(".!?").split()[-6:]) if said else ""
    return f"what you say: {words}" if stems(words) else "something that the message does not tell"


def _yours(text: str) -> str:
    return re.sub(r"\b(?:my|our)\b", "your", re.sub(r"\b(?:I|we)\b", "you", text))


def _content(job: Job) -> Iterator[Sentence]:
    for name in aspects_of(job.instructions):
        yield sentence_of(job, name)


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if rule.get("enum") or rule.get("type") in ("integer", "number", "boolean", "array", "object"):
        return None
    asked = next(
        (
            each
            for each, pattern in _NAMES.items()
            if re.search(pattern, name.replace("_", " "), re.I)
        ),
        None,
    )
    return None if asked is None else sentence_of(job, asked)


def _write(job: Job) -> None:
    job.write(guarded(job, _content(job)))


register("aspects", lambda job: len(aspects_of(job.instructions)) > 1, _write, _value)
