"""Summaries, headlines and translations: the text itself, shortened or put into other words."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping
from typing import Any

from epistem.standin.directives.length import word_count
from epistem.standin.job import Job, register
from epistem.standin.request import sentences
from epistem.standin.words import stems

_ASKED = re.compile(
    r"\b(?:summar(?:y|ise|ize)\w*|headline|title for|subject line|key points?|main points?|in short|"
    r"sum (?:it|this) up|condense|translat\w+)\b",
    re.I,
)
_HEAD = re.compile(r"\b(?:headline|title for|subject line)\b", re.I)
_WHOLE = re.compile(r"\btranslat", re.I)


def gist(text: str, most: int, noise: Mapping[str, float]) -> list[str]:
    """The sentences that share most with the rest of the text, in its own order."""
    found = sentences(text)
    counts = Counter(stems(text))

    def weight(at: int) -> float:
        words = set(stems(found[at]))
        share = sum(counts[word] for word in words) / (len(words) + 3)
        return share + 0.3 * (at == 0) + noise.get(found[at], 0.0)

    best = sorted(range(len(found)), key=lambda at: -weight(at))[:most]
    return [found[at] for at in sorted(best) if word_count(found[at]) > 2] or found[:1]


def head(text: str, most: int) -> str:
    """The beginning of the weightiest sentence, up to a break, without a full stop."""
    first = gist(text, 1, {})[0] if text.strip() else text
    clause = re.split(r"[,;:]| because | so | which | and ", first)[0].rstrip(".!?")
    return " ".join(clause.split()[:most])


def _write(job: Job) -> None:
    noise = {s: 0.2 * job.mind.misreads(s) for s in sentences(job.text)}
    if _HEAD.search(job.instructions):
        job.plan.alone = True
        most = job.plan.max_words or 10
        job.out.choose({head(job.text, most): 1.0, head(job.text, max(3, most - 2)): 0.0})
        return
    if so_far := job.request.block("summary so far"):
        said = [] if so_far.startswith("nothing yet") else [so_far.strip()]
        job.write([*said, *gist(job.text, 4, noise)])
        return
    whole = bool(_WHOLE.search(job.instructions))
    job.plan.alone = job.plan.alone or whole
    most = 99 if whole else job.plan.sentences or (5 if job.plan.long else 3)
    job.plan.long = job.plan.long or whole
    job.write(gist(job.text, most, noise))


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if re.search(r"head|title|subject", name, re.I):
        return head(job.text, 8)
    points = gist(job.text, 3, {})
    return points if rule.get("type") == "array" else " ".join(points[:2])


register("digest", lambda job: bool(_ASKED.search(job.instructions)), _write, _value)
