"""What a verdict takes on a large trial: reading its marks, counting them, and drawing the words.

    python bench/verdict.py [--cases 100000] [--arms 6] [--among 5]

A trial of cases × arms readings (600,000) lies among as many others as make `--among` times that
number (3 million) in one MariaDB with the product's own settings. Told are seconds and the memory
that was added, of: the tally, the efforts and a page of ticks, the whole verdict, a progress event's
line, and the estimate of the next trial. For the ratio the same tally is also counted the plain way,
by one SQL statement over the rows of one measure.
"""

from __future__ import annotations

import argparse
import json
import resource
import statistics
import tempfile
from collections.abc import Callable
from pathlib import Path
from time import perf_counter
from typing import Any

import numpy as np

from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Prompt
from epistem.core.trials.marks import Mark, Sight, verdict_texts
from epistem.core.trials.plan import TrialPlan
from epistem.core.trials.tallies import efforts_of, tally_of
from epistem.store import drafts, marks, subjects, trials, versions
from epistem.store.database import Database, Transaction
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from epistem.work.evidence import evidence_of

MEASURES = 8
PROMPT = Prompt.from_json(
    {"messages": [{"role": "user", "parts": [{"name": "P", "text": "{{ x }}"}]}]}
)


def main() -> None:
    parser = argparse.ArgumentParser(description="What a verdict takes on a large trial.")
    parser.add_argument("--cases", type=int, default=100_000)
    parser.add_argument("--arms", type=int, default=6)
    parser.add_argument("--among", type=int, default=5)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        server = MariaDb(Path(folder) / "mariadb", durable=False)
        server.start()
        migrate(server.address)
        database = Database(server.address)
        ids = prepare(database, options)
        report(database, ids[len(ids) // 2], options)
        database.close()
        server.stop()


def prepare(database: Database, options: argparse.Namespace) -> list[int]:
    """Trials with their marks and sums, written straight into the tables."""
    rng = np.random.default_rng(1)
    with database.transaction() as tx:
        subject = subjects.create(tx, "bench", "", PROMPT)
        version, _ = versions.save(tx, subject, drafts.get(tx, subject).content, "")
    ids = []
    for _ in range(options.among):
        with database.transaction() as tx:
            ids.append(new_trial(tx, subject.id, version.id, options))
        for arm in range(options.arms):
            with database.transaction() as tx:
                fill(tx, ids[-1], arm, options, rng)
    return ids


def new_trial(tx: Transaction, subject: int, version: int, options: argparse.Namespace) -> int:
    total = options.cases * options.arms
    plan = TrialPlan.from_json(
        {
            "arms": [{"version": 1, "model": f"m{arm}"} for arm in range(options.arms)],
            "cases": list(range(1, options.cases + 1)),
            "repeats": 1,
            "checks": [CheckUse(check="tone.stock_phrases").to_json()],
        }
    )
    measures = [
        {"index": i, "key": f"k{i}", "title": f"check {i}", "margin": 2.0, "signature": "s"}
        for i in range(MEASURES)
    ]
    trial_id = tx.insert(
        "INSERT INTO trials (subject_id, status, plan, total, recorded, landed, measures, finished_at) "
        "VALUES (%s, 'finished', %s, %s, %s, %s, %s, NOW(3))",
        (subject, plan.model_dump_json(), total, total, total, json.dumps(measures)),
    )
    tx.run_many(
        "INSERT INTO arms (trial_id, position, version_id, model, settings) VALUES (%s, %s, %s, %s, '{}')",
        [(trial_id, arm, version, f"m{arm}") for arm in range(options.arms)],
    )
    tx.run_many(
        "INSERT INTO arm_sums (trial_id, arm, answered, calls, input_tokens, output_tokens, cents, "
        "answered_ms, answered_tokens) VALUES (%s, %s, %s, %s, 1000, 1000, 5, 1000, 1000)",
        [(trial_id, arm, options.cases, options.cases) for arm in range(options.arms)],
    )
    return trial_id


def fill(
    tx: Transaction, trial_id: int, arm: int, options: argparse.Namespace, rng: np.random.Generator
) -> None:
    verdicts = (rng.random((options.cases, MEASURES)) < 0.7 + 0.02 * arm).astype(np.uint8) + 1
    for start in range(0, options.cases, 5_000):
        stop = min(start + 5_000, options.cases)
        batch = [
            Mark(arm, case, 0, arm * options.cases + case + 1, True, 0.01, 150.0,
                       verdicts[case].tobytes())
            for case in range(start, stop)
        ]  # fmt: skip
        marks.insert(tx, trial_id, batch)


def report(database: Database, trial_id: int, options: argparse.Namespace) -> None:
    total = options.cases * options.arms
    print(
        f"a trial of {total:,} readings ({options.arms} arms, {options.cases:,} cases, {MEASURES} measures) "
        f"among {total * options.among:,}"
    )
    before = memory_mb()
    found: Any = None

    def read() -> None:
        nonlocal found
        with database.transaction() as tx:
            found = marks.all_of(
                tx, trial_id, trials.get(tx, trial_id).columns, Sight(),
                arms=options.arms, cases=options.cases, repeats=1,
            )  # fmt: skip

    def verdict() -> None:
        with database.transaction() as tx:
            trial = trials.get(tx, trial_id)
            evidence_of(tx, trial, missing="failed")

    def line() -> None:
        with database.transaction() as tx:
            trials.get(tx, trial_id)

    def past() -> None:
        with database.transaction() as tx:
            trials.past_answers(tx, subjects.get(tx, "bench"))

    def plainly() -> None:
        with database.transaction() as tx:
            tx.rows(
                "SELECT arm, case_at, SUM(ORD(SUBSTRING(packed, 26, 1)) = 2) FROM marks "
                "WHERE trial_id = %s GROUP BY arm, case_at",
                [trial_id],
            )

    whole = timed("the whole verdict, from nothing", verdict, times=1)
    parts = [
        timed("  reading the marks", read),
        timed("  tally", lambda: tally_of(found, options.arms, MEASURES, options.cases)),
        timed("  efforts", lambda: efforts_of(found, options.arms)),
        timed("  all ticks, as they are sent", lambda: verdict_texts(found, MEASURES)),
    ]
    print(f"  memory added          {memory_mb() - before:,.0f} MB")
    timed("a progress event's line", line)
    timed("what past answers took, for an estimate", past)
    plain = timed("one measure counted by one plain statement", plainly, times=1)
    print(
        f"verdict and ticks together {whole + parts[-1]:.2f} s; "
        f"one plain count / that {plain / (whole + parts[-1]):.1f}"
    )


def timed(name: str, work: Callable[[], Any], times: int = 3) -> float:
    """Seconds, the median of so many times."""
    took = []
    for _ in range(times):
        began = perf_counter()
        work()
        took.append(perf_counter() - began)
    seconds = statistics.median(took)
    print(f"{name:44} {seconds:8.3f} s")
    return seconds


def memory_mb() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


if __name__ == "__main__":
    main()
