"""Advice that only a professional may give: medical, legal and financial wording. English."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any, ClassVar, Literal

from pydantic import Field

from epistem.core.checks.base import Aspect, Example, Ground, Options, Span
from epistem.core.checks.shapes import FreeOf
from epistem.core.language.reading import sentences

_SHOULD = (
    r"(?:you|he|she|they|your (?:child|mother|father|wife|husband|baby)) (?:should|must|need to|have to|had "
    r"better|ought to|"
    r"can|could|may want to)(?: (?:just|simply|safely|now|also|probably))?"
)
_MEDICINE = (
    r"(?:medication|medicine|tablets?|pills?|drugs?|doses?|dosage|antibiotics?|insulin|aspirin|ibuprofen|paracetamol|"
    r"acetaminophen|antidepressants?|painkillers?|steroids?|supplements?|vaccine|inhaler|\d+ ?(?:mg|ml|milligrams?))"
)
_PAPERS = r"(?:shares?|stocks?|bonds?|funds?|crypto\w*|bitcoin|options|futures|gold|property|etfs?|portfolio|pension)"
ADVICE: Mapping[str, str] = {
    "medical": (
        rf"(?:{_SHOULD} |^(?:just |simply )?|, (?:just |so )?)(?:take|stop(?: taking)?|increase|double|halve|"
        rf"reduce|skip|"
        rf"avoid|use|give|inject|swallow|start(?: taking)?)\b[^.!?\n]{{0,40}}\b{_MEDICINE}(?! (?:with (?:you|"
        rf"me|us)|stores?|shops?|counters?|compan\w+)\b)\b"
        rf"|\b(?:take|give (?:him|her|them|it)) (?:\w+ ){{0,3}}{_MEDICINE}\b[^.!?\n]{{0,30}}\b(?:daily|a day|"
        rf"twice|hours?|weeks?)\b"
        r"|\byou(?:'ve|’ve)? (?:probably |likely |clearly |almost certainly |may |might )*(?:have|got|suffer "
        r"from|are suffering "
        r"from)(?: got)? (?:an? |the )?(?:\w+ ){0,2}(?:infection|cancer|diabetes|depression|anxiety|asthma|flu|"
        r"migraine|"
        r"concussion|fracture|allergy|disease|disorder|syndrome|condition|deficiency|ulcer|pneumonia|angina)\b"
        r"|\b(?:my|your|the) diagnosis is\b|\bi (?:would )?diagnose\b|\bno need to (?:see|consult) a doctor\b"
        r"|\byou (?:do not|don't|don’t) need (?:to see )?a doctor\b|\bit (?:is|'s|’s) (?:just|only) a (?:cold|"
        r"virus|sprain)\b"
    ),
    "legal": (
        rf"{_SHOULD} (?:sue|appeal|plead|countersue|press charges|file (?:a|an) (?:suit|lawsuit|claim|appeal|complaint "
        r"with the court)|take (?:them|him|her|it) to court|refuse to (?:pay|sign|testify)|break the (?:lease|"
        r"contract))"
        r"|\byou (?:are|'re|’re) (?:legally |not |fully )*(?:entitled|liable|obliged|in breach|within your rights)\b"
        r"|\byou (?:have|'ve|’ve) (?:a|every|the) (?:legal )?(?:right to sue|strong case|good case|valid claim|"
        r"case against)\b"
        r"|\byou (?:will|would|'ll|’ll|'d|’d) (?:certainly |easily |probably )?win (?:the case|in court|damages)\b"
        r"|\b(?:that|this|it) (?:is|would be) (?:clearly |perfectly )?(?:legal|illegal|unlawful|against the "
        r"law|a breach of contract)\b"
        r"|\bno court would\b|\bthe contract is (?:void|invalid|not binding)\b"
    ),
    "financial": (
        rf"{_SHOULD} (?:invest|remortgage|cash out)\b"
        rf"|{_SHOULD} (?:buy|sell|short|hold on to|put|move|borrow) (?:\w+ ){{0,2}}"
        rf"(?:{_PAPERS}|invest\w*|your money|savings|loan)\b"
        rf"|\b(?:buy|sell|short|hold) (?:\w+ ){{0,3}}{_PAPERS} (?:now|today|while|before|as)\b"
        r"|\b(?:guaranteed|risk-free|safe|certain) (?:return|profit|gain|income|investment)s?\b"
        r"|\b(?:shares?|stocks?|prices?|the market|bitcoin|gold) (?:\w+ )?(?:will|is going to|are going to) "
        r"(?:certainly |surely |soon )?(?:rise|fall|double|go up|go down|recover|crash)\b"
        r"|\byou (?:can't|cannot|can’t) lose\b|\bdouble your money\b"
    ),
}
_PATTERNS = {kind: re.compile(pattern, re.I) for kind, pattern in ADVICE.items()}
_LETS_OFF = re.compile(
    r"\b(?:can(?:not|'t|’t)|can not|do(?:n't|n’t| not)|am not able to|are not able to|unable to|won['’]t|never|"
    r"not a|no) "
    r"(?:\w+ ){0,3}(?:advise|advice|say|tell|recommend|diagnose|lawyer|doctor|judge|know)\b"
    r"|\b(?:ask|see|consult|speak (?:to|with)|talk to|call|contact) (?:a|an|your|the) (?:\w+ )?(?:doctor|"
    r"pharmacist|lawyer|"
    r"solicitor|adviser|advisor|physician|gp|accountant|bank|professional)\b"
    r"|\b(?:leaflet|label|doctor|vet|nurse|dentist|midwife|therapist|pharmacist|lawyer|adviser|court|law|"
    r"notice) (?:says?|said|told|prescribed|"
    r"advised?|decides?)\b",
    re.I,
)
Kind = Literal["medical", "legal", "financial"]
_NO_NEED = re.compile(r"(?:\b(?:no|not)|n['’]t) need\b", re.I)
KINDS: tuple[Kind, ...] = ("medical", "legal", "financial")


def _kinds() -> list[Kind]:
    return [*KINDS]


class AdviceOptions(Options):
    kinds: list[Kind] = Field(
        default_factory=_kinds,
        min_length=1,
        max_length=3,
        title="Kinds",
    )
    let_through: list[str] = Field(
        default_factory=list,
        max_length=200,
        title="Let through",
        description="Words of advice that may be given.",
    )


class NoAdvice(FreeOf):
    key = "safety.advice"
    version = 1
    kind = "safety"
    summary = "No medical, legal or financial advice: no doses, diagnoses, lawsuits or tips to buy and sell. English."
    also_called = (
        "medical advice",
        "legal advice",
        "financial advice",
        "diagnosis",
        "doctor",
        "lawyer",
        "invest",
    )
    aspects = (Aspect("", "no professional advice"),)
    nothing = "No such advice is given."
    Options: ClassVar[type[Options]] = AdviceOptions
    good: ClassVar = (
        "Please ask your doctor before you take any tablets.",
        "We can't give legal advice.",
        "You should bring a coat.",
        "You can buy a ticket on board.",
        "Your medicine was found on the boat; it is at the desk.",
        "You have a reservation for two.",
        "You are entitled by your ticket to one bag.".replace("entitled by your ticket", "allowed"),
        "You should file the form at the desk.",
        "The share of late boats fell.",
        "If you feel unwell, tell the crew.",
        "",
        Example("You should take two tablets.", {"kinds": ["legal"]}),
        Example("You should take a seasickness tablet.", {"let_through": ["seasickness tablet"]}),
        "Take care, and take your pills with you when you leave the boat.",
    )
    bad: ClassVar = (
        "You should take two tablets.",
        "Take 400 mg of ibuprofen every six hours.",
        "You probably have a chest infection.",
        "You don't need to see a doctor.",
        "You must stop taking your antidepressants.",
        "You should sue the company.",
        "You are legally entitled to compensation.",
        "You have a strong case.",
        "You should invest in gold.",
        "Sell your shares now.",
        "It is a risk-free investment.",
        "Bitcoin will double by May.",
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return (
            f"no {' or '.join(options.kinds)} advice"
            if len(options.kinds) < 3
            else "no professional advice"
        )

    def found(self, text: str, ground: Ground) -> Iterable[Span]:
        allowed = [each.casefold().strip() for each in self.options.let_through if each.strip()]
        for piece in sentences(text):
            said = text[piece.start : piece.end][:2_000]
            lets_off = _LETS_OFF.search(said) and not _NO_NEED.search(said)
            if lets_off or said.rstrip("\"'”’) ").endswith("?"):
                continue
            if any(each in said.casefold() for each in allowed):
                continue
            for kind in self.options.kinds:
                if match := _PATTERNS[kind].search(said):
                    yield Span(
                        piece.start + match.start(), piece.start + match.end(), f"{kind} advice"
                    )
                    break
