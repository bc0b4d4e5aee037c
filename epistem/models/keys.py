"""Keys are kept as references: `env:NAME`, or `file:PATH` of a file only its owner can read."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from epistem.core.errors import InvalidInput


def key_from(reference: str) -> str:
    """The key itself. Raises InvalidInput saying what is wrong with the reference."""
    kind, _, rest = reference.partition(":")
    if kind == "env":
        key = os.environ.get(rest)
        if not key:
            raise InvalidInput(f"The variable {rest} is not set for the server.", field="model")
        return key
    if kind == "file":
        path = Path(rest)
        try:
            mode = path.stat().st_mode
            if stat.S_IMODE(mode) & 0o077:
                raise InvalidInput(f"Others can read {path}. Run: chmod 600 {path}", field="model")
            return path.read_text("utf-8").strip()
        except OSError as error:
            raise InvalidInput(
                f"The key file {path} can't be read: {error.strerror}.", field="model"
            ) from error
    raise InvalidInput("A key reference reads env:NAME or file:PATH.", field="model")
