"""Trial progress as server-sent events."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from threading import BoundedSemaphore

from flask import Response, request
from pydantic import BaseModel, Field

from epistem.core.errors import EpistemError, InvalidInput
from epistem.store import readings, trials
from epistem.store.database import Database
from epistem.web.limits import STREAMS
from epistem.web.permits import held_stream
from epistem.web.replies import EVENTS, Shape, blueprint, database
from epistem.web.trials import TickShape, TrialLine, TrialPath, line_of, tick_shapes

bp = blueprint("events")

POLL_S = 0.25
HEARTBEAT_S = 10.0
_open_streams = BoundedSemaphore(STREAMS)
_ID = re.compile(r"[0-9]{1,18}\Z")


class Progress(Shape):
    """What one event carries: the trial as it is, and the ticks that landed since the last."""

    trial: TrialLine
    ticks: list[TickShape]


class After(BaseModel):
    after: int = Field(0, ge=0, lt=10**18, description="The id of the last reading that was seen.")


@bp.get(
    "/trials/<int:trial_id>/events", operation_id="watchTrial", summary="Progress as it happens",
    responses={200: EVENTS},
)  # fmt: skip
def watch_trial(path: TrialPath, query: After) -> Response:
    """Events `progress` with a Progress each, until the trial is over; then `over`, and the end.

    An event's id is the last reading in it, so a client that reconnects goes on from there.
    """
    last = request.headers.get("Last-Event-ID", "")
    if last and not _ID.match(last):
        raise InvalidInput("Last-Event-ID must be a whole number.", field="Last-Event-ID")
    after = int(last) if last else query.after
    with database().transaction() as tx:
        trials.get(tx, path.trial_id)
    full = f"{STREAMS} screens are watching trials already. Close one, or reload in a moment."
    return held_stream(_open_streams, full, lambda: _events(database(), path.trial_id, after))


def _events(database: Database, trial_id: int, after: int) -> Iterator[str]:
    quiet_since = 0.0
    told: tuple[int, str] | None = None
    while True:
        try:
            with database.transaction() as tx:
                trial = trials.get(tx, trial_id)
                ticks = readings.ticks(tx, trial_id, after=after)
                line = (
                    line_of(tx, trial) if ticks or told != (trial.recorded, trial.status) else None
                )
        except EpistemError:
            return  # the client connects again by itself, and goes on from the last id
        now = time.monotonic()
        if line is not None:
            after = ticks[-1].reading_id if ticks else after
            told, quiet_since = (trial.recorded, trial.status), now
            progress = Progress(trial=line, ticks=tick_shapes(ticks))
            yield f"id: {after}\nevent: progress\ndata: {progress.model_dump_json()}\n\n"
        elif now - quiet_since > HEARTBEAT_S:
            quiet_since = now
            yield ": still here\n\n"
        if trial.over and not ticks:
            yield f"id: {after}\nevent: over\ndata: {{}}\n\n"
            return
        time.sleep(POLL_S)
