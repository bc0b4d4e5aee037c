"""All that is live, as server-sent events: one stream for a window, whatever it shows."""

from __future__ import annotations

import time
from collections.abc import Iterator
from threading import BoundedSemaphore

from flask import Response

from epistem.core.errors import EpistemError
from epistem.store import trials
from epistem.store.database import Database
from epistem.web.jobs import JobLine, JobList, lines_of
from epistem.web.limits import STREAMS
from epistem.web.permits import held_stream
from epistem.web.replies import EVENTS, Shape, blueprint, database
from epistem.web.trials import line_of

bp = blueprint("events")

POLL_S = 0.25
"""How often trials that are going on are looked at."""
IDLE_S = 0.5
"""How often it is looked whether one began."""
HEARTBEAT_S = 10.0
NEWS_S = 5.0
"""So long what has ended is looked at; longer than any two looks are apart."""
_open_streams = BoundedSemaphore(STREAMS)
FULL = f"{STREAMS} windows are watching already. Close one, or reload in a moment."


class Live(Shape):
    """The trials that are going on, by number."""

    trials: list[int]


@bp.get(
    "/events", operation_id="watch", summary="What is live, as it happens", responses={200: EVENTS},
)  # fmt: skip
def watch() -> Response:
    """`live` with a Live: first, and whenever a trial begins or ends. `trial` with a TrialLine for each
    that goes on: first, and whenever it changed, its end included. What landed is asked for in pages.
    `jobs` with a JobList: before the first `live` if something goes on behind the pages, and whenever that changed."""
    return held_stream(_open_streams, FULL, lambda: _events(database()))


def _events(database: Database) -> Iterator[str]:
    told: dict[int, trials.Standing] = {}
    live: list[int] | None = None
    behind: list[JobLine] = []
    began = spoke = time.monotonic()
    while True:
        try:
            # What ended before is no news; what ended since is told, however quickly that was.
            ended_within_s = min(time.monotonic() - began, NEWS_S) if live is not None else 0
            with database.transaction() as tx:
                now = {each.id: each for each in trials.standing(tx, ended_within_s)}
                gone = [
                    trials.get(tx, id_) for id_ in told if id_ not in now and not told[id_].over
                ]
                changed = [
                    trials.get(tx, each.id) for each in now.values() if told.get(each.id) != each
                ]
                lines = [line_of(tx, trial) for trial in (*gone, *changed)]
                jobs = lines_of(tx)
        except EpistemError:
            return  # the client connects again by itself
        for line in lines:
            yield _event("trial", line)
        if jobs != behind:
            behind = jobs
            yield _event("jobs", JobList(jobs=jobs))
        going_on = sorted(each.id for each in now.values() if not each.over)
        if going_on != live:
            live = going_on
            yield _event("live", Live(trials=live))
        told = now
        if lines:
            spoke = time.monotonic()
        elif time.monotonic() - spoke > HEARTBEAT_S:
            spoke = time.monotonic()
            yield ": still here\n\n"
        time.sleep(POLL_S if live else IDLE_S)


def _event(kind: str, shape: Shape) -> str:
    return f"event: {kind}\ndata: {shape.model_dump_json()}\n\n"
