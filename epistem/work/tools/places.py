"""Where tools may go and what they read, as it is kept: read once for a while, and files put where they are opened."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Sequence
from hashlib import sha256
from pathlib import Path
from threading import Lock
from time import monotonic

from epistem.core.errors import InvalidInput
from epistem.reach.doors import Door
from epistem.reach.mariadb import Place
from epistem.reach.sources import Source
from epistem.store.database import Database, Transaction
from epistem.store.tools import answers, sources
from epistem.store.tools.sources import KeptSource

FRESH_S = 5.0


class Places:
    """Of one server, for one shard, try or page. What is changed meanwhile is seen after FRESH_S."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._lock = Lock()
        self._read_at = -FRESH_S
        self._doors: list[Door] = []
        self._kept: dict[str, KeptSource] = {}

    def doors(self) -> Sequence[Door]:
        self._read()
        return self._doors

    def source(self, name: str) -> Source:
        """Raises InvalidInput where there is none of that name."""
        self._read()
        found = self._kept.get(name)
        if found is None:
            raise InvalidInput(f"There is no source called “{name[:70]}”.", field="source")
        return opened(self._database, found)

    def _read(self) -> None:
        with self._lock:
            if monotonic() - self._read_at < FRESH_S:
                return
            with self._database.transaction() as tx:
                self._doors = doors_of(tx)
                self._kept = {each.name: each for each in sources.all_of(tx)}
            self._read_at = monotonic()


def doors_of(tx: Transaction) -> list[Door]:
    return [Door(each.origin, each.inside) for each in answers.addresses(tx)]


def opened(database: Database, kept: KeptSource) -> Source:
    """The source, with its file where it can be opened."""
    if kept.hash is None:
        return Source(kept.name, "mariadb", place=Place(**kept.place))
    return Source(kept.name, "sqlite", file=_file(database, kept.hash))


def _file(database: Database, digest: bytes) -> Path:
    """The attached file, in a folder of our own. It is written once, beside its name, and then given it."""
    file = _folder() / f"{digest.hex()}.sqlite"
    if not file.exists():
        handle, beside = tempfile.mkstemp(dir=file.parent)
        told = sha256()
        with os.fdopen(handle, "wb") as out, database.transaction() as tx:
            for piece in sources.content_of(tx, digest):
                out.write(piece)
                told.update(piece)
        if told.digest() != digest:
            os.unlink(beside)
            raise InvalidInput("The source was replaced just now. Ask again.", field="source")
        os.replace(beside, file)
    return file


def _folder() -> Path:
    folder = Path(tempfile.gettempdir()) / f"epistem-sources-{os.getuid()}"
    folder.mkdir(mode=0o700, exist_ok=True)
    facts = folder.lstat()
    if facts.st_uid != os.getuid() or facts.st_mode & 0o077 or not folder.is_dir():
        raise InvalidInput(
            f"The folder {folder.name} among the temporary files belongs to somebody else. Remove it."
        )
    return folder
