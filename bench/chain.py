"""What walking a chain costs beside what its steps take.

Two numbers: the engine's own time a step, by a chain of steps that only work values out, and how near walks come to
the ideal, by walks of eight steps on a model that takes 50 ms: so many at once as the ideal has, in one process.
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
from pathlib import Path
from time import perf_counter

import uvloop
from overhead import reply_server

from epistem.core.chains.content import Chain
from epistem.core.chains.walking import Walk
from epistem.core.engine.run import given_by
from epistem.store import models
from epistem.store.database import Database
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from epistem.work.walks.chains import walks

STEPS = 8


def own_time(steps: int = 100, rounds: int = 15) -> float:
    """Microseconds a step."""
    chain = Chain.from_json(
        {
            "inputs": [{"name": "question"}],
            "state": [{"name": "n", "start": 0}],
            "steps": [
                {"kind": "set", "name": f"s{n}", "writes": {"n": "n + 1"}} for n in range(steps)
            ],
            "outputs": {"n": "n"},
        }
    )
    told = []
    for _ in range(rounds):
        began = perf_counter()
        given_by(Walk(chain, {}).program({"question": "x"}), lambda need: None)
        told.append(perf_counter() - began)
    return statistics.median(told) / steps * 1e6


def of_asks() -> Chain:
    said = {"role": "user", "parts": [{"name": "Q", "text": "{{ said }}"}]}
    step = {"kind": "ask", "prompt": {"messages": [said]}, "model": "m", "writes": "said"}
    return Chain.from_json(
        {
            "inputs": [{"name": "question"}],
            "state": [{"name": "said", "start": "begin"}],
            "steps": [{**step, "name": f"a{n}"} for n in range(STEPS)],
            "outputs": {"said": "said"},
        }
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--walks", type=int, default=100)
    parser.add_argument("--at-once", type=int, default=20)
    parser.add_argument("--delay-ms", type=float, default=50)
    told = parser.parse_args()
    print(f"engine        {own_time():6.0f} µs a step")
    with tempfile.TemporaryDirectory() as folder, reply_server(told.delay_ms / 1_000) as url:
        server = MariaDb(Path(folder) / "mariadb")
        server.start()
        migrate(server.address)
        database = Database(server.address)
        with database.transaction() as tx:
            models.put(tx, models.Model("m", url, None, 8_192, 20, 80))
        ratios = []
        for _ in range(5):
            began = perf_counter()
            found = uvloop.run(
                walks(
                    database,
                    of_asks(),
                    [{"question": str(n)} for n in range(told.walks)],
                    at_once=told.at_once,
                )
            )
            took = perf_counter() - began
            assert all(each.ended == "done" for each in found)
            ideal = told.walks / told.at_once * STEPS * told.delay_ms / 1_000
            ratios.append(ideal / took)
        low, high = min(ratios), max(ratios)
        print(f"of ideal      {statistics.median(ratios):6.2f} ({low:.2f} to {high:.2f})")
        database.close()
        server.stop()


if __name__ == "__main__":
    main()
