"""Answers from the passages: the sentences nearest to the question, with their wording leaking in.

Without "only from the passages" heard, something made up slips in; without "say when you don't know"
heard, a question that no passage answers gets an answer all the same.
"""

from __future__ import annotations

from collections.abc import Iterator

from epistem.standin.job import Job, register
from epistem.standin.request import Passage, sentences
from epistem.standin.words import kinship, stems
from epistem.standin.work.chat import guarded, lead
from epistem.standin.work.nearness import invented, near
from epistem.standin.writing import Sentence

NEAR = 0.16
MOST, LONG = 3, 8


def told(job: Job, passages: tuple[Passage, ...]) -> Iterator[Sentence]:
    """The sentences of the answer, best first, each with its mark where marks are asked for."""
    ranked = sorted(
        ((near(job, s) + 0.3 * near(job, p.text) + 0.1 * job.mind.misreads(s), s, p)
         for p in passages for s in sentences(p.text)),
        key=lambda found: -found[0],
    )  # fmt: skip
    best = ranked[0][0] if ranked else 0.0
    known = best >= NEAR * 1.3 and _covers(job, " ".join(s for _, s, _ in ranked[:2]))
    if not known and job.plan.unknown:
        yield {job.plan.unknown: 0.0}
        return
    most, floor = (LONG, -9.0) if job.plan.long else (MOST, 0.5)
    for score, sentence, passage in ranked[:most]:
        if score < (floor * best if known else best):
            break
        mark = f" [{passage.mark}]" if job.plan.cite else ""
        yield sentence.rstrip(".") + mark + "."
    loose = 0.75 if job.plan.long or not known else 0.45
    if not job.plan.grounded and job.mind.happens(loose, "made up"):
        yield invented(job)


def _covers(job: Job, text: str) -> bool:
    """Whether a text speaks of enough of what the question asks: a careless model is content with less."""
    asked = set(stems(job.request.topic))
    met = [w for w in asked if w in stems(text) or job.model.knowledge * kinship(text, w) > 0.3]
    return len(met) >= (0.15 + 0.4 * job.model.knowledge) * len(asked)


def _write(job: Job) -> None:
    content = [*told(job, job.request.passages)]
    job.write(guarded(job, [*(lead(job) if len(content) > 1 else ()), *content]))


register("passages", lambda job: bool(job.request.passages), _write)
