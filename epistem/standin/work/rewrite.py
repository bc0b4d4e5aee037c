"""Rewriting a draft by notes and rules: each is carried out with the chance that the model hears it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from epistem.standin.job import Job, register
from epistem.standin.request import quoted, sentences
from epistem.standin.words import lexicon
from epistem.standin.work.critic import LONG_SENTENCE, draft_of
from epistem.standin.writing import Sentence

_ASKED = re.compile(
    r"\b(?:rewrite|revise|rephrase|reword|improve|shorten|simplify|edit|redraft)\b", re.I
)


def rewritten(job: Job) -> list[Sentence]:
    """The draft's sentences, mended as far as the notes are heard."""
    draft, notes = (
        draft_of(job),
        job.request.block("note", "problem", "fault", "issue", "feedback", "review"),
    )
    about = f"{notes}\n{job.instructions}\n{job.request.rest}"

    def heard(what: str, pattern: str) -> bool:
        return bool(re.search(pattern, about, re.I)) and job.mind.happens(
            job.model.obedience, f"note {what}"
        )

    if heard("hashtags", r"hashtag"):
        draft = re.sub(r"\s*#\w+", "", draft)
    if heard("exclamation", r"exclamation"):
        draft = draft.replace("!", ".")
    if heard("emoji", r"emoji"):
        draft = re.sub("\\s*[\U0001f300-\U0001faff☀-➿]", "", draft)
    cut = quoted(notes) + [
        p.strip() for p in (*lexicon()["voice"]["openers"], *lexicon()["voice"]["closers"])
    ]
    kept = sentences(draft)
    if heard("stock phrases", r"stock phrase|filler|empty phrase|clich"):
        kept = [
            s
            for s in kept
            if not any(p.lower().rstrip(".!") in s.lower() for p in cut if len(p) > 6)
        ]
    if heard("long sentences", r"long sentence|too long|sentence of \d+ words|short sentences"):
        kept = [part for s in kept for part in _halved(s)]
    if (
        left_out := re.search(
            r"leaves? out:?\s*([^.\n]+)|missing:?\s*([^.\n]+)|add:?\s+([^.\n]+)", notes, re.I
        )
    ) and heard("missing", r"."):
        kept.append(f"Please note: {next(g for g in left_out.groups() if g).strip()}.")
    return list(kept) or [draft]


def _halved(sentence: str) -> list[str]:
    if len(sentence.split()) <= LONG_SENTENCE:
        return [sentence]
    for mark in ("; ", ", and ", ", but ", ", which ", " and ", ", "):
        head, found, tail = sentence.partition(mark)
        if found and len(head.split()) > 4 and len(tail.split()) > 3:
            return [head.rstrip(",;") + ".", *_halved(tail[:1].upper() + tail[1:])]
    return [sentence]


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if not re.search(r"text|draft|reply|rewritten|notice|version|message|body", name, re.I):
        return None
    return " ".join(str(s) for s in rewritten(job))


def _write(job: Job) -> None:
    job.plan.long = job.plan.max_words is None and not job.plan.sentences
    job.plan.alone = True
    job.write(rewritten(job))


def _fits(job: Job) -> bool:
    asked = _ASKED.search(f"{job.instructions}\n{job.request.rest}")
    return bool(asked) and bool(
        job.request.block("draft", "text", "notice", "version", "reply") or job.request.rest
    )


register("rewrite", _fits, _write, _value)
