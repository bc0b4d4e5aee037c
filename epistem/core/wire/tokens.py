"""Tokens, by a subword vocabulary of our own (byte-pair merges, trained by scripts/train_pieces.py).

A real model counts by a vocabulary of its own, so for it the number is an estimate; for the stand-in's
models, which speak in these tokens, it is exact.
"""

from __future__ import annotations

from functools import lru_cache
from importlib import resources

import sentencepiece

PER_MESSAGE = 3
"""What a message adds to its words: its role and its ends."""


@lru_cache(maxsize=1)
def _pieces() -> sentencepiece.SentencePieceProcessor:
    model = (resources.files("epistem.core.wire") / "pieces.model").read_bytes()
    return sentencepiece.SentencePieceProcessor(model_proto=model)


@lru_cache(maxsize=20_000)
def tokens(text: str) -> tuple[str, ...]:
    """The text cut into tokens, which put together are the text again, white space and all.

    A character that is not in the vocabulary is one token. Lone surrogates are read as “?”.
    """
    whole = text.encode("utf-8", "replace").decode("utf-8")
    offsets = _pieces().encode(whole, return_type="offset_mapping")["offsets"]
    return tuple(whole[start:end] for start, end in offsets if end > start)


def count(text: str) -> int:
    """How many tokens. Line by line, so that a long text of which a line changed is counted quickly:
    a line break is a token of its own, and no piece of the vocabulary joins it to anything else."""
    return text.count("\n") + sum(_count(line) for line in text.split("\n") if line)


@lru_cache(maxsize=50_000)
def _count(line: str) -> int:
    return len(tokens(line))


@lru_cache(maxsize=1)
def words_of_vocabulary() -> tuple[str, ...]:
    """The tokens of the vocabulary that are letters only, most of them with a space in front."""
    pieces = _pieces()
    texts = (pieces.id_to_piece(number).replace("▁", " ") for number in range(len(pieces)))
    return tuple(text for text in texts if text.strip().isalpha() and text.isascii())
