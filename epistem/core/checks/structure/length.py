"""The answer is as long as it should be: in words, sentences, characters, lines, list items or paragraphs."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Options, Span
from epistem.core.checks.shapes import Bounds, WithinBounds
from epistem.core.language.reading import Piece, items, lines, paragraphs, sentences, words

Unit = Literal["word", "sentence", "character", "line", "item", "paragraph"]
PIECES: dict[str, Callable[[str], Sequence[Piece]]] = {
    "word": words,
    "sentence": sentences,
    "line": lines,
    "item": items,
    "paragraph": paragraphs,
}
_COUNTED = {"item": "list item"}


class LengthOptions(Bounds):
    of: Unit = Field("word", title="Counted in", description="What is counted.")
    most: float | None = Field(60, ge=0, le=1e9, title="At most")


class Length(WithinBounds):
    key = "structure.length"
    version = 1
    kind = "structure"
    summary = "So many words, sentences, characters, lines, list items or paragraphs, and no more or fewer."
    also_called = ("short", "long", "brief", "count", "limit")
    aspects = (Aspect("", "length"),)
    Options: ClassVar[type[Options]] = LengthOptions
    shown_with: ClassVar = {"of": "sentence", "most": 2}
    good: ClassVar = (
        "The boat leaves at 9.40 a.m. from pier two.",
        "Dr. A. Calder works in the U.S. Office. She answers at 3 p.m.",
        "It costs 3.50, e.g. for a child. That is all.",
        "Yes! it does.",
        "",
        "今日は休みです。明日は開きます。",
        Example("one two\u00a0three", {"most": 3}),
        Example("- well-known\n- 1.5 m\n2. third", {"of": "item", "most": 3}),
        Example("1. First of all\n2. Second", {"most": 4}),
        Example("One.\n\nTwo.", {"of": "paragraph", "least": 2, "most": None}),
        Example("naïve café, señor", {"most": 3}),
    )
    bad: ClassVar = (
        "One. Two. Three.",
        "He lives in the U.S. The boat is late. We wait.",
        "Is it so? It is! Good.",
        "今日は休み。明日も休み。さようなら。",
        "- one thing\n- another thing\n- a third",
        Example("one two three four", {"most": 3}),
        Example("", {"least": 1, "most": None}),
        Example("a\nb\nc", {"of": "line", "most": 2}),
        Example("今日は", {"most": 2}),
        Example("abcdef", {"of": "character", "most": 5}),
    )

    @classmethod
    def unit_of(cls, options: Any) -> str:
        return str(_COUNTED.get(options.of, options.of))

    def number(self, text: str) -> float:
        of = self.options.of
        return len(text) if of == "character" else len(PIECES[of](text))

    def beyond(self, text: str) -> Iterable[Span]:
        """All after the last that is allowed, as one place."""
        most = int(self.options.most)
        if self.options.of == "character":
            yield Span(most, len(text), "beyond the limit")
            return
        pieces = PIECES[self.options.of](text)
        yield Span(pieces[most].start, pieces[-1].end, "beyond the limit")
