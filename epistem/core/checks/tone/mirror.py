"""Whether an answer is written as the person writes: short or long, easy or formal, loud or calm."""

from __future__ import annotations

import re
from math import exp
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.shapes import MOST_LOOKED_AT, told
from epistem.core.checks.sources import sources_of
from epistem.core.checks.tone.classes import class_of
from epistem.core.errors import EpistemError
from epistem.core.language.reading import sentences, words

FEWEST_WORDS = 3
"""What is shorter has no style that one could take up."""
MOST_WORDS = 2_000
_SHORT_FORM = re.compile(r"\w['’](?:m|re|ve|ll|d|s|t)\b", re.I)
_EMOJI = re.compile("[\U0001f300-\U0001faff☀-➿]")
_FEATURES = (
    ("sentences are longer", "sentences are shorter", 0.8),
    ("words are longer", "words are shorter", 0.6),
    ("more short forms", "fewer short forms", 0.12),
    ("more exclamation marks", "fewer exclamation marks", 0.5),
    ("more emoji", "fewer emoji", 0.4),
    ("more capital letters", "fewer capital letters", 0.5),
    ("more pronouns and easy words", "fewer pronouns and easy words", 0.3),
)
"""What is said of one that has more, of one that has less, and the difference that is a whole one."""


class Style(tuple[float, ...]):
    """Of a text: log-like length of its sentences and words, shares of short forms, marks and classes."""

    __slots__ = ()


def style(text: str) -> Style | None:
    """None for a few words."""
    said = [text[w.start : w.end] for w in words(text)[:MOST_WORDS]]
    if len(said) < FEWEST_WORDS:
        return None
    many = max(len(sentences(text)), 1)
    starts = [text[s.start] for s in sentences(text)[:500] if text[s.start].isalpha()]
    easy = sum(class_of(word) in ("pronoun", "interjection", "verb") for word in said)
    return Style(
        (
            (len(said) / many) ** 0.5 / 2,
            sum(map(len, said)) / len(said) / 3,
            len(_SHORT_FORM.findall(text)) / len(said),
            min(text.count("!") / many, 2.0),
            min(len(_EMOJI.findall(text)) / many, 2.0),
            sum(each.isupper() for each in starts) / len(starts) if starts else 0.5,
            easy / len(said),
        )
    )


def likeness(one: Style, other: Style) -> float:
    """0–100: 100 for the same style; it falls with the mean difference of the features, each in its own unit."""
    far = sum(
        min(abs(a - b) / unit, 2.0)
        for a, b, (_, _, unit) in zip(one, other, _FEATURES, strict=True)
    )
    return 100 * exp(-1.5 * far / len(_FEATURES))


class MirrorOptions(Options):
    least: float = Field(
        45, ge=0, le=100, title="At least", description="100 is the same style, 0 quite another."
    )
    person: list[str] = Field(
        default_factory=list,
        max_length=20,
        title="What the person wrote",
        description="Names of inputs; empty for the person's last turn, or the longest text among the inputs.",
    )


def _to(message: str, text: str, **options: Any) -> Example:
    return Example(text, options, {"message": message})


_CASUAL = "hey, lost my bag on the boat!! it's blue, can't find it anywhere :( any idea?"
_FORMAL = (
    "Dear Sir or Madam, I should like to enquire about the conditions under which bicycles are carried on the "
    "morning sailing to the northern islands during the winter months."
)


class Mirrors(Check):
    key = "tone.mirrors"
    version = 1
    kind = "tone"
    summary = "It is written in the manner of the person: as long, as easy, as calm. English; a few words have none."
    also_called = ("register", "mirror", "match the tone", "same style", "rapport", "adapt")
    aspects = (Aspect("", "in the person's manner"),)
    unit = "point"
    aim = "more"
    score_margin = 5.0
    reads = frozenset({"turns", "request"})
    Options: ClassVar[type[Options]] = MirrorOptions
    good: ClassVar = (
        _to(
            _CASUAL,
            "hey, that's no fun! we've got a blue bag here, it's at the desk. come and get it!",
        ),
        _to(
            _FORMAL,
            "Dear passenger, bicycles are carried on the morning sailing to the northern islands throughout the "
            "winter months, provided that a place has been reserved in advance.",
        ),
        _to(_CASUAL, "Yes!"),
        _to("Hi", "You can find the conditions of carriage on the notice at the entrance."),
        Example("Anything at all, where nobody wrote anything."),
        _to(_CASUAL, _FORMAL, least=0),
        _to("When does it leave? I'm in a hurry.", "It leaves at nine. You've got ten minutes."),
        Example(
            "it's at the desk, come get it!",
            {},
            {"message": _FORMAL},
            before=(("assistant", "Good day."), ("user", _CASUAL)),
        ),
    )
    bad: ClassVar = (
        _to(_CASUAL, _FORMAL),
        _to(_FORMAL, "hey! it's fine, just bring it!! 🙂"),
        _to(
            _CASUAL,
            "Documentation regarding misplaced belongings is obtainable exclusively through the administrative "
            "department.",
        ),
        _to(_FORMAL, "yep, that's ok!! see ya"),
        _to(_CASUAL, "it's here at the desk!", least=95),
        Example(
            _FORMAL,
            {},
            {"message": _FORMAL},
            before=(("assistant", "Good day."), ("user", _CASUAL)),
        ),
        _to(
            "i can't log in, it says wrong password!! help",
            "Authentication credentials require verification. Consult the administrator concerning "
            "reinstatement procedures.",
        ),
        Example(_FORMAL, {"person": ["note"]}, {"note": _CASUAL, "message": _FORMAL}),
    )

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        return f"written in the person's manner ({options.least:g} of 100 at least)"

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        mine = style(answer.text[:MOST_LOOKED_AT])
        theirs = style(self._person(answer, ground)[:20_000])
        if mine is None or theirs is None:
            return []
        score = round(likeness(mine, theirs), 1)
        passed = score >= self.options.least
        gaps = sorted(
            ((a - b) / unit, more, less)
            for a, b, (more, less, unit) in zip(mine, theirs, _FEATURES, strict=True)
        )
        biggest = max(gaps, key=lambda each: abs(each[0]))
        why = (
            f"; {biggest[1] if biggest[0] > 0 else biggest[2]} than the person's"
            if not passed
            else ""
        )
        return [
            Finding("", passed, f"Alike by {told(score, 'point')} of 100{why}.", (), score, "point")
        ]

    def _person(self, answer: Answer, ground: Ground) -> str:
        if self.options.person:
            return "\n".join(s.text for s in sources_of(ground.inputs, self.options.person))
        turns = [turn.text for turn in answer.before if turn.role == "user"]
        if turns:
            return turns[-1]
        texts = [value for value in ground.inputs.values() if isinstance(value, str)]
        if texts:
            return max(texts, key=len)
        try:
            return next((said.text for said in reversed(ground.asked()) if said.role == "user"), "")
        except EpistemError:
            return ""
