"""What recording costs: the runner's recorded calls a second against a bare loop's.

    python bench/overhead.py [--pairs 7] [--cells 2000] [--in-flight 64]

Both post the same requests with the same HTTP client to the same trivial server with the same
number in flight. The bare loop keeps nothing. The runner claims, renders, asks, checks (three checks
with four measures; and once more with eight checks of all kinds), and records in MariaDB with its
usual durability; a call counts when its batch is committed. Blocks alternate in one run, and ratios
are taken within each round.

The runner shares a trial out among its worker processes (two), with as many calls in flight in all;
`one shard` is the same work on one event loop in one process, which is what to look at to see the
cost of recording alone.
"""

from __future__ import annotations

import argparse
import asyncio
import logging
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from time import perf_counter, sleep

import aiohttp
import structlog
import uvloop

from epistem.core.cases.content import Case
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.request import request_for
from epistem.core.trials.plan import TrialPlan
from epistem.core.wire import chat_completions as wire
from epistem.runner.addresses import introduce
from epistem.runner.service import Runner, RunnerOptions
from epistem.runner.shard import ShardTask, run_shard
from epistem.store import cases, cells, drafts, models, subjects, trials, versions
from epistem.store.database import Database
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from epistem.up.ports import free_port
from epistem.work import trials as work

PROMPT = Prompt.from_json(
    {
        "messages": [
            {
                "role": "system",
                "parts": [
                    {
                        "name": "Task",
                        "text": "You sort the text messages that passengers send to a ferry desk. Choose one of: "
                        "lost item, delay, access, refund, freight, other. Answer in JSON with the keys label, "
                        "urgency (1 to 5) and reason (one short sentence).",
                    }
                ],
            },
            {"role": "user", "parts": [{"name": "Message", "text": "{{ message }}"}]},
        ],
        "settings": {"temperature": 0.7, "max_tokens": 120},
        "reply": {
            "kind": "json",
            "labels": ["lost item", "delay", "access", "refund", "freight", "other"],
            "json_schema": {
                "type": "object",
                "properties": {
                    "label": {
                        "enum": ["lost item", "delay", "access", "refund", "freight", "other"]
                    },
                    "urgency": {"type": "integer", "minimum": 1, "maximum": 5},
                    "reason": {"type": "string", "maxLength": 160},
                },
                "required": ["label", "urgency", "reason"],
                "additionalProperties": False,
            },
        },
    }
)
CHECKS = [
    CheckUse(check=key, margin=2.0)
    for key in ("outcome.label", "structure.reply_schema", "tone.stock_phrases")
]
EIGHT = CHECKS + [
    CheckUse(check=key, options=options, margin=2.0)
    for key, options in (
        ("structure.length", {"most": 60}),
        ("safety.personal_data", {}),
        ("safety.promises", {}),
        ("tone.emoji", {}),
        ("grounding.numbers", {}),
    )
]
CASES = 100


@contextmanager
def reply_server(delay_s: float) -> Iterator[str]:
    port = free_port()
    command = [
        sys.executable,
        str(Path(__file__).with_name("reply_server.py")),
        str(port),
        str(delay_s),
    ]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    process.stdout.readline()
    yield f"http://127.0.0.1:{port}"
    process.terminate()
    process.wait()


