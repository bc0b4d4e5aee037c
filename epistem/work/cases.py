"""Keeping cases, with the checks that they need."""

from __future__ import annotations

from collections.abc import Sequence

from epistem.core.cases.content import Case
from epistem.core.checks.registry import CheckUse
from epistem.core.errors import InvalidInput
from epistem.store import cases, drafts, subjects
from epistem.store.cases import KeptCase
from epistem.store.database import Transaction
from epistem.store.subjects import Subject

MUST_NOT_SAY = "outcome.must_not_say"


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
    for each in kept:
        if each.content.expect.must_not_say:
            _attach(tx, subject, each.content)
            break
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


def _attach(tx: Transaction, subject: Subject, case: Case) -> None:
    """A case that rules words out is of no use without the check that looks for them."""
    checks = subject.checks_for(drafts.get(tx, subject).content.reply)
    if case.expect.must_not_say and all(use.check != MUST_NOT_SAY for use in checks):
        use = CheckUse.from_json({"check": MUST_NOT_SAY})
        subjects.set_checks(tx, subject, [*checks, use], subject.checks_revision)
