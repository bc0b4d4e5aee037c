"""The identity of a version: the SHA-256 of its canonical JSON (RFC 8785)."""

from __future__ import annotations

import hashlib

import rfc8785

from epistem.core.prompts.content import Prompt


def canonical_json(prompt: Prompt) -> bytes:
    """One byte string per meaning: key order, white space and number form do not matter."""
    return rfc8785.dumps(prompt.to_json())


def content_hash(prompt: Prompt) -> str:
    """64 hexadecimal digits."""
    return hashlib.sha256(canonical_json(prompt)).hexdigest()
