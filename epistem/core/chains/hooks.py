"""A web hook that a step sends, as the tool that sends it."""

from __future__ import annotations

from hashlib import sha256

from epistem.core.chains.kinds import Send
from epistem.core.prompts.tool import HttpWork, Tool, ToolHeader


def hook_of(step: Send, once: str) -> Tool:
    """`once` names this sending among all others: who gets it twice can tell by its key."""
    key = sha256(once.encode("utf-8", "replace")).hexdigest()[:32]
    does = HttpWork(
        kind="http",
        method="POST",
        address=step.address,
        headers=[ToolHeader(name="Idempotency-Key", value=f'"{key}"')],
        sends="arguments",
        signed_with=step.key,
    )
    where = sha256(step.address.encode("utf-8", "replace")).hexdigest()[:12]
    schema = {"type": "object", "properties": {name: {} for name in step.body}}
    return Tool(name=f"send_{where}", does=does, changes=True, parameters=schema)
