"""Follow a trial from the terminal."""

from __future__ import annotations

import time

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from epistem.store import trials
from epistem.store.database import Database, StoreDown

POLL_S = 0.2
QUIET_S = 20.0


def follow(database: Database, trial_id: int, console: Console, *, what: str) -> trials.Trial:
    """Show a bar until the trial is over; the trial as it then is."""
    columns = (
        TextColumn("  {task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=console, transient=console.is_terminal) as progress:
        bar = progress.add_task(what, total=None)
        began = moved = time.monotonic()
        seen = -1
        while True:
            try:
                with database.transaction() as tx:
                    trial = trials.get(tx, trial_id)
            except StoreDown:  # it is being started again; the trial goes on by itself
                time.sleep(POLL_S)
                continue
            if trial.recorded != seen:
                seen, moved = trial.recorded, time.monotonic()
            progress.update(bar, total=trial.total, completed=trial.recorded)
            if trial.over:
                break
            if time.monotonic() - moved > QUIET_S:
                console.print(
                    "  Nothing has been recorded for a while. Is a runner up? See `epistem up`."
                )
                moved = time.monotonic()
            time.sleep(POLL_S)
    seconds = time.monotonic() - began
    if seen:
        console.print(
            f"  T{trial.id} {trial.status}: {trial.recorded} of {trial.total} readings, {seconds:.1f} s"
        )
    return trial
