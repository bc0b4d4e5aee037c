"""Running the queries of answers that checks are to judge."""

from __future__ import annotations

from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench, Judged
from epistem.core.engine.needs import Need, RunQuery
from epistem.core.engine.run import given_by
from epistem.core.tools.rows import Rows
from epistem.reach import sources
from epistem.store.database import Database
from epistem.work.tools.places import Places


class Queries:
    """For one page, trial or try."""

    def __init__(self, database: Database) -> None:
        self._places = Places(database)

    def run(self, need: Need) -> Rows:
        """Blocks. Raises InvalidInput, in words."""
        assert isinstance(need, RunQuery), "only queries are run here"
        return sources.run(
            self._places.source(need.source),
            need.statement,
            self._places.doors(),
            most_rows=need.most_rows,
            seconds=need.seconds,
        )

    def found_by(self, bench: Bench, answer: Answer, ground: Ground) -> list[Judged]:
        """What those checks find that run queries."""
        return given_by(bench.run(answer, ground), self.run)
