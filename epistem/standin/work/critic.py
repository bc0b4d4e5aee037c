"""A critic: the real faults of a draft. What it looks for is measured; what it overlooks is drawn.

Length against the limit that the request names, long sentences, stock phrases, hashtags, exclamation
marks, emoji, words that are forbidden, stiff words where plain ones are asked for, and facts of the
material that the draft leaves out.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from epistem.standin.directives.length import word_count
from epistem.standin.directives.voice import has_emoji
from epistem.standin.job import Job, register
from epistem.standin.request import quoted, sentences
from epistem.standin.words import lexicon

LONG_SENTENCE = 22
USUAL_LIMIT = 80
_ASKED = re.compile(
    r"\b(?:list|name|find|point out|note|report|describe) (?:\w+ ){0,3}"
    r"(?:problems?|faults?|issues?|mistakes?|weaknesses)\b"
    r"|\b(?:review|critique|criticise|check) (?:this|the|a|each) (?:\w+ )?"
    r"(?:draft|text|notice|reply|answer)\b",
    re.I,
)
_FACT = re.compile(
    r"\b(?:\d{1,2}[:.]\d\d|\d{1,2} [A-Z][a-z]+|\d[\d.,]*\d|\d|[A-Z][a-z]+(?: [A-Z][a-z]+)*)\b"
)


def draft_of(job: Job) -> str:
    return job.request.block("draft", "notice", "reply", "text", "answer", "version") or job.text


def faults_of(job: Job, draft: str) -> Iterator[str]:
    """Every fault there is, told in a sentence."""
    limit = next((r.value for r in job.rules if r.name == "max_words"), USUAL_LIMIT)
    if (count := word_count(draft)) > limit:
        yield f"It has {count} words, and {limit} is the limit."
    for sentence in sentences(draft):
        if word_count(sentence) > LONG_SENTENCE:
            yield f"A sentence of {word_count(sentence)} words is too long: “{' '.join(sentence.split()[:6])} …”."
    voice = lexicon()["voice"]
    forbidden = [p for r in job.rules if r.name == "forbidden" for p in r.value.split("\n")]
    phrases = [p.strip(" .!") for p in (*voice["openers"], *voice["closers"])]
    phrases += [
        "do not hesitate",
        "valued",
        "we apologise for any inconvenience",
        "let me know if",
        *forbidden,
    ]
    for phrase in dict.fromkeys(phrases):
        if phrase.lower() in draft.lower():
            yield f"“{phrase}” is a stock phrase."
    if tags := re.findall(r"#\w+", draft):
        yield f"It has hashtags: {', '.join(tags)}."
    if draft.count("!") > 0:
        yield "It has exclamation marks."
    if has_emoji(draft):
        yield "It has an emoji."
    if any(rule.name == "plain" for rule in job.rules):
        for word in re.findall(r"[a-z]+", draft.lower()):
            if word in lexicon()["plain"]:
                yield f"“{word}” is stiff; say “{lexicon()['plain'][word]}”."
    material = job.request.block("fact", "record", "source", "brief", "must")
    missing = [f for f in dict.fromkeys(_FACT.findall(material)) if f.lower() not in draft.lower()]
    if missing:
        yield f"It leaves out: {', '.join(missing[:5])}."


def found_by(job: Job, draft: str) -> list[str]:
    """The faults that this model sees: a careless one overlooks some."""
    seen = 0.55 + 0.45 * job.model.knowledge
    return [fault for fault in faults_of(job, draft) if job.mind.happens(seen, f"sees {fault}")]


def _write(job: Job) -> None:
    found = found_by(job, draft_of(job))
    if not found:
        job.out.say(
            next(
                (q for r in job.rules if r.name == "unknown" for q in quoted(r.words)),
                "No problems found.",
            )
        )
        return
    for at, fault in enumerate(found):
        job.out.say(f"{chr(10) if at else ''}- {fault}")


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    found = found_by(job, draft_of(job))
    if re.search(r"problem|fault|issue|mistake|finding|weakness", name, re.I):
        return found if rule.get("type") == "array" else " ".join(found) or "none"
    if (
        re.search(r"\b(?:ok|fine|pass|good|approved|ready|acceptable)", name, re.I)
        and rule.get("type") == "boolean"
    ):
        return {not found: 6.0, bool(found): 0.0}
    return None


register(
    "critic",
    lambda job: bool(_ASKED.search(f"{job.instructions}\n{job.request.rest}")),
    _write,
    _value,
)
