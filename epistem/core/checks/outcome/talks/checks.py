"""One thing at a time, nothing twice, nobody pressed, and an end as it should be."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.outcome.talks.asking import (
    Asked,
    answers_of,
    exchanges,
    questions,
    refuses,
    same,
)

_CUT = 80


def talk(*turns: str, **more: Any) -> Example:
    """Answer, person, answer, … : the last one is the answer that is judged."""
    before = tuple((("assistant", "user")[at % 2], text) for at, text in enumerate(turns[:-1]))
    return Example(turns[-1], before=before, **more)


class OneThingOptions(Options):
    most: int = Field(1, ge=1, le=20, title="Questions in one answer, at most")


class OneThing(Check):
    key = "outcome.one_thing"
    version = 1
    kind = "outcome"
    summary = "No answer of the talk asks for more than one thing at a time. Requests in words are known in English."
    also_called = ("one question at a time", "several questions at once", "interrogation", "slots")
    aspects = (Aspect("", "asks one thing at a time"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = OneThingOptions
    unit = "question"
    aim = "less"
    good: ClassVar = (
        talk("What colour is it?"),
        talk("What colour is it?", "Red", "Where did you leave it?"),
        talk("Thank you.", "Bye", "Goodbye."),
        talk("Please tell me the date.", "Tuesday", "And which sailing was it?"),
        talk(""),
        talk("It is noted. You will hear from us."),
        talk("See https://pier.example/?a=1. When was it?"),
        talk("When? Where?", "Both", "Thank you.", options={"most": 2}),
    )
    bad: ClassVar = (
        talk("What colour is it? Where did you leave it?"),
        talk("Who are you? When was it?", "Ann, Monday", "Thank you."),
        talk("Please tell me the date. And what colour is it?"),
        talk("- What is it?\n- When was it?\n- Where?"),
        talk("Which boat?", "Tern", "When? And where exactly?"),
        talk("Could you tell me your name? I also need your number."),
        talk("Describe the bag. When did you lose it?"),
        talk("When? Where? How?", "No", "Thank you.", options={"most": 2}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        most = options.most
        return aspect.title if most == 1 else f"asks {most} things at a time at most"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        asked = [questions(text) for text in answers_of(answer)]
        most = max(map(len, asked))
        if most <= self.options.most:
            told = "Nothing is asked." if most == 0 else f"At most {most} at a time."
            return [Finding("", True, told, score=most, unit=self.unit)]
        turn = next(at for at, found in enumerate(asked) if len(found) > self.options.most)
        last = turn == len(asked) - 1
        spans = [Span(q.at.start, q.at.end, "one more question") for q in asked[turn][1:]]
        message = f"Answer {turn + 1} of the talk asks {len(asked[turn])} things at once."
        return [Finding("", False, message, tuple(spans) if last else (), most, self.unit)]


class AskedTwiceOptions(Options):
    """None: what counts as the same question is in the check's own words."""


