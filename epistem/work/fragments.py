"""Keeping fragments, and what of them a prompt carries."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import MAX_PART_CHARACTERS, Prompt, parts_of
from epistem.core.prompts.fragments import REFERENCE, included_by, pinned_in, why_not
from epistem.core.templates.language import syntax_error
from epistem.store import fragments
from epistem.store.database import Transaction


def create(tx: Transaction, name: str, about: str, text: str) -> None:
    """A fragment with its first version. Raises InvalidInput or Conflict, naming the field."""
    if not REFERENCE.match(f"{name}@1"):
        raise InvalidInput(
            f"“{name[:70]}” can't be a fragment's name: use small letters, digits and hyphens, "
            "at most 63, as in house-tone.",
            field="name",
        )
    _check(tx, text)
    fragments.insert(tx, name, about, text)


def save(tx: Transaction, name: str, text: str, note: str) -> tuple[int, bool]:
    """The number of the version with this text, and whether it is new: only a changed text is."""
    newest = fragments.latest(tx, name)
    _check(tx, text)
    if newest.content == text:
        return newest.number, False
    return fragments.add(tx, newest, text, note), True


def filled_in(tx: Transaction, prompt: Prompt) -> Prompt:
    """The prompt with the texts of just those fragments that its parts lead to.

    A text that this server does not have stays as the prompt brought it.
    """
    known = _led_to(tx, [part.text for _, _, part in parts_of(prompt)], prompt.fragments)
    if known == prompt.fragments:
        return prompt
    return prompt.model_copy(update={"fragments": known})


def differing(tx: Transaction, prompt: Prompt) -> list[str]:
    """References whose text in the prompt is not the one that is kept here."""
    here = fragments.texts(tx, pinned_in(prompt))
    return [name for name, text in here.items() if prompt.fragments.get(name, text) != text]


def _led_to(tx: Transaction, texts: Iterable[str], brought: Mapping[str, str]) -> dict[str, str]:
    """Every fragment that the texts lead to, as it is kept here, else as it was `brought`."""
    texts, known = list(texts), dict[str, str]()
    while missing := [name for name in included_by(texts, known) if name not in known]:
        here = {**brought, **fragments.texts(tx, missing)}
        found = {name: here[name] for name in missing if name in here}
        known |= found
        if not found:
            break
    return known


def _check(tx: Transaction, text: str) -> None:
    if len(text) > MAX_PART_CHARACTERS:
        raise InvalidInput(
            f"A fragment has at most {MAX_PART_CHARACTERS:,} characters.", field="text"
        )
    error = syntax_error(text)
    if error is not None:
        raise InvalidInput(
            f"The text does not parse, line {error.lineno}: {error.message}", field="text"
        )
    if wrong := why_not(text, _led_to(tx, [text], {})):
        raise InvalidInput(wrong, field="text")
