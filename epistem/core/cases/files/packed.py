"""Several files as one zip: a table and the images that it names, or a case for each text or image."""

from __future__ import annotations

import base64
import io
import posixpath
import zipfile
from collections.abc import Collection

from epistem.core.cases.files.table import MOST_BYTES, MOST_ROWS
from epistem.core.errors import InvalidInput

IMAGES = {".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".gif": "gif", ".webp": "webp"}
TEXTS = (".txt", ".md")
TABLES = (".csv", ".tsv", ".jsonl", ".ndjson", ".json", ".yaml", ".yml")


def unpacked(content: bytes) -> dict[str, bytes]:
    """The files of a zip by path, in its order, but for hidden ones. Raises InvalidInput for what is no
    zip, and for what unpacks to more than is taken, before it is unpacked."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            entries = [
                e for e in archive.infolist() if not e.is_dir() and not _is_hidden(e.filename)
            ]
            size = sum(entry.file_size for entry in entries)
            if len(entries) > MOST_ROWS or size > MOST_BYTES:
                raise InvalidInput(
                    f"The zip holds {len(entries):,} files of {size:,} bytes; the limits are "
                    f"{MOST_ROWS:,} and {MOST_BYTES:,}. Split it into several.",
                    field="file",
                )
            found, left = {}, MOST_BYTES
            for entry in entries:
                with archive.open(entry) as opened:
                    found[entry.filename] = opened.read(
                        left + 1
                    )  # what it says of its size may lie
                left -= len(found[entry.filename])
                if left < 0:
                    raise InvalidInput(
                        f"The zip unpacks to more than {MOST_BYTES:,} bytes.", field="file"
                    )
            return found
    except InvalidInput:
        raise
    except Exception as error:  # a bad member raises what its packing method does: many kinds
        raise InvalidInput("This is not a zip file that can be read.", field="file") from error


def ending_of(path: str) -> str:
    return posixpath.splitext(path)[1].lower()


def table_in(files: dict[str, bytes]) -> str | None:
    """The path of the one table in it, None where there is none. Raises InvalidInput for several."""
    tables = [path for path in files if ending_of(path) in TABLES]
    if len(tables) > 1:
        raise InvalidInput(
            f"It holds {len(tables)} tables: {', '.join(tables[:4])}. Bring them in one at a time.",
            field="file",
        )
    return tables[0] if tables else None


def as_address(path: str, content: bytes) -> str:
    """A file's content as a `data:` address, of the kind that its name says."""
    kind = IMAGES.get(ending_of(path), "png")
    return f"data:image/{kind};base64,{base64.b64encode(content).decode()}"


def by_name(paths: Collection[str]) -> dict[str, str]:
    """The path that is meant by a whole path, or by its last parts where only one file has those."""
    found: dict[str, str | None] = {}
    for path in paths:
        steps = path.split("/")
        for at in range(len(steps)):
            name = "/".join(steps[at:])
            found[name] = None if name in found and at else path
    whole = {path: path for path in paths}
    return {**{name: path for name, path in found.items() if path is not None}, **whole}


def _is_hidden(path: str) -> bool:
    return any(step.startswith((".", "__MACOSX")) for step in path.split("/"))
