"""Backups that are made by themselves: where they lie, which are kept, and whether one is overdue."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import NamedTuple

FOLDER, SCHEDULE = "backups", "schedule.json"
NAMED = "epistem-{:%Y-%m-%dT%H%M%S}Z.zip"
PATTERN = "epistem-*Z.zip"
LATE = 1.5
"""So many times the wished interval after the last one, a backup is overdue."""


class Schedule(NamedTuple):
    """`since` is when it was asked for, `last` when the newest was made; `failed` why the last try made none."""

    every_s: float
    keep: int
    since: datetime
    last: datetime | None
    failed: str = ""

    def due(self, now: datetime) -> bool:
        return self.last is None or now - self.last >= timedelta(seconds=self.every_s)

    def overdue(self, now: datetime) -> bool:
        begun = max(self.last, self.since) if self.last else self.since
        return now - begun > timedelta(seconds=LATE * self.every_s)


def read_schedule(home: Path) -> Schedule | None:
    """None where no backups were asked for."""
    folder = home / FOLDER
    try:
        told = json.loads((folder / SCHEDULE).read_text("utf-8"))
        since = datetime.fromisoformat(told["since"])
        every_s, keep, failed = float(told["every_s"]), int(told["keep"]), str(told["failed"])
    except (OSError, ValueError, KeyError, TypeError):
        return None
    made = made_in(home)
    last = datetime.fromtimestamp(made[-1].stat().st_mtime, UTC) if made else None
    return Schedule(every_s, keep, since, last, failed)


def keep_schedule(home: Path, every_s: float, keep: int, since: datetime, failed: str) -> None:
    folder = home / FOLDER
    folder.mkdir(mode=0o700, exist_ok=True)
    told = {"every_s": every_s, "keep": keep, "since": since.isoformat(), "failed": failed[:500]}
    beside = folder / f"{SCHEDULE}.new"
    beside.write_text(json.dumps(told), "utf-8")
    os.replace(beside, folder / SCHEDULE)


def forget_schedule(home: Path) -> None:
    (home / FOLDER / SCHEDULE).unlink(missing_ok=True)


def next_file(home: Path, now: datetime) -> Path:
    return home / FOLDER / NAMED.format(now)


def made_in(home: Path) -> list[Path]:
    """Those that are there, the oldest first: their names tell when."""
    return sorted((home / FOLDER).glob(PATTERN))


def let_go_of_old(home: Path, keep: int) -> list[Path]:
    """What was removed."""
    old = made_in(home)[:-keep]
    for file in old:
        file.unlink(missing_ok=True)
    return old


def said_of(schedule: Schedule, now: datetime) -> str:
    """What is the matter with it, in a sentence; "" where it is well."""
    if not schedule.overdue(now):
        return ""
    last = (
        f"The last one is of {schedule.last:%Y-%m-%d %H:%M} UTC"
        if schedule.last
        else "There is none yet"
    )
    why = f" The last try failed: {schedule.failed}" if schedule.failed else ""
    return (
        f"A backup is overdue. {last}; one is wished every {schedule.every_s / 3600:g} hours.{why}"
    )
