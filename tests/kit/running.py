"""Trials carried out in a test, and what came of them."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any, NamedTuple

from epistem.core.trials.marks import Sight
from epistem.models.retry import Retry
from epistem.runner.service import Runner, RunnerOptions
from epistem.runner.workers import OfExecutor
from epistem.store import marks, models, trials
from epistem.store.database import Address, Database, Transaction
from epistem.store.trials import Trial
from tests.kit.waiting import PATIENCE_S, wait_for

OPTIONS = RunnerOptions(
    shards=2,
    shard_size=50,
    in_flight=16,
    poll_s=0.02,
    retry=Retry(attempts=2, first_s=0.01),
    gone_s=0.2,
)


class Tick(NamedTuple):
    """`verdicts` has a byte for each measure: 0 nothing found, 1 failed, 2 passed."""

    reading_id: int
    arm: int
    case_at: int
    repeat_no: int
    answered: bool
    verdicts: tuple[int, ...]


def threads(address: Address, most: int) -> OfExecutor:
    """Workers that are threads of this process."""
    return OfExecutor(ThreadPoolExecutor(most))


def runner_of(address: Address, options: RunnerOptions = OPTIONS) -> Runner:
    return Runner(address, options, make_workers=threads)


def status_of(database: Database, trial: Trial) -> Trial:
    with database.transaction() as tx:
        return trials.get(tx, trial.id)


def carry_out(
    runner: Runner,
    database: Database,
    trial: Trial,
    *,
    until: Any = lambda t: t.over,
    seconds: float = PATIENCE_S,
) -> Trial:
    """Let the runner work until the trial is as wished, then until its shards are done."""

    def look() -> Trial | None:
        runner.step()
        found = status_of(database, trial)
        return found if until(found) else None

    found = wait_for(look, seconds=seconds, what=f"T{trial.id}")
    wait_for(lambda: runner.step() or runner.idle, what="shards to end")
    return found


def put_model(database: Database, name: str, url: str, **more: Any) -> models.Model:
    usual = {"key_reference": None, "time_limit_ms": 2_000}
    prices = {"context_window": 8_192, "input_cents": 20, "output_cents": 80}
    made = models.Model(name=name, address=url, **{**usual, **prices, **more})
    with database.transaction() as tx:
        models.put(tx, made)
    return made


def step_until(runner: Runner, condition: Any, *, what: str) -> Any:
    """Let the runner work until the condition is true; what it was."""
    return wait_for(lambda: (runner.step(), condition())[1], what=what)


def ticks(tx: Transaction, trial_id: int, after: int = 0) -> list[Tick]:
    """In the order of their landing."""
    ids = {
        tuple(place): cell_id
        for cell_id, *place in tx.rows(
            "SELECT id, arm, case_at, repeat_no FROM cells WHERE trial_id = %s", [trial_id]
        )
    }
    found = marks.after(tx, trial_id, trials.get(tx, trial_id).columns, Sight(), after, 1_000_000)
    places = zip(found.arm.tolist(), found.case.tolist(), found.repeat.tolist(), strict=True)
    return [
        Tick(ids[place], *place, bool(found.answered[at]), tuple(found.verdicts[at].tolist()))
        for at, place in enumerate(places)
    ]