class Bench:
    def __init__(self, database: Database, url: str, *, calls: int, in_flight: int) -> None:
        self._database = database
        self._url = url
        self._calls = calls
        self._in_flight = in_flight
        self._runner = Runner(database.address, RunnerOptions(in_flight=in_flight))
        with database.transaction() as tx:
            models.put(tx, models.Model("fixed", url, None, 8_192, 20, 80))

    def bare(self) -> float:
        """Calls a second of a loop that keeps nothing."""
        bodies = [
            wire.encode(request_for(PROMPT, {"message": text_of(n % CASES)}, "fixed", seed=n))
            for n in range(self._calls)
        ]
        return self._calls / uvloop.run(self._ask_all(bodies))

    async def _ask_all(self, bodies: list[bytes]) -> float:
        waiting = iter(bodies)
        headers = {"Content-Type": "application/json"}
        connector = aiohttp.TCPConnector(limit=self._in_flight, keepalive_timeout=30)
        async with aiohttp.ClientSession(connector=connector) as session:

            async def lane() -> None:
                for body in waiting:
                    async with session.post(
                        self._url + wire.PATH, data=body, headers=headers
                    ) as got:
                        await got.read()

            began = perf_counter()
            async with asyncio.TaskGroup() as group:
                for _ in range(self._in_flight):
                    group.create_task(lane())
            return perf_counter() - began

    def recorded(self, subject: subjects.Subject, checks: list[CheckUse] = CHECKS) -> float:
        """Recorded calls a second of the runner, with its worker processes."""
        trial = self._new_trial(subject, checks)
        began = perf_counter()
        while not self._is_over(trial):
            self._runner.step()
            sleep(0.005)
        seconds = perf_counter() - began
        while not self._runner.idle:
            self._runner.step()
        return self._calls / seconds

    def one_shard(self, subject: subjects.Subject) -> float:
        """Recorded calls a second of one shard that is the whole trial, in this process."""
        trial = self._new_trial(subject, CHECKS)
        began = perf_counter()
        with self._database.transaction() as tx:
            cells.claim(tx, trial.id, "bench.1", self._calls)
        name = introduce(self._database.address)
        result = run_shard(ShardTask(name, trial.id, "bench.1", self._in_flight))
        seconds = perf_counter() - began
        assert (result.recorded, result.status) == (self._calls, "finished"), result
        return self._calls / seconds

    def close(self) -> None:
        self._runner.close()

    def _new_trial(self, subject: subjects.Subject, checks: list[CheckUse]) -> trials.Trial:
        plan = TrialPlan.from_json(
            {
                "arms": [{"version": 1, "model": "fixed"}],
                "repeats": self._calls // CASES,
                "checks": [use.to_json() for use in checks],
            }
        )
        with self._database.transaction() as tx:
            return work.start(tx, subject, plan)

    def _is_over(self, trial: trials.Trial) -> bool:
        with self._database.transaction() as tx:
            found = trials.get(tx, trial.id)
        assert found.unanswered == 0
        return found.over


def text_of(number: int) -> str:
    return f"Is the {6 + number % 14:02d}:15 from Hollin still going? The board says nothing, number {number}"


def prepare(database: Database) -> subjects.Subject:
    with database.transaction() as tx:
        subject = subjects.create(tx, "bench", "", PROMPT)
        versions.save(tx, subject, drafts.get(tx, subject).content, "")
        for number in range(CASES):
            cases.keep(
                tx,
                subject,
                Case.from_json(
                    {"inputs": {"message": text_of(number)}, "expect": {"label": "delay"}}
                ),
            )
        return subjects.get(tx, "bench")


def main() -> None:
    parser = argparse.ArgumentParser(description="What recording costs.")
    parser.add_argument("--pairs", type=int, default=7)
    parser.add_argument("--cells", type=int, default=2_000)
    parser.add_argument("--in-flight", type=int, default=64)
    options = parser.parse_args()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.WARNING))
    with tempfile.TemporaryDirectory() as folder:
        server = MariaDb(Path(folder) / "mariadb")
        server.start()
        migrate(server.address)
        database = Database(server.address)
        subject = prepare(database)
        for delay_s in (0.0, 0.2):
            with reply_server(delay_s) as url:
                bench = Bench(database, url, calls=options.cells, in_flight=options.in_flight)
                bench.bare(), bench.recorded(subject), bench.one_shard(subject)  # to warm up
                rounds = [
                    (
                        bench.bare(),
                        bench.recorded(subject),
                        bench.one_shard(subject),
                        bench.recorded(subject, EIGHT),
                    )
                    for _ in range(options.pairs)
                ]
                bench.close()
            report(rounds, delay_s, options)
        database.close()
        server.stop()


def report(
    rounds: list[tuple[float, float, float, float]], delay_s: float, options: argparse.Namespace
) -> None:
    bare, recorded, one_shard, eight = zip(*rounds, strict=True)
    print(
        f"\n{options.cells:,} cells, {options.in_flight} in flight, {delay_s * 1000:.0f} ms, "
        f"{len(rounds)} rounds: median (range)"
    )
    for name, rates in (
        ("bare loop", bare),
        ("runner", recorded),
        ("one shard", one_shard),
        ("runner, 8 checks", eight),
    ):
        told = f"{statistics.median(rates):,.0f} ({min(rates):,.0f} to {max(rates):,.0f})"
        print(f"  {name:18} {told} calls a second")
    print(f"  runner / bare      {ratio(recorded, bare)}")
    print(f"  one shard / bare   {ratio(one_shard, bare)}")
    print(f"  8 checks / runner  {ratio(eight, recorded)}")
    if delay_s:
        ideal = [options.in_flight / delay_s] * len(rounds)
        print(f"  runner / ideal     {ratio(recorded, ideal)} of {ideal[0]:,.0f} a second")
        print(f"  bare / ideal       {ratio(bare, ideal)}")


def ratio(ones: Sequence[float], others: Sequence[float]) -> str:
    """Within each round, since the machine is not equally fast all the time."""
    values = [one / other for one, other in zip(ones, others, strict=True)]
    return f"{statistics.median(values):.2f} ({min(values):.2f} to {max(values):.2f})"


if __name__ == "__main__":
    main()
