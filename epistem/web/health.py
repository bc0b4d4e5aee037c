"""Whether this server is well: asked by those who watch it, also while the database is away."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from time import monotonic
from typing import Literal

from flask import Response, current_app

from epistem import __version__
from epistem.core.errors import EpistemError
from epistem.store.soundness import damaged, in_words
from epistem.web.replies import Shape, blueprint, database, reply
from epistem.work.backups import read_schedule, said_of

bp = blueprint("health")


SOUND_FOR_S = 60.0
"""So long what was found of the tables holds."""
LEAST_FREE = 300_000_000
"""Bytes of the disk: with fewer it is told."""


class Health(Shape):
    """`database` says what is the matter with it, in a sentence, if it is not well; `attention` what should be seen to
    before something is: a backup that is overdue, a disk that fills up."""

    status: Literal["well", "needs attention", "no database", "damaged"]
    version: str
    database: str | None
    attention: list[str]


@bp.get(
    "/health", responses={200: Health, 503: Health}, operation_id="getHealth",
    summary="Whether the server and its database are well",
)  # fmt: skip
def get_health() -> Response:
    try:
        database().probe()
        wrong = in_words(_damaged())
    except EpistemError as error:
        return reply(_health("no database", error.message), 503)
    if wrong:
        return reply(_health("damaged", wrong), 503)
    return reply(_health("well", None))


def _health(status: Literal["well", "no database", "damaged"], what: str | None) -> Health:
    attention = _attention()
    told = "needs attention" if status == "well" and attention else status
    return Health(status=told, version=__version__, database=what, attention=attention)


def _damaged() -> list[str]:
    """Raises StoreDown."""
    kept: tuple[float, list[str]] | None = current_app.extensions.get("epistem.damaged")
    if kept is None or kept[1] or monotonic() - kept[0] > SOUND_FOR_S:
        with database().transaction() as tx:
            kept = monotonic(), damaged(tx)
        current_app.extensions["epistem.damaged"] = kept
    return kept[1]


def _attention() -> list[str]:
    """Of the home that everything is kept in, where this server knows it."""
    if not (kept_in := os.environ.get("EPISTEM_KEPT_IN")):
        return []
    home, told = Path(kept_in), []
    if (schedule := read_schedule(home)) is not None:
        told.append(said_of(schedule, datetime.now(UTC)))
    with suppress(OSError):
        if (free := shutil.disk_usage(home).free) < LEAST_FREE:
            told.append(
                f"The disk of {home.name} has {free / 1e6:,.0f} MB left. Make room: what is full keeps nothing more."
            )
    return [each for each in told if each]
