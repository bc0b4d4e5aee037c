"""Train the small subword vocabulary that tokens are counted with.

    python scripts/train_pieces.py FREQUENCIES.json.gz epistem/core/wire/pieces.model

FREQUENCIES is a table of English words and how often each is written, as JSON under gzip. The one
that is shipped was trained on that of the package pyspellchecker 0.9.1 (MIT licence), which nothing
else here needs. The same table gives the same vocabulary.
"""

from __future__ import annotations

import gzip
import io
import json
import re
import sys
import tempfile
from pathlib import Path

import sentencepiece

PIECES = 10_000
WORDS = 60_000
MARKS = ".,;:!?\"'’“”()[]{}<>/\\|@#$%^&*_-+=~`…–—·•€£0123456789"
COARSE = re.compile(
    "fuck|shit|bitch|bastard|cunt|cock|dick|slut|whore|nigg|fag|damn|piss|porn|rape"
)
RUNS = ('":', '",', '{"', '"}', ' "', "n't", "'s")


def rows(frequencies: dict[str, int]) -> list[tuple[str, int]]:
    """Texts with weights. The square-root-like flattening leaves room for the rarer words."""
    found = []
    usual = {word: count for word, count in frequencies.items() if not COARSE.search(word)}
    for word, count in sorted(usual.items(), key=lambda item: (-item[1], item[0]))[:WORDS]:
        weight = int(count**0.75) + 1
        found += [(f" {word}", weight), (word, weight // 5 + 1), (word.upper(), weight // 60 + 1)]
        found += [(f" {word.capitalize()}", weight // 8 + 1), (word.capitalize(), weight // 8 + 1)]
    total = sum(weight for _, weight in found)
    found += [(mark, total // 2_000) for mark in MARKS]
    return found + [(run, total // 4_000) for run in RUNS]


def train(frequencies: dict[str, int]) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        table = Path(folder) / "words.tsv"
        table.write_text("".join(f"{text}\t{weight}\n" for text, weight in rows(frequencies)))
        trained = io.BytesIO()
        sentencepiece.SentencePieceTrainer.train(
            input=str(table), input_format="tsv", model_writer=trained, model_type="bpe",
            vocab_size=PIECES, byte_fallback=True, normalization_rule_name="identity",
            add_dummy_prefix=False, remove_extra_whitespaces=False, character_coverage=1.0,
            split_digits=False, user_defined_symbols=["\n"], minloglevel=2,
        )  # fmt: skip
    return trained.getvalue()


if __name__ == "__main__":
    source, target = sys.argv[1:]
    with gzip.open(source) as file:
        Path(target).write_bytes(train(json.load(file)))
