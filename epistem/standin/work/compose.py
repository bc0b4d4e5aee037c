"""Short texts on a given matter: its own facts, in the voice that the prompt describes."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

from epistem.standin.job import Job, register
from epistem.standin.request import sentences
from epistem.standin.words import lexicon, stems
from epistem.standin.work.chat import DOES, guarded
from epistem.standin.writing import Sentence

FEWEST, MOST = 2, 6
_ASKED = re.compile(
    r"\b(?:write|writes|draft|compose|put together|turn \w+ (?:\w+ )?into)\b[^.\n]{0,70}?\b(?:notices?|announcements?|"
    r"messages?|notes?|posts?|paragraphs?|letters?|e-?mails?|descriptions?|adverts?|advertisements?|invitations?|"
    r"blurbs?|captions?|stor(?:y|ies)|toasts?|reminders?|welcomes?|leaflets?|signs?|short texts?|texts?)\b",
    re.I,
)
_TONES = {
    "warm": r"\b(?:warm\w*|kind(?:ly)?|caring|gentle|friendly|welcoming|heartfelt)\b",
    "cheerful": r"\b(?:cheer\w+|playful\w*|upbeat|lively|fun|witty|bright|joyful|excited)\b",
    "solemn": r"\b(?:solemn\w*|grave|dignified|respectful\w*|sombre|formal\w*|official)\b",
    "urgent": r"\b(?:urgent\w*|pressing|alarmed)\b",
    "dry": r"\b(?:dry|dryly|curt\w*|terse\w*|blunt\w*|matter-of-fact|factual|neutral|sober|cold|plain(?:ly)?)\b",
}
_UNWANTED = re.compile(r"\b(?:not|never|no|without|nor)\b[^.,;\n]*", re.I)
_KEYED = re.compile(r"^\s*[-*•]?\s*([A-Za-z][\w ]{1,24}):\s*(\S.*?)\s*$")
_VERB = re.compile(
    r"\b(?:is|are|was|were|has|have|had|will|can|must|may|be|been|opens?|closes?|starts?|begins?|ends?|runs?|"
    r"needs?|brings?|costs?|takes?|comes?|goes|go|leaves?|\w{3,}ed)\b",
    re.I,
)


def tone_of(instructions: str) -> str:
    """The voice that is described first; "" where none is."""
    said = _UNWANTED.sub("", instructions)
    found = [
        (match.start(), name)
        for name, pattern in _TONES.items()
        if (match := re.search(pattern, said, re.I))
    ]
    return min(found)[1] if found else ""


def facts_of(text: str) -> list[str]:
    """What the matter says, a sentence each: lines of `key: value`, whole sentences, and bare notes."""
    found: list[str] = []
    for line in filter(None, (line.strip(" -*•\t") for line in text.splitlines())):
        if keyed := _KEYED.match(line):
            found.append(f"The {keyed[1].lower()} is {keyed[2].rstrip('.')}.")
        elif _VERB.search(line):
            found += [_ended(each) for each in sentences(line)]
        else:
            first, _, rest = line.partition(",")
            found.append(_ended(f"{first}: {rest.strip()}" if rest else first))
    return [fact for fact in found if stems(fact) or re.search(r"\d", fact)]


def _ended(text: str) -> str:
    text = text.strip()
    text = f"{text[:1].upper()}{text[1:]}"
    return text if text.endswith((".", "!", "?")) else f"{text}."


def _matter(text: str) -> str:
    """What it is about, in a few words."""
    whole = re.split(r"[.,;:!?\n]", text.strip())[0]
    first = DOES.sub("", whole).strip() or whole
    words = first.split()
    short = " ".join(words[:6]) if len(words) <= 8 else " ".join(words[:5])
    return f"{short[:1].lower()}{short[1:]}" if short[1:2].islower() else short


def _content(job: Job) -> Iterator[Sentence]:
    tones = lexicon()["tones"]
    tone = tone_of(job.instructions)
    heard = bool(tone) and job.mind.happens(job.model.obedience, "tone")
    frames = tones[tone] if heard else {"open": [], "close": []}
    facts = facts_of(job.text)
    most = job.plan.sentences or MOST
    room = most - bool(frames["open"]) - bool(frames["close"])
    matter = _matter(job.text)
    if frames["open"]:
        yield {way.format(topic=matter): job.mind.own(way) for way in frames["open"]}
    yield from facts[: max(room, 1)] or ["There is nothing more to say of it yet."]
    if not job.plan.sentences and len(facts) + 2 * heard < FEWEST:
        yield "More will follow."
    if frames["close"] and most > FEWEST - 1:
        yield {way: job.mind.own(way) for way in frames["close"]}


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if rule.get("enum") or rule.get("type") in ("integer", "number", "boolean", "array", "object"):
        return None
    if re.search(r"text|body|message|notice|post|letter|email|description", name, re.I):
        return " ".join(facts_of(job.text)[:MOST]) or None
    return _matter(job.text) if re.search(r"title|subject|heading", name, re.I) else None


def _write(job: Job) -> None:
    job.plan.bare = not job.plan.listed
    job.plan.long = True  # its length is the matter's, not the usual number of sentences
    job.write(guarded(job, _content(job)))


register(
    "compose",
    lambda job: bool(_ASKED.search(job.instructions)) and bool(job.text.strip()),
    _write,
    _value,
)
