"""The person at the terminal: says something in a talk, and approves, edits or refuses at a pause."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from rich.console import Console
from rich.markup import escape

if TYPE_CHECKING:
    from epistem.core.engine.needs import AskPerson, HearPerson, PersonSaid

_WORDS = {"a": "approved", "e": "edited", "r": "refused"}


class AtTerminal:
    """`says` is what they say first, in turn. Unless somebody is `there`, nothing more is said, and pauses are as
    they say themselves."""

    def __init__(self, console: Console, says: Sequence[str], *, there: bool) -> None:
        self._console, self._says, self._there = console, list(says), there

    async def hears(self, need: HearPerson) -> str | None:
        """An empty line, or the end of the input, says nothing."""
        if self._says or self._there:
            self._console.print(f"[bold]{escape(need.says)}[/]")
        if self._says:
            words = self._says.pop(0)
            self._console.print(f"> {escape(words)}")
            return words.strip() or None
        return ((await self._line("> ")) or "").strip() or None if self._there else None

    async def approves(self, need: AskPerson) -> PersonSaid:
        from epistem.core.chains.walking import PAST
        from epistem.core.engine.needs import PersonSaid

        if not self._there:
            return PersonSaid(PAST[need.then], note="Nobody is there to be asked.")
        self._console.print(f"[bold]{escape(need.name)}[/] waits for a word:")
        for name, value in need.shows.items():
            self._console.print(f"  {escape(name)}: {escape(_told(value))}")
        if need.edits:
            self._console.print(
                f"  {escape(need.edits)}, which may be edited: {escape(_told(need.value))}"
            )
        ways = "approve, edit or refuse (a, e, r)" if need.edits else "approve or refuse (a, r)"
        while (line := await self._line(f"{ways}? ")) is not None:
            word = _WORDS.get(line.strip().lower()[:1], "")
            if word == "edited" and need.edits:
                text = await self._line(f"{need.edits} = ") or ""
                return PersonSaid(word, text if isinstance(need.value, str) else _read(text))
            if word in ("approved", "refused"):
                return PersonSaid(word)
        return PersonSaid(PAST[need.then], note="The terminal was closed.")

    async def _line(self, prompt: str) -> str | None:
        """None at the end of the input."""
        try:
            return await asyncio.to_thread(self._console.input, prompt, markup=False)
        except EOFError:
            return None


def _told(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, default=str)


def _read(text: str) -> Any:
    try:
        return json.loads(text)
    except ValueError:
        return text
