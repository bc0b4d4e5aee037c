"""What several pages of a trial have in common."""

from __future__ import annotations

from pydantic import BaseModel, Field

from epistem.web.replies import Moment, Shape


class TrialPath(BaseModel):
    trial_id: int = Field(ge=1, description="The number in T12.")


class LookShape(Shape):
    """A look at the results of cases that are held out: when, by whom, what for."""

    id: int
    at: Moment
    by: str
    why: str


class ByLook(BaseModel):
    """A query that may be made while looking."""

    look: int | None = Field(
        None,
        ge=1,
        description="A recorded look: then the cases held out are in sight, and no others.",
    )
