"""What a collection of a hundred thousand passages takes: bringing it in, loading its index, looking up.

    python bench/look_up.py [--passages 100000] [--questions 400]

In this process, over a MariaDB of its own. Beside the search by words: by meaning with made-up vectors of 256
numbers, and MariaDB's full-text index over the same passages, asked the same questions in turn.
"""

from __future__ import annotations

import argparse
import csv
import io
import random
import resource
import statistics
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from time import perf_counter

import numpy as np

from epistem.core.knowledge.cutting import Cut
from epistem.core.knowledge.index import best
from epistem.core.knowledge.meaning import cosines
from epistem.core.prompts.content import LookingUp
from epistem.store.database import Database
from epistem.store.knowledge import collections
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from epistem.work.knowledge import bringing, indexes, keeping
from epistem.work.knowledge.looking_up import find

ROWS_A_FILE = 20_000


def words_of(rng: random.Random, size: int = 30_000) -> tuple[list[str], list[float]]:
    """A vocabulary as texts have one: the n-th word comes about 1/n times as often as the first."""
    letters = "bcdfghklmnprstvw"
    made = {
        "".join(rng.choice(letters) + rng.choice("aeiou") for _ in range(rng.randint(2, 4)))
        for _ in range(size)
    }
    told = sorted(made)
    rng.shuffle(told)
    return told, [1 / (at + 10) for at in range(len(told))]


def table(rows: Sequence[str]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["text"])
    writer.writerows([row] for row in rows)
    return out.getvalue().encode()


def quantiles(times: Sequence[float]) -> str:
    told = sorted(times)
    return f"p50 {1e3 * statistics.median(told):.1f} ms, p95 {1e3 * told[int(0.95 * len(told))]:.1f} ms"


def timed(what: Callable[[], object]) -> float:
    began = perf_counter()
    what()
    return perf_counter() - began


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--passages", type=int, default=100_000)
    parser.add_argument("--questions", type=int, default=400)
    told = parser.parse_args()
    rng = random.Random(1)
    words, weights = words_of(rng)
    texts = [
        " ".join(rng.choices(words, weights, k=rng.randint(25, 70))) for _ in range(told.passages)
    ]
    questions = [
        " ".join(rng.choices(words, weights, k=rng.randint(4, 9))) for _ in range(told.questions)
    ]
    with tempfile.TemporaryDirectory() as folder:
        server = MariaDb(Path(folder) / "mariadb")
        server.start()
        migrate(server.address)
        database = Database(server.address)
        with database.transaction() as tx:
            keeping.create(tx, "large", "")
        files = [
            (f"part-{at}.csv", table(texts[at : at + ROWS_A_FILE]))
            for at in range(0, len(texts), ROWS_A_FILE)
        ]
        print(f"read and cut  {timed(lambda: bringing.bring(database, 'large', files)):6.1f} s")

        def keep() -> None:
            with database.transaction() as tx:
                bringing.keep(tx, "large", Cut(by="rows"))

        print(f"kept          {timed(keep):6.1f} s")
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        with database.transaction() as tx:
            collection = collections.get(tx, "large")
            began = perf_counter()
            there = indexes.searchable(database, tx, collection, collection.version)
            print(f"index loaded  {perf_counter() - began:6.1f} s, {len(there):,} passages")
        size = (there.words.index.memory + there.firsts.nbytes) / 1e6
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1e3
        print(
            f"memory        {size:6.0f} MB of arrays; the process grew by {grown:.0f} MB at its peak"
        )
        vectors = np.random.default_rng(1).standard_normal((len(there), 256), np.float32)
        vectors /= np.linalg.norm(vectors, axis=1, keepdims=True)
        looking = LookingUp(collection="large", most=5)
        with database.transaction() as tx:
            collections.describe(tx, collection, "", None, "database")
            by_database_too = collections.get(tx, "large")
        began = perf_counter()
        with database.transaction() as tx:
            other = indexes.searchable(database, tx, by_database_too, collection.version)
        print(f"full-text     {perf_counter() - began:6.1f} s to put into the database's index")
        with database.transaction() as tx:
            collections.describe(tx, collection, "", None, "memory")
        whole, scored, meant, full = [], [], [], []
        for question in questions:
            whole.append(timed(lambda q=question: find(database, looking, q)))  # type: ignore[misc]
            scored.append(timed(lambda q=question: best(there.words.index.scores(q), 5)))  # type: ignore[misc]
            meant.append(timed(lambda: best(cosines(vectors, vectors[0]), 5)))

            full.append(timed(lambda q=question: other.words.best(database, q, 5, None)))  # type: ignore[misc]
        print(f"by words      {quantiles(scored)}")
        print(f"by meaning    {quantiles(meant)}")
        print(f"whole look-up {quantiles(whole)} with its passages' texts")
        print(f"full-text     {quantiles(full)} by the database's own index")
        print(
            f"ratio         {statistics.median(f / s for f, s in zip(full, scored, strict=True)):.1f}"
        )
        database.close()
        server.stop()


if __name__ == "__main__":
    main()
