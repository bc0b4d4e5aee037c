"""A check of one's own: the house is called by its whole name."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf


class HouseNameOptions(Options):
    name: str = Field("Mossy Lane Gardens", min_length=1, max_length=80, title="Whole name")


class HouseName(FreeOf):
    key = "tone.house_name"
    version = 1
    kind = "tone"
    summary = "The house is called by its whole name, never by the first word of it alone."
    also_called = ("brand", "company name")
    aspects = (Aspect("", "whole name"),)
    nothing = "The whole name is used."
    Options: ClassVar[type[Options]] = HouseNameOptions
    good: ClassVar = (
        "Mossy Lane Gardens opens at nine.",
        "We open at nine.",
        "Welcome to Mossy Lane Gardens!",
        "",
        "The stones are mossy.",
        "MOSSY is no name of ours.",
        Example("The Tern House is open.", {"name": "Tern House"}),
        Example("A tern flew by.", {"name": "Tern House"}),
    )
    bad: ClassVar = (
        "Mossy opens at nine.",
        "Mossy Lane is open.",
        "Welcome to Mossy!",
        "Mossy Lane Garden",
        "Ask Mossy. Mossy knows.",
        Example("The Tern is open.", {"name": "Tern House"}),
        Example("Tern, House of tea", {"name": "Tern House"}),
        "Mossy's hours",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"says “{options.name}” in full"

    def found(self, text: str, ground: Ground) -> Iterator[Span]:
        first, _, rest = self.options.name.partition(" ")
        after = rf"(?! {re.escape(rest)}\b)" if rest else r"(?!)"
        for match in re.finditer(rf"\b{re.escape(first)}\b{after}", text):
            yield Span(match.start(), match.end(), "not the whole name")
