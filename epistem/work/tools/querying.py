"""Running the queries of answers that checks are to judge."""

from __future__ import annotations

from pathlib import Path

from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.bench import Bench, Judged
from epistem.core.engine.needs import Need, RunQuery
from epistem.core.engine.run import given_by
from epistem.core.tools.rows import Rows
from epistem.reach import sources
from epistem.store.database import Database
from epistem.work.tools.places import Places

MOST_REMEMBERED, MOST_REMEMBERED_ROWS = 500, 100


class Queries:
    """For one page, trial or try."""

    def __init__(self, database: Database) -> None:
        self._places = Places(database)
        self._known: dict[tuple[Path | None, str, int], Rows] = {}

    def run(self, need: Need) -> Rows:
        """Blocks. What a statement gave of an attached file, which never changes, is told again. Raises InvalidInput,
        in words."""
        assert isinstance(need, RunQuery), "only queries are run here"
        source = self._places.source(need.source)
        key = (source.file, need.statement, need.most_rows)
        if source.file is not None and key in self._known:
            return self._known[key]
        found = sources.run(
            source,
            need.statement,
            self._places.doors(),
            most_rows=need.most_rows,
            seconds=need.seconds,
        )
        if source.file is not None and len(found.rows) <= MOST_REMEMBERED_ROWS:
            if len(self._known) >= MOST_REMEMBERED:
                self._known.clear()
            self._known[key] = found
        return found

    def found_by(self, bench: Bench, answer: Answer, ground: Ground) -> list[Judged]:
        """What those checks find that run queries."""
        return given_by(bench.run(answer, ground), self.run)
