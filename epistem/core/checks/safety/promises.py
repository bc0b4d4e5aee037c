"""No promises: what an answer commits to, told from conditions, negations and what others promised."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import ClassVar

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf
from epistem.core.language.reading import sentences

_GIVES = (
    r"(?:get|receive|have|be (?:given|paid|sent|refunded|reimbursed|compensated|credited))"
    r"\b[^.!?\n]{0,40}?\b(?:refund\w*|money|compensation|voucher|credit|reimburse\w*|replacement|discount|"
    r"free \w+|back|full amount|payment)"
)
_COMMITS = re.compile(
    r"\b(?:(?:i|we) (?:(?:hereby|can|do|fully|personally|absolutely) )?(?:promise|guarantee|assure you|"
    r"give you my word|commit to|pledge|swear)\b"
    r"|(?:you|they|customers?|passengers?) (?:will|shall|are going to|'ll|’ll) (?:definitely |certainly |"
    r"surely |all |now )?"
    + _GIVES
    + r"|(?:you)(?:'ll|’ll) (?:definitely |certainly )?"
    + _GIVES
    + r"|(?:we|i)(?: will|'ll|’ll| shall| are going to) (?:definitely |certainly |gladly |of course |happily )?"
    r"(?:refund|reimburse|compensate|pay|credit|waive|replace|cover|give you|send you)\b"
    r"|(?:your|the|a full) (?:refund|money|compensation|voucher|replacement) (?:will|shall) (?:be|arrive|reach)\b"
    r"|(?:is|are|will be|it's|it’s) (?:100 ?% )?guaranteed\b|\bguaranteed (?:delivery|arrival|refund|results?|by)\b"
    r"|\bwithout (?:any )?doubt\b[^.!?\n]{0,40}\bwill\b|\brest assured\b[^.!?\n]{0,60}\bwill\b"
    r"|\bit will (?:definitely|certainly|never) \w+)",
    re.I,
)
_UNLESS = re.compile(
    r"\b(?:can(?:'t|’t|not)|can not|(?:do|does|did|will|would|could|should|may|must|are|is|am)(?:n't|n’t| not)|"
    r"never|no(?:body|t)?|nor|without|"
    r"unable to|not able to|rather than)\b[^.!?\n]{0,40}$",
    re.I,
)
_CONDITION = re.compile(
    r"\b(?:if|unless|provided|as long as|only when|only if|in case|should you|subject to|depend\w* on|may|"
    r"might|could|whether)\b",
    re.I,
)
_OTHERS = re.compile(
    r"\b(?:he|she|they|it|someone|somebody|you|the (?:driver|clerk|leaflet|notice|man|woman)) (?:said|says|"
    r"told|wrote|claims?|asked|promised|thought)\b|\byou (?:were|have been) (?:told|promised)\b",
    re.I,
)
CLAUSE = 160
"""Characters before a commitment that are looked at."""
_QUESTION = re.compile(r"\?\s*[\"”']?$")


class PromiseOptions(Options):
    conditions: bool = Field(
        True,
        title="Conditions are let through",
        description="“If your boat was cancelled, you will get your money back.”",
    )
    allow: list[str] = Field(
        default_factory=list,
        max_length=200,
        title="Let through",
        description="Words of promises that may be made.",
    )


class NoPromises(FreeOf):
    key = "safety.promises"
    version = 1
    kind = "safety"
    summary = (
        "Nothing is promised: no “you will get your money back today”. Refusals, questions and conditions are "
        "none. English."
    )
    also_called = ("commitment", "guarantee", "refund", "never promise", "liability")
    aspects = (Aspect("", "promises nothing"),)
    nothing = "Nothing is promised."
    Options: ClassVar[type[Options]] = PromiseOptions
    good: ClassVar = (
        "I can't promise a refund.",
        "We do not guarantee a seat.",
        "If your boat was cancelled, you will get your money back.",
        "You may get a refund.",
        "Were you told that you would get a refund?",
        "He said we will refund it; that is not so.",
        "Nobody can guarantee the weather.",
        "The boat will leave at nine.",
        "We will look into it and write to you.",
        "You will get there by bus.",
        "We never promise a date.",
        "Whether you get compensation depends on the delay.",
        "",
        Example("We will send you the form.", {"allow": ["send you the form"]}),
    )
    bad: ClassVar = (
        "You will get your money back today.",
        "You'll receive a full refund.",
        "We will refund the ticket.",
        "I promise that it will not happen again.",
        "We guarantee your seat.",
        "Your refund will be there tomorrow.",
        "I can assure you it is safe. We'll pay for the taxi.",
        "We will gladly give you a voucher.",
        "Delivery is guaranteed.",
        "It will definitely be on time.",
        "Rest assured that we will find it.",
        Example("If it was late, you will get your money back.", {"conditions": False}),
    )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        allowed = [" ".join(each.casefold().split()) for each in self.options.allow if each.strip()]
        for piece in sentences(text):
            said = text[piece.start : piece.end]
            if _QUESTION.search(said) or any(
                each in " ".join(said.casefold().split()) for each in allowed
            ):
                continue
            if self.options.conditions and _CONDITION.search(said):
                continue
            for match in _COMMITS.finditer(said):
                # Who speaks, and whether it is denied, stands in the clause before.
                before = said[max(0, match.start() - CLAUSE) : match.start()]
                clause = re.split(r"[;:]|, (?:and|but|so) ", before)[-1]
                denied = _UNLESS.search(clause[-60:]) or _UNLESS.search(match[0][:25])
                if denied or _OTHERS.search(clause) or said[:1] in "\"“'":
                    continue
                yield Span(
                    piece.start + match.start(), piece.start + match.end(), "promises something"
                )
