"""What is sent is signed so that who has the key can tell who sent it, where, and that nothing was changed."""

import base64
import hashlib
import hmac
import json
import re

from epistem.models.keys import Keys
from tests.reach.test_addresses import ask, booking, bookings

KEY = "a-shared-secret-of-some-length"


def verify(method, address, body, headers, key):
    """As a receiver does it, by RFC 9421 and RFC 9530."""
    digest = f"sha-256=:{base64.b64encode(hashlib.sha256(body.encode()).digest()).decode()}:"
    parameters = headers["Signature-Input"].removeprefix("sig1=")
    values = {
        "@method": method,
        "@target-uri": address,
        "content-digest": headers["Content-Digest"],
    }
    covered = re.findall(r'"([^"]+)"', parameters.split(")")[0])
    lines = [f'"{name}": {values[name]}' for name in covered]
    base = "\n".join([*lines, f'"@signature-params": {parameters}'])
    made = base64.b64encode(hmac.new(key.encode(), base.encode(), "sha256").digest()).decode()
    return headers["Content-Digest"] == digest and headers["Signature"] == f"sig1=:{made}:"


def test_who_has_the_key_can_tell():
    with bookings(hook=booking) as (url, asked):
        keys = Keys({"EPISTEM_KEY_HOOK": KEY, "EPISTEM_KEY_HOOK_FOR": url}, None)
        told = {"method": "POST", "sends": "arguments", "signed_with": "env:EPISTEM_KEY_HOOK"}
        ask(f"{url}/hook", {"notice": "The noon boat is late – sorry."}, keys=keys, **told)
        [(method, path, headers, body)] = asked
        assert verify(method, f"{url}{path}", body, headers, KEY)
        assert not verify(method, f"{url}{path}", body, headers, "another")
        assert not verify(method, f"{url}{path}", body.replace("late", "on time"), headers, KEY)
        assert not verify(method, f"{url}/elsewhere", body, headers, KEY)
        assert 'alg="hmac-sha256"' in headers["Signature-Input"]
        assert json.loads(body)["notice"].endswith("sorry.")
