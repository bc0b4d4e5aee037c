"""How long a backup and its restore take, beside a plain copy of the same bytes in the same run.

    python bench/backup.py [--megabytes 1000]

A home is filled with calls of made-up text, backed up, and restored into another.
"""

from __future__ import annotations

import argparse
import random
import shutil
import tempfile
from pathlib import Path
from time import perf_counter

from epistem.store.migrate import migrate
from epistem.up.backup import back_up
from epistem.up.mariadb import MariaDb
from epistem.up.restore import restore

WORDS = (
    "ferry",
    "pier",
    "tide",
    "deck",
    "harbour",
    "early",
    "fare",
    "fog",
    "sails",
    "crossing",
    "late",
    "timetable",
)


def fill(home: Path, megabytes: int) -> None:
    database = MariaDb(home / "mariadb", durable=False)
    database.start()
    rng = random.Random(1)
    try:
        migrate(database.address)
        with database.address.connect() as connection, connection.cursor() as cursor:
            for number in range(megabytes):
                rows = []
                for at in range(250):
                    text = " ".join(rng.choices(WORDS, k=620))
                    digest = f"{number}/{at}".encode().ljust(32, b".")
                    rows.append((digest, text.encode()))
                cursor.executemany("INSERT INTO bodies (hash, content) VALUES (%s, %s)", rows)
                connection.commit()
    finally:
        database.stop()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--megabytes", type=int, default=1_000)
    megabytes = parser.parse_args().megabytes
    with tempfile.TemporaryDirectory() as folder:
        home, file = Path(folder) / "home", Path(folder) / "backup.zip"
        fill(home, megabytes)
        data = home / "mariadb" / "data"
        began = perf_counter()
        shutil.copytree(data, Path(folder) / "copy", ignore=shutil.ignore_patterns("*.sock"))
        copied = perf_counter() - began
        began = perf_counter()
        made = back_up(home, file)
        kept = perf_counter() - began
        began = perf_counter()
        restore(file, Path(folder) / "new")
        restored = perf_counter() - began
        print(f"{made.of_bytes / 1e6:,.0f} MB of SQL in a file of {made.size / 1e6:,.0f} MB")
        print(f"copied {copied:.1f} s, backed up {kept:.1f} s ({kept / copied:.1f} times)")
        print(f"restored {restored:.1f} s ({restored / copied:.1f} times)")


if __name__ == "__main__":
    main()
