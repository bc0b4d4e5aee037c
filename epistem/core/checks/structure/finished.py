"""The answer came to its end: it was not cut off, and nothing in it was left to be filled in or taken out."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import ClassVar

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Span
from epistem.core.checks.shapes import MOST_LOOKED_AT, FreeOf, Places, without
from epistem.core.language.reading import sentences

_ENDED = re.compile(
    r"[.!?…。！？:;)\]}>\"'”’»*_`~|]\s*$|\d\s*$|[\U0001f000-\U0001faff☀-➿]\ufe0f?\s*$"
)
_HANGING = re.compile(
    r"(?:\b(?:and|or|but|the|a|an|to|of|in|on|at|for|with|from|by|because|that|which|is|are|was|will|your|our)"
    r"|[,–—(-])\s*$",
    re.I,
)
_OPEN_FENCE = re.compile(r"^[ \t]*```", re.M)


class Finished(Check):
    key = "structure.finished"
    version = 1
    kind = "structure"
    summary = "The answer was not cut off: the model ended it, and it does not stop in the middle of something."
    also_called = ("cut off", "truncated", "token limit", "complete", "whole")
    aspects = (Aspect("", "is not cut off"),)
    good: ClassVar = (
        "The boat is late.",
        "lost item",
        "Yes",
        '{"label": "delay"}',
        "Bring:\n- a coat\n- a hat",
        "See you there 🙂",
        "```\ncode\n```",
        "It opens at 9",
        "",
        "Dear Ada,\n\nthank you.\n\nYours,\nthe desk",
    )
    bad: ClassVar = (
        Example("The boat is late.", finish_reason="length"),
        Example("", finish_reason="length"),
        "You can take the boat from Hollin to",
        "The first thing is the",
        "There are two ways: by bus, by boat and",
        "It costs 3 euros for children,",
        "```python\nprint(1)",
        "Bring a coat because",
        "The price (for adults",
    )

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if answer.finish_reason == "length":
            return [Finding("", False, "It was cut off at the token limit.")]
        text = answer.text.rstrip()
        if len(_OPEN_FENCE.findall(text)) % 2:
            return [Finding("", False, "A code fence is opened and never closed.")]
        tail = text[-400:]
        if match := _HANGING.search(tail):
            start = len(text) - len(tail) + match.start()
            span = Span(start, len(text), "it stops here")
            return [Finding("", False, f"It stops after “{text[start:].strip()}”.", (span,))]
        if (at := _unclosed(tail)) is not None and not _ENDED.search(tail):
            span = Span(len(text) - len(tail) + at, len(text), "never closed")
            return [Finding("", False, "A bracket is opened and never closed.", (span,))]
        return [Finding("", True, "It came to its end.")]


def _unclosed(text: str) -> int | None:
    at, depth = None, 0
    for place, mark in enumerate(text):
        if mark == "(":
            at, depth = (place if depth == 0 else at), depth + 1
        elif mark == ")" and depth:
            depth -= 1
    return at if depth else None


_PLACEHOLDER = re.compile(
    r"\{\{[^{}\n]{1,80}\}\}|\{%[^\n]{1,80}%\}|\$\{[A-Za-z_][\w.]{0,60}\}"
    r"|\[(?:your|the|their|insert|enter|add|name|date|time|place|address|phone|e-?mail|company|customer|number|"
    r"title|link)\b"
    r"[^\]\n]{0,60}\](?!\()"
    r"|<(?:your|insert|enter|name|date|customer|company)[ _-]?[\w -]{0,40}>"
    r"|\b(?:XXX+|TBD|TODO|FIXME|lorem ipsum)\b|_{4,}",
    re.I,
)
_SHOUTED = re.compile(r"\[[A-Z][A-Z _-]{2,40}\](?!\()")


class NoPlaceholders(FreeOf):
    key = "structure.no_placeholders"
    version = 1
    kind = "structure"
    summary = "No place is left to be filled in: no {{ name }}, [your name], XXX or TBD."
    also_called = ("unfilled", "template", "brackets", "lorem ipsum", "blank")
    aspects = (Aspect("", "no place left unfilled"),)
    nothing = "Nothing is left to be filled in."
    good: ClassVar = (
        "Dear Ada, the boat is late.",
        "See [the notice](https://pier.example/notice).",
        "It says so in [2] and [luggage#3].",
        '{"name": "Ada", "list": [1, 2]}',
        "Vector[int] and dict[str, int] are types.",
        "The set {a, b} has two members.",
        "I am to do it tomorrow.",
        "Use a < b and b > c.",
        "",
    )
    bad: ClassVar = (
        "Dear {{ name }}, the boat is late.",
        "Dear [Your Name],",
        "Call us at [phone number].",
        "Yours, [NAME]",
        "The fare is XXX euros.",
        "Departure: TBD",
        "Hello ${customer.name}!",
        "Sign here: ________",
        "Lorem ipsum dolor sit amet.",
        "{% if late %}We are late.{% endif %}",
        "Dear <customer name>, good day.",
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        places = [m for pattern in (_PLACEHOLDER, _SHOUTED) for m in pattern.finditer(text)]
        ended = -1
        for match in sorted(places, key=lambda m: m.start()):
            if match.start() >= ended:
                ended = match.end()
                yield Span(match.start(), match.end(), "left to be filled in")


_THOUGHT = re.compile(
    r"</?(?:think(?:ing)?|reason(?:ing)?|scratchpad|analysis|reflection|plan)>"
    r"|^[ \t]*(?:\*\*|#+ ?)?(?:thought|thinking|reasoning|scratchpad|chain of thought|internal (?:notes?|monologue)|"
    r"my (?:plan|reasoning|thoughts?))(?:\*\*)?:"
    r"|^[ \t]*(?:okay|ok|alright|hmm|right),? (?:so )?(?:the (?:user|customer|person)|let me think|i need to|"
    r"let's see)\b"
    r"|\blet me think (?:about this|this through|step by step)\b"
    r"|\bthe (?:user|system prompt|instructions?) (?:wants?|is asking|asks?|says? (?:that )?i|tells? me)\b"
    r"|\bas (?:per|instructed (?:by|in)) (?:my|the) (?:system )?(?:prompt|instructions)\b",
    re.I | re.M,
)


_TAGS = "think(?:ing)?|reason(?:ing)?|scratchpad|analysis|reflection|plan"
_BLOCK = re.compile(
    rf"<({_TAGS})>(?:(?!</?(?:{_TAGS})>).)*+</\1>\s*|\A(?:(?!<(?:{_TAGS})>).)*?</(?:{_TAGS})>\s*",
    re.I | re.S,
)
"""A block of thinking, or one whose opening tag is not shown."""


class NoReasoning(FreeOf):
    key = "structure.no_reasoning"
    version = 1
    kind = "structure"
    summary = (
        "No thinking is left in the answer: no think tags, no “the user wants”, no notes to itself."
    )
    also_called = ("thinking", "chain of thought", "leak", "think tags", "monologue")
    aspects = (Aspect("", "no thinking left in it"),)
    repairs = True
    nothing = "No thinking is left in it."
    good: ClassVar = (
        "The boat leaves at 9.40.",
        "I think you will like Hollin.",
        "Think of a coat: it is cold on deck.",
        "The reason is the fog.",
        "Our plan: two boats a day.",
        "Please think about it and write again.",
        "The user guide says how to set the clock.",
        "Okay, see you at nine.",
        "",
    )
    bad: ClassVar = (
        "<think>The user wants a time.</think>At 9.40.",
        "</think>\nAt 9.40.",
        "Reasoning: two labels fit.\nlost item",
        "**Thought:** it may be late.\nIt is late.",
        "Okay, the user asks for a boat. At 9.40.",
        "Let me think step by step. The boat is late.",
        "The user is asking about refunds, so: no refunds.",
        "As per my instructions I can't say.",
        "Hmm, let me think. It is late.",
        "Chain of thought: none\nYes",
    )

    def repair(self, text: str, ground: Ground) -> str:
        """Without what stands in think tags, and without the sentences that think aloud."""
        text = _BLOCK.sub("", text[:MOST_LOOKED_AT]) + text[MOST_LOOKED_AT:]
        thought = Places((span.start, span.end) for span in self.found(text, ground))
        told = [Span(p.start, p.end, "") for p in sentences(text) if thought.meets(p.start, p.end)]
        return without(text, told).strip() if told else text

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        for match in _THOUGHT.finditer(text):
            yield Span(match.start(), match.end(), "thinking, not an answer")
