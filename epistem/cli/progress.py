"""Follow a trial from the terminal."""

from __future__ import annotations

import time

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from epistem.core.errors import EpistemError
from epistem.store import trials
from epistem.store.database import Database, StoreDown

POLL_S = 0.2
QUIET_S = 20.0
PATIENCE_S = 600.0


class TrialWaits(EpistemError):
    """Nothing is recorded for long, since all that is left to ask is paused. The trial goes on by itself."""


def follow(
    database: Database,
    trial_id: int,
    console: Console,
    *,
    what: str,
    patience_s: float = PATIENCE_S,
) -> trials.Trial:
    """Show a bar until the trial is over; the trial as it then is. An arm that is paused is told, with
    the reason; after `patience_s` without anything recorded TrialWaits is raised."""
    columns = (
        TextColumn("  {task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=console, transient=console.is_terminal) as progress:
        bar = progress.add_task(what, total=None)
        began = moved = time.monotonic()
        seen, told = -1, ""
        while True:
            try:
                with database.transaction() as tx:
                    trial = trials.get(tx, trial_id)
                    paused = [] if trial.over else trials.paused_of(tx, trial_id)
            except StoreDown:  # it is being started again; the trial goes on by itself
                time.sleep(POLL_S)
                continue
            if trial.recorded != seen:
                seen, moved = trial.recorded, time.monotonic()
            progress.update(bar, total=trial.total, completed=trial.recorded)
            if trial.over:
                break
            why = " ".join(f"Arm {each.arm + 1} is paused. {each.why}" for each in paused)
            if why and why != told:
                console.print(f"  {why} It is tried again by itself.", style="yellow")
                told = why
            if paused and time.monotonic() - moved > patience_s:
                raise TrialWaits(
                    f"Nothing was recorded for {patience_s:,.0f} s. {why} T{trial_id} goes on by itself; "
                    f"`epistem trial run T{trial_id}` follows it again."
                )
            if not paused and time.monotonic() - moved > QUIET_S:
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
