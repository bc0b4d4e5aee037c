"""Signing what is sent: HTTP Message Signatures (RFC 9421) with HMAC SHA-256, and the digest of the body (RFC 9530)."""

from __future__ import annotations

import base64
import hashlib
import hmac

LABEL = "sig1"
COVERED = ("@method", "@target-uri", "content-digest")


def signed_headers(
    method: str, address: str, body: bytes, key: str, *, key_id: str, created: int
) -> dict[str, str]:
    """`created` in seconds since 1970. Who has the key can tell that the body is whole, and who sent it when."""
    digest = f"sha-256=:{_base64(hashlib.sha256(body).digest())}:"
    covered = " ".join(f'"{name}"' for name in COVERED)
    parameters = f'({covered});created={created};keyid="{key_id}";alg="hmac-sha256"'
    base = signature_base(method, address, digest, parameters)
    made = hmac.new(key.encode(), base.encode(), hashlib.sha256).digest()
    return {
        "Content-Digest": digest,
        "Signature-Input": f"{LABEL}={parameters}",
        "Signature": f"{LABEL}=:{_base64(made)}:",
    }


def signature_base(method: str, address: str, digest: str, parameters: str) -> str:
    """What is signed (RFC 9421, section 2.5)."""
    return "\n".join(
        (
            f'"@method": {method}',
            f'"@target-uri": {address}',
            f'"content-digest": {digest}',
            f'"@signature-params": {parameters}',
        )
    )


def _base64(raw: bytes) -> str:
    return base64.b64encode(raw).decode()