class NotAskedTwice(Check):
    key = "outcome.asked_twice"
    version = 1
    kind = "outcome"
    summary = "Nothing is asked again that the person has answered. By the words of the questions, in English."
    also_called = ("question asked twice", "repeats a question", "already told", "memory")
    aspects = (Aspect("", "asks nothing twice"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = AskedTwiceOptions
    good: ClassVar = (
        talk("What colour is it?"),
        talk("What colour is it?", "Red", "When did you travel?"),
        talk("What colour is it?", "What do you mean?", "What colour is the bag?"),
        talk("What colour is the bag?", "Red", "Where is the bag now?"),
        talk("When was it?", "I'd rather not say", "Thank you, that is all."),
        talk("Is it urgent?", "Yes", "Is it heavy?"),
        talk("", "Hello", ""),
        talk("What is your name?", "Ann", "Thank you, Ann. What is the booking number?"),
    )
    bad: ClassVar = (
        talk("What colour is it?", "Red", "What colour is it?"),
        talk("What colour is it?", "Red", "Which color was it?"),
        talk("When did you travel?", "Monday", "Thanks.", "Well?", "When did you travel?"),
        talk("Please tell me the date.", "Monday", "What is the date?"),
        talk("Which sailing was it?", "The 9:10", "And which sailing was it, please?"),
        talk("What is your name?", "Ann", "Thanks. Your name?"),
        talk(
            "Where did you leave it?", "On deck", "Good. Where did you leave it?", "On deck!", "Ok."
        ),
        talk("How many seats?", "Four", "How many seats do you need?"),
    )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        told = exchanges(answer)
        if not told:
            return []
        answers = answers_of(answer)
        known: list[Asked] = []
        for at, text in enumerate(answers):
            for now in questions(text):
                if any(same(now, before) for before in known):
                    words = text[now.at.start : now.at.end][:_CUT]
                    last = at == len(answers) - 1
                    spans = (Span(now.at.start, now.at.end, "asked before"),) if last else ()
                    message = f"Answer {at + 1} asks again: “{words}”"
                    return [Finding("", False, message, spans)]
            if at < len(told) and not questions(told[at][1]) and not refuses(told[at][1]):
                known += questions(text)
        return [Finding("", True, "Nothing is asked twice.")]


class NotPressedOptions(Options):
    """None: a refusal is known by its words."""


class NotPressed(Check):
    key = "outcome.not_pressed"
    version = 1
    kind = "outcome"
    summary = "After a person has declined to say something, that is not asked again. English."
    also_called = ("refusal", "pushy", "insists", "consent", "pressed after a refusal")
    aspects = (Aspect("", "does not press after a refusal"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = NotPressedOptions
    good: ClassVar = (
        talk("What is your name?", "I'd rather not say", "That is all right. What colour is it?"),
        talk("What is your name?", "I won't tell you", "Then I note it without a name."),
        talk("What is your name?", "Ann", "What is your name?"),
        talk("Your number?", "None of your business.", "As you like."),
        talk("When was it?", "I don't remember", "When was it, about?"),
        talk("Hello"),
        talk("What is your name?", "That's private", "Understood. When did you travel?"),
        talk("Which boat?", "I can't tell", "Thank you anyway."),
    )
    bad: ClassVar = (
        talk("What is your name?", "I'd rather not say", "I need your name."),
        talk("What is your name?", "I won't tell you", "Please, what is your name?"),
        talk("Your number?", "None of your business.", "Your number, please?"),
        talk("What is your name?", "I’d prefer not to say", "Could you give me your name?"),
        talk("When did you travel?", "I don't want to say", "Ok.", "Well?", "When did you travel?"),
        talk("What is your name?", "That's private", "Tell me your name."),
        talk("Which boat was it?", "I will not say", "But which boat was it?"),
        talk("What is it?", "Red", "Your name?", "rather not", "What is your name?"),
    )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        declined: list[Asked] = []
        answers, told = answers_of(answer), exchanges(answer)
        for at, text in enumerate(answers):
            for now in questions(text):
                if any(same(now, before) for before in declined):
                    words = text[now.at.start : now.at.end][:_CUT]
                    spans = (Span(now.at.start, now.at.end, "asked in spite of a refusal"),)
                    message = f"Answer {at + 1} asks on after a refusal: “{words}”"
                    last = at == len(answers) - 1
                    return [Finding("", False, message, spans if last else ())]
            if at < len(told) and refuses(told[at][1]):
                declined += questions(text)
        return [Finding("", True, "Nobody is pressed.")] if declined else []


class EndsOptions(Options):
    """None: how it should end stands in the case."""


class EndsRight(Check):
    key = "outcome.ends"
    version = 1
    kind = "outcome"
    summary = (
        "The talk ends as the case says; where it says nothing, it comes to an end before its limit. "
        "Only talks with a person who answers by rules can go on too long."
    )
    also_called = ("did not end", "gave up", "too long", "dialogue end", "abandoned")
    aspects = (Aspect("", "ends as it should"),)
    reads = frozenset({"turns"})
    Options: ClassVar[type[Options]] = EndsOptions
    good: ClassVar = (
        Example("Goodbye.", ended="done"),
        Example("Goodbye.", ended="done", expect={"ends": "done"}),
        Example("As you like.", ended="gave up", expect={"ends": "gave up"}),
        Example("As you like.", ended="gave up"),
        Example("And?", ended="too long", expect={"ends": "too long"}),
        Example("A pasted answer"),
        Example("A pasted answer", expect={"ends": "done"}),
        Example("", ended="done"),
    )
    bad: ClassVar = (
        Example("And?", ended="too long"),
        Example("", ended="too long"),
        Example("And?", ended="too long", expect={"ends": "done"}),
        Example("And?", ended="gave up", expect={"ends": "done"}),
        Example("Goodbye.", ended="done", expect={"ends": "gave up"}),
        Example("Goodbye.", ended="done", expect={"ends": "too long"}),
        Example("Well.", ended="too long", expect={"ends": "gave up"}),
        Example("Well.", ended="gave up", expect={"ends": "too long"}),
    )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if not answer.ended:
            return []
        wanted, ended = ground.expect.ends, answer.ended
        passed = ended == wanted if wanted else ended != "too long"
        told = f"The talk ended: {ended}."
        if not passed:
            told = f"The talk ended: {ended}; it should have ended: {wanted or 'before its limit'}."
        return [Finding("", passed, told)]
