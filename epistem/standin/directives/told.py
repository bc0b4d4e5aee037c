"""Words that are to be said as they stand: always, at a certain word, at the beginning, at the end."""

import re
from collections.abc import Callable, Iterator

from epistem.standin.directives import Found, Plan, register

_WORDS = r"[\"“]([^\"”\n]{1,200})[\"”]"
_SAY = r"(?:say|answer|reply|respond|write)(?: (?:only|just|with|exactly|the words?|the phrase|this|so))*:?"
_ALWAYS = re.compile(
    rf"(?:^|[.!?:]\s|\n)\s*(?:always |only |just )?{_SAY}\s*(?:{_WORDS}(?!\s*(?:,|or\b|and\b|/|if\b|when\b|unless\b))"
    r"|the (?:one |single )?words? (\w+)\s*(?=[.!]|$))"
    r"|(?:^|[.!?]\s|\n)\s*Say:\s+([^.\n\"“]{1,80})",
    re.I | re.M,
)
_WHEN = re.compile(
    rf"\b(?:if|when|whenever) ([^.\n\"“]{{3,120}}?),? (?:then |always |only |just )*{_SAY}\s*{_WORDS}",
    re.I,
)
_NOT = re.compile(r"\b(?:not|no|none|nothing|never|cannot|unsure|missing)\b|n't\b", re.I)
_ENDS = re.compile(
    r"(?<!never )(?<!not )(?<!n't )\b(begin|start|open|end|close|finish|sign off)\b[^.\n\"“]{0,50}?"
    rf" with:?(?: the (?:words?|line|sentence))?\s*{_WORDS}",
    re.I,
)


def _said(text: str) -> Iterator[Found]:
    """The condition (empty: always) and the words, on a line each. What to say when nothing is known is
    a directive of its own."""
    for match in _WHEN.finditer(text):
        if not _NOT.search(match[1]):
            yield f"{match[1].strip()}\n{match[2]}", match.start(), match.end()
    for match in _ALWAYS.finditer(text):
        words = next(group for group in match.groups() if group)
        yield f"\n{words.strip()}", match.start(), match.end()


def _framed(first: bool) -> Callable[[str], Iterator[Found]]:
    def read(text: str) -> Iterator[Found]:
        for match in _ENDS.finditer(text):
            if (match[1].lower() in ("begin", "start", "open")) == first:
                yield match[2], match.start(), match.end()

    return read


def _add(plan: Plan, value: str) -> None:
    condition, words = value.split("\n", 1)
    plan.told.append((condition, words))


register("said", _said, _add, ease=1.0)
register(
    "begins",
    _framed(True),
    kept=lambda text, words: text.startswith(words.rstrip(".")),
    ease=0.5,
)
register(
    "ends",
    _framed(False),
    kept=lambda text, words: text.rstrip(" .").endswith(words.rstrip(" .")),
    ease=0.5,
)
