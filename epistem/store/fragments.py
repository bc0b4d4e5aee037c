"""Fragments: parts kept once, in versions that never change, and who includes them."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime

import pymysql

from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.content import MAX_PART_CHARACTERS, Prompt, parts_of
from epistem.core.prompts.fragments import (
    REFERENCE,
    included_by,
    pinned_in,
    reference,
    split_reference,
    why_not,
)
from epistem.core.templates.language import syntax_error
from epistem.store.database import Transaction, is_duplicate


@dataclass(frozen=True)
class FragmentVersion:
    number: int
    text: str
    note: str
    created_at: datetime


@dataclass(frozen=True)
class Use:
    """A subject whose draft, or newest version, includes this version of a fragment."""

    subject: str
    version: int
    where: str


@dataclass(frozen=True)
class Fragment:
    """`versions` are newest first."""

    name: str
    about: str
    versions: list[FragmentVersion]
    used_by: list[Use]


def create(tx: Transaction, name: str, about: str, text: str) -> None:
    """A fragment with its first version. Raises InvalidInput or Conflict, naming the field."""
    if not REFERENCE.match(f"{name}@1"):
        raise InvalidInput(
            f"“{name[:70]}” can't be a fragment's name: use small letters, digits and hyphens, "
            "at most 63, as in house-tone.",
            field="name",
        )
    _check(tx, text)
    try:
        fragment_id = tx.insert(
            "INSERT INTO fragments (name, about) VALUES (%s, %s)", (name, about)
        )
    except pymysql.IntegrityError as error:
        if is_duplicate(error):
            message = f"There is a fragment called “{name}” already. Choose another name."
            raise Conflict(message, field="name") from error
        raise
    _add(tx, fragment_id, 1, text, "")


def save(tx: Transaction, name: str, text: str, note: str) -> tuple[int, bool]:
    """The number of the version with this text, and whether it is new: only a changed text is."""
    row = name.isascii() and tx.first("SELECT id FROM fragments WHERE name = %s FOR UPDATE", [name])
    if not row:
        raise NotFound(f"There is no fragment called “{name[:70]}”.", field="name")
    _check(tx, text)
    latest = tx.first(
        "SELECT number, text FROM fragment_versions WHERE fragment_id = %s ORDER BY number DESC LIMIT 1",
        [row[0]],
    )
    assert latest is not None, "a fragment is always made with a version"
    if latest[1] == text:
        return latest[0], False
    _add(tx, row[0], latest[0] + 1, text, note)
    return latest[0] + 1, True


def all_of(tx: Transaction) -> list[Fragment]:
    """By name, each with its versions and who includes it."""
    versions: dict[str, list[FragmentVersion]] = {}
    for name, *version in tx.rows(
        "SELECT f.name, v.number, v.text, v.note, v.created_at FROM fragment_versions v "
        "JOIN fragments f ON f.id = v.fragment_id ORDER BY f.name, v.number DESC"
    ):
        versions.setdefault(name, []).append(FragmentVersion(*version))
    uses = _uses(tx) if versions else {}
    abouts = tx.rows("SELECT name, about FROM fragments ORDER BY name")
    return [Fragment(name, about, versions[name], uses.get(name, [])) for name, about in abouts]


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
    here = _texts(tx, pinned_in(prompt))
    return [name for name, text in here.items() if prompt.fragments.get(name, text) != text]


def _led_to(tx: Transaction, texts: Iterable[str], brought: Mapping[str, str]) -> dict[str, str]:
    """Every fragment that the texts lead to, as it is kept here, else as it was `brought`."""
    texts, known = list(texts), dict[str, str]()
    while missing := [name for name in included_by(texts, known) if name not in known]:
        here = {**brought, **_texts(tx, missing)}
        found = {name: here[name] for name in missing if name in here}
        known |= found
        if not found:
            break
    return known


def _texts(tx: Transaction, references: Iterable[str]) -> dict[str, str]:
    wanted = [split for name in references if (split := split_reference(name))]
    if not wanted:
        return {}
    places = ", ".join(["(%s, %s)"] * len(wanted))
    rows = tx.rows(
        "SELECT f.name, v.number, v.text FROM fragment_versions v JOIN fragments f "
        f"ON f.id = v.fragment_id WHERE (f.name, v.number) IN ({places})",
        [value for pair in wanted for value in pair],
    )
    return {reference(name, number): text for name, number, text in rows}


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


def _add(tx: Transaction, fragment_id: int, number: int, text: str, note: str) -> None:
    tx.run(
        "INSERT INTO fragment_versions (fragment_id, number, text, note) VALUES (%s, %s, %s, %s)",
        (fragment_id, number, text, note),
    )


def _uses(tx: Transaction) -> dict[str, list[Use]]:
    rows = tx.rows(
        """
        SELECT s.name, 'draft', JSON_KEYS(d.content, '$.fragments')
          FROM drafts d JOIN subjects s ON s.id = d.subject_id
        UNION ALL
        SELECT s.name, CONCAT('v', v.number), JSON_KEYS(v.content, '$.fragments')
          FROM versions v JOIN subjects s ON s.id = v.subject_id
         WHERE v.number = (SELECT MAX(number) FROM versions w WHERE w.subject_id = v.subject_id)
        """
    )
    found: dict[str, list[Use]] = {}
    for subject, where, keys in rows:
        for name in json.loads(keys or "[]"):
            if split := split_reference(name):
                found.setdefault(split[0], []).append(Use(subject, split[1], where))
    return found
