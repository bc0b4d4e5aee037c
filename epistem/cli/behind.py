"""What goes on behind the pages once everything runs, and what is said of it in the terminal."""

from __future__ import annotations

import time
from functools import partial

from rich.console import Console
from rich.markup import escape
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TaskID, TextColumn

from epistem.core.errors import NotFound
from epistem.core.shapes import count, listed
from epistem.demo.load import BRINGS, SUBJECTS, ask_for_demo, bring, first_of
from epistem.runner.jobs import Jobs
from epistem.store import jobs, subjects, trials
from epistem.store.database import Database, Transaction
from epistem.store.jobs import Job
from epistem.store.trials import Trial
from epistem.up.supervisor import Supervisor
from epistem.work.jobs import VECTORS
from epistem.work.probation import JUDGE_TEST

PATIENCE_S = 30.0
"""So long after the start the address waits for the first trial, and no longer than it takes until pages answer."""
STATEMENT_S = 20


class Behind:
    """Looked at every now and then, while the supervisor watches. Close it."""

    def __init__(self, supervisor: Supervisor, console: Console, *, asks: bool) -> None:
        """`asks` for the demo; without it only what an earlier start left undone of it is done."""
        self._supervisor, self._console, self._asks = supervisor, console, asks
        self._waits = asks
        self._has_begun = False
        self._since = time.monotonic()
        self._database: Database | None = None
        self._jobs: Jobs | None = None
        self._bar: tuple[Progress, TaskID] | None = None
        self._said_address = False
        self._said: dict[int, tuple[int, str]] = {}
        self._over = False

    def look(self) -> None:
        """Whatever it comes upon, it says the address in time. Raises EpistemError while the database is away."""
        try:
            if not self._over:
                self._look()
        finally:
            if not self._said_address and time.monotonic() - self._since > PATIENCE_S:
                self._say_address("")

    def close(self) -> None:
        self._end_bar()
        if self._jobs is not None:
            self._jobs.close()

    def _look(self) -> None:
        database = self._begun()
        with database.transaction() as tx:
            going = jobs.unfinished(tx)
            running = trials.standing(tx)
            first, trial = self._first(tx)
        self._say_news(going)
        if not self._said_address:
            if trial is not None and not trial.over:
                self._draw(trial)
            late = time.monotonic() - self._since > PATIENCE_S
            comes = first is not None and first.going and not first.attempts
            if late or not (comes or (trial is not None and not trial.over)):
                if self._bar is not None and trial is not None:
                    self._draw(trial)
                    self._end_bar()
                    recorded = f"{trial.recorded:,} of {trial.total:,} readings"
                    self._console.print(f"  T{trial.id} {trial.status}: {recorded}")
                self._say_address(_behind(going, len(running)))
        if self._said_address and not any(job.going for job in going) and not running:
            if self._said or self._jobs is not None:
                failed = count(sum(job.status == "failed" for job in going), "thing")
                done = "All of it is done" if not going else f"All but {failed} is done"
                self._console.print(f"  {done}.")
            self._over = True

    def _begun(self) -> Database:
        """What is to be brought is asked for, and there is somebody who brings it."""
        if self._database is None:
            address = self._supervisor.database_address
            self._database = Database(address, connections=2, patience_s=STATEMENT_S)
        if not self._has_begun:
            bookings = self._supervisor.bookings_address
            with self._database.transaction() as tx:
                jobs.give_back_kind(
                    tx, BRINGS
                )  # a start that was killed had them; there is one a home
                for job in jobs.unfinished(tx):
                    if job.attempts and job.status != "running":
                        jobs.try_again(tx, job.id)  # a new start is a new chance, at once
                if self._asks:
                    ask_for_demo(tx, bookings)
                left = any(job.going for job in jobs.unfinished(tx, [BRINGS]))
            if left:
                self._waits = True
                kinds = {BRINGS: partial(bring, bookings=bookings)}
                self._jobs = Jobs(self._supervisor.database_address, kinds, at_once=1, poll_s=0.1)
                self._jobs.start()
            self._has_begun = True
        return self._database

    def _first(self, tx: Transaction) -> tuple[Job | None, Trial | None]:
        """What brings the demo's first subject, and its first trial."""
        if self._said_address or not self._waits:
            return None, None
        try:
            return first_of(tx), trials.first_of(tx, subjects.get(tx, SUBJECTS[0]))
        except NotFound:
            return first_of(tx), None

    def _draw(self, trial: Trial) -> None:
        if self._bar is None:
            columns = (TextColumn("  {task.description}"), BarColumn(), MofNCompleteColumn())
            progress = Progress(
                *columns, console=self._console, transient=self._console.is_terminal
            )
            progress.start()
            self._bar = progress, progress.add_task("Running the demo's trial", total=None)
        progress, task = self._bar
        progress.update(task, total=trial.total, completed=trial.recorded)

    def _end_bar(self) -> None:
        if self._bar is not None:
            self._bar[0].stop()
            self._bar = None

    def _say_address(self, behind: str) -> None:
        self._end_bar()
        self._said_address = True
        address = f"\n  Epistem is at [bold]{self._supervisor.address}[/]\n"
        self._console.print(f"{address}{behind}  Ctrl-C ends it.\n")

    def _say_news(self, going: list[Job]) -> None:
        """Each attempt that came to nothing, once."""
        for job in going:
            now = (job.attempts, job.status)
            if job.attempts and self._said.get(job.id) != now:
                self._said[job.id] = now
                again = (
                    "It is tried again by itself."
                    if job.going
                    else "It is given up; the desk has it tried again."
                )
                self._console.print(f"  {escape(job.title)}: {escape(job.why)} {again}")


def _behind(going: list[Job], running: int) -> str:
    """A line on what is not done yet; "" for nothing."""
    kinds = [job.kind for job in going if job.going]
    things, judges, vectors = map(kinds.count, (BRINGS, JUDGE_TEST, VECTORS))
    told = [
        count(running, "trial") if running else "",
        f"{count(things, 'thing')} to bring in" if things else "",
        f"{count(judges, 'judge')} to put to the test" if judges else "",
        f"the vectors of {count(vectors, 'collection')}" if vectors else "",
    ]
    what = listed([each for each in told if each], "and")
    return f"  Behind it goes on: {what}. The desk shows how far.\n" if what else ""
