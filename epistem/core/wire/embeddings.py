"""Vectors of texts: what is posted and what comes, as most model servers have it beside chat completions."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import orjson

from epistem.core.errors import WireError
from epistem.core.wire.reading import json_from

PATH = "/v1/embeddings"
MOST_NUMBERS = 8_192


def build_request(model: str, texts: Sequence[str]) -> bytes:
    return orjson.dumps({"model": model, "input": list(texts)})


def parse_reply(raw: bytes, texts: int) -> list[list[float]]:
    """A vector of equally many finite numbers for each text, in their order. Raises WireError."""
    try:
        told: list[Any] = json_from(raw)["data"]
        placed = {int(each.get("index", at)): each["embedding"] for at, each in enumerate(told)}
        vectors = [[float(value) for value in placed[at]] for at in range(texts)]
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise WireError("The server's answer holds no vectors that can be read.") from error
    sizes = {len(vector) for vector in vectors}
    if len(placed) != texts or len(sizes) > 1:
        raise WireError("The server's vectors are not one for each text, equally long.")
    if sizes and not 0 < max(sizes) <= MOST_NUMBERS:
        raise WireError(
            f"The server's vectors have {max(sizes):,} numbers; {MOST_NUMBERS:,} is the most."
        )
    if not all(math.isfinite(value) for vector in vectors for value in vector):
        raise WireError("The server's vectors have numbers that are not finite.")
    return vectors
