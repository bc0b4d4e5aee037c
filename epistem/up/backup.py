"""A backup of a home, also while trials and walks go on: one snapshot of the database, by its own standard tool."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryFile
from typing import NamedTuple

from epistem import __version__
from epistem.core.errors import EpistemError
from epistem.store.database import Address
from epistem.up import archive
from epistem.up.archive import Manifest, Progress, pieces_of
from epistem.up.errors import StartError
from epistem.up.mariadb import MariaDb
from epistem.up.supervisor import home_of_its_own, running_database

KEPT = ("bookings.port",)
"""Files of a home besides the database: settings that what is kept refers to. Keys are never among them."""


class NotMade(EpistemError):
    """There is no backup; what is there is as it was."""


class Made(NamedTuple):
    file: Path
    size: int
    of_bytes: int


def back_up(home: Path, file: Path, progress: Progress = lambda size: None) -> Made:
    """Into the file, which is not there yet. Blocks. Raises NotMade, StartError, and StoreError."""
    if file.exists():
        raise NotMade(f"{file} is there already. Name another file; none is overwritten.")
    if not file.parent.is_dir():
        raise NotMade(f"There is no folder {file.parent}. Make it first.")
    with database_of(home) as address:
        manifest = _manifest_of(address)
        try:
            with archive.written(file, manifest, progress) as writer:
                writer.put(archive.DATABASE, _dumped(address))
                for name in KEPT:
                    if (home / name).is_file():
                        writer.put(f"{archive.SETTINGS}{name}", [(home / name).read_bytes()])
        except FileExistsError as error:
            raise NotMade(f"{file} is being made already, or was made meanwhile.") from error
        except OSError as error:
            why = error.strerror or str(error)
            raise NotMade(f"The backup could not be written to {file.parent}: {why}.") from error
    return Made(file, file.stat().st_size, sum(each.size for each in manifest.members))


def size_of(home: Path) -> int:
    """About how many bytes there are to read, for those who wait."""
    return sum(each.stat().st_size for each in (home / "mariadb" / "data").rglob("*.ibd"))


@contextmanager
def database_of(home: Path) -> Iterator[Address]:
    """That of the Epistem which runs there; else it is started for as long as this takes. Raises StartError."""
    try:
        running = running_database(home)
    except StartError:
        if not (home / "mariadb" / "data").is_dir():
            raise StartError(f"There is nothing of Epistem in {home}.") from None
    else:
        yield running
        return
    with home_of_its_own(home):
        database = MariaDb(home / "mariadb")
        try:
            database.start()
            yield database.address
        finally:
            database.stop()


def _manifest_of(address: Address) -> Manifest:
    with address.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT VERSION()")
        [(server,)] = cursor.fetchall()
        cursor.execute("SELECT name, digest FROM migrations")
        landed = {str(name): str(digest) for name, digest in cursor.fetchall()}
    now = datetime.now(UTC).isoformat(timespec="seconds")
    return Manifest(__version__, now, str(server), landed)


def _dumped(address: Address) -> Iterator[bytes]:
    """In one transaction that sees what was there when it began. Raises NotMade."""
    tool = shutil.which("mariadb-dump")
    if tool is None:
        raise NotMade("mariadb-dump is not installed. Run: sudo apt-get install mariadb-client")
    command = [
        tool, "--no-defaults", f"--host={address.host}", f"--port={address.port}", f"--user={address.user}",
        "--single-transaction", "--quick", "--skip-lock-tables", "--skip-add-locks", "--skip-comments",
        "--no-tablespaces", "--default-character-set=utf8mb4", "--max-allowed-packet=1G", address.database,
    ]  # fmt: skip
    environment = {**os.environ, "MYSQL_PWD": address.password}
    with TemporaryFile() as errors:
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=errors, env=environment)
        try:
            assert process.stdout is not None
            yield from pieces_of(process.stdout)
            if process.wait() != 0:
                errors.seek(0)
                said = " ".join(errors.read(2_000).decode("utf-8", "replace").split())
                raise NotMade(f"The database could not be read whole: {said[:400]}")
        finally:
            process.kill()
            process.wait()
            if process.stdout is not None:
                process.stdout.close()
