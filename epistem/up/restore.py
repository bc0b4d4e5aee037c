"""A home out of a backup: everything is verified before anything is touched, and it is there whole or not at all."""

from __future__ import annotations

import os
import shutil
import subprocess
import zipfile
from collections.abc import Iterable
from pathlib import Path
from tempfile import TemporaryFile

from epistem.store.database import Address
from epistem.store.migrate import migrations
from epistem.up import archive
from epistem.up.archive import BadArchive, Manifest, Progress, pieces_of
from epistem.up.backup import KEPT
from epistem.up.errors import StartError
from epistem.up.mariadb import MariaDb
from epistem.up.supervisor import home_of_its_own

HALF_MADE = "mariadb.restoring"


def restore(file: Path, home: Path, progress: Progress = lambda size: None) -> Manifest:
    """Into a home that has no data yet. `progress` is told of each byte twice. Blocks. Raises BadArchive and
    StartError, with nothing changed."""
    _check_empty(home)
    with archive.opened(file) as (content, manifest):
        _check_known(manifest)
        archive.verify(content, manifest, progress)
        home.mkdir(parents=True, exist_ok=True)
        with home_of_its_own(home):
            _check_empty(home)  # another may have been quicker
            half_made = home / HALF_MADE
            shutil.rmtree(half_made, ignore_errors=True)  # of one that was broken off
            try:
                _fill(content, half_made, progress)
            except BaseException:
                shutil.rmtree(half_made, ignore_errors=True)
                raise
            for member in manifest.members:
                name = member.name.removeprefix(archive.SETTINGS)
                if member.name.startswith(archive.SETTINGS) and name in KEPT:
                    (home / name).write_bytes(content.read(member.name))
            half_made.rename(home / "mariadb")
    return manifest


def _check_empty(home: Path) -> None:
    if (home / "mariadb").exists():
        raise StartError(
            f"{home} has data already. Restore into an empty folder: --home elsewhere."
        )


def _check_known(manifest: Manifest) -> None:
    """Raises BadArchive for a schema that this Epistem can't go on with."""
    known = {each.name: each.digest for each in migrations()}
    for name, digest in manifest.migrations.items():
        if name not in known:
            raise BadArchive(
                f"The backup was made by a later Epistem ({manifest.version}, with {name}). Update this one first."
            )
        if known[name] != digest:
            raise BadArchive(
                f"The backup was made by another build of Epistem: its {name} is not ours."
            )


def _fill(content: zipfile.ZipFile, folder: Path, progress: Progress) -> None:
    database = MariaDb(folder, filling=True)
    try:
        database.start()
        address = database.address
        admin = Address(address.host, address.port, address.user, address.password, "mysql")
        with admin.connect(autocommit=True) as connection, connection.cursor() as cursor:
            cursor.execute(f"CREATE DATABASE `{address.database}` CHARACTER SET utf8mb4")
        with content.open(archive.DATABASE) as statements:
            _carry_out(address, pieces_of(statements), progress)
    except OSError as error:
        raise StartError(f"The data could not be written: {error.strerror or error}.") from error
    finally:
        database.stop()


def _carry_out(address: Address, pieces: Iterable[bytes], progress: Progress) -> None:
    tool = shutil.which("mariadb")
    if tool is None:
        raise StartError(
            "The client of MariaDB is not installed. Run: sudo apt-get install mariadb-client"
        )
    command = [
        tool, "--no-defaults", f"--host={address.host}", f"--port={address.port}", f"--user={address.user}",
        "--default-character-set=utf8mb4", "--max-allowed-packet=1G", "--binary-mode", "--batch", address.database,
    ]  # fmt: skip
    environment = {**os.environ, "MYSQL_PWD": address.password}
    with TemporaryFile() as errors:
        process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=errors,
            env=environment,
        )
        assert process.stdin is not None
        try:
            process.stdin.write(
                b"SET SESSION innodb_lock_wait_timeout = 600, unique_checks = 0, foreign_key_checks = 0;\n"
            )
            for piece in pieces:
                process.stdin.write(piece)
                progress(len(piece))
            process.stdin.close()
        except BrokenPipeError:
            pass  # what it says tells why
        finally:
            failed = process.wait() if process.stdin.closed else _ended(process)
        if failed:
            errors.seek(0)
            said = " ".join(errors.read(2_000).decode("utf-8", "replace").split())
            raise StartError(f"The database did not take the backup: {said[:400] or 'it ended'}.")


def _ended(process: subprocess.Popen[bytes]) -> int:
    process.kill()
    return process.wait() or 1
