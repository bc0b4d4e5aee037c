"""The demo's data, loaded once for all workers of a run: every test that wants it gets a copy of its own."""

from __future__ import annotations

import fcntl
import subprocess
from pathlib import Path

from tests.kit.epistem import EpistemProcess


class DemoHome:
    """`path` is a home with the demo in it, which nothing runs in; `said` is what loading it printed."""

    def __init__(self, run: Path) -> None:
        """`run` is a folder that all workers of this run share. Whoever comes first loads it."""
        self.path, told = run / "demo-home", run / "demo.said"
        with (run / "demo.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not told.exists():
                started = EpistemProcess(self.path, "demo").wait_until_up()
                started.wait_until_done()  # or each copy would carry them out anew
                assert started.stop() == 0, started.said
                told.write_text(started.said)
        self.said = told.read_text()

    def copied_to(self, home: Path) -> Path:
        """Its empty stretches take no room: two of 200 MB at once kept the disk from all else."""
        subprocess.run(["cp", "-a", "--sparse=always", str(self.path), str(home)], check=True)
        return home
