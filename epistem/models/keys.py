"""Keys are kept as references: `env:NAME`, or `file:PATH` of a file only its owner can read."""

from __future__ import annotations

import os
import re
import stat
from pathlib import Path

from epistem.core.errors import InvalidInput

REFERENCE = re.compile(r"(?:env:[A-Za-z_][A-Za-z0-9_]*|file:/\S.*)\Z")


def check_reference(reference: str, *, field: str) -> None:
    """Raises InvalidInput for what is no reference. It is not repeated: it may be a key itself."""
    if not REFERENCE.match(reference):
        raise InvalidInput(
            "Say where the key is, not the key itself: env:NAME, or file:/path/to/a/file that only "
            "its owner can read.",
            field=field,
        )


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
