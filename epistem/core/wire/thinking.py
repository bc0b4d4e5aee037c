"""Reasoning that a model writes before its answer, between <think> marks, told apart as it streams."""

from __future__ import annotations

OPEN, CLOSE = "<think>", "</think>"
MOST_BEFORE = 1_000
"""Characters of white space before a mark; after so many none is looked for any more."""


class ThinkMarks:
    """Feed it the pieces of a text; it gives (is reasoning, text) and holds back what may be a mark."""

    def __init__(self) -> None:
        self._held = ""
        self._state = "before"

    def feed(self, text: str) -> list[tuple[bool, str]]:
        if self._state == "answer":
            return [(False, text)] if text else []
        self._held += text
        return self._cut()

    def end(self) -> list[tuple[bool, str]]:
        """What was held back."""
        held, self._held = self._held, ""
        return [(self._state == "thinking", held)] if held else []

    def _cut(self) -> list[tuple[bool, str]]:
        if self._state == "before":
            begun = self._held.lstrip()
            if len(self._held) < MOST_BEFORE and OPEN.startswith(
                begun
            ):  # nothing yet, or the beginning of a mark
                if begun != OPEN:
                    return []
            elif not begun.startswith(OPEN):
                self._state, held, self._held = "answer", self._held, ""
                return [(False, held)]
            self._state, self._held = "thinking", begun[len(OPEN) :]
        if self._state == "thinking":
            thought, mark, rest = self._held.partition(CLOSE)
            if not mark:
                keep = _beginning_of_mark(thought)
                thought, self._held = thought[: len(thought) - keep], thought[len(thought) - keep :]
                return [(True, thought)] if thought else []
            self._state, self._held = "between", rest
            told = [(True, thought)] if thought else []
            return told + self._cut()
        answer = self._held.lstrip()  # white space between the mark and the answer
        if not answer:
            return []
        self._state, self._held = "answer", ""
        return [(False, answer)]


def _beginning_of_mark(text: str) -> int:
    """How many of the last characters may be the beginning of the closing mark."""
    return next((n for n in range(len(CLOSE) - 1, 0, -1) if text.endswith(CLOSE[:n])), 0)
