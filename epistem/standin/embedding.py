"""A real embedding of text: hashed n-grams of characters, the same on every machine.

Each word (with a mark at either end) gives its n-grams of three to five characters and itself. Each
falls, by its hash, on one place with one sign (feature hashing: K. Weinberger et al., Proc. ICML
2009, 1113–1120), weighted by the square root of how often it stands there; then the whole is scaled
to length 1. Texts that share words, or parts of words, come out close.
"""

from __future__ import annotations

import hashlib
from collections import Counter
from math import sqrt

from epistem.standin.words import stems

PLACES = 256
MOST_PLACES = 2_048
SIZES = (3, 4, 5)


def embed(text: str, places: int = PLACES) -> list[float]:
    """`places` numbers of length 1 together; a text without words gives the first axis."""
    vector = [0.0] * places
    for gram, count in _grams(text).items():
        digest = hashlib.blake2b(gram.encode("utf-8", "replace"), digest_size=8).digest()
        number = int.from_bytes(digest, "big")
        sign = 1.0 if number & 1 else -1.0
        vector[(number >> 1) % places] += sign * sqrt(count)
    length = sqrt(sum(value * value for value in vector))
    if length == 0:
        return [1.0] + [0.0] * (places - 1)
    return [value / length for value in vector]


def _grams(text: str) -> Counter[str]:
    grams: Counter[str] = Counter()
    for word in stems(text) or text.casefold().split():
        marked = f"<{word}>"
        grams[marked] += 2
        for size in SIZES:
            grams.update(marked[at : at + size] for at in range(len(marked) - size + 1))
    return grams
