"""What one document adds to an index: which of its passages have which words, how often."""

from __future__ import annotations

import io
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from epistem.core.knowledge.terms import terms

Ints: TypeAlias = NDArray[np.int32]


@dataclass(frozen=True)
class Segment:
    """`words[t]` stands in the passages `passages[starts[t]:starts[t + 1]]`, so often as `counts` says.
    `lengths` are the words of each passage."""

    words: list[str]
    starts: Ints
    passages: Ints
    counts: Ints
    lengths: Ints


def segment_of(texts: Sequence[str]) -> Segment:
    """Of the passages of a document, as they are searched (see `searched`)."""
    lengths = np.zeros(len(texts), np.int32)
    having: dict[str, list[tuple[int, int]]] = {}
    for at, text in enumerate(texts):
        told = terms(text)
        lengths[at] = len(told)
        for word, times in Counter(told).items():
            having.setdefault(word, []).append((at, times))
    words = sorted(having)
    starts = np.zeros(len(words) + 1, np.int32)
    starts[1:] = np.cumsum([len(having[word]) for word in words]) if words else []
    flat = np.array([pair for word in words for pair in having[word]], np.int32).reshape(-1, 2)
    return Segment(words, starts, flat[:, 0].copy(), flat[:, 1].copy(), lengths)


def searched(title: str, path: Sequence[str], text: str) -> str:
    """What a passage is found by: its text, and the headings over it that its text does not begin with."""
    over = [title, *path] if title not in path else list(path)
    return "\n".join([*(each for each in over if each and each not in text[:400]), text])


def segment_to_bytes(segment: Segment) -> bytes:
    out = io.BytesIO()
    words = np.frombuffer("\n".join(segment.words).encode(), np.uint8)
    np.savez_compressed(
        out,
        words=words,
        starts=segment.starts,
        passages=segment.passages,
        counts=segment.counts,
        lengths=segment.lengths,
    )
    return out.getvalue()


def segment_from_bytes(content: bytes) -> Segment:
    with np.load(io.BytesIO(content), allow_pickle=False) as told:
        words = bytes(told["words"]).decode()
        rest: dict[str, Any] = {name: told[name] for name in told.files if name != "words"}
    return Segment(words.split("\n") if words else [], **rest)
