"""Talks that are played by hand."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from pydantic import Field

from epistem.core.cases.content import Case
from epistem.core.cases.person import Ended, doubts_of
from epistem.core.shapes import Document
from epistem.web.replies import Shape, blueprint, database, reply
from epistem.work.people import person_says

bp = blueprint("talks")

MOST_TEXT = 1_000_000
Text = Annotated[str, Field(max_length=MOST_TEXT)]


class ToPerson(Document):
    """What the person of a case heard so far, and what they said to it before, with the case as it stands,
    where it is being edited."""

    answers: list[Text] = Field(default_factory=list, max_length=300)
    said: list[Text] = Field(default_factory=list, max_length=300)
    opening: Text = Field("", description="Their first words; the case's first input without.")
    case: Case


class PersonSays(Shape):
    """`said` is what the person says to the last answer; null where the talk has `ended`. `doubts` is what
    can't be meant in their rules. `cents` is what the model cost that plays them."""

    said: str | None
    ended: Ended | None
    doubts: list[str]
    cents: float


@bp.post(
    "/talks/next", responses={200: PersonSays}, operation_id="personSays",
    summary="What the person of a case says next, by its turns and rules, or as a model plays them",
)  # fmt: skip
def next_said(body: ToPerson) -> Response:
    heard = person_says(database(), body.case, body.answers, body.said, body.opening)
    told = heard.talked
    said = told.said[-1] if body.answers and told.ended is None else None
    doubts = doubts_of(body.case.person) if body.case.person else []
    return reply(PersonSays(said=said, ended=told.ended, doubts=doubts, cents=heard.cents))
