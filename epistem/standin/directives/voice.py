"""Who speaks, and how it sounds."""

import re

from epistem.standin.directives import Plan, asks, register
from epistem.standin.request import quoted
from epistem.standin.words import lexicon

_EMOJI = re.compile("[\U0001f300-\U0001faff☀-➿]")
_SHORT_FORM = r"\b\w+['’](?:s|re|ll|ve|t|m)\b|!"


def has_emoji(text: str) -> bool:
    return bool(_EMOJI.search(text))


def mood(text: str) -> str:
    """How somebody writes: formal, informal or neither."""
    loose = r"\b(?:hey|hi|lol|u|pls|thx|gonna|wanna|ok|cheers)\b|!"
    if has_emoji(text) or re.search(loose, text, re.I) or (text and text == text.lower()):
        return "informal"
    stiff = r"\b(?:dear|sincerely|regards|madam|sir|kindly|would be grateful)\b"
    return "formal" if re.search(stiff, text, re.I) else ""


def _quoted_in(match: re.Match[str]) -> str | None:
    return "\n".join(quoted(match[0])) or None


def _forbid(plan: Plan, value: str) -> None:
    plan.forbidden += value.split("\n")


def _says_none(text: str, value: str) -> bool:
    return not any(phrase.lower() in text.lower() for phrase in value.split("\n"))


def _is_unstocked(text: str, value: bool) -> bool:
    phrases = lexicon()["voice"]["openers"] + lexicon()["voice"]["closers"]
    return _says_none(text, "\n".join(phrase.strip() for phrase in phrases))


def _language(match: re.Match[str]) -> str | None:
    name = match[1].lower()
    return name if name in lexicon()["languages"] else None


def _add_emoji(plan: Plan, value: bool) -> None:
    plan.emoji = True if plan.emoji is None else plan.emoji


register("persona", asks("persona", lambda match: match[1].strip()))
register(
    "plain",
    asks("plain"),
    kept=lambda text, value: not any(w in lexicon()["plain"] for w in text.lower().split()),
    against=("formal",),
)
register("forbidden", asks("forbidden", _quoted_in), _forbid, kept=_says_none)
register("unstocked", asks("unstocked"), kept=_is_unstocked)
register(
    "no_emoji",
    asks("no_emoji"),
    lambda plan, value: setattr(plan, "emoji", False),
    kept=lambda text, value: not has_emoji(text),
    against=("emoji",),
    ease=0.8,
)
register(
    "emoji",
    asks("emoji"),
    _add_emoji,
    kept=lambda text, value: has_emoji(text),
    against=("no_emoji",),
)
register("vary_emoji", asks("vary_emoji"))
register(
    "formal",
    asks("formal"),
    kept=lambda text, value: not re.search(_SHORT_FORM, text),
    against=("informal", "plain", "mirror"),
    ease=-0.8,
)
register(
    "informal",
    asks("informal"),
    lambda plan, value: setattr(plan, "formal", False),
    kept=lambda text, value: bool(re.search(rf"{_SHORT_FORM}|^(?:hi|hey)", text, re.I)),
    against=("formal",),
    ease=-0.8,
)
register("mirror", asks("mirror"), against=("formal", "informal"))
register("language", asks("language", _language), ease=1.0)
