"""How passages are looked up: where, by which question, by what, how many."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import Field

from epistem.core.shapes import Document, Tag, said

LookUpMethod = Literal["words", "meaning", "both"]
MOST_PASSAGES = 50
"""That one look-up finds."""


class LookingUp(Document):
    """How passages are looked up for an input: where, by which question, by what, how many.

    Without a `version` the newest is meant. The `question` is an input whose text is asked; without one it
    is what the person said last.
    """

    collection: str = Field(max_length=63)
    version: int | None = said(None, ge=1)
    question: str = said("", max_length=80)
    method: LookUpMethod = said("words")
    most: int = said(5, ge=1, le=MOST_PASSAGES, description="Passages at most.")
    least: float = said(0.0, ge=0, le=1e6, description="The least score that is taken.")
    around: int = said(
        0, ge=0, le=3, description="So many passages before and after each one found go with it."
    )
    tags: list[Tag] = said(max_length=20, description="Only of documents with one of these tags.")
    since: date | None = said(None, description="Only of documents dated from that day on.")
    until: date | None = said(None, description="Only of documents dated up to that day.")
