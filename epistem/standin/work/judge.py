"""A judge: scores an answer by what can be measured of it, with a bias and a noise of the model's own.

For every criterion the measure is a number in 0–1, by the words of the criterion: closeness to the
reference, support by the material, length against the limit, plainness, courtesy, freedom from stock
phrases; for other words their kinship with the answer. The score's logits are

    −(k − (low + (high − low)·measure + bias + error))² / (2·SPREAD²)

over the whole numbers k of the scale, with `error` normal, of the model's noise, fixed for an answer and
a criterion. So log-probabilities of the score's token tell how sure the judge is.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from statistics import NormalDist
from typing import Any

from epistem.standin.directives.length import word_count
from epistem.standin.job import Job, register
from epistem.standin.request import bullets_after, sentences
from epistem.standin.words import lexicon, likeness, shared_groups, stems

SPREAD = 0.45
_SCALE = re.compile(
    r"\b(?:from |between |scale of )?(\d{1,2})\s*(?:to|-|–|and|through|out of)\s*(\d{1,3})\b", re.I
)
_ASKED = re.compile(r"\b(?:score|rate|grade|judge|mark|rating)\b", re.I)
_ANSWER = ("answer", "reply", "response", "draft", "candidate", "text", "output")


def answer_of(job: Job) -> str:
    return job.request.block(*_ANSWER) or job.text


def scale_of(job: Job) -> tuple[int, int]:
    found = _SCALE.search(job.instructions) or _SCALE.search(job.request.rest)
    low, high = sorted((int(found[1]), int(found[2]))) if found else (1, 5)
    return (low, high) if high - low <= 100 else (1, 5)


def criteria_of(job: Job) -> list[tuple[str, str]]:
    lines = job.instructions.splitlines()
    for at, line in enumerate(lines):
        asked = re.search(r"\b(?:criteri|rubric|by these|on these|for each of)\w*", line, re.I)
        if asked and (found := bullets_after(lines[at + 1 :])):
            return found
    return []


def measure(job: Job, about: str) -> float:
    """How well the answer does by a criterion, 0–1."""
    text = answer_of(job)
    reference = job.request.block("reference", "expected", "wanted", "gold")
    material = " ".join(p.text for p in job.request.passages) or job.request.block(
        "source", "record", "fact"
    )
    question = job.request.block("question", "message", "request")
    limit = next((r.value for r in job.rules if r.name == "max_words"), 60)
    voice = lexicon()["voice"]
    stock = sum(
        p.strip(" .!").lower() in text.lower() for p in (*voice["openers"], *voice["closers"])
    )
    longest = max((word_count(s) for s in sentences(text)), default=0)
    stiff = sum(word in lexicon()["plain"] for word in text.lower().split())
    parts = {
        r"correct|right|accura|reference|fact|true": likeness(text, reference) ** 0.5
        if reference
        else None,
        r"support|ground|faithful|source|passage|made up|invent": _support(text, material)
        if material
        else None,
        r"length|short|concise|brief|words": min(1.0, limit / max(word_count(text), 1)),
        r"plain|clear|simple|read|easy|understand": max(
            0.0, 1 - max(0, longest - 14) / 20 - 0.15 * stiff
        ),
        r"polite|kind|friendly|tone|warm|courte|helpful": _courtesy(text),
        r"coheren|fluen|order|logic|natural|language": max(
            0.0, 1 - max(0, longest - 16) / 14 - 0.15 * stiff
        )
        if text.strip()
        else 0.0,
        r"instruct|follow|obey": _obeyed(job, text, limit),
        r"stock|natural|human|voice": max(0.0, 1 - 0.5 * stock),
        r"relevan|answers|complete|question|\buse\b": _to_the_point(text, question)
        if question
        else None,
    }
    # What the criterion is called says more than its gloss.
    found: list[float] = []
    for told in (about.split(":")[0], about):
        found = found or [
            value
            for words, value in parts.items()
            if value is not None and re.search(words, told, re.I)
        ]
    if not found:
        found = [value for value in parts.values() if value is not None]
    return sum(found) / len(found) * (0.2 if not text.strip() else 1.0)


def _to_the_point(text: str, question: str) -> float:
    """How much of what is asked the text speaks of."""
    asked, said = set(stems(question)), set(stems(text))
    met = len(asked & said) / len(asked) if asked else 0.0
    return min(1.0, 1.5 * max(met, likeness(text, question), 0.8 * shared_groups(text, question)))


def _obeyed(job: Job, text: str, limit: int) -> float:
    """Shortness and matter: what most instructions are about."""
    question = job.request.block("question", "message", "request")
    point = _to_the_point(text, question) if question else 1.0
    return min(1.0, limit / max(word_count(text), 1)) * (0.2 + 0.8 * point)


def _support(text: str, material: str) -> float:
    """The share of the answer's telling words that the material has."""
    known, said = set(stems(material)), stems(text)
    return sum(word in known for word in said) / len(said) if said else 0.0


