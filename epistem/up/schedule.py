"""Backups every now and then, made by a process beside the others while everything goes on."""

from __future__ import annotations

import sys
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from epistem.up.archive import PART
from epistem.up.process import Child
from epistem.work import backups

AGAIN_S = 300.0
"""After one that failed; no later than the next is due."""


class Backups:
    """Looked at every now and then. Close it."""

    def __init__(
        self, home: Path, every_s: float | None, keep: int, say: Callable[[str], None],
        now: Callable[[], datetime] = lambda: datetime.now(UTC),
    ) -> None:  # fmt: skip
        """Where `every_s` is None none are made any more, and none is missed."""
        self._home, self._every_s, self._keep, self._say, self._now = home, every_s, keep, say, now
        self._child: Child | None = None
        self._file: Path | None = None
        self._tried_at: datetime | None = None
        self._since: datetime | None = None

    def look(self) -> None:
        """Raises OSError, of a full disk say."""
        if self._every_s is None:
            backups.forget_schedule(self._home)
            return
        now = self._now()
        if self._since is None:
            self._begin(self._every_s, now)
        if self._child is not None:
            if not self._child.running:
                self._over()
            return
        schedule = backups.read_schedule(self._home)
        waits_s = min(AGAIN_S, self._every_s)
        soon = self._tried_at and (now - self._tried_at).total_seconds() < waits_s
        if schedule is None or not schedule.due(now) or soon:
            return
        self._tried_at, self._file = now, backups.next_file(self._home, now)
        command = [
            sys.executable,
            "-m",
            "epistem.cli",
            "backup",
            str(self._file),
            "--home",
            str(self._home),
        ]
        self._child = Child("backup", command, self._home / "logs" / "backup.log")

    def close(self) -> None:
        if self._child is not None:
            self._child.stop()

    def _begin(self, every_s: float, now: datetime) -> None:
        for file in (self._home / backups.FOLDER).glob(f"{PART}*"):
            file.unlink(missing_ok=True)  # of one that was killed
        before = backups.read_schedule(self._home)
        since = before.since if before and before.every_s == every_s else now
        backups.keep_schedule(self._home, every_s, self._keep, since, "")
        self._since = since

    def _over(self) -> None:
        assert self._child is not None
        assert self._file is not None
        assert self._every_s is not None
        assert self._since is not None
        failed = "" if self._file.exists() else self._child.tail(1) or self._child.how_it_ended()
        self._child = None
        backups.keep_schedule(self._home, self._every_s, self._keep, self._since, failed)
        if failed:
            self._say(f"No backup was made: {failed}")
        else:
            backups.let_go_of_old(self._home, self._keep)
