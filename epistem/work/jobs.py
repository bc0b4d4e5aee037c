"""Work that goes on behind the pages: what kinds there are, and how each is done."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from epistem.core.checks.uses import CheckUse
from epistem.core.errors import EpistemError
from epistem.store import jobs
from epistem.store.database import Database, Transaction
from epistem.work.knowledge import embedding
from epistem.work.probation import JUDGE_TEST, put_to_the_test

Report = Callable[[int, int], None]
"""Told how many pieces are done of how many. It raises where the work is to be let go."""
Do = Callable[[Database, Mapping[str, Any], Report], None]
"""Does one job. It may be begun anew at any point of it, so it goes on from what is kept; what it raises has it
tried again after a while."""
VECTORS = "vectors"


def begin_vectors(tx: Transaction, collection: str, *, once: bool = False) -> None:
    """Have the vectors made that the newest version of the collection lacks; `once`: not where that was asked for
    before."""
    title = f"Make vectors of the passages of {collection}"
    jobs.begin(tx, VECTORS, collection, {"collection": collection}, title, once=once)


def _test_judge(database: Database, about: Mapping[str, Any], report: Report) -> None:
    put_to_the_test(database, CheckUse.from_json(dict(about)), patient=True)


def _make_vectors(database: Database, about: Mapping[str, Any], report: Report) -> None:
    name = str(about["collection"])
    come = embedding.progress(database, name)
    report(come.done, come.total)
    while come.done < come.total:
        before, come = come, embedding.go_on(database, name)
        report(come.done, come.total)
        if come.done <= before.done:
            raise EpistemError(f"The model gave no vectors of {name}'s passages.")


KINDS: dict[str, Do] = {JUDGE_TEST: _test_judge, VECTORS: _make_vectors}
