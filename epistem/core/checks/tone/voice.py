"""How the answer speaks: greeting and sign-off, short forms, whose voice, and how sure it sounds."""

from __future__ import annotations

import re
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.shapes import MOST_LOOKED_AT, Bounds, CountOf, Places

_GREETING = re.compile(
    r"\A\W{0,3}(?:hi|hello|hey|hiya|dear|good (?:morning|afternoon|evening|day)|greetings|welcome|hallo|"
    r"guten (?:tag|morgen|abend)|"
    r"liebe[rs]?|bonjour|bonsoir|cher|chère|hola|buenos días|buenas tardes|ciao|salve)\b(?! (?:all|water|"
    r"season|tide|tea)\b)",
    re.I,
)
_SIGN_OFF = re.compile(
    r"(?:^|\n|[.!?] )\W{0,3}(?:(?:kind|best|warm|warmest|many) (?:regards|wishes|thanks)|regards|"
    r"yours(?: (?:sincerely|faithfully|truly))?|sincerely|"
    r"cheers|all the best|take care|see you(?: soon)?|goodbye|bye(?: for now)?|fair winds|love|"
    r"mit freundlichen grüßen|viele grüße|cordialement|bien à vous|saludos)\b[^\n]{0,20}(?:\n[^\n]{0,80}){0,3}\s*\Z",
    re.I,
)


class GreetingOptions(Options):
    greeting: Literal["there", "not there", "either"] = Field("not there", title="Greeting")
    sign_off: Literal["there", "not there", "either"] = Field("not there", title="Sign-off")


