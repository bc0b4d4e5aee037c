"""Keeping cases, with the checks that they need."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from epistem.core.cases.content import Case, Expectation
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.store import cases, drafts, subjects
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.subjects import Subject

NEEDS: dict[str, Callable[[Expectation], bool]] = {
    "outcome.must_not_say": lambda expect: bool(expect.must_not_say),
    "grounding.not_known": lambda expect: expect.known is not None,
    "safety.refuses": lambda expect: expect.refuse is not None,
}
"""Checks without which what a case expects is of no use."""


def keep(tx: Transaction, subject: Subject, case: Case) -> KeptCase:
    """Raises InvalidInput as `store.cases.keep`."""
    kept = cases.keep(tx, subject, case)
    _attach(tx, subject, kept.content)
    return kept


def keep_all(tx: Transaction, subject: Subject, cases_: Sequence[Case]) -> list[KeptCase]:
    """Raises InvalidInput for the first that will not do, naming it; none is kept then."""
    kept = []
    for at, case in enumerate(cases_):
        try:
            kept.append(cases.keep(tx, subject, case))
        except InvalidInput as error:
            raise InvalidInput(error.message, field=f"cases.{at}.{error.field}") from error
    _attach(tx, subject, *(each.content for each in kept))
    return kept


def change(
    tx: Transaction, subject: Subject, number: int, case: Case, expected_revision: int
) -> KeptCase:
    """Raises Stale if somebody changed it first."""
    kept = cases.change(tx, subject, number, case, expected_revision)
    _attach(tx, subject, kept.content)
    return kept


def set_away(
    tx: Transaction, subject: Subject, number: int, away: bool, expected_revision: int
) -> KeptCase:
    """Put it away, or bring it back. Raises Stale if somebody changed it first."""
    return cases.set_deleted(tx, subject, number, away, expected_revision)


def _attach(tx: Transaction, subject: Subject, *kept: Case) -> None:
    """The checks that these cases need and the subject has not."""
    needed = [check for check, needs in NEEDS.items() if any(needs(case.expect) for case in kept)]
    if not needed:
        return
    checks = subject.checks_for(drafts.get(tx, subject).content.reply)
    more = [CheckUse(check=check) for check in needed if all(use.check != check for use in checks)]
    if more:
        subjects.set_checks(tx, subject, [*checks, *more], subject.checks_revision)
