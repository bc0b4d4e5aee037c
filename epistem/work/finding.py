"""What a person types to narrow the cases, with all that its terms may ask about."""

from __future__ import annotations

from collections.abc import Mapping

from epistem.core.cases.filters import Fared, filter_from
from epistem.store.case_lists import Asked, Order
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.work.case_sets import members
from epistem.work.fared import fared_with


def asked_for(
    tx: Transaction,
    subject: Subject,
    find: str,
    order: Order | None = None,
    results: Mapping[int, Fared] | None = None,
) -> Asked:
    fared, sets = fared_with(tx, subject), members(tx, subject)
    return Asked(filter_from(find), order or Order(), fared, sets, results or {})
