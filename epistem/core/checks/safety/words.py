"""Words that must not stand in an answer, in all their forms: profanity, and a list of one's own."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache
from itertools import pairwise
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf, Places
from epistem.core.checks.signature import digest
from epistem.core.language.stems import stem
from epistem.core.prompts.content import ReplyShape

_WORD = re.compile(r"[^\W_]+(?:['’][^\W_]+)?")
_APART = re.compile(r"[.!?;:…\n]\s*\n|[.!?;:…]")
_LETTERS = str.maketrans(
    {"0": "o", "1": "i", "3": "e", "4": "a", "5": "s", "7": "t", "@": "a", "$": "s"}
)


class ForbiddenOptions(Options):
    phrases: list[str] = Field(
        default_factory=list,
        max_length=500,
        title="Words and phrases",
        description="Forms of a word count as the word: boat is boats, too.",
    )
    exact: bool = Field(False, title="Just these forms")


class NoneOfThese(FreeOf):
    key = "safety.forbidden"
    version = 1
    kind = "safety"
    summary = "None of the topics, names or phrases of your list stands in the answer, in no form of their words."
    also_called = ("topic", "ban", "blocklist", "competitor", "never mention", "taboo")
    aspects = (Aspect("", "none of the forbidden words"),)
    nothing = "None of them is said."
    Options: ClassVar[type[Options]] = ForbiddenOptions
    libraries = ("snowballstemmer",)
    shown_with: ClassVar = {"phrases": ["refund", "free ticket", "Marram Ferries"]}
    good: ClassVar = (
        "The boat is late.",
        "You can freely take a ticket.",
        "Feel free. Tickets are at the pier.",
        "Marram grass grows on the dunes.",
        "The fund is closed.",
        "We found the fun of it.",
        "",
        Example("Boats leave at nine.", {"phrases": ["boat"], "exact": True}),
    )
    bad: ClassVar = (
        "You will get a refund.",
        "Refunds are paid in May.",
        "We refunded it.",
        "REFUNDING takes a week.",
        "Here are two free tickets.",
        "A free\nticket is yours.",
        "Marram Ferries is cheaper.",
        "Try marram ferry's boats.",
        Example("A boat leaves at nine.", {"phrases": ["boat"], "exact": True}),
    )

    def __init__(self, options: ForbiddenOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        self._phrases = [(p, _keys(p, options.exact)) for p in options.phrases]

    @classmethod
    def sentence(cls, options: ForbiddenOptions, aspect: Aspect) -> str:
        told = ", ".join(options.phrases[:3])
        more = f" and {len(options.phrases) - 3} more" if len(options.phrases) > 3 else ""
        return f"says nothing of {told}{more}"[:120] if told else aspect.title

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        return phrases_in(text, self._phrases, self.options.exact)


def phrases_in(
    text: str, phrases: Sequence[tuple[str, tuple[str, ...]]], exact: bool
) -> list[Span]:
    """Every place where the words of a phrase stand one after the other."""
    places = [(m.start(), m.end(), _key(m[0], exact)) for m in _WORD.finditer(text)]
    starts: dict[str, list[int]] = {keys[0]: [] for _, keys in phrases if keys}
    for at, (_, _, key) in enumerate(places):
        if key in starts:
            starts[key].append(at)
    spans = []
    for phrase, keys in phrases:
        for at in starts[keys[0]] if keys else ():
            here = places[at : at + len(keys)]
            if tuple(key for _, _, key in here) == keys and not any(
                _APART.search(text, one[1], other[0]) for one, other in pairwise(here)
            ):
                spans.append(
                    Span(
                        places[at][0],
                        places[at + len(keys) - 1][1],
                        f"“{phrase}” is not to be said",
                    )
                )
    return sorted(spans, key=lambda span: (span.start, span.end))


def _keys(phrase: str, exact: bool) -> tuple[str, ...]:
    return tuple(_key(match[0], exact) for match in _WORD.finditer(phrase))


@lru_cache(maxsize=50_000)
def _key(word: str, exact: bool) -> str:
    low = word.casefold().replace("’", "'")
    return low if exact else stem(low.removesuffix("'s"))


PROFANE = (
    "arse", "arsehole", "asshole", "bastard", "bitch", "bollocks", "bugger", "bullshit", "cock", "crap", "cunt",
    "damn", "dick", "dickhead", "dumbass", "fag", "faggot", "fuck", "fucker", "goddamn", "horseshit", "jackass",
    "jerk", "motherfucker", "piss", "prick", "pussy", "shit", "shitty", "slut", "twat", "wank", "wanker", "whore",
)  # fmt: skip
INSULTS = (
    "idiot",
    "moron",
    "imbecile",
    "stupid",
    "dumb",
    "dimwit",
    "loser",
    "scum",
    "cretin",
    "fool",
    "pathetic",
)
_HARMLESS = re.compile(
    r"\b(?:cock(?:tail|pit|erel|er spaniel|le|atoo)|peacock|hancock|alcock|babcock|dick(?:inson|son|er|y|ies)|"
    r"scunthorpe|penistone|cockermouth|shitake|shiitake|pussy ?(?:cat|willow)|"
    r"bastard (?:file|sword|mahogany)|damn(?:ation|edest)|prick(?:ly|led| up| the (?:crust|dough|potato\w*|"
    r"skin))|jerk (?:chicken|pork|seasoning|marinade)|"
    r"gooseberry fool|rhubarb fool|april fools?|fool'?s (?:gold|errand)|dumb ?(?:bells?|waiter|show)|"
    r"bitch (?:in|is in) (?:heat|season)|"
    r"stupid mistakes? (?:of (?:ours|mine)|we made))\b",
    re.I,
)
_MIXED = re.compile(r"[A-Za-z][0-9@$]|[0-9@$][A-Za-z]")
_MASKED = re.compile(r"(?<![\w*])[a-z](?:[*#@!$%_-]{1,4}[a-z]{0,4}){1,2}(?![\w*])", re.I)
_MASKS = re.compile(
    r"\A(?:f[*#@!$%_-]{1,3}k?(?:ing|ed|er)?|f[u*][*#c]k\w*|s[*#@!$%_-]{1,2}t\w*|b[*#@!$%_-]{1,3}ch\w*|"
    r"c[*#@!$%_-]{1,2}t)\Z",
    re.I,
)


class ProfanityOptions(Options):
    insults: bool = Field(True, title="Insults count too", description="Such as idiot.")
    also: list[str] = Field(default_factory=list, max_length=500, title="Forbid also")
    allow: list[str] = Field(default_factory=list, max_length=500, title="Let through")


class NoProfanity(FreeOf):
    key = "safety.profanity"
    version = 1
    kind = "safety"
    summary = "No swear words and no insults, in any form; names that contain one are let through. English."
    also_called = ("swearing", "insult", "rude", "obscene", "curse")
    aspects = (Aspect("", "no swearing or insults"),)
    nothing = "Nothing rude is said."
    Options: ClassVar[type[Options]] = ProfanityOptions
    libraries = ("snowballstemmer",)
    good: ClassVar = (
        "The train to Scunthorpe is late.",
        "Mr Hancock ordered a cocktail.",
        "Ms Dickinson saw two dicky birds.",
        "We assess every class and pass on the assets.",
        "The analysis of the document is attached.",
        "Prick the crust, then serve the jerk chicken.",
        "A peacock and a cockatoo",
        "The dumb waiter is stuck.",
        "Shiitake soup, gooseberry fool",
        "Essex, Sussex, Middlesex",
        Example("You stupid boat", {"insults": False}),
        Example("Damn, that is good.", {"allow": ["damn"]}),
        "",
    )
    bad: ClassVar = (
        "This is bullshit.",
        "What the fuck is this?",
        "FUCKING boat!",
        "You are an idiot.",
        "Only morons write so.",
        "That is sh1t.",
        "f*** off",
        "What a load of crap.",
        "You bastards!",
        "He is a jerk.",
        "Stop being so stupid.",
        Example("What a muppet", {"also": ["muppet"]}),
    )

    def __init__(self, options: ProfanityOptions, reply: ReplyShape) -> None:
        super().__init__(options, reply)
        allowed = {_keys(each, False) for each in options.allow}
        words = (*PROFANE, *(INSULTS if options.insults else ()), *options.also)
        self._phrases = [
            (w, keys) for w in words if (keys := _keys(w, False)) and keys not in allowed
        ]

    @classmethod
    def resolved(cls, options: ProfanityOptions, reply: ReplyShape) -> dict[str, Any]:
        return {"usual": digest([*PROFANE, *INSULTS]), **super().resolved(options, reply)}

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        plain = text.translate(_LETTERS) if _MIXED.search(text) else text
        harmless = Places(match.span() for match in _HARMLESS.finditer(text))
        spans = phrases_in(text, self._phrases, False)
        if plain != text:
            spans += [
                s
                for s in phrases_in(plain, self._phrases, False)
                if re.search(r"[A-Za-z]", text[s.start : s.end])
            ]
        spans += [
            Span(*m.span(), "a swear word, masked")
            for m in _MASKED.finditer(text)
            if _MASKS.match(m[0])
        ]
        seen: set[tuple[int, int]] = set()
        for span in sorted(spans, key=lambda each: each.start):
            if not harmless.meets(span.start, span.end) and (span.start, span.end) not in seen:
                seen.add((span.start, span.end))
                yield Span(span.start, span.end, "rude")
