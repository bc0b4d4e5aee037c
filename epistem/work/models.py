"""Which entries the model list may have, and taking one off it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from urllib.parse import urlsplit

from epistem.core.errors import Conflict, InvalidInput
from epistem.core.wire.habits import Habits
from epistem.models.keys import Keys
from epistem.store import models
from epistem.store.database import Transaction
from epistem.store.models import Model

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.:/-]*\Z")
MOST_HEADERS = 40
_HEADER = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]{1,80}\Z")
_VALUE = re.compile(r"[\x20-\x7e]{0,300}\Z")
KEPT_HEADERS = {
    "authorization", "x-api-key", "api-key", "cookie", "proxy-authorization", "host",
    "content-type", "content-length", "transfer-encoding", "connection",
}  # fmt: skip
NO_KEY_IN = KEPT_HEADERS - {"authorization", "x-api-key", "api-key", "proxy-authorization"}


def check(model: Model) -> None:
    """Raises InvalidInput, naming the field, for an entry that can't be asked or would hold a secret."""
    if not _NAME.match(model.name):
        raise InvalidInput(
            "A model's name has letters, digits, and . _ : / - after the first.", field="name"
        )
    _check_address(model.address)
    if model.key_reference:
        Keys.of_this_server().check(model.key_reference, model.address, field="key_reference")
    _check_headers(model.headers)
    _check_key_header(model.habits)


def check_free(tx: Transaction, name: str) -> None:
    """Raises Conflict for the name of a built-in one, and for one that differs from another model's
    name in case alone: the database takes them for the same."""
    for model in models.all_of(tx):
        if model.name == name:
            check_own(model)
        elif model.name.casefold() == name.casefold():
            raise Conflict(
                f"“{name[:80]}” meets the model “{model.name}”, whose name differs in case alone. "
                "Use that name, or another.",
                field="name",
            )


def check_own(model: Model) -> None:
    """Raises Conflict for a built-in one, which can't be changed or removed."""
    if model.built_in:
        raise Conflict(
            f"“{model.name}” comes with Epistem and is put there anew at every start. "
            "Add a model under another name.",
            field="name",
        )


def remove(tx: Transaction, name: str) -> None:
    """Take it off the list; what it answered stays.

    Raises InvalidInput for one that is not there, Conflict for a built-in, or while a trial asks it.
    """
    check_own(models.get(tx, name, field="name"))
    asking = models.asked_by_trial(tx, name)
    if asking is not None:
        raise Conflict(f"T{asking} is still asking “{name}”. Stop it first.", field="name")
    models.remove(tx, name)


def _check_address(address: str) -> None:
    """An http(s) address with a host, and nothing secret in it. Raises InvalidInput."""
    try:
        parts = urlsplit(address)
        port_fits = parts.port is None or parts.port > 0
    except ValueError as error:
        raise InvalidInput(f"The address can't be read: {error}.", field="address") from error
    if parts.scheme not in ("http", "https") or not parts.hostname or not port_fits:
        raise InvalidInput(
            "The address reads http://host:port or https://host, with or without /v1 at its end.",
            field="address",
        )
    if parts.username or parts.password or parts.query or parts.fragment:
        raise InvalidInput(
            "The address has a name, password or query in it. Keys belong in the key's place.",
            field="address",
        )


def _check_headers(headers: Mapping[str, str]) -> None:
    """Raises InvalidInput for a header that can't be sent, or that would hold a key."""
    if len(headers) > MOST_HEADERS:
        message = f"There are {len(headers):,} headers; at most {MOST_HEADERS} can be sent along."
        raise InvalidInput(message, field="headers")
    for name, value in headers.items():
        if name.lower() in KEPT_HEADERS:
            message = (
                f"“{name[:40]}” is not set here. A key belongs in the key's place, as a reference."
            )
            raise InvalidInput(message, field="headers")
        if not _HEADER.match(name) or not _VALUE.match(value):
            message = f"“{name[:40]}” can't be sent: a header is one line of plain letters."
            raise InvalidInput(message, field="headers")


def _check_key_header(habits: Habits) -> None:
    """Raises InvalidInput for a header that a key can't be sent in."""
    name, prefix = habits.key_header, habits.key_prefix
    if name and (not _HEADER.match(name) or name.lower() in NO_KEY_IN):
        message = f"A key can't be sent in the header “{name[:40]}”. Authorization and x-api-key are usual."
        raise InvalidInput(message, field="habits.key_header")
    if prefix is not None and not _VALUE.match(prefix):
        message = "What stands before the key is a word of plain letters, such as Bearer."
        raise InvalidInput(message, field="habits.key_prefix")
