"""Trial progress as server-sent events."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from threading import BoundedSemaphore

from flask import Response, request
from pydantic import BaseModel, Field

from epistem.core.errors import EpistemError, InvalidInput
from epistem.store import trials
from epistem.store.database import Database
from epistem.web.limits import STREAMS
from epistem.web.permits import held_stream
from epistem.web.readings import Ticks, ticks_of
from epistem.web.replies import (
    EVENTS,
    Shape,
    blueprint,
    database,
    transaction,
)
from epistem.web.trials import TrialLine, TrialPath, line_of

bp = blueprint("events")

POLL_S = 0.25
HEARTBEAT_S = 10.0
_open_streams = BoundedSemaphore(STREAMS)
_ID = re.compile(r"[0-9]{1,9}\Z")


class Progress(Shape):
    """What one event carries: the trial as it is, and the ticks that landed since the last."""

    trial: TrialLine
    ticks: Ticks


class After(BaseModel):
    after: int = Field(0, ge=0, lt=10**9, description="The last landing number that was seen.")


@bp.get(
    "/trials/<int:trial_id>/events", operation_id="watchTrial", summary="Progress as it happens",
    responses={200: EVENTS},
)  # fmt: skip
def watch_trial(path: TrialPath, query: After) -> Response:
    """Events `progress` with a Progress each, until the trial is over; then `over`, and the end.

    An event's id is the last landing number in it, so a client that reconnects goes on from there.
    """
    last = request.headers.get("Last-Event-ID", "")
    if last and not _ID.match(last):
        raise InvalidInput("Last-Event-ID must be a whole number.", field="Last-Event-ID")
    after = int(last) if last else query.after
    with transaction() as tx:
        trials.get(tx, path.trial_id)
    full = f"{STREAMS} screens are watching trials already. Close one, or reload in a moment."
    return held_stream(_open_streams, full, lambda: _events(database(), path.trial_id, after))


def _events(database: Database, trial_id: int, after: int) -> Iterator[str]:
    quiet_since = 0.0
    told: tuple[object, ...] | None = None
    while True:
        try:
            with database.transaction() as tx:
                trial = trials.get(tx, trial_id)
                ticks = ticks_of(tx, trial, after)
                paused = () if trial.over else tuple(trials.paused_of(tx, trial_id))
                now_told = (trial.landed, trial.status, paused)
                line = line_of(tx, trial) if ticks.last > after or told != now_told else None
        except EpistemError:
            return  # the client connects again by itself, and goes on from the last id
        now = time.monotonic()
        if line is not None:
            after, told, quiet_since = ticks.last, now_told, now
            progress = Progress(trial=line, ticks=ticks)
            yield f"id: {after}\nevent: progress\ndata: {progress.model_dump_json()}\n\n"
        elif now - quiet_since > HEARTBEAT_S:
            quiet_since = now
            yield ": still here\n\n"
        if ticks.more:
            continue
        if trial.over:
            yield f"id: {after}\nevent: over\ndata: {{}}\n\n"
            return
        time.sleep(POLL_S)
