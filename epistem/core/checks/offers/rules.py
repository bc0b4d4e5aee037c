"""The rules of a prompt, found in its own words: what guards each of them, and what could."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from epistem.core.checks.offers.words import RULE, WORDINGS
from epistem.core.checks.registry import build, check_class
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.core.language.reading import sentences
from epistem.core.prompts.content import Prompt, ReplyShape, parts_of

MOST_RULES = 200
MOST_READ = 40_000
"""Characters of a prompt that are looked through, its first parts first."""
MOST_WORDS = 400
_TEMPLATE = re.compile(r"\{\{.*?\}\}|\{%.*?%\}|\{#.*?#\}", re.S)


class Offer(NamedTuple):
    """`title` is what its row would say."""

    use: CheckUse
    title: str


@dataclass(frozen=True)
class FoundRule:
    """`words` stand at start–end of the part's text, at `path`. `guards` are the indices of the uses that
    watch over it; without one there are `offers`, the last of which asks a model."""

    path: str
    part: str
    start: int
    end: int
    words: str
    guards: tuple[int, ...]
    offers: tuple[Offer, ...]


def rules_of(prompt: Prompt, uses: Sequence[CheckUse]) -> list[FoundRule]:
    """Of all that is sent but what an assistant says, which are examples. Nothing is attached."""
    found: list[FoundRule] = []
    left = MOST_READ
    for path, message, part in parts_of(prompt):
        if part.off or message.role == "assistant":
            continue
        text = _TEMPLATE.sub(lambda match: "X" * len(match[0]), part.text[:left])
        left -= len(text)
        for start, end in _sentences(text):
            words = text[start:end]
            offers = _offers(words, prompt.reply)
            if not offers and not RULE.search(words):
                continue
            keys = {offer.use.check for offer in offers}
            guards = tuple(
                at for at, use in enumerate(uses) if use.check in keys or _asks_of(use, words)
            )
            shown = () if guards else (*offers, _by_judge(words))
            said = part.text[start:end][:MOST_WORDS]
            found.append(FoundRule(path, part.name, start, end, said, guards, shown))
            if len(found) == MOST_RULES:
                return found
    return found


def _sentences(text: str) -> list[tuple[int, int]]:
    """A quoted sentence belongs to the one that quotes it."""
    found: list[tuple[int, int]] = []
    for piece in sentences(text):
        if found and _open_quote(text[found[-1][0] : found[-1][1]]):
            found[-1] = (found[-1][0], piece.end)
        else:
            found.append((piece.start, piece.end))
    return found


def _open_quote(text: str) -> bool:
    return text.count("“") > text.count("”") or text.count('"') % 2 == 1


def _offers(words: str, reply: ReplyShape) -> list[Offer]:
    found: list[Offer] = []
    for wording in WORDINGS:
        match = wording.pattern.search(words)
        options = wording.read(match, words) if match else None
        if options is None or any(offer.use.check == wording.check for offer in found):
            continue
        use = CheckUse(check=wording.check, options=options)
        if _can_be_had(use, reply):
            cls = check_class(use.check)
            told = cls.Options.from_json(options)
            found.append(
                Offer(use, " · ".join(cls.sentence(told, aspect) for aspect in cls.aspects))
            )
    return found


def _can_be_had(use: CheckUse, reply: ReplyShape) -> bool:
    try:
        build(use, reply)
    except InvalidInput:
        return False
    return True


def _question(words: str) -> str:
    return f"Does the answer keep to this: “{' '.join(words.split())[:MOST_WORDS]}”?"


def _by_judge(words: str) -> Offer:
    question = _question(words)
    use = CheckUse(
        check="judge.yes_no", options={"question": question, "shown": ["question", "talk"]}
    )
    return Offer(use, "a judge is asked whether it keeps to it")


def _asks_of(use: CheckUse, words: str) -> bool:
    return use.check == "judge.yes_no" and use.options.get("question") == _question(words)
