"""How a talk parts, and how a silence in it is followed up."""

from __future__ import annotations

import re
from typing import ClassVar

from pydantic import Field

from epistem.core.cases.silence import is_silence
from epistem.core.checks.base import Answer, Aspect, Check, Finding, Ground, Options
from epistem.core.checks.outcome.talks.asking import (
    MOST_LOOKED_AT,
    answers_of,
    exchanges,
    questions,
)
from epistem.core.checks.outcome.talks.checks import talk
from epistem.core.words import stands_in

GOODBYES = [
    "goodbye", "good bye", "bye", "bye-bye", "farewell", "take care", "all the best", "see you",
    "have a good day", "have a nice day", "have a lovely day", "have a great day", "safe travels",
]  # fmt: skip
_QUIET = "(Nothing said for 2 minutes.)"
_OFFERS = re.compile(
    r"\b(?:still there|when(?:ever)? you (?:are|have|like|want)|take your time|no (?:hurry|rush)|let me know|"
    r"here if|come back|i (?:am|'m|’m) here|can wait|just (?:write|reply|answer))\b",
    re.I,
)


class GoodbyeOptions(Options):
    always: bool = Field(
        False, title="Of every talk", description="Else of the cases that expect a goodbye."
    )
    words: list[str] = Field(
        default_factory=lambda: list(GOODBYES), max_length=100, title="Words of goodbye"
    )


_BYE = {"goodbye": True}


class GoodbyeOnce(Check):
    key = "outcome.goodbye"
    version = 1
    kind = "outcome"
    summary = "The talk says goodbye once, in its last answer. The words are a list, in English unless it is changed."
    also_called = ("farewell", "sign-off", "closing", "ends politely", "bye twice")
    aspects = (Aspect("", "says goodbye once"),)
    at_the_end = True
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = GoodbyeOptions
    good: ClassVar = (
        talk("Colour?", "Red", "Thank you. Goodbye!", expect=_BYE),
        talk("Thank you, take care.", options={"always": True}),
        talk("Hello", "Bye", "Bye.", expect=_BYE),
        talk("Hello", "Bye", "Thank you."),
        talk("The bypass is closed.", "Bye", "Farewell.", expect=_BYE),
        talk("Ade", options={"always": True, "words": ["ade"]}),
        talk("Hello", "x", "Have a good day. Goodbye!", expect=_BYE),
        talk("Goodbye", "?", "Goodbye"),
    )
    bad: ClassVar = (
        talk("Colour?", "Red", "Thank you.", expect=_BYE),
        talk("Goodbye.", "Wait", "Yes?", expect=_BYE),
        talk("Goodbye.", "Bye", "Goodbye again.", expect=_BYE),
        talk("Thank you.", options={"always": True}),
        talk("Take care!", "So", "Take care!", "So", "Well.", options={"always": True}),
        talk("", expect=_BYE),
        talk("Goodbyes are hard.", expect=_BYE),
        talk("Bye", options={"always": True, "words": ["ade"]}),
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if self.options.always or ground.expect.goodbye else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if not self.asked(ground):
            return []
        answers = answers_of(answer)
        said = [at for at, text in enumerate(answers, start=1) if self._parts(text)]
        if said == [len(answers)]:
            return [Finding("", True, "It says goodbye once, at the end.")]
        if not said:
            return [Finding("", False, "It never says goodbye.")]
        told = ", ".join(map(str, said[:5]))
        return [Finding("", False, f"It says goodbye in answer {told} of {len(answers)}.")]

    def _parts(self, text: str) -> bool:
        return any(stands_in(each, text[:MOST_LOOKED_AT]) for each in self.options.words)


class FollowUpOptions(Options):
    words: int = Field(
        40, ge=1, le=1_000, title="Words at most", description="Of what follows a silence."
    )


class FollowsUp(Check):
    key = "outcome.follows_up"
    version = 1
    kind = "outcome"
    summary = (
        "After a silence the answer comes back to the person: briefly, in other words than before, with a "
        "question or an offer."
    )
    also_called = ("silence", "nudge", "reminder", "no reply", "still there", "follow-up")
    aspects = (Aspect("", "follows up on a silence"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = FollowUpOptions
    good: ClassVar = (
        talk("What colour is it?", _QUIET, "Are you still there? I need only the colour."),
        talk("What colour is it?", _QUIET, "Take your time."),
        talk("What colour is it?", _QUIET, "Just write when you know it."),
        talk("What colour is it?", "Red", ""),
        talk("Colour?", _QUIET, "Still there?", "Red", "Red, thanks."),
        talk("Colour?", "(silence: 5 minutes)", "Shall we go on?"),
        talk("Hello"),
        talk("Colour?", _QUIET, "one two three?", options={"words": 3}),
    )
    bad: ClassVar = (
        talk("What colour is it?", _QUIET, "What colour is it?"),
        talk("What colour is it?", _QUIET, ""),
        talk("What colour is it?", _QUIET, "Thank you, it is noted."),
        talk("What colour is it?", _QUIET, "Well? " + "You see, " * 30),
        talk("Colour?", "(silence)", "Colour?"),
        talk("Colour?", _QUIET, "Noted.", "What?", "Sorry, which colour?"),
        talk("Colour?", _QUIET, "one two three four?", options={"words": 3}),
        talk("What colour is it?", _QUIET, " what COLOUR is it? "),
    )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        answers = answers_of(answer)
        quiet = [
            at for at, (_, words) in enumerate(exchanges(answer), start=1) if is_silence(words)
        ]
        for at in quiet:
            fault = self._fault(answers[at - 1], answers[at])
            if fault:
                return [Finding("", False, f"Answer {at + 1}, after a silence, {fault}.")]
        return [Finding("", True, "Each silence is followed up.")] if quiet else []

    def _fault(self, before: str, now: str) -> str:
        words = now.split()
        if not words:
            return "says nothing"
        if " ".join(words).casefold() == " ".join(before.split()).casefold():
            return "says the same as before"
        if len(words) > self.options.words:
            return f"has {len(words)} words; at most {self.options.words} are wanted"
        if not questions(now) and not _OFFERS.search(now[:MOST_LOOKED_AT]):
            return "neither asks nor offers anything"
        return ""
