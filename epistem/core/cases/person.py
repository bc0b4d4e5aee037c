"""A person in a talk whose words are not recorded but follow rules: asked for this, they say that."""

from __future__ import annotations

from itertools import combinations
from typing import Literal

from pydantic import Field

from epistem.core.cases.persona import Persona
from epistem.core.shapes import Document, said
from epistem.core.words import alternatives, stands_in

Ended = Literal["done", "gave up", "silent", "too long"]
"""How a talk ended: nothing was left to say, the person left, they said nothing any more, or it went on
beyond its limit."""
USUAL_TURNS = 8
MOST_TURNS = 40


class Rule(Document):
    """What the person says when an answer has one of these words: the first saying the first time, the
    second when asked again, and so on; the last one after that, unless the person leaves then. Without a
    saying the talk ends there: as done, or, where the person leaves, as given up."""

    asked: str = Field(max_length=400, description="Words, a bar between ways: `date | which day`.")
    say: list[str] = Field(default_factory=list, max_length=20)
    leaves: bool = said(False, description="Whether the person leaves when asked once more.")


class Person(Document):
    """Answers by every rule that an answer meets, in order. When it meets none, a model is asked that plays
    the `persona`; without one `otherwise` is said, first to last, and without that the talk is done."""

    rules: list[Rule] = Field(default_factory=list, max_length=100)
    otherwise: list[str] = said(max_length=20)
    most_turns: int = said(USUAL_TURNS, ge=1, le=MOST_TURNS)
    persona: Persona | None = said(None, description="Whom a model plays, where no rule is met.")


def met_by(rule: Rule, answer: str) -> bool:
    return any(stands_in(way, answer) for way in alternatives(rule.asked))


def doubts_of(person: Person) -> list[str]:
    """What can't be meant: a rule that nothing meets, and two that the same words meet and that answer
    otherwise."""
    told = [
        f"Rule {at} has no words, so nothing meets it."
        for at, rule in enumerate(person.rules, start=1)
        if not alternatives(rule.asked)
    ]
    if person.persona is not None and person.otherwise:
        told.append("What is said when no rule is met is never said: the model is asked then.")
    for (one, first), (other, second) in combinations(enumerate(person.rules, start=1), 2):
        both = set(alternatives(first.asked)) & set(alternatives(second.asked))
        if both and first.say != second.say:
            told.append(
                f"Rules {one} and {other} are both met by “{min(both)}”: both are said then."
            )
    return told