def _courtesy(text: str) -> float:
    kind = len(
        re.findall(r"\b(?:please|thank|sorry|glad|welcome|happy to|of course)\b", text, re.I)
    )
    rude = len(
        re.findall(r"\b(?:stupid|wrong|no\b|can't|refuse|your fault|nonsense)\b", text, re.I)
    )
    return min(1.0, max(0.0, 0.55 + 0.2 * kind - 0.2 * rude))


def score_ways(job: Job, name: str, low: int, high: int) -> dict[Any, float]:
    """Whole numbers of the scale with logits."""
    glosses = dict(criteria_of(job))
    if len(glosses) == 1 and _ASKED.search(name):  # the one criterion is what the score is of
        [(name_, gloss)] = glosses.items()
        about = f"{name_}: {gloss}"
    else:
        about = f"{name} {glosses.get(name, '')}" if glosses else f"{name} {job.instructions}"
    error = job.model.noise * NormalDist().inv_cdf(job.mind.own(f"score {name} {answer_of(job)}"))
    step = (high - low) / 4
    middle = low + (high - low) * measure(job, about) + (job.model.bias + error) * step
    middle = min(max(middle, low), high)
    spread = SPREAD * max(step, 0.5)
    return {k: -(((k - middle) / spread) ** 2) / 2 for k in range(low, high + 1)}


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if rule.get("type") in ("integer", "number") or re.search(
        r"score|rating|grade|points", name, re.I
    ):
        low, high = scale_of(job)
        if isinstance(rule.get("minimum"), int) and isinstance(rule.get("maximum"), int):
            low, high = rule["minimum"], rule["maximum"]
        return score_ways(job, name.replace("_", " "), low, min(high, low + 100))
    if rule.get("type") == "boolean":
        good = measure(job, name.replace("_", " ")) + 0.1 * job.model.bias
        return {True: 8 * (good - 0.55), False: 0.0}
    return (
        why(job) if re.search(r"reason|why|explan|comment|rationale|feedback", name, re.I) else None
    )


def why(job: Job) -> str:
    text = answer_of(job)
    about = ", ".join(dict.fromkeys(stems(text)[:3])) or "nothing"
    return f"It has {word_count(text)} words in {len(sentences(text))} sentences and speaks of {about}."


def _write(job: Job) -> None:
    low, high = scale_of(job)
    form = re.search(
        r"^\s*\W?([A-Z][\w ]*?:?)\s*[<\[{(]\s*(?:score|number|n|\d)\b",
        job.instructions,
        re.M | re.I,
    )
    head = form[1] if form else "Score:"
    names = [name for name, _ in criteria_of(job)] or [""]
    alone = job.plan.alone and len(names) == 1
    for at, name in enumerate(names):
        label = "" if alone else f"{name}: " if name else f"{head} "
        job.out.say(f"{chr(10) if at else ''}{label}")
        ways = score_ways(job, name or "score", low, high)
        job.out.choose({str(k): z for k, z in ways.items()})
    if not alone:
        job.out.say(f"\n{why(job)}")


def _fits(job: Job) -> bool:
    asked = f"{job.instructions}\n{job.request.rest}"
    return bool(_ASKED.search(asked) and _SCALE.search(asked)) and bool(job.request.block(*_ANSWER))


register("judge", _fits, _write, _value)
