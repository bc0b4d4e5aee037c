"""Keys are named by the operator, who also says where each may be sent. Nothing else is ever read.

A key is a variable of the server's environment, or a small file in one folder of its home:

    EPISTEM_KEY_HARBOUR=…               env:EPISTEM_KEY_HARBOUR, for the addresses in
    EPISTEM_KEY_HARBOUR_FOR=https://…   (several apart by blanks)

    keys/harbour                        file:harbour; the key in the first line,
                                        an address in each line after it

An address stands for its scheme, host and port. A key without one is sent nowhere.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

from epistem.core.errors import InvalidInput

PREFIX, FOR = "EPISTEM_KEY_", "_FOR"
MOST_BYTES = 16_384
REFERENCE = re.compile(
    r"(?:env:EPISTEM_KEY_[A-Z0-9_]{1,64}|file:[A-Za-z0-9][A-Za-z0-9._-]{0,79})\Z"
)
_KEY = re.compile(r"[\x21-\x7e]{1,8192}\Z")


@dataclass(frozen=True)
class KeyName:
    """A key that is there: its reference and its addresses; `fault` says why it can't be used."""

    reference: str
    addresses: tuple[str, ...] = ()
    fault: str | None = None


@dataclass(frozen=True)
class Keys:
    """The keys of one server. `folder` is None where it has none."""

    environment: Mapping[str, str]
    folder: Path | None

    @classmethod
    def of_this_server(cls) -> Keys:
        """By its environment; the folder stands in EPISTEM_KEYS."""
        folder = os.environ.get("EPISTEM_KEYS")
        return cls(os.environ, Path(folder) if folder else None)

    def names(self) -> list[KeyName]:
        """All there are, without the keys themselves."""
        variables = sorted(
            name for name in self.environment if name.startswith(PREFIX) and not name.endswith(FOR)
        )
        references = [f"env:{name}" for name in variables]
        if self.folder is not None:
            with suppress(OSError):
                references += [f"file:{name}" for name in sorted(os.listdir(self.folder))]
        return [self._named(each) for each in references if REFERENCE.match(each)]

    def check(self, reference: str, address: str, *, field: str) -> None:
        """Raises InvalidInput unless there is such a key that may be sent to the address.

        What is no reference is not repeated: it may be a key itself.
        """
        self._lines_for(reference, address, field)

    def key_for(self, reference: str, address: str) -> str:
        """The key itself. Raises InvalidInput as `check`."""
        return self._lines_for(reference, address, "model")[0]

    def _lines_for(self, reference: str, address: str, field: str) -> list[str]:
        if not REFERENCE.match(reference):
            raise InvalidInput(
                "Name a key that the operator of this server has set, not the key itself: "
                f"env:{PREFIX}NAME, or file:NAME for one in its folder of keys.",
                field=field,
            )
        lines, fault = self._read(reference)
        if fault:
            raise InvalidInput(fault, field=field)
        if origin_of(address) not in {origin_of(each) for each in lines[1:]}:
            raise InvalidInput(
                f"The key {reference} may not be sent to {origin_of(address) or address[:80]}: its "
                f"operator has to allow that address, {self._how_to_allow(reference)}.",
                field=field,
            )
        return lines

    def _named(self, reference: str) -> KeyName:
        lines, fault = self._read(reference)
        if not fault and len(lines) < 2:
            fault = f"It is bound to no address; add one {self._how_to_allow(reference)}."
        return KeyName(reference, tuple(lines[1:]), fault)

    def _read(self, reference: str) -> tuple[list[str], str | None]:
        """The key and its addresses, or what is wrong with it, in a sentence."""
        kind, _, name = reference.partition(":")
        lines: list[str]
        if kind == "env":
            if name.endswith(FOR) or name not in self.environment:
                return [], f"The server has no variable {name}."
            lines = [self.environment[name], *self.environment.get(name + FOR, "").split()]
        else:
            text, fault = self._file(name)
            if fault:
                return [], fault
            lines = [line.strip() for line in text.splitlines() if line.strip()]
        if not lines or not _KEY.match(lines[0]):
            return [], f"The key in {name} is not one line of plain letters, digits and signs."
        return lines, None

    def _file(self, name: str) -> tuple[str, str | None]:
        """The text of a key file: a small regular one, that nobody but its owner can read."""
        if self.folder is None:
            return "", "This server has no folder of keys."
        try:
            # Without waiting: a pipe in its place would hold the thread for ever.
            handle = os.open(self.folder / name, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
        except OSError as error:
            return "", f"The key file {name} can't be read: {error.strerror}."
        try:
            facts = os.fstat(handle)
            if not stat.S_ISREG(facts.st_mode) or facts.st_size > MOST_BYTES:
                return "", f"The key file {name} is not a small regular file."
            if facts.st_mode & 0o077:
                return "", f"Others can read the key file {name}. Run: chmod 600 {name}"
            return os.read(handle, MOST_BYTES).decode("ascii"), None
        except (OSError, UnicodeDecodeError):
            return "", f"The key file {name} can't be read as plain text."
        finally:
            os.close(handle)

    @staticmethod
    def _how_to_allow(reference: str) -> str:
        kind, _, name = reference.partition(":")
        return f"in {name}{FOR}" if kind == "env" else f"in a line of its own in the file {name}"


def origin_of(address: str) -> str | None:
    """`https://host:port` with the port spelt out; None for what is no address."""
    try:
        parts = urlsplit(address)
        port = parts.port or {"http": 80, "https": 443}.get(parts.scheme)
    except ValueError:
        return None
    return f"{parts.scheme}://{parts.hostname}:{port}" if parts.hostname and port else None
