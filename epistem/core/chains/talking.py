"""What a walk says to the person of its talk, and hears of them: of a real one, of one who is played, or of nobody."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

from epistem.core.cases.silence import is_silence
from epistem.core.chains.walked import Exchange
from epistem.core.engine.needs import HearPerson, Program

Where = Literal["try", "trial"]
Says = Callable[[Sequence[str]], Program[str | None]]
"""What a person says to the last of these answers, None once they say no more."""
MOST_SAID = 20_000
"""Characters of what is said at once."""


class Talking:
    """The talk of one walk, with the chains that it calls."""

    def __init__(self, where: Where, person: Says | None = None) -> None:
        """`person` says what they say, where no real one does; without one nobody is there in a trial."""
        self._where, self._person = where, person
        self.said: list[Exchange] = []

    def tell(self, says: str) -> None:
        """What nothing is heard to."""
        self.said.append(Exchange(says[:MOST_SAID], None))

    def hear(self, path: str, says: str, hours: float) -> Program[str | None]:
        """What the person says to that within so many hours; None for nothing."""
        place = len(self.said)
        self.tell(says)
        heard: str | None = None
        if self._person is not None:
            heard = yield from self._person([each.says for each in self.said])
        elif self._where == "try":
            heard = yield HearPerson(path, self.said[place].says, hours)
        if heard is None or is_silence(heard) or not heard.strip():
            return None
        self.said[place] = Exchange(says[:MOST_SAID], heard[:MOST_SAID])
        return heard[:MOST_SAID]
