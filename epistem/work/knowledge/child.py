"""A process that reads documents, one after the other, within a limit of memory: `python -m` this.

On its standard input come a name and a file, each with its length before it (8 bytes, big-endian); on its
standard output go JSON objects, with their lengths. Whoever started it ends it where one takes too long.
"""

from __future__ import annotations

import json
import resource
import sys
from typing import IO

from epistem.core.errors import EpistemError
from epistem.core.knowledge.formats.reading import read_document

MOST_MEMORY = 1_500_000_000


def main() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    sys.setrecursionlimit(2_000)
    coming, going = sys.stdin.buffer, sys.stdout.buffer
    while (name := take(coming)) is not None and (content := take(coming)) is not None:
        put(going, json.dumps(_read(name.decode(), content)).encode())


def _read(name: str, content: bytes) -> dict[str, object]:
    try:
        found = read_document(name, content)
    except EpistemError as error:
        return {"problem": error.message}
    except MemoryError:
        return {"problem": "Reading it takes too much memory. Bring in a smaller part of it."}
    except Exception as error:  # a reader meets bytes that its makers did not think of
        return {"problem": f"It can't be read: {type(error).__name__}."}
    return {
        "text": found.text,
        "title": found.title,
        "headings": found.headings,
        "rows": found.rows,
        "told": found.told,
    }


def take(stream: IO[bytes]) -> bytes | None:
    """What comes next; None where nothing does."""
    head = stream.read(8)
    return stream.read(int.from_bytes(head, "big")) if len(head) == 8 else None


def put(stream: IO[bytes], content: bytes) -> None:
    stream.write(len(content).to_bytes(8, "big"))
    stream.write(content)
    stream.flush()


if __name__ == "__main__":
    main()
