"""Documents read in a process of their own, which is ended where one takes too long or too much memory."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterable, Iterator
from threading import Timer
from typing import NamedTuple

from epistem.core.knowledge.text import Heading, Text
from epistem.work.knowledge import child

MOST_SECONDS = 20.0
"""For one document."""


class Read(NamedTuple):
    """`problem` says why it can't be read, "" for one that can."""

    file: str
    text: Text
    problem: str = ""


def read_all(
    files: Iterable[tuple[str, bytes]], most_seconds: float = MOST_SECONDS
) -> Iterator[Read]:
    """One after the other. A process that ends over one of them is started anew for the rest."""
    process: subprocess.Popen[bytes] | None = None
    try:
        for name, content in files:
            if process is None or process.poll() is not None:
                process = _started()
            yield _read(process, name, content, most_seconds)
    finally:
        if process is not None:
            process.kill()
            process.wait()
            for stream in (process.stdin, process.stdout):
                if stream is not None:
                    stream.close()


def _started() -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", child.__name__],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
    )


def _read(process: subprocess.Popen[bytes], name: str, content: bytes, most_seconds: float) -> Read:
    assert process.stdin is not None
    assert process.stdout is not None
    late: list[bool] = []

    def end() -> None:
        late.append(True)
        process.kill()

    timer = Timer(most_seconds, end)
    timer.start()
    try:
        child.put(process.stdin, name.encode("utf-8", "replace"))
        child.put(process.stdin, content)
        told = child.take(process.stdout)
    except OSError:
        told = None
    finally:
        timer.cancel()
    if told is None:
        process.kill()
        process.wait()
        why = "longer than" if late else "more memory than"
        what = f"{most_seconds:g} seconds" if late else "there is"
        return Read(
            name,
            Text(""),
            f"Reading it takes {why} {what}. Save it in a simpler form, or split it.",
        )
    found = json.loads(told)
    if "problem" in found:
        return Read(name, Text(""), found["problem"])
    headings, rows = (
        tuple(Heading(*each) for each in found[what]) for what in ("headings", "rows")
    )
    return Read(name, Text(found["text"], found["title"], headings, rows, tuple(found["told"])))
