"""Reasoning before an answer: what it noticed of the request, in the order it matters."""

from __future__ import annotations

from epistem.standin.job import Job
from epistem.standin.words import stems
from epistem.standin.work.labels import labels_of, logits

STEPS = {"minimal": 1, "low": 2, "medium": 4, "high": 8}


def thoughts(job: Job, effort: str) -> str:
    """Real notes on this request: its telling words, the rules found, the labels in the running."""
    notes = []
    telling = list(dict.fromkeys(stems(job.text)))[:6]
    if telling:
        notes.append(f"The text turns on: {', '.join(telling)}.")
    labels = labels_of(job)
    if len(labels) > 1:
        found = logits(job, labels)
        first, second, *_ = sorted(found, key=lambda label: -found[label])
        notes.append(f"The likeliest is {first}; {second} is the next, and less is said for it.")
    notes += [f"I am asked: “{rule.words}”." for rule in job.rules[: STEPS.get(effort, 4)]]
    if job.request.passages:
        notes.append(f"There are {len(job.request.passages)} passages to go by.")
    return " ".join([*notes[: STEPS.get(effort, 4) + 2], "Now the answer."])
