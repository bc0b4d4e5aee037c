"""Where the databases are, by name: a shard's task names one, and holds no password."""

from __future__ import annotations

import os

from epistem.store.database import Address, StoreError

VARIABLE = "EPISTEM_DATABASE_URL"
_known: dict[str, Address] = {}


def name_of(address: Address) -> str:
    return f"{address.user}@{address.host}:{address.port}/{address.database}"


def introduce(address: Address) -> str:
    """Make it known to this process, by the name that is given back."""
    name = name_of(address)
    _known[name] = address
    return name


def address_of(name: str) -> Address:
    """As introduced, or as the environment of this worker has it. Raises StoreError."""
    if name in _known:
        return _known[name]
    url = os.environ.get(VARIABLE)
    found = Address.from_url(url) if url else None
    if found is None or name_of(found) != name:
        raise StoreError(
            f"This worker does not know the database {name}. Set {VARIABLE} to its address, with the "
            "password, where the worker is started."
        )
    return found
