"""Tokens, by a subword vocabulary of our own (byte-pair merges, trained by scripts/train_pieces.py).

A real model counts by a vocabulary of its own, so for it the number is an estimate; for the stand-in's
models, which speak in these tokens, it is exact.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from importlib import resources
from math import ceil
from typing import Any

import orjson
import sentencepiece

from epistem.core.wire.reply import Reply, Usage

PER_MESSAGE = 3
"""What a message adds to its words: its role and its ends."""

MOST_COUNTED = 100_000
"""Characters of a text that are counted for an estimate; the rest is taken to be like them."""


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


def estimated_usage(body: bytes, reply: Reply) -> Usage:
    """About what a call took, where the server does not say: `told` is False."""
    asked = sum(_about(text) + PER_MESSAGE for text in _texts(orjson.loads(body).get("messages")))
    calls = "".join(call.name + call.arguments for call in reply.tool_calls)
    thought = _about(reply.reasoning)
    return Usage(asked, _about(reply.text) + thought + _about(calls), thought, told=False)


def usage_of(body: bytes, reply: Reply) -> Usage:
    """What a call took: as the server tells it, else about that. It is not believed that a request has many more
    tokens than bytes, or an answer a million."""
    told = reply.usage
    absurd = told.input_tokens > len(body) + MORE_INPUT or told.output_tokens > MOST_OUTPUT
    return told if told.told and not absurd else estimated_usage(body, reply)


MORE_INPUT, MOST_OUTPUT = 50_000, 1_000_000
MARGIN, PER_PICTURE = 1.5, 2_000


def most_input(body: bytes) -> int:
    """Tokens that a request will hardly be counted as more than: half as many again as are counted here, for other
    vocabularies, and so many for a picture."""
    request = orjson.loads(body)
    told = [request.get(key) for key in ("system", "messages")]
    also = [request.get(key) for key in ("tools", "response_format") if request.get(key)]
    counted = sum(_about(text) + PER_MESSAGE for text in _texts(told))
    counted += sum(_about(orjson.dumps(each).decode()) for each in also)
    return ceil(MARGIN * counted) + PER_MESSAGE + PER_PICTURE * body.count(b"base64")


def _about(text: str) -> int:
    if len(text) <= MOST_COUNTED:
        return count(text)
    return round(count(text[:MOST_COUNTED]) * len(text) / MOST_COUNTED)


def _texts(told: Any) -> Iterator[str]:
    """The texts of messages, wherever they stand; pictures are none."""
    if isinstance(told, str):
        if not told.startswith("data:"):
            yield told
    elif isinstance(told, list):
        for each in told:
            yield from _texts(each)
    elif isinstance(told, dict):
        for key, each in told.items():
            if key not in ("role", "type", "id", "tool_call_id", "data"):
                yield from _texts(each)
