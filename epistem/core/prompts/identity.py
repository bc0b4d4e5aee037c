"""The identity of a version: the SHA-256 of its canonical JSON (RFC 8785)."""

from __future__ import annotations

import hashlib

import rfc8785

from epistem.core.shapes import Document


def canonical_json(content: Document) -> bytes:
    """One byte string per meaning: key order, white space and number form do not matter."""
    return rfc8785.dumps(content.to_json())


def content_hash(content: Document) -> str:
    """64 hexadecimal digits."""
    return hashlib.sha256(canonical_json(content)).hexdigest()
