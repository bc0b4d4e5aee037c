"""A process that reads documents, one after the other, within a limit of memory: `python -m` this.

A request is a name and a file; the answer is a JSON object.
"""

from __future__ import annotations

import json
import sys

from epistem.confined.child import serve
from epistem.core.errors import EpistemError
from epistem.core.knowledge.formats.reading import read_document

MOST_MEMORY = 1_500_000_000


def _read(frames: list[bytes]) -> bytes:
    name, content = frames
    return json.dumps(_told(name.decode(), content)).encode()


def _told(name: str, content: bytes) -> dict[str, object]:
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


if __name__ == "__main__":
    sys.setrecursionlimit(2_000)
    serve(_read, 2, MOST_MEMORY)
