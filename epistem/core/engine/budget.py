"""What a program may spend: budgets that are shared by all that runs under them, reserved before the spending.

A charge names the budgets that it is taken from, the widest first. What was reserved counts as spent until it is
settled, so that no budget is passed by those who spend side by side. Each charge stands at a path and counts once:
a program that is resumed is not charged again for what its record answers.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import inf
from typing import Final, Literal, NamedTuple

Counted = Literal["steps", "calls", "cents", "characters"]
ENOUGH: Final = 1e-9
"""Of a cent: money is a sum of floats."""


@dataclass(frozen=True)
class Budget:
    """Of all that runs in one place, which is its name: no two budgets of a program stand in the same."""

    place: str
    steps: float = inf
    calls: float = inf
    cents: float = inf
    characters: float = inf


class Charge(NamedTuple):
    """`cents` is the most that it may come to; what it came to is told once that is known, by the price of a token that
    is sent and of one that is written."""

    budgets: tuple[Budget, ...]
    steps: int = 0
    calls: int = 0
    cents: float = 0.0
    characters: int = 0
    input_cents: float = 0.0
    output_cents: float = 0.0

    def cents_of(self, sent: int, written: int) -> float:
        return sent * self.input_cents + written * self.output_cents


class Refused(NamedTuple):
    """So much is allowed, and left; more was wanted."""

    what: Counted
    allowed: float
    left: float
    wanted: float


class NotBegun(NamedTuple):
    """Of what was to be done side by side, all from this number on was not begun, since something was refused."""

    number: int
    refused: Refused


class Later(NamedTuple):
    """It does not fit now, and may once what is under way has been settled."""


class Ledger:
    """Of one program, and of all that it runs side by side."""

    def __init__(self) -> None:
        self._spent: dict[str, _Spent] = {}
        self._open: dict[str, Charge] = {}
        self._paths: set[str] = set()
        self.refused: Refused | None = None
        """What was refused first: nothing more is begun side by side then."""
        self.waiting: list[Callable[[], None]] = []
        """Called, once, when something was settled."""

    def reserve(self, path: str, charge: Charge) -> Refused | Later | None:
        """None where it is granted."""
        if path in self._paths:
            return None
        later = False
        for budget in charge.budgets:
            spent = self._spent.get(budget.place, _NOTHING)
            for what in _COUNTED:
                wanted, allowed = getattr(charge, what), getattr(budget, what)
                left = allowed - getattr(spent, what)
                if not wanted or wanted <= left + (ENOUGH if what == "cents" else 0):
                    continue
                if what == "cents" and wanted <= left + spent.reserved + ENOUGH and spent.reserved:
                    later = True
                    continue
                if what == "characters":  # they are there already, so nothing may be added to them
                    spent.characters = int(allowed)
                refused = Refused(what, allowed, max(0.0, left), wanted)
                self.refused = self.refused or refused
                return refused
        if later:
            return Later()
        self._take(path, charge, charge.cents)
        if charge.cents:
            self._open[path] = charge
            for budget in charge.budgets:
                self._spent[budget.place].reserved += charge.cents
        return None

    def spent(self, path: str, charge: Charge, cents: float) -> None:
        """What stands in the record: it is counted, whatever is left."""
        if path not in self._paths:
            self._take(path, charge, cents)

    def settle(self, path: str, cents: float | None) -> None:
        """What it came to; None where that will not be known: then it is the most that it may have come to."""
        charge = self._open.pop(path, None)
        if charge is None:
            return
        came = charge.cents if cents is None else cents
        for budget in charge.budgets:
            spent = self._spent[budget.place]
            spent.cents += came - charge.cents
            spent.reserved -= charge.cents
        waiting, self.waiting = self.waiting, []
        for wake in waiting:
            wake()

    def _take(self, path: str, charge: Charge, cents: float) -> None:
        self._paths.add(path)
        for budget in charge.budgets:
            spent = self._spent.setdefault(budget.place, _Spent())
            spent.steps += charge.steps
            spent.calls += charge.calls
            spent.characters += charge.characters
            spent.cents += cents


_COUNTED: tuple[Counted, ...] = ("steps", "calls", "cents", "characters")


@dataclass
class _Spent:
    steps: int = 0
    calls: int = 0
    cents: float = 0.0
    characters: int = 0
    reserved: float = 0.0
    """Of the cents: what may be given back."""


_NOTHING = _Spent()
