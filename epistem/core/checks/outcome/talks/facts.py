"""What a talk is to find out: whether it did, by when, without asking twice, and with the result after it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.cases.content import CollectedFact, shown_in_words
from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.outcome.talks.asking import (
    MOST_LOOKED_AT,
    Asked,
    answers_of,
    exchanges,
    questions,
    stems_in,
)
from epistem.core.checks.outcome.talks.checks import talk
from epistem.core.checks.structure.find_json import find_json
from epistem.core.words import alternatives, folded, stands_in

MOST_TOLD = 4
_LATER = 10**6


def first_told(fact: CollectedFact, answer: Answer, inputs: Mapping[str, Any]) -> int | None:
    """After how many answers the person had told it: 0 with their first words; None for never."""
    ways = alternatives(fact.value)

    def has(text: str) -> bool:
        return any(stands_in(way, text[:MOST_LOOKED_AT]) for way in ways)

    if any(has(value) for value in inputs.values() if isinstance(value, str)):
        return 0
    for at, (_, words) in enumerate(exchanges(answer), start=1):
        if has(words):
            return at
    return None


def _noted(fact: CollectedFact, answer: Answer, since: int) -> bool:
    """Whether it stands in the JSON of the last answer, or in the words of one after it was told."""
    found = find_json(answer.text)
    ways = alternatives(fact.value)
    if found is not None and isinstance(found.value, dict):
        named = {folded(name): shown_in_words(value) for name, value in found.value.items()}
        told = named.get(folded(fact.what), " ".join(named.values()))
        return any(stands_in(way, told) for way in ways)
    after = answers_of(answer)[since:]
    return any(stands_in(way, text[:MOST_LOOKED_AT]) for text in after for way in ways)


def _asks_for(asked: Asked, what: str) -> bool:
    wanted = stems_in(what)
    return bool(wanted) and wanted <= asked.stems


_FACTS = {
    "collect": [
        {"what": "colour", "value": "red | crimson"},
        {"what": "date", "value": "Monday", "by": 2},
    ]
}


_RESULT = {"result": "is noted | see to it"}


def _facts(*turns: str, **more: Any) -> Example:
    return talk(*turns, expect={**_FACTS, **more.pop("expect", {})}, **more)


class NoOptions(Options):
    """None: what is to be found out stands in the case."""


class Collected(Check):
    key = "outcome.collected"
    version = 1
    kind = "outcome"
    summary = "By the end of the talk the facts of the case are told and noted, each by its turn at the latest."
    also_called = ("slots", "slot filling", "fields collected", "form", "intake", "by turn")
    aspects = (Aspect("", "finds out the facts"),)
    at_the_end = True
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = NoOptions
    good: ClassVar = (
        _facts("Colour?", "Red", "Date?", "Monday", "Noted: red, Monday."),
        _facts("Colour and date?", "crimson, on MONDAY", "So crimson, Monday."),
        _facts("Noted: red and Monday.", inputs={"m": "A red bag, lost on Monday"}),
        _facts("Date?", "monday", "Colour?", "red", '{"colour": "red", "date": "Monday"}'),
        talk("Hello", "Bye", "Goodbye"),
        _facts("Which date?", "Monday", "Monday. And the colour?", "It is red", "Red it is."),
        _facts(
            "Date?", "Hm", "The date?", "Monday", "Monday, and the colour?", "red", "red, thanks"
        ),
        talk("x", expect={"collect": [{"what": "colour", "value": " | "}]}),
    )
    bad: ClassVar = (
        _facts("Colour?", "Red", "Thank you, red."),
        _facts("Colour?", "Red", "Why?", "So", "Date?", "Monday", "Noted: red, Monday."),
        _facts("Colour?", "Reddish", "Date?", "Monday", "Noted: reddish, Monday."),
        _facts("Colour?", "Red", "Date?", "Monday", "Thank you, that is all."),
        _facts("Colour?", "Red", "Date?", "Monday", '{"colour": "blue", "date": "Monday"}'),
        _facts("Colour?", "Red", "Date?", "Monday", '{"colour": "red", "date": null}'),
        _facts(""),
        _facts("Colour?", "Blue", "Date?", "Monday", "Noted: blue, Monday."),
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if _wanted(ground) else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        facts = _wanted(ground)
        if not facts:
            return []
        wrong = []
        for fact in facts:
            told = first_told(fact, answer, ground.inputs)
            if told is None:
                wrong.append(f"{fact.what} was not told")
            elif fact.by is not None and told > fact.by:
                wrong.append(f"{fact.what} was told after answer {told}, not by {fact.by}")
            elif not _noted(fact, answer, told):
                wrong.append(f"{fact.what} was told and is not noted")
        if not wrong:
            return [Finding("", True, "All facts are told and noted.")]
        more = f"; and {len(wrong) - MOST_TOLD} more" if len(wrong) > MOST_TOLD else ""
        return [Finding("", False, f"Not all is found out: {'; '.join(wrong[:MOST_TOLD])}{more}.")]


class NotToldBefore(Check):
    key = "outcome.told_before"
    version = 1
    kind = "outcome"
    summary = "Nothing is asked that the person has told already, also where nobody had asked for it. English."
    also_called = ("already told", "memory", "asks again", "listens")
    aspects = (Aspect("", "asks nothing already told"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = NoOptions
    good: ClassVar = (
        _facts("What colour is it?", "Red", "And the date?", "Monday", "Noted: red, Monday."),
        _facts("And the date?", inputs={"m": "A red bag"}),
        _facts("Thank you for the date.", inputs={"m": "On Monday"}),
        _facts("What colour is it?", "I said", "What colour is it?"),
        talk("What date?", "Monday", "What date?"),
        _facts("Which pier?", "Monday at Ness", "Which colour is it?"),
        _facts("", inputs={"m": "red, Monday"}),
        _facts("I have the colour. When was it?", inputs={"m": "red"}),
    )
    bad: ClassVar = (
        _facts("What colour is it?", inputs={"m": "A red bag, on Monday"}),
        _facts("Hello", "It is red", "What is the colour?"),
        _facts("What colour?", "Red, on Monday", "What date was it?"),
        _facts("Could you tell me the date?", inputs={"m": "Monday"}),
        _facts("And?", "crimson", "Hm. Which colour is it, please?", "I said so", "Sorry."),
        _facts("Please tell me the colour.", inputs={"m": "red"}),
        _facts("Date? Colour?", "Monday", "The date, please?"),
        _facts("I need the date.", inputs={"m": "It was Monday"}),
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if _wanted(ground) else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        facts = _wanted(ground)
        if not facts:
            return []
        known = [(fact, first_told(fact, answer, ground.inputs)) for fact in facts]
        answers = answers_of(answer)
        for at, text in enumerate(answers):
            for now in questions(text):
                for fact, told in known:
                    if told is not None and told <= at and _asks_for(now, fact.what):
                        last = at == len(answers) - 1
                        spans = (Span(now.at.start, now.at.end, "told already"),) if last else ()
                        message = (
                            f"Answer {at + 1} asks for the {fact.what}, which was told already."
                        )
                        return [Finding("", False, message, spans)]
        return [Finding("", True, "Nothing is asked that was told.")]


class ResultAfter(Check):
    key = "outcome.result_after"
    version = 1
    kind = "outcome"
    summary = "The result, known by the words that the case says, comes only after all its facts are told."
    also_called = ("premature", "too soon", "before the facts", "jumps to conclusions")
    aspects = (Aspect("", "gives the result after the facts"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = NoOptions
    good: ClassVar = (
        _facts("Colour?", "Red", "Date?", "Monday", "It is noted.", expect=_RESULT),
        _facts("It is noted.", inputs={"m": "red, on Monday"}, expect=_RESULT),
        _facts("Colour?", "Red", "Thank you.", expect=_RESULT),
        _facts("It is noted."),
        talk("It is noted.", expect=_RESULT),
        _facts("Colour?", "Red, Monday", "I will SEE to\nit.", expect=_RESULT),
        _facts("", expect=_RESULT),
        _facts("Noted is much.", expect=_RESULT),
    )
    bad: ClassVar = (
        _facts("It is noted.", expect=_RESULT),
        _facts("Colour?", "Red", "It is noted.", expect=_RESULT),
        _facts("It is noted.", "Red, Monday", "Thank you.", expect=_RESULT),
        _facts("I will see to it. Colour?", "Red", "Date?", "Monday", "Done", expect=_RESULT),
        _facts("Date?", "Monday", "It is noted.", expect=_RESULT),
        _facts("Colour?", "Blue", "Date?", "Monday", "It is noted.", expect=_RESULT),
        _facts("Colour?", "I'd rather not say", "It is noted.", expect=_RESULT),
        _facts("So it is noted", inputs={"m": "a red one"}, expect=_RESULT),
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if _wanted(ground) and alternatives(ground.expect.result) else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        ways = alternatives(ground.expect.result)
        facts = _wanted(ground)
        if not ways or not facts:
            return []
        answers = answers_of(answer)
        given = next(
            (
                at
                for at, text in enumerate(answers)
                for way in ways
                if stands_in(way, text[:MOST_LOOKED_AT])
            ),
            None,
        )
        if given is None:
            return []
        late = [f.what for f in facts if _or_later(first_told(f, answer, ground.inputs)) > given]
        if not late:
            return [Finding("", True, "The result comes after the facts.")]
        missing = ", ".join(late[:MOST_TOLD])
        return [
            Finding(
                "", False, f"Answer {given + 1} gives the result before it was told: {missing}."
            )
        ]


class NeverAsksOptions(Options):
    about: list[str] = Field(
        default_factory=list,
        max_length=50,
        title="Never asks for",
        description="Words; a | b is either. A case may name more.",
    )


class NeverAsks(Check):
    key = "outcome.never_asks"
    version = 1
    kind = "outcome"
    summary = "No answer of the talk asks for these things, nor for what the case names. English."
    also_called = ("never asks", "private", "data minimisation", "sensitive", "must not ask")
    aspects = (Aspect("", "never asks for what it must not"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = NeverAsksOptions
    shown_with: ClassVar = {"about": ["passport number", "age | date of birth"]}
    good: ClassVar = (
        "What colour is it?",
        "Your passport number is not needed.",
        "How long is the voyage?",
        Example("Which number?", {"about": ["passport number"]}),
        Example("What is your name?", expect={"never_asks": ["address"]}),
        Example("What is your name?"),
        talk("What age?", "9", "Thank you."),
        Example("", {"about": ["age"]}),
    )
    bad: ClassVar = (
        "What is your passport number?",
        "Please tell me your date of birth.",
        "And your age?",
        Example("What is your name?", expect={"never_asks": ["name"]}),
        Example("Your NAMES, please?", expect={"never_asks": ["name | address"]}),
        talk("What age are you?", "9", "Thank you.", options={"about": ["age"]}),
        Example("I need your passport number.", {"about": ["passport number"]}),
        Example(
            "Could you give me the address?", {"about": ["address"]}, expect={"never_asks": ["x"]}
        ),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        told = ", ".join(options.about[:3])
        return f"never asks for {told}"[:120] if told else aspect.title

    def asked(self, ground: Ground) -> list[str]:
        return [""] if [*self.options.about, *ground.expect.never_asks] else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        ways = [
            way
            for each in (*self.options.about, *ground.expect.never_asks)
            for way in alternatives(each)
        ]
        if not ways:
            return []
        answers = answers_of(answer)
        for at, text in enumerate(answers):
            for now in questions(text):
                way = next((way for way in ways if _asks_for(now, way)), None)
                if way is not None:
                    last = at == len(answers) - 1
                    spans = (
                        (Span(now.at.start, now.at.end, "must not be asked for"),) if last else ()
                    )
                    return [Finding("", False, f"Answer {at + 1} asks for “{way}”.", spans)]
        return [Finding("", True, "It asks for nothing that it must not.")]


def _wanted(ground: Ground) -> Sequence[CollectedFact]:
    return [fact for fact in ground.expect.collect if alternatives(fact.value)]


def _or_later(told: int | None) -> int:
    return _LATER if told is None else told
