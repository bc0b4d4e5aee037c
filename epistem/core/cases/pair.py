"""A case that is another one with something changed, and how the answer must move for it."""

from __future__ import annotations

from typing import Literal, get_args

from pydantic import Field

from epistem.core.shapes import Document, said

Variation = Literal[
    "upper case", "misspelt", "rephrased", "other order", "other name", "other gender", "irrelevant"
]
"""What must not change the answer: made by rule (see `cases.varied`)."""
VARIATIONS: tuple[Variation, ...] = get_args(Variation)
Must = Literal["same", "other", "up", "down", "is"]
MOST_MOVES = 30


class Move(Document):
    """How one thing in the answer must stand to that in the answer to the original."""

    what: str = Field(
        "",
        max_length=200,
        description="A field of a JSON reply, by its name or as a JSON pointer; empty for the whole answer.",
    )
    must: Must = "other"
    value: str = said("", max_length=200, description="What it must be, where it `is`.")


class Pair(Document):
    """`of` is the number of the original among the subject's cases."""

    of: int = Field(ge=1, le=2**31)
    kind: Literal["changed", Variation] = said("changed")
    moves: list[Move] = said(max_length=MOST_MOVES)

    @property
    def is_variation(self) -> bool:
        return self.kind != "changed"


def move_told(move: Move) -> str:
    """`urgency goes up`, `the answer stays the same`."""
    what = move.what.removeprefix("/").replace("/", " ").replace("~1", "/").replace("~0", "~")
    told = {
        "same": "stays the same",
        "other": "changes",
        "up": "goes up",
        "down": "goes down",
        "is": f"becomes {move.value}",
    }
    return f"{what or 'the answer'} {told[move.must]}"


def doubts_of(pair: Pair) -> list[str]:
    """Moves that can't be meant: two of the same thing that no answer can meet, and one without a value."""
    told = []
    musts: dict[str, set[str]] = {}
    for move in pair.moves:
        what = move.what.strip().removeprefix("/")
        musts.setdefault(what, set()).add(move.must)
        if move.must == "is" and not move.value.strip():
            told.append(f"It is not said what {what or 'the answer'} becomes.")
    for what, asked in musts.items():
        if {"up", "down"} <= asked or ("same" in asked and asked & {"other", "up", "down"}):
            told.append(f"What must become of {what or 'the answer'} contradicts itself.")
    return told
