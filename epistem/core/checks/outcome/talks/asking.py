"""What an answer asks for, and whether two questions ask for the same."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

from epistem.core.checks.base import Answer
from epistem.core.language.reading import Piece, sentences
from epistem.core.language.stems import stem

MOST_LOOKED_AT = 20_000
"""Characters of each answer that are looked at."""
SAME = 0.6
"""The share of words that two questions have in common, of all that they have, from which on they ask the same."""
_ASKS = re.compile(
    r"\?[\"”’)*_]*\s*\Z|^\W*(?:please |could you |can you |would you )?(?:tell me|let me know|give me|send me|"
    r"describe|share|provide)\b|\bI(?:(?:'|’)ll| will)? (?:also )?need (?:to know|your|the)\b",
    re.I,
)
_WORD = re.compile(r"[^\W_]+")
_SAYS_NOTHING = frozenset(
    """a an the is are was were be been do does did can could would will may might i you it its your yours
    my me we us our this that these those there here to of in on at for from with and or so please tell
    let know give send share describe provide need also just again more any some have has had about as
    by what which but then well ok okay still though exactly""".split()  # noqa: SIM905
)
_SAME_WORDS = {"colour": "color"}
_REFUSAL = re.compile(
    r"\b(?:(?:i|we) (?:won(?:'|’)?t|will not|(?:would|'d|’d) rather not|(?:would|'d|’d) prefer not to|"
    r"don(?:'|’)?t want to|do not want to|can(?:'|’)?t|cannot) (?:say|tell|give|share|answer|talk)|rather not|"
    r"prefer not to|none of your business|not telling|no comment|that(?:'|’)?s private|not going to (?:say|tell|give)|"
    r"don(?:'|’)?t (?:want|wish) to (?:say|tell|give|share|answer))\b",
    re.I,
)


class Asked(NamedTuple):
    """A question at a place of an answer, by the stems of its words that say something."""

    at: Piece
    stems: frozenset[str]


def questions(text: str) -> list[Asked]:
    """Sentences that ask, by a question mark or by English words for it."""
    text = text[:MOST_LOOKED_AT]
    found = [piece for piece in sentences(text) if _ASKS.search(text[piece.start : piece.end])]
    return [Asked(piece, stems_in(text[piece.start : piece.end])) for piece in found]


def same(one: Asked, other: Asked) -> bool:
    """Whether they ask for the same: most of their words are. Those of no words ask for nothing."""
    either = one.stems | other.stems
    return bool(either) and len(one.stems & other.stems) >= SAME * len(either)


def refuses(said: str) -> bool:
    """Whether a person declines to say something. English."""
    return bool(_REFUSAL.search(said[:MOST_LOOKED_AT]))


def answers_of(answer: Answer) -> list[str]:
    """All answers of the talk, the last one last."""
    return [*(turn.text for turn in answer.before if turn.role == "assistant"), answer.text]


def exchanges(answer: Answer) -> list[tuple[str, str]]:
    """Each answer before the last, with what the person said to it."""
    turns = [turn.text for turn in answer.before]
    return list(zip(turns[::2], turns[1::2], strict=False))


@lru_cache(maxsize=4_096)
def stems_in(sentence: str) -> frozenset[str]:
    """Of its words that say something."""
    words = (word.casefold() for word in _WORD.findall(sentence))
    return frozenset(
        stem(_SAME_WORDS.get(word, word)) for word in words if word not in _SAYS_NOTHING
    )
