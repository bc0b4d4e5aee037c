"""Courtesy: marks of politeness that are there, and marks of a curt or cold manner that are not. English."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import Bounds, CountOf, FreeOf, Places
from epistem.core.language.reading import sentences, words

_POLITE = re.compile(
    r"\b(?:please|thank(?:s| you)|(?:much|really|greatly) appreciated?|appreciate|(?:i'm|i am|we're|we are|so|"
    r"very) sorry|"
    r"apologi[sz]e|apologies|excuse me|pardon|welcome|glad to|happy to|pleased to|delighted to|my pleasure|our "
    r"pleasure|"
    r"would you (?:mind|like)|could you|would you|may (?:i|we)|might (?:i|we)|if you(?:'d|’d| would)? like|"
    r"feel free|don't hesitate|do not hesitate|hope (?:this|that|it) helps|(?:kind|best|warm) regards|take care|"
    r"have a (?:nice|good|lovely|great|pleasant)|wish you|good luck|congratulations|well done)\b",
    re.I,
)
_NO_COURTESY = re.compile(
    r"\b(?:not|never|n't|n’t) (?:very )?(?:happy|glad|pleased|sorry|welcome)\b", re.I
)


class PoliteOptions(Bounds):
    least: float | None = Field(1, ge=0, le=1e9, title="At least")


class Polite(CountOf):
    key = "tone.polite"
    version = 1
    kind = "tone"
    summary = "There are so many marks of politeness: please, thank you, sorry, happy to, would you. English."
    also_called = ("polite", "courteous", "kind", "please", "thank you", "warm", "friendly")
    aspects = (Aspect("", "marks of politeness"),)
    Options: ClassVar[type[Options]] = PoliteOptions
    unit = "mark of politeness"
    aim = "more"
    note = "one too many"
    good: ClassVar = (
        "Please wait on the pier.",
        "Thank you for writing.",
        "We are sorry that it was late.",
        "I'd be happy to look.",
        "Would you tell us its colour?",
        "You are welcome to bring your dog.",
        "Have a lovely day.",
        Example("Wait there.", {"least": None, "most": 0}),
        Example("Thank you! Please wait. Take care.", {"least": 3}),
        "We wish you a calm crossing.",
    )
    bad: ClassVar = (
        "Wait on the pier.",
        "",
        "We got it.",
        "No dogs.",
        "We are not sorry.",
        "It was a welcoming place.",
        "The boat is late again.",
        Example("Please wait.", {"least": 2}),
        Example("Thank you. Please. Sorry, so sorry! Take care.", {"least": None, "most": 2}),
        "I am not happy.",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return (
            super().sentence(options, aspect).replace("mark of politenesss", "marks of politeness")
        )

    def tell(self, number: float) -> str:
        return f"{number:g} mark{'' if number == 1 else 's'} of politeness"

    def places(self, text: str) -> list[tuple[int, int]]:
        denied = Places(match.span() for match in _NO_COURTESY.finditer(text))
        return [m.span() for m in _POLITE.finditer(text) if not denied.meets(*m.span())]


_COLD = re.compile(
    r"\b(?:as (?:i|we)(?:'ve|’ve| have)? (?:already )?(?:said|told you|stated|explained|mentioned)|as "
    r"(?:previously|already) "
    r"(?:stated|mentioned|explained)|per my last|you (?:failed|neglected|forgot|refused) to|you should have "
    r"(?:read|known|"
    r"asked|booked|told|checked|thought|come|brought|called|written|paid|said|done|waited|looked)|"
    r"you (?:clearly|obviously)|obviously|needless to say|it is (?:not|none of) (?:my|our) (?:problem|fault|concern)|"
    r"(?:that|this) is (?:not|n't) (?:my|our) (?:problem|fault|concern)|not (?:my|our) (?:problem|fault)|"
    r"(?:your|that's your|that is your) (?:own )?(?:fault|problem)|calm down|read the (?:notice|instructions|"
    r"manual|terms)|"
    r"you people|whatever|deal with it|take it or leave it|like it or not|i don't care|we don't care|"
    r"stop (?:asking|writing|complaining)|do your (?:own )?research|(?:that|this)'s (?:just )?how it is|"
    r"there is nothing (?:i|we) can do|nothing (?:i|we) can do about it|you must understand|"
    r"(?:as|like) any(?:one|body) (?:would|can|could) (?:know|see)|i(?:'m|’m| am) not going to (?:repeat|argue))\b",
    re.I,
)
_BLUNT = re.compile(r"(?:no|nope|wrong|denied|impossible|never|rejected|not possible)[.!]*", re.I)
_ASKED_FOR = re.compile(r"\b(?:yes or no|one word)\b", re.I)


class ColdOptions(Options):
    blunt: bool = Field(
        True,
        title="No blunt “No.”",
        description="A sentence that is a refusal of one or two words.",
    )
    let_through: list[str] = Field(default_factory=list, max_length=100, title="Let through")


class NotCold(FreeOf):
    key = "tone.cold"
    version = 1
    kind = "tone"
    summary = "Nothing curt, cold or reproachful is said: no “as I said”, no “you failed to”, no bare “No.” English."
    also_called = ("curt", "rude", "cold", "blunt", "condescending", "blame", "dismissive")
    aspects = (Aspect("", "nothing curt or cold"),)
    nothing = "Nothing curt or cold is said."
    Options: ClassVar[type[Options]] = ColdOptions
    good: ClassVar = (
        "I am afraid that is not possible today.",
        "No, dogs may not sit on seats, but they travel free.",
        "You may have missed the notice; the boat left at nine.",
        "Whatever you decide, we keep your bag for sixty days.",
        "Please read the notice by the door: it has the times.",
        "It was our fault.",
        "",
        Example("No.", {"blunt": False}),
        Example("Obviously, it rains.", {"let_through": ["obviously"]}),
        "It never leaves before nine.",
    )
    bad: ClassVar = (
        "As I said, it leaves at nine.",
        "You failed to bring your ticket.",
        "No.",
        "That is not our problem.",
        "Obviously you need a ticket.",
        "Calm down, it will come.",
        "You should have booked earlier.",
        "Denied! Ask someone else.",
        "There is nothing we can do.",
        "Impossible.",
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        allowed = {each.strip().lower() for each in self.options.let_through}
        spans = [
            Span(m.start(), m.end(), "curt or cold")
            for m in _COLD.finditer(text)
            if m[0].lower() not in allowed
            and not (m[0].lower() == "whatever" and _goes_on(text, m.end()))
            and not (m[0].lower().startswith("read the") and _asked_kindly(text, m.start()))
        ]
        if self.options.blunt:
            for piece in sentences(text):
                said = text[piece.start : piece.end]
                if (
                    len(words(said)) <= 2
                    and _BLUNT.fullmatch(said)
                    and said.lower().strip(".!") not in allowed
                ):
                    spans.append(Span(piece.start, piece.end, "a bare refusal"))
        return sorted(spans, key=lambda span: span.start)


def _goes_on(text: str, end: int) -> bool:
    """`whatever you decide` says nothing cold."""
    return re.match(r" \w", text[end : end + 2]) is not None


def _asked_kindly(text: str, start: int) -> bool:
    return (
        re.search(
            r"\b(?:please|you can|you may|could you|to)\s+\Z",
            text[max(0, start - 16) : start],
            re.I,
        )
        is not None
    )
