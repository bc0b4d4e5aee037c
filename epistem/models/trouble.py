"""What can go wrong with an attempt to ask a model, told in the words that a person needs."""

from __future__ import annotations

import os
import ssl
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Literal, NamedTuple

import aiohttp

from epistem.core.errors import EpistemError
from epistem.core.wire.reading import words_of
from epistem.models.endpoint import Endpoint

Kind = Literal["unreachable", "refused", "silent", "busy", "answer"]
"""`unreachable`: no way there. `refused`: the key, or the model itself, is not accepted. `silent`: no
answer in time. `busy`: it asks for fewer calls. `answer`: anything else, of this one request."""

RETRIED = frozenset({408, 425, 429, 500, 502, 503, 504, 520, 522, 524, 529})
_BUSY = frozenset({429, 503, 529})
_AWAY = frozenset({502, 504, 520, 522, 524})
_REFUSED = frozenset({401, 402, 403, 404})
_PROXIES = ("https_proxy", "http_proxy", "all_proxy", "HTTPS_PROXY", "HTTP_PROXY", "ALL_PROXY")


class CallTrace(NamedTuple):
    """When the last attempt began (UTC), how long it took, and how many there were."""

    started_at: datetime
    total_ms: float
    attempts: int


class CallFailed(EpistemError):
    """The call got no answer for good: the message says why, `raw` is what came back."""

    def __init__(
        self,
        message: str,
        *,
        raw: bytes | None,
        trace: CallTrace,
        kind: Kind = "answer",
        retry_after_s: float | None = None,
        status: int | None = None,
    ) -> None:
        super().__init__(message, field="model")
        self.raw = raw
        self.trace = trace
        self.kind = kind
        self.retry_after_s = retry_after_s
        self.status = status

    @property
    def refused_for_good(self) -> bool:
        """The server took this very request and would refuse it again: that is an answer of a kind, no outage."""
        return self.kind == "answer" and self.status is not None and self.status not in RETRIED


class Trouble(Exception):
    """An attempt that went wrong. `again` says whether the next may go well; `slower` whether the
    server asked for fewer calls."""

    def __init__(
        self,
        message: str,
        raw: bytes | None = None,
        *,
        kind: Kind = "answer",
        again: bool = True,
        retry_after_s: float | None = None,
        status: int | None = None,
    ) -> None:
        super().__init__(message)
        self.raw = raw
        self.kind = kind
        self.again = again
        self.retry_after_s = retry_after_s
        self.status = status

    @property
    def slower(self) -> bool:
        return self.status in (429, 529)


def of_status(endpoint: Endpoint, got: aiohttp.ClientResponse, raw: bytes) -> Trouble:
    """An answer that is no success."""
    status = got.status
    if 300 <= status < 400:
        to = got.headers.get("Location", "")[:300]
        return Trouble(
            f"{endpoint.model} answered {status}: its address sends on to {to or 'nowhere'}. Requests "
            "are not sent on; if that is right, make it the address of the model.",
            raw,
            kind="unreachable",
            again=False,
            status=status,
        )
    words = words_of(raw) or (got.reason or "nothing more")
    kind: Kind = "answer"
    if status in _BUSY:
        kind = "busy"
    elif status in _AWAY:
        kind = "unreachable"
    elif status in _REFUSED:
        kind = "refused"
    return Trouble(
        f"{endpoint.model} answered {status}: {words}",
        raw,
        kind=kind,
        again=status in RETRIED,
        retry_after_s=retry_after(got.headers),
        status=status,
    )


def of_connection(endpoint: Endpoint, error: Exception, raw: bytes | None = None) -> Trouble:
    """An attempt that got no whole answer; `raw` is what came of it."""
    name = endpoint.model
    if isinstance(error, aiohttp.ConnectionTimeoutError):
        tls = (
            " Does its address begin with http://?" if endpoint.address.startswith("https") else ""
        )
        return Trouble(
            f"{name} can't be reached at {endpoint.address}: nobody took up the connection in time.{tls}",
            kind="unreachable",
        )
    if isinstance(error, TimeoutError):
        limit = endpoint.time_limit_ms / 1000
        return Trouble(f"{name} did not answer within {limit:g} s.", raw, kind="silent")
    if isinstance(error, aiohttp.InvalidURL | aiohttp.NonHttpUrlClientError):
        return Trouble(
            f"{name} has an address that can't be asked: {endpoint.address}",
            kind="unreachable",
            again=False,
        )
    if isinstance(error, aiohttp.ClientConnectorCertificateError):
        why = getattr(error.certificate_error, "verify_message", "") or error.certificate_error
        return Trouble(
            f"{name}: the certificate of {endpoint.address} is not trusted: {why}. Put its authority "
            "among those that this server trusts (SSL_CERT_FILE), or correct the address.",
            kind="unreachable",
            again=False,
        )
    if isinstance(error, aiohttp.ClientSSLError | ssl.SSLError):
        return Trouble(
            f"{name}: {endpoint.address} does not speak TLS as https needs it. Does its address begin "
            "with http://?",
            kind="unreachable",
            again=False,
        )
    if isinstance(error, aiohttp.ClientConnectorError):
        return Trouble(
            f"{name} can't be reached at {endpoint.address}. Is the model server running?{_proxy()}",
            kind="unreachable",
        )
    return Trouble(f"{name} broke off the answer ({type(error).__name__}).", raw, kind="answer")


def retry_after(headers: object, now: datetime | None = None) -> float | None:
    """Seconds that a server wants to be left alone: told in ms, in seconds, or as a date."""
    get = headers.get  # type: ignore[attr-defined]
    ms = _number(get("retry-after-ms"))
    if ms is not None:
        return ms / 1000
    told = get("Retry-After")
    seconds = _number(told)
    if seconds is not None or not told:
        return seconds
    try:
        until = parsedate_to_datetime(told)
    except (ValueError, TypeError):
        return None
    if until.tzinfo is None:
        until = until.replace(tzinfo=UTC)
    return max(0.0, (until - (now or datetime.now(UTC))).total_seconds())


def _number(told: str | None) -> float | None:
    try:
        found = float(told) if told else None
    except ValueError:
        return None
    return found if found is not None and 0 <= found < 1e9 else None


def _proxy() -> str:
    """A word on a proxy that the environment names, since none is used."""
    named = next((name for name in _PROXIES if os.environ.get(name)), None)
    if named is None:
        return ""
    return (
        f" (The environment names a proxy, {named}; model servers are asked directly, without it.)"
    )
