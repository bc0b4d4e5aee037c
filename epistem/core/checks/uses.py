"""A check in use: attached with its options, under an identity of its own."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from epistem.core.shapes import Document, said

OnFailure = Literal["record", "ask_again", "repair", "drop", "decline", "halt"]
"""What a failed check does in a chain. In tries and trials its findings are recorded, whatever it says."""


class CheckUse(Document):
    """`id` tells it from other uses of the same check, and stays when those come and go; "" is the first."""

    check: str = Field(max_length=80)
    options: dict[str, object] = Field(default_factory=dict)
    margin: float = Field(
        2.0, ge=0, le=100, description="The difference that does not matter, in points of 100."
    )
    id: str = said("", max_length=20, pattern=r"^[a-z0-9-]*$")
    name: str = said(
        "", max_length=80, description="What its row is called; empty for its sentence."
    )
    required: bool = said(True, description="Whether an answer that fails it fails as a whole.")
    weight: float = said(
        1.0, ge=0, le=100, description="What it counts in the weighted score of an answer."
    )
    score_margin: float | None = said(
        None,
        ge=0,
        le=1e9,
        description="The difference of scores that does not matter, in their unit.",
    )
    step: str = said(
        "",
        max_length=80,
        description="Of a chain: the step whose work is judged, in the place of the answer.",
    )
    on_failure: OnFailure = said("record")
    decline_with: str = said(
        "", max_length=2_000, description="What is answered instead, on `decline`."
    )


def numbered(uses: Sequence[CheckUse]) -> list[CheckUse]:
    """The same uses, each with an id that no other use of its check has: the first without, the next 2."""
    taken: dict[str, set[str]] = {}
    repeated = Counter((use.check, use.id) for use in uses)
    for use in uses:
        if repeated[use.check, use.id] == 1:
            taken.setdefault(use.check, set()).add(use.id)
    found = []
    for use in uses:
        of_check = taken.setdefault(use.check, set())
        if repeated[use.check, use.id] > 1:
            free = use.id
            number = 2
            while free in of_check:
                free, number = str(number), number + 1
            of_check.add(free)
            use = use.model_copy(update={"id": free})
        found.append(use)
    return found
