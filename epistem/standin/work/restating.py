"""A person's last words as one request that stands alone: what they leave unsaid is taken from the talk."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from epistem.standin.job import Job, register

_ASKED = re.compile(
    r"\b(?:understood (?:by itself|without|on its own|alone)|stands? (?:alone|by itself|on its own)|"
    r"self-contained|standalone)\b",
    re.I,
)
_SAID = re.compile(
    r"(?:^|(?<=[\n.?!\"”]))[ \t]*(?:The )?([A-Za-z][A-Za-z ]{1,20}):[ \t]+(?=\S)", re.M
)
_LEADS_IN = re.compile(
    r"^(?:(?:and|also|or|ok|okay|no|oh|then|please|well|so)\b[, ]*|(?:what|how) about\b[ ]*)+", re.I
)
_LEADS_OUT = re.compile(r"(?:^|\s)(?:please|then|instead|too)$", re.I)
_WHOLE = re.compile(
    r"\b(?:when|what|where|how|which|who|why|can|may|could|do|does|is|are|will|tell|write|give|show|say)\b",
    re.I,
)
_POINTS_BACK = re.compile(
    r"\b(?:it|its|that|this|these|those|they|them|there|one|ones|then|he|she|her|him|same)\b", re.I
)
_DAY = r"(?:(?:on|this|next)\s+)?(?:(?:Mon|Tues|Wednes|Thurs|Fri|Satur|Sun)day|today|tomorrow|tonight)s?"
_TIME = r"(?:at\s+)?\d{1,2}[:.]\d{2}"
_KINDS = tuple(re.compile(rf"\b{each}\b", re.I) for each in (_DAY, _TIME))
"""Of what is said once more about the same thing: the newer stands."""


def restated(job: Job) -> str:
    earlier, last = _said(job)
    if not earlier or not job.mind.happens(job.model.obedience, "taking up the talk"):
        return last
    return joined(earlier, last)


def joined(earlier: str, last: str) -> str:
    """The last words, with what they need of an earlier request."""
    own = _LEADS_IN.sub("", last).strip() or last
    if _WHOLE.match(own) and len(own.split()) >= 4:
        whole = own[:1].upper() + own[1:]
        return f"{_ended(earlier)} {whole}" if _POINTS_BACK.search(own) else whole
    body = earlier.rstrip(".?!")
    end, rest = earlier[len(body) :], _without_end(own)
    for kind in _KINDS:
        now, before = kind.search(rest), kind.search(body)
        if now and before:
            body = body[: before.start()] + now[0] + body[before.end() :]
            rest = (rest[: now.start()] + rest[now.end() :]).strip(" ,")
    starts = any(kind.match(rest) for kind in _KINDS) or re.match(
        r"(?:from|to|at|for|in|by)\b", rest
    )
    between = "" if not rest else " " if starts else ", "
    return f"{body}{between}{rest}{end or '.'}"


def _without_end(text: str) -> str:
    """Without marks and the little words after which nothing comes."""
    while True:
        text = text.rstrip(",.?! \t\n")
        last = _LEADS_OUT.search(text[-20:])
        if last is None:
            return text
        text = text[: len(text) - len(last[0])]


def _ended(text: str) -> str:
    return text if text.endswith((".", "?", "!")) else f"{text}."


def _said(job: Job) -> tuple[str, str]:
    """What the person asked before, and their last words: from the messages, or from a talk in the text."""
    told = [
        turn.text.strip() for turn in job.request.turns if turn.role == "user" and turn.text.strip()
    ]
    parts = _SAID.split(told[-1] if told else job.text)
    pieces = [
        (who.lower().strip(), text.strip())
        for who, text in zip(parts[1::2], parts[2::2], strict=True)
    ]
    pieces = [(who, text) for who, text in pieces if text]
    if not pieces:
        return told[-2] if len(told) > 1 else "", job.text
    person, last = pieces[0][0], pieces[-1][1]
    asked = [text for who, text in pieces[:-1] if who == person]
    if len(pieces) == 1:  # the last words under a heading
        asked = told[:-1]
    whole = [text for text in asked if _WHOLE.search(text)] or asked
    return whole[-1] if whole else "", last


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    return restated(job) if re.search(r"request|task|question|query|message", name, re.I) else None


def _write(job: Job) -> None:
    job.plan.alone = True
    job.out.choose({restated(job): 0.0})


def _fits(job: Job) -> bool:
    return bool(_ASKED.search(job.instructions))


register("restating", _fits, _write, _value)
