"""What ten thousand cases take: bringing them in, listing, finding, opening, looking them through.

    python bench/cases.py [--cases 10000] [--rounds 5]

All over HTTP against the application in this process and a MariaDB of its own. Times are medians of
rounds; ratios are to the first page of a subject with a hundred cases, asked in turn with the others.
"""

from __future__ import annotations

import argparse
import random
import statistics
import tempfile
from collections.abc import Callable
from pathlib import Path
from time import perf_counter

from flask.testing import FlaskClient

from epistem.core.prompts.content import blank_prompt
from epistem.store import subjects
from epistem.store.database import Database
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from epistem.web.app import make_app

WORDS = [
    *(
        "where",
        "when",
        "boat",
        "pier",
        "late",
        "lost",
        "found",
        "coat",
        "bag",
        "ticket",
        "refund",
        "seat",
    ),
    *(
        "ramp",
        "freight",
        "sheep",
        "noon",
        "evening",
        "Hollin",
        "Sandray",
        "please",
        "today",
        "price",
    ),
]
LABELS = ("lost item", "delay", "refund", "freight", "access", "other")


def table(cases: int, rng: random.Random) -> bytes:
    rows = []
    for number in range(cases):
        said = " ".join(rng.choices(WORDS, k=rng.randint(6, 24)))
        tag = rng.choice(["hard", "plain", ""])
        rows.append(f"{number},{said}?,{rng.choice(LABELS)},{tag}")
    return "\n".join(["id,message,label,tags", *rows]).encode()


def timed(what: Callable[[], object]) -> float:
    began = perf_counter()
    what()
    return perf_counter() - began


def bring_in(client: FlaskClient, name: str, content: bytes) -> dict[str, float]:
    base, numbers = f"/api/v1/subjects/{name}/imports", []

    def begin() -> None:
        answer = client.post(
            f"{base}?file=a.csv", data=content, content_type="application/octet-stream"
        )
        assert answer.status_code == 201, answer.text
        numbers.append(answer.get_json()["id"])

    took = {"read it": timed(begin)}
    took["look at it"] = timed(lambda: client.get(f"{base}/{numbers[0]}/look"))
    took["keep it"] = timed(lambda: client.post(f"{base}/{numbers[0]}/keep"))
    return took


def main() -> None:
    parser = argparse.ArgumentParser(description="What ten thousand cases take.")
    parser.add_argument("--cases", type=int, default=10_000)
    parser.add_argument("--rounds", type=int, default=5)
    options = parser.parse_args()
    rng = random.Random(1)
    with tempfile.TemporaryDirectory() as folder:
        server = MariaDb(Path(folder) / "mariadb")
        server.start()
        migrate(server.address)
        database = Database(server.address)
        with database.transaction() as tx:
            for name in ("few", "many"):
                subjects.create(tx, name, "", blank_prompt())
        client = make_app(database).test_client()
        bring_in(client, "few", table(100, rng))
        took = bring_in(client, "many", table(options.cases, rng))
        print(f"\n{options.cases:,} cases from a CSV file")
        for what, seconds in took.items():
            print(f"  {what:12} {seconds:6.2f} s")
        print(f"  in all       {sum(took.values()):6.2f} s of the 20 asked for")
        few, many = "/api/v1/subjects/few/cases", "/api/v1/subjects/many/cases"
        asked = {
            "first page of 100 cases": f"{few}?most=100",
            "first page": f"{many}?most=100",
            "last page": f"{many}?at={options.cases - 100}&most=100",
            "by a word": f"{many}?find=sheep",
            "by terms": f"{many}?find=label:refund%20-tag:hard",
            "sorted by what is asked": f"{many}?sort=case&down=true",
            "one case": f"{many}/{options.cases // 2}",
            "what is worth a look": f"{many}/review",
            "all as JSON lines": f"{many}/file",
        }
        rounds: dict[str, list[float]] = {what: [] for what in asked}
        sizes: dict[str, int] = {}
        for _ in range(options.rounds):
            for what, path in asked.items():
                began = perf_counter()
                answer = client.get(path)
                assert answer.status_code == 200, answer.text
                sizes[what] = len(answer.data)
                rounds[what].append(perf_counter() - began)
        base = rounds["first page of 100 cases"]
        for what, times in rounds.items():
            ratio = statistics.median(t / b for t, b in zip(times, base, strict=True))
            print(
                f"  {what:26} {1000 * statistics.median(times):8.1f} ms  {ratio:7.1f}  {sizes[what]:>10,} bytes"
            )
        database.close()
        server.stop()


if __name__ == "__main__":
    main()
