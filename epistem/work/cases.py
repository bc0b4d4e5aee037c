"""Keeping cases, with the checks that they need."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from epistem.core.cases.content import Case, tidied
from epistem.core.cases.holdout import TAG as HOLDOUT
from epistem.core.cases.holdout import share_of
from epistem.core.cases.pair import doubts_of
from epistem.core.cases.silence import is_silence
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput, NotFound
from epistem.store import cases, drafts, subjects
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.subjects import Subject

NEEDS: dict[str, Callable[[Case], bool]] = {
    "outcome.ends": lambda case: case.expect.ends is not None,
    "outcome.collected": lambda case: bool(case.expect.collect),
    "outcome.told_before": lambda case: bool(case.expect.collect),
    "outcome.result_after": lambda case: bool(case.expect.result and case.expect.collect),
    "outcome.never_asks": lambda case: bool(case.expect.never_asks),
    "outcome.goodbye": lambda case: case.expect.goodbye is True,
    "outcome.follows_up": lambda case: any(map(is_silence, case.turns)),
    "outcome.query_rows": lambda case: bool(case.expect.query),
    "outcome.tools": lambda case: bool(case.expect.tools or case.expect.never_tools),
    "outcome.must_say": lambda case: bool(case.expect.must_say),
    "outcome.must_not_say": lambda case: bool(case.expect.must_not_say),
    "outcome.moves": lambda case: case.pair is not None and bool(case.pair.moves),
    "outcome.steady": lambda case: case.pair is not None and case.pair.is_variation,
    "grounding.not_known": lambda case: case.expect.known is not None,
    "safety.refuses": lambda case: case.expect.refuse is not None,
}
"""Checks without which what a case expects is of no use."""
MOST_HELD_OUT = 2_000


def keep(tx: Transaction, subject: Subject, case: Case) -> KeptCase:
    """Raises InvalidInput as `store.cases.keep`, and for a pair of a case that is not there."""
    _check_pair(tx, subject, case)
    kept = cases.keep(tx, subject, case)
    attach_needed(tx, subject, [kept.content])
    return kept


def keep_all(tx: Transaction, subject: Subject, cases_: Sequence[Case]) -> list[KeptCase]:
    """Raises InvalidInput for the first that will not do, naming it; none is kept then."""
    kept = cases.keep_all(tx, subject, cases_)
    attach_needed(tx, subject, [each.content for each in kept])
    return kept


def change(
    tx: Transaction, subject: Subject, number: int, case: Case, expected_revision: int
) -> KeptCase:
    """Raises Stale if somebody changed it first, and InvalidInput as `keep`."""
    _check_pair(tx, subject, case, number)
    kept = cases.change(tx, subject, number, case, expected_revision)
    attach_needed(tx, subject, [kept.content])
    return kept


def set_away(
    tx: Transaction, subject: Subject, number: int, away: bool, expected_revision: int
) -> KeptCase:
    """Put it away, or bring it back. Raises Stale if somebody changed it first."""
    return cases.set_deleted(tx, subject, number, away, expected_revision)


class Edited(NamedTuple):
    """A case that was changed, its revision before and after."""

    number: int
    was: int
    became: int


def tag(
    tx: Transaction,
    subject: Subject,
    numbers: Sequence[int],
    add: Sequence[str],
    remove: Sequence[str],
) -> list[Edited]:
    """Give these cases some tags and take others from them; those that it changes nothing of are left out.
    Raises NotFound naming one that is not there, and InvalidInput for a case with too many tags."""
    given, taken = (tidied([each.lower() for each in some]) for some in (add, remove))
    edited = []
    for number in dict.fromkeys(numbers):
        kept = cases.get(tx, subject, number)
        tags = [each for each in kept.content.tags if each not in taken]
        tags = list(dict.fromkeys([*tags, *given]))
        if tags == kept.content.tags:
            continue
        changed = Case.from_json({**kept.content.to_json(), "tags": tags}, at=f"cases.{number}")
        now = cases.change(tx, subject, number, changed, kept.revision)
        edited.append(Edited(number, kept.revision, now.revision))
    return edited


def hold_out(
    tx: Transaction, subject: Subject, numbers: Sequence[int] | None, share: float
) -> list[Edited]:
    """A share of these cases, or of all, and with each the cases that are it with a change. Raises NotFound
    as `store.cases.chosen`, InvalidInput where that is none of them or too many at once."""
    there = [(each.number, each.content) for each in cases.chosen(tx, subject, numbers)]
    whole = [(number, case) for number, case in there if case.pair is None or numbers is not None]
    drawn = set(share_of(whole, share))
    drawn |= {number for number, case in there if case.pair is not None and case.pair.of in drawn}
    if not drawn:
        raise InvalidInput("So small a share of these cases is none of them.", field="share")
    if len(drawn) > MOST_HELD_OUT:
        raise InvalidInput(
            f"{len(drawn):,} cases are more than can be changed at once ({MOST_HELD_OUT:,}). Hold out a "
            "smaller share.",
            field="share",
        )
    return tag(tx, subject, sorted(drawn), [HOLDOUT], [])


def restore(tx: Transaction, subject: Subject, edited: Sequence[Edited]) -> list[Edited]:
    """Make cases what they were at the revision `was`, where they are still as they `became`. Raises Stale
    for one that somebody changed since: nothing is touched then."""
    restored = []
    for each in edited:
        kept = cases.get(tx, subject, each.number)
        before = cases.as_it_was(tx, kept.id, each.was)
        if before is None:
            raise NotFound(
                f"Case {each.number} is not kept as it was at {each.was}.", field="cases"
            )
        now = cases.change(tx, subject, each.number, before, each.became)
        restored.append(Edited(each.number, each.became, now.revision))
    return restored


def _check_pair(tx: Transaction, subject: Subject, case: Case, number: int | None = None) -> None:
    if case.pair is None:
        return
    if case.pair.of == number:
        raise InvalidInput("A case can't be paired with itself.", field="pair.of")
    try:
        cases.get(tx, subject, case.pair.of)
    except NotFound as error:
        raise InvalidInput(
            f"There is no case {case.pair.of} to pair it with.", field="pair.of"
        ) from error
    doubts = doubts_of(case.pair)
    if doubts:
        raise InvalidInput(doubts[0], field="pair.moves")


def attach_needed(tx: Transaction, subject: Subject, kept: Sequence[Case]) -> None:
    """The checks that these cases need and the subject has not are given to it."""
    needed = [check for check, needs in NEEDS.items() if any(needs(case) for case in kept)]
    if not needed:
        return
    checks = subject.checks_for(drafts.get(tx, subject).content.reply)
    more = [CheckUse(check=check) for check in needed if all(use.check != check for use in checks)]
    if more:
        subjects.set_checks(tx, subject, [*checks, *more], subject.checks_revision)
