"""How passages that were looked up are told."""

from __future__ import annotations

from pydantic import Field

from epistem.core.engine.looking import FoundIn
from epistem.core.engine.needs import FoundPassage
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.wire import tokens
from epistem.web.replies import Shape


class PassageFound(Shape):
    """`by_words` and `by_meaning` are its places in those rankings; `beside`: it stands beside one that was
    found. `tokens` are about how many it adds to the request."""

    reference: str
    title: str
    text: str
    score: float
    by_words: int | None
    by_meaning: int | None
    beside: bool
    tokens: int


class FoundShape(Shape):
    """What was looked up for an input, `looking.version` being the version of the collection that was looked
    through."""

    input: str
    question: str
    looking: LookingUp
    passages: list[PassageFound]
    turn: int = Field(0, description="Of a talk: for which of its answers, from 0.")


def found_shape(found: FoundIn, turn: int = 0, most: int = 1_000_000) -> FoundShape:
    """With `most` characters of the passages' texts, each cut alike where they are longer."""
    each_most = most // max(len(found.passages), 1)
    return FoundShape(
        input=found.input,
        question=found.question,
        looking=found.looking,
        passages=[passage_shape(each, each_most) for each in found.passages],
        turn=turn,
    )


def passage_shape(passage: FoundPassage, most: int = 1_000_000) -> PassageFound:
    counted = tokens.count(passage.text) + tokens.count(passage.title)
    text = passage.text if len(passage.text) <= most else passage.text[: most - 1] + "…"
    return PassageFound(**{**passage._asdict(), "text": text}, tokens=counted)
