"""What lies near a question, and what is made up where nothing does."""

from __future__ import annotations

from epistem.standin.job import Job
from epistem.standin.words import kinship, lexicon, likeness, stems


def near(job: Job, text: str) -> float:
    """How well a text answers the question."""
    question = job.request.topic
    share = set(stems(question)) & set(stems(text))
    return likeness(question, text) + 0.25 * job.model.knowledge * kinship(question, text) * bool(
        share
    )


def invented(job: Job) -> str:
    made = lexicon()["voice"]["invented"]
    return str(made[int(job.mind.luck("invented") * len(made))])
