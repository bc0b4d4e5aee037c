"""Plain text: its paragraphs as they stand. The title is its first line, where that is short."""

from __future__ import annotations

from epistem.core.cases.files.decoding import decoded
from epistem.core.knowledge.text import Text

LONGEST_TITLE = 90


def read(content: bytes) -> Text:
    text = text_of(content)
    first = text.lstrip().split("\n", 1)[0].strip()
    titled = 0 < len(first) <= LONGEST_TITLE and first[-1] not in ".,;:"
    return Text(text, first if titled else "")


def text_of(content: bytes) -> str:
    """Decoded, with line ends of one kind, and without what no database takes or a page shows."""
    text = decoded(content).text.replace("\r\n", "\n").replace("\r", "\n")
    return text.replace("\0", "").lstrip("\ufeff")
