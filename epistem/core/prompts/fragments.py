"""Fragments: parts kept once and included in several prompts, each pinned to a version.

A part includes one by `{% include "house-tone@3" %}`. A prompt carries the text of every version that
it includes, so that filling it in needs nothing else and its hash says all.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping

from epistem.core.prompts.content import Prompt, parts_of
from epistem.core.templates.language import includes_in, inputs_in, syntax_error

DEEPEST = 20
REFERENCE = re.compile(r"([a-z0-9][a-z0-9-]{0,62})@([1-9][0-9]{0,5})\Z")


def reference(name: str, version: int) -> str:
    return f"{name}@{version}"


def split_reference(text: str) -> tuple[str, int] | None:
    """(name, version), or None for what is no reference."""
    found = REFERENCE.match(text)
    return (found[1], int(found[2])) if found else None


def included_by(texts: Iterable[str], fragments: Mapping[str, str]) -> list[str]:
    """All that the texts include, and what those include in turn; each once, in order of appearance."""
    found: dict[str, None] = {}
    waiting = [name for text in texts if "{%" in text for name in includes_in(text)]
    waiting.reverse()
    while waiting:
        name = waiting.pop()
        if name not in found:
            found[name] = None
            waiting.extend(reversed(includes_in(fragments.get(name, ""))))
    return list(found)


def pinned_in(prompt: Prompt) -> list[str]:
    """Every reference that the prompt's parts lead to."""
    return included_by((part.text for _, _, part in parts_of(prompt)), prompt.fragments)


def asked_by(text: str, fragments: Mapping[str, str]) -> list[str]:
    """The inputs that a text asks for, with those of what it includes, in order."""
    names = list(inputs_in(text))
    for name in included_by([text], fragments):
        names += inputs_in(fragments.get(name, ""))
    return list(dict.fromkeys(names))


def why_not(text: str, fragments: Mapping[str, str]) -> str | None:
    """What is wrong with what a text includes, in a sentence, or None."""
    sound: set[str] = set()
    for name in includes_in(text):
        wrong = _fault(name, fragments, (), sound)
        if wrong:
            return wrong
    return None


def _fault(
    name: str, fragments: Mapping[str, str], above: tuple[str, ...], sound: set[str]
) -> str | None:
    """`sound` are those found to be so: each is looked into once, however often it is included."""
    if name in sound:
        return None
    if not name:
        return (
            "Only a fragment can be brought in, by its name and version as they are: "
            '{% include "house-tone@3" %}.'
        )
    if len(above) >= DEEPEST:
        return f"Fragments include each other more than {DEEPEST} deep. Take some of them out."
    if name in above:
        circle = " → ".join([*above[above.index(name) :], name])
        return f"Fragments include each other in a circle: {circle}. Take one of them out."
    if split_reference(name) is None:
        return (
            f"“{name[:80]}” names no version of a fragment. Write its name, @ and the version, "
            "as in house-tone@3."
        )
    text = fragments.get(name)
    if text is None:
        return f"There is no fragment “{name}”. Choose one from the list of fragments, or keep it."
    error = syntax_error(text)
    if error is not None:
        return f"The fragment “{name}” does not parse, line {error.lineno}: {error.message}"
    for inner in includes_in(text):
        wrong = _fault(inner, fragments, (*above, name), sound)
        if wrong:
            return wrong
    sound.add(name)
    return None
