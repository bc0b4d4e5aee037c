"""A file read by what its name and its bytes say it is."""

from __future__ import annotations

import importlib
import posixpath
from collections.abc import Callable
from typing import Literal, cast

from epistem.core.errors import InvalidInput
from epistem.core.knowledge.text import Text

Format = Literal["text", "markdown", "html", "table", "pdf"]
ENDINGS: dict[str, Format] = {
    ".txt": "text", ".text": "text", ".log": "text", ".rst": "text", ".md": "markdown",
    ".markdown": "markdown", ".htm": "html", ".html": "html", ".xhtml": "html", ".csv": "table",
    ".tsv": "table", ".pdf": "pdf",
}  # fmt: skip
_READERS = {
    "text": "plain", "markdown": "markdown", "html": "html", "table": "table", "pdf": "pdf",
}  # fmt: skip
MOST_TEXT = 20_000_000
"""Characters of one document."""


def format_of(name: str, content: bytes) -> Format:
    """By the file's ending; a PDF by its first bytes, whatever it is called."""
    if content[:1024].lstrip()[:5] == b"%PDF-":
        return "pdf"
    return ENDINGS.get(posixpath.splitext(name.lower())[1], "text")


def read_document(name: str, content: bytes) -> Text:
    """Raises InvalidInput where it has no text that can be read, with what to do."""
    kind = format_of(name, content)
    module = importlib.import_module(f"{__package__}.{_READERS[kind]}")
    read = cast(Callable[[bytes], Text], module.read)
    found = read(content)
    if len(found.text) > MOST_TEXT:
        raise InvalidInput(
            f"It has {len(found.text):,} characters; the limit is {MOST_TEXT:,}. Split it into several.",
            field="file",
        )
    if not found.text.strip():
        raise InvalidInput("There is no text in it.", field="file")
    return found