class Greeting(Check):
    key = "tone.greeting"
    version = 1
    kind = "tone"
    summary = "A greeting and a sign-off are there, or are not."
    also_called = ("hello", "dear", "regards", "salutation", "closing")
    aspects = (Aspect("", "greeting"), Aspect("end", "sign-off"))
    Options: ClassVar[type[Options]] = GreetingOptions
    good: ClassVar = (
        "The boat is late.",
        "All-weather coats are dear.",
        "It is high time. Hello is a word.",
        "",
        "You can say goodbye to rain.",
        "High water is at noon.",
        Example(
            "Dear Ada,\nthe boat is late.\n\nKind regards,\nThe desk",
            {"greeting": "there", "sign_off": "there"},
        ),
        Example("Hi! It is late.", {"greeting": "either"}),
        Example("Guten Tag, das Schiff kommt.", {"greeting": "there", "sign_off": "either"}),
        Example("It is late. Cheers, Tom", {"sign_off": "there"}),
    )
    bad: ClassVar = (
        "Dear Ada, the boat is late.",
        "Hello! It is late.",
        "Good morning, it is late.",
        "It is late.\n\nKind regards,\nThe desk",
        "It is late. Take care!",
        "Bonjour, il est en retard.",
        Example("It is late.", {"greeting": "there", "sign_off": "either"}),
        Example("Hi, it is late.", {"greeting": "there", "sign_off": "there"}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        wanted = options.sign_off if aspect.key else options.greeting
        return {
            "there": f"a {aspect.title}",
            "not there": f"no {aspect.title}",
            "either": f"{aspect.title} or none",
        }[wanted]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        return [
            _there("", "greeting", self.options.greeting, _GREETING.search(text), 0),
            _there(
                "end",
                "sign-off",
                self.options.sign_off,
                _SIGN_OFF.search(text[-300:]),
                max(0, len(text) - 300),
            ),
        ]


def _there(
    aspect: str, what: str, wanted: str, match: re.Match[str] | None, offset: int
) -> Finding:
    passed = wanted == "either" or (match is not None) == (wanted == "there")
    told = f"There is {'a' if match else 'no'} {what}."
    if passed or match is None:
        return Finding(aspect, passed, told)
    return Finding(aspect, False, told, (Span(offset + match.start(), offset + match.end(), what),))


_SHORT = re.compile(
    r"\b(?:(?:i|you|we|they|he|she|it|that|there|who|what|where|how|here|let)['’](?:m|re|ve|ll|d|s)|"
    r"(?:do|does|did|is|are|was|were|has|have|had|ca|wo|could|would|should|must|need|ai)n['’]t|shan['’]t|"
    r"y['’]all|gonna|wanna|gotta)\b",
    re.I,
)


class ContractionOptions(Options):
    wanted: Literal["none", "some"] = Field(
        "none", title="Short forms", description="Such as it's and don't."
    )


class Contractions(Check):
    key = "tone.contractions"
    version = 1
    kind = "tone"
    summary = "No short forms such as don't and it's; or at least one, for an easy tone. English."
    also_called = ("formal", "informal", "don't", "short forms")
    aspects = (Aspect("", "short forms"),)
    Options: ClassVar[type[Options]] = ContractionOptions
    good: ClassVar = (
        "It is late. We do not know why.",
        "Ada's boat and the passengers' bags",
        "The '90s were loud.",
        "O'Hara cannot come.",
        "rock 'n' roll",
        "",
        Example("It's late.", {"wanted": "some"}),
        Example("We don’t know.", {"wanted": "some"}),
    )
    bad: ClassVar = (
        "It's late.",
        "We don't know.",
        "You’re welcome.",
        "I can't say.",
        "Let's go.",
        "We'll see.",
        "You wanna go?",
        Example("It is late.", {"wanted": "some"}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return "no short forms" if options.wanted == "none" else "some short forms"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        found = [m.span() for m in _SHORT.finditer(answer.text[:MOST_LOOKED_AT])]
        if self.options.wanted == "some":
            return [
                Finding(
                    "",
                    bool(found),
                    f"There are {len(found)} short forms." if found else "There is no short form.",
                )
            ]
        spans = tuple(Span(*each, "a short form") for each in found[:100])
        return [
            Finding(
                "", not found, "A short form is used." if found else "No short form is used.", spans
            )
        ]


_PERSONS = {
    "I": re.compile(r"\b(?:I|I['’](?:m|ve|ll|d)|me|my|mine|myself)\b"),
    "we": re.compile(r"\b(?:we|us|our|ours|ourselves|we['’](?:re|ve|ll|d))\b", re.I),
    "you": re.compile(r"\b(?:you|your|yours|yourself|yourselves|you['’](?:re|ve|ll|d))\b", re.I),
}
_QUOTED = re.compile(r"[“\"][^”\"\n]{0,400}[”\"]")


class PersonOptions(Options):
    person: Literal["I", "we", "you"] = Field("I", title="Person")
    wanted: Literal["not there", "there"] = Field("not there", title="Is")


class Person(Check):
    key = "tone.person"
    version = 1
    kind = "tone"
    summary = "The answer speaks as I, as we or to you, or does not. What stands in quotes does not count. English."
    also_called = ("first person", "second person", "we", "pronoun", "impersonal")
    aspects = (Aspect("", "person"),)
    Options: ClassVar[type[Options]] = PersonOptions
    good: ClassVar = (
        "The boat is late.",
        "She wrote: “I am late.”",
        "The tin mines are closed.",
        "In myth, Minerva sails.",
        "",
        Example("We wait.", {"person": "we", "wanted": "there"}),
        Example("Bring your coat.", {"person": "you", "wanted": "there"}),
        Example("The US is far.", {"person": "you"}),
    )
    bad: ClassVar = (
        "I think it is late.",
        "It is my boat.",
        "I'm sorry.",
        "Ask me tomorrow.",
        Example("We wait.", {"person": "we"}),
        Example("Bring your coat.", {"person": "you"}),
        Example("The boat is late.", {"person": "you", "wanted": "there"}),
        Example("Let us go.", {"person": "we"}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return (
            f"says {options.person}"
            if options.wanted == "there"
            else f"never says {options.person}"
        )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        text = answer.text[:MOST_LOOKED_AT]
        quoted = Places(m.span() for m in _QUOTED.finditer(text))
        found = [
            m for m in _PERSONS[self.options.person].finditer(text)
            if not quoted.meets(*m.span()) and m[0] != "US"
        ]  # fmt: skip
        if self.options.wanted == "there":
            return [
                Finding(
                    "",
                    bool(found),
                    f"“{found[0][0]}” is said."
                    if found
                    else f"“{self.options.person}” is never said.",
                )
            ]
        spans = tuple(
            Span(m.start(), m.end(), f"speaks as {self.options.person}") for m in found[:100]
        )
        return [
            Finding(
                "", not found, f"“{found[0][0]}” is said." if found else "It is not said.", spans
            )
        ]


_HEDGE = re.compile(
    r"\b(?:maybe|perhaps|possibly|probably|presumably|apparently|supposedly|arguably|seemingly|might|sort of|kind of|"
    r"i think|i believe|i guess|i suppose|i'?m not (?:entirely |quite )?sure|it seems|it appears|it would seem|"
    r"as far as i know|"
    r"in my opinion|more or less|somewhat|generally speaking|to some extent)\b(?<!kind of)|\bkind of (?!dog|"
    r"boat|ticket|person|thing)\b",
    re.I,
)


class HedgingOptions(Bounds):
    most: float | None = Field(1, ge=0, le=1e9, title="At most")


class Hedging(CountOf):
    key = "tone.hedging"
    version = 1
    kind = "tone"
    summary = "So many hedges and no more: perhaps, I think, it seems. English."
    also_called = ("unsure", "perhaps", "confident", "vague")
    aspects = (Aspect("", "hedges"),)
    Options: ClassVar[type[Options]] = HedgingOptions
    unit = "hedge"
    note = "a hedge"
    good: ClassVar = (
        "The boat is late.",
        "Perhaps it is late.",
        "The force of the sea is great.",
        "What kind of dog is it?",
        "It may rain in May.",
        "",
        Example("Maybe. Perhaps. Possibly.", {"most": 3}),
        Example("I think so.", {"least": 1}),
    )
    bad: ClassVar = (
        "Maybe it is late, perhaps not.",
        "I think it is probably late.",
        "It seems that it might be late.",
        "I guess, more or less.",
        "Apparently, it is somewhat late.",
        "Possibly. I'm not sure.",
        Example("It is late.", {"least": 1, "most": None}),
        Example("Perhaps.", {"most": 0}),
    )

    def places(self, text: str) -> list[tuple[int, int]]:
        return [match.span() for match in _HEDGE.finditer(text)]
