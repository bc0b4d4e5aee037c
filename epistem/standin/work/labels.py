"""Sorting: one of several labels, steps or helpers.

Every label has a score from the request alone:

    score = 1.0·(its words and gloss in the text) + knowledge·(kinship of words)
          + 1.2·(affinity to the nearest example with that label)

where affinity = likeness of words + knowledge·(groups of words that both texts touch)

The model's logit is attention·score plus a fixed misreading, normal with the model's spread and drawn
from a hash of model, text and label: the same text is misread the same way every time, so repeats
agree about it and only another prompt or model changes it. Examples and thinking first make a
misreading smaller; "general" labels take what nothing else speaks for.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from epistem.standin.job import Job, register
from epistem.standin.request import Example, blocks_in, bullets_after, named_list
from epistem.standin.words import kinship, likeness, shared_groups

_OTHER = re.compile(
    r"^(?:other|others|otherwise|none|unknown|else|misc\w*|general|neutral|mixed)$", re.I
)
_LISTING = re.compile(
    r"\b(?:labels?|categor(?:y|ies)|class(?:es)?|kinds?|types?|topics?|one of|sort|classify|choose|pick|"
    r"helpers?|steps?|ways(?=:)|answer|reply|respond|decide|whether|teams?|specialists?|agents?|tools?|routes?|next)\b",
    re.I,
)
_CHOICE = re.compile(
    r"\b(?:answer|reply|respond|say|decide)(?: only| just)?(?: with)? ((?:\w+, )*\w+,? or \w+)\b",
    re.I,
)
_AFTER = re.compile(r"(?::|\bone of|\binto|\bas)\s+([^.:\n(){}]+)")
# What must not be said is nothing to choose from.
_FORBIDDEN = re.compile(
    r"\b(?:never|do not|don't|must not|avoid|without)\b[^.\n:]{0,60}?(?:\bus(?:e|ing)|\bsay(?:ing)?|\bwrit(?:e|ing)"
    r"|\bwords?|\bphrases?)\b[^.\n]*",
    re.I,
)
_YES_NO = {"yes", "no", "true", "false"}
_PLAN_KEYS = re.compile(r"^(?:task|plan|clear|rewritten|instruction|brief)\w*$", re.I)
LABEL_KEYS = (
    "label",
    "category",
    "class",
    "kind",
    "type",
    "topic",
    "genre",
    "shelf",
    "helper",
    "step",
    "next",
    "route",
    "way",
    "team",
)


@lru_cache(maxsize=512)
def labels_in(text: str) -> tuple[tuple[str, str], ...]:
    """Labels from a list after a word such as "labels" or "one of", with what is said of each."""
    lines = _FORBIDDEN.sub("", text).splitlines()
    for at, line in enumerate(lines):
        if not _LISTING.search(line):
            continue
        bullets = bullets_after(lines[at + 1 :])
        if len(bullets) >= 2 and all(len(name.split()) <= 4 for name, _ in bullets):
            return tuple(bullets)
        for tail in _CHOICE.findall(line) + _AFTER.findall(line):
            names = named_list(tail)
            if len(names) >= 2:
                return tuple((name, "") for name in names)
    return ()


def labels_of(job: Job) -> tuple[tuple[str, str], ...]:
    found = labels_in(job.instructions)
    if found or not job.request.examples:
        return found
    names = dict.fromkeys(label for e in job.request.examples if (label := label_of(e, ())))
    return tuple((n, "") for n in names if len(n.split()) <= 4) if len(names) > 1 else ()


def label_of(example: Example, names: tuple[str, ...]) -> str | None:
    """What the example was sorted as."""
    if example.values is None:
        return example.answer
    for key, value in example.values.items():
        if value in names or (not names and key.lower() in LABEL_KEYS):
            return str(value)
    return None


def logits(job: Job, labels: tuple[tuple[str, str], ...]) -> dict[str, float]:
    names = tuple(name for name, _ in labels)
    text, model, mind = job.text, job.model, job.mind
    scores = {}
    for name, gloss in labels:
        about = f"{name} {gloss}".replace("_", " ")
        same = [e.text for e in job.request.examples if label_of(e, names) == name]
        nearest = max((_affinity(job, text, other) for other in same), default=0.0)
        score = likeness(text, about) + model.knowledge * kinship(text, about)
        scores[name] = score + 1.2 * nearest
    if {name.lower() for name in names} <= _YES_NO:  # by how far the text has what is asked about
        asked = job.request.rest if job.request.rest != text else job.instructions
        has = min(1.0, 2.5 * max(likeness(text, asked), 0.5 * kinship(text, asked)))
        scores = {n: has if n.lower() in ("yes", "true") else 1 - has for n in names}
    best = max(scores.values())
    steady = (0.55 if job.request.examples else 1.0) * (0.7 if job.plan.think else 1.0)
    found = {}
    for name, score in scores.items():
        if _OTHER.match(name):
            score = max(score, 0.4 if best < 0.3 else 0.0)
        found[name] = model.attention * (score + 0.5 * steady * mind.misreads(name))
    return _settled(job, found)


def _affinity(job: Job, text: str, other: str) -> float:
    return likeness(text, other) + job.model.knowledge * shared_groups(text, other)


def _settled(job: Job, found: dict[str, float]) -> dict[str, float]:
    """Where the request ranks two labels and both are in play, lift the one that goes first.

    Whether the rule is heard for this text is a matter of obedience.
    """
    top = max(found, key=found.__getitem__)
    order = _preferences(job.instructions, tuple(found))
    in_play = [a for a, b in order if b == top and found[a] > 0.3 * job.model.attention]
    if in_play and job.mind.own("tie") < job.model.obedience:
        first = max(in_play, key=found.__getitem__)
        return found | {first: found[top] + 0.5 * job.model.attention}
    return found


@lru_cache(maxsize=512)
def _preferences(text: str, labels: tuple[str, ...]) -> tuple[tuple[str, str], ...]:
    """Pairs (first, second) where the request says that the first goes before the second."""
    any_label = "|".join(sorted(map(re.escape, labels), key=len, reverse=True))
    pattern = (
        rf"[\"“]?({any_label})[\"”]? (?:\w+ )?(?:before|over|rather than) [\"“]?({any_label})\b"
    )
    return tuple(re.findall(pattern, text)) if len(labels) > 1 else ()


def _write(job: Job) -> None:
    ways = logits(job, labels_of(job))
    if job.mind.slips(
        "label alone", shown=bool(job.request.examples), times=0.5 if job.plan.alone else 1.0
    ):
        before, after = (("", "."), ("The answer is ", "."), ("Label: ", ""))[
            int(3 * job.mind.luck("which"))
        ]
        job.out.say(before)
        job.out.choose(ways)
        job.out.say(after)
    else:
        job.out.choose(ways)


def clear_task(job: Job) -> str:
    """The user's vague words as a task, with what the talk before was about."""
    said = [turn.text for turn in job.request.turns[:-1] if turn.role == "user" and turn.text]
    told = job.text.strip().rstrip(".!?")
    context = f", about what was said before: {said[-1].strip().rstrip('.!?')}" if said else ""
    return f"Do what the message asks: {told}{context}."


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if _PLAN_KEYS.match(name) and rule.get("type") != "array":
        return clear_task(job)
    if re.match(r"^(?:steps|plan)$", name, re.I):
        ranked = sorted((found := logits(job, labels_of(job))), key=lambda label: -found[label])
        likely = [label for label in ranked if found[label] > 0.6 * found[ranked[0]]]
        return likely[:3]
    return None


def _fits(job: Job) -> bool:
    named = [head for head, _ in blocks_in(job.instructions)]
    return len(labels_of(job)) > 1 and not any("passage" in head for head in named)


register("labels", _fits, _write, _value)
