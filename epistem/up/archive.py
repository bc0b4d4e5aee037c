"""The file of a backup: a zip with the database as SQL, what else is kept in a home, and at its end a manifest.

The manifest has the SHA-256 of each of the others. It is written last, and the zip's directory after it: of a file that
was cut off neither is there.
"""

from __future__ import annotations

import errno
import fcntl
import hashlib
import json
import os
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import IO

from epistem.core.errors import EpistemError

FORMAT = 1
DATABASE, MANIFEST = "database.sql", "manifest.json"
SETTINGS = "settings/"
PART = ".part-"
"""Before the name of one that is being made."""
PIECE = 1 << 20
QUICK = 1
"""Of the ways to compress: half as large again as the best one, ten times as fast."""
Progress = Callable[[int], None]
"""Told how many bytes were read or written since."""


class BadArchive(EpistemError):
    """The file is no backup that can be used here; nothing was changed."""


@dataclass
class Member:
    name: str
    size: int
    sha256: str


@dataclass
class Manifest:
    """`migrations` are the digests of those that the database has, by name; `made_at` is in UTC."""

    version: str
    made_at: str
    server: str
    migrations: dict[str, str]
    members: list[Member] = field(default_factory=list)
    format: int = FORMAT


class Writer:
    """Of one archive; its members one after the other, and the manifest at the end."""

    def __init__(self, archive: zipfile.ZipFile, manifest: Manifest, progress: Progress) -> None:
        self._archive, self._manifest, self._progress = archive, manifest, progress

    def put(self, name: str, pieces: Iterable[bytes]) -> None:
        told, size = hashlib.sha256(), 0
        with self._archive.open(name, "w", force_zip64=True) as member:
            for piece in pieces:
                member.write(piece)
                told.update(piece)
                size += len(piece)
                self._progress(len(piece))
        self._manifest.members.append(Member(name, size, told.hexdigest()))

    def end(self) -> None:
        self._archive.writestr(MANIFEST, json.dumps(asdict(self._manifest), indent=1))


@contextmanager
def written(file: Path, manifest: Manifest, progress: Progress) -> Iterator[Writer]:
    """All or nothing: it has its name once it is whole and on the disk. Raises FileExistsError where another is at it,
    and OSError, of a full disk say."""
    beside = file.with_name(f"{PART}{file.name}")
    # Its owner's alone, since it holds what people wrote; not for appending, which a zip can't be written by.
    with os.fdopen(os.open(beside, os.O_RDWR | os.O_CREAT, 0o600), "r+b") as out:
        try:
            fcntl.flock(out, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise FileExistsError(errno.EEXIST, "it is being made already") from error
        try:
            out.truncate(0)  # of one that was killed
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=QUICK) as archive:
                writer = Writer(archive, manifest, progress)
                yield writer
                writer.end()
            out.flush()
            os.fsync(out.fileno())
            if file.exists():
                raise FileExistsError(errno.EEXIST, "it was made meanwhile")
            beside.rename(file)
        finally:
            beside.unlink(missing_ok=True)


@contextmanager
def opened(file: Path) -> Iterator[tuple[zipfile.ZipFile, Manifest]]:
    """Raises BadArchive for what is no whole backup of ours, or of a later Epistem."""
    try:
        archive = zipfile.ZipFile(file)
    except OSError as error:
        raise BadArchive(f"{file} can't be read: {error.strerror or error}.") from error
    except zipfile.BadZipFile as error:
        message = f"{file} is no backup, or was cut off: its end is not there. Take another."
        raise BadArchive(message) from error
    with archive:
        yield archive, _manifest_in(archive, file)


def verify(archive: zipfile.ZipFile, manifest: Manifest, progress: Progress) -> None:
    """Read all of it. Raises BadArchive for what is not as it was written."""
    named = {each.name for each in manifest.members}
    if set(archive.namelist()) != named | {MANIFEST} or DATABASE not in named:
        raise BadArchive("The backup was altered: what is in it is not what its manifest lists.")
    for member in manifest.members:
        told, size = hashlib.sha256(), 0
        try:
            with archive.open(member.name) as content:
                for piece in pieces_of(content):
                    told.update(piece)
                    size += len(piece)
                    progress(len(piece))
        except (
            zipfile.BadZipFile,
            OSError,
            EOFError,
            ValueError,
            NotImplementedError,
            zlib.error,
        ) as error:
            raise _altered(member.name) from error
        if (size, told.hexdigest()) != (member.size, member.sha256):
            raise _altered(member.name)


def pieces_of(content: IO[bytes]) -> Iterator[bytes]:
    while piece := content.read(PIECE):
        yield piece


def _altered(name: str) -> BadArchive:
    return BadArchive(
        f"The backup was altered or damaged: {name} is not as it was written. Take another."
    )


def _manifest_in(archive: zipfile.ZipFile, file: Path) -> Manifest:
    try:
        told = json.loads(archive.read(MANIFEST))
        newer = int(told["format"]) > FORMAT
        members = [Member(**each) for each in told.pop("members")] if not newer else []
        manifest = Manifest(**told, members=members) if not newer else None
    except (KeyError, ValueError, TypeError, zipfile.BadZipFile, zlib.error, OSError) as error:
        raise BadArchive(
            f"{file} is no backup of Epistem: it has no manifest that can be read."
        ) from error
    if manifest is None:
        raise BadArchive(
            f"{file} was made by a later Epistem ({told.get('version', 'unknown')}). Update this one first."
        )
    return manifest
