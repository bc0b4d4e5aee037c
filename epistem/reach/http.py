"""Asking an address for a tool: within its time, no more than can be read, and sent on nowhere else."""

from __future__ import annotations

import asyncio
import ssl
import time
from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import urljoin

import aiohttp
import orjson
from yarl import URL

from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.tool import HttpWork
from epistem.core.tools.addresses import filled_in, origin_in, taken_by
from epistem.core.tools.telling import shown_of
from epistem.core.wire.secrets import Secrets
from epistem.models.keys import Keys
from epistem.reach.doors import CheckedResolver, Door, addresses_of, door_for
from epistem.reach.signing import signed_headers

MOST_READ = 1_000_000
"""Bytes of a reply; a longer one is not read to its end."""
MOST_HOPS = 3
_SENT_ON = (301, 302, 303, 307, 308)


class NotReached(EpistemError):
    """Nothing came, or nothing that can be used; the message says so in words for the model."""


async def ask(
    does: HttpWork, given: Mapping[str, Any], doors: Sequence[Door], keys: Keys | None = None
) -> str:
    """What the model is shown of the reply. Raises InvalidInput for what is not allowed, NotReached for what did
    not come."""
    address = filled_in(does.address, given)
    door = door_for(origin_in(address), doors)
    keys = keys or Keys.of_this_server()
    headers = _headers(does, address, keys)
    told = [headers[header.name] for header in does.headers if header.key]
    body = _body(does, given, headers)
    if does.signed_with:
        key, created = keys.key_for(does.signed_with, address), int(time.time())
        told.append(key)
        headers |= signed_headers(
            does.method, address, body or b"", key, key_id=does.signed_with, created=created
        )
    secrets = Secrets(told)
    try:
        async with asyncio.timeout(does.seconds), _session(door) as session:
            raw = secrets.hide(await _asked(session, door, does.method, address, headers, body))
    except NotReached as error:
        raise NotReached(secrets.hide(error.message)) from None
    except TimeoutError:
        raise NotReached(f"It did not answer within {does.seconds:g} s.") from None
    except (aiohttp.ClientError, ssl.SSLError, ValueError, OSError) as error:
        raise NotReached(f"It could not be asked: {secrets.hide(_words(error))}.") from None
    return shown_of(raw, does.shows, does.most_bytes)


def _session(door: Door) -> aiohttp.ClientSession:
    return aiohttp.ClientSession(
        connector=aiohttp.TCPConnector(
            limit=1, force_close=True, resolver=CheckedResolver(door), use_dns_cache=False
        ),
        cookie_jar=aiohttp.DummyCookieJar(),
        timeout=aiohttp.ClientTimeout(total=None),
        auto_decompress=False,
        trust_env=False,
    )


async def _asked(
    session: aiohttp.ClientSession,
    door: Door,
    method: str,
    address: str,
    headers: Mapping[str, str],
    body: bytes | None,
) -> str:
    if _needs_no_looking_up(door.origin.host):
        await asyncio.to_thread(addresses_of, door)
    for _ in range(MOST_HOPS + 1):
        async with session.request(
            method, URL(address, encoded=True), data=body, headers=headers, allow_redirects=False
        ) as got:
            if got.status in _SENT_ON and "Location" in got.headers:
                address = _sent_on(door, method, address, got.headers["Location"])
                continue
            text = await _read(got)
            if not 200 <= got.status < 300:
                told = " ".join(text[:300].split())
                raise NotReached(f"It answered {got.status} {got.reason or ''}: {told}".strip(": "))
            return text
    raise NotReached(f"It was sent on more than {MOST_HOPS} times.")


def _needs_no_looking_up(host: str) -> bool:
    """A number, which the HTTP client connects to as it stands: 127.0.0.1, 127.1, 2130706433, or ::1."""
    return ":" in host or host.replace(".", "").isdigit()


def _sent_on(door: Door, method: str, address: str, location: str) -> str:
    """Where to, if that is the same host and nothing is sent along."""
    there = urljoin(address, location)
    if origin_in(there) != door.origin:
        raise NotReached(f"It sent on to {location[:200]}, and is not followed to another host.")
    if method != "GET":
        raise NotReached(f"It sent on to {location[:200]}: what was sent is not sent again.")
    return there


async def _read(got: aiohttp.ClientResponse) -> str:
    if got.headers.get("Content-Encoding", "identity").lower() != "identity":
        raise NotReached("It answered in a packed form that was not asked for.")
    told = got.content_length
    if told is not None and told > MOST_READ:
        raise NotReached(_too_long(told))
    raw = bytearray()
    async for chunk in got.content.iter_any():
        raw += chunk
        if len(raw) > MOST_READ:
            raise NotReached(_too_long(None))
    if b"\0" in raw:
        raise NotReached("What it answered is no text.")
    try:
        return raw.decode(got.charset or "utf-8", "replace")
    except LookupError:
        return raw.decode("utf-8", "replace")


def _too_long(told: int | None) -> str:
    size = "more than" if told is None else f"{told:,} bytes;"
    return f"What it answered is too long: {size} {MOST_READ:,} bytes{'' if told is None else ' are read'}."


def _headers(does: HttpWork, address: str, keys: Keys) -> dict[str, str]:
    told = {
        "Accept": "application/json, text/plain;q=0.9, */*;q=0.5",
        "Accept-Encoding": "identity",
    }
    for header in does.headers:
        told[header.name] = keys.key_for(header.key, address) if header.key else header.value
    return told


def _body(does: HttpWork, given: Mapping[str, Any], headers: dict[str, str]) -> bytes | None:
    if does.sends == "nothing":
        return None
    taken = set(taken_by(does.address))
    headers.setdefault("Content-Type", "application/json")
    try:
        return orjson.dumps({name: value for name, value in given.items() if name not in taken})
    except (TypeError, ValueError) as error:
        raise InvalidInput("The arguments can't be sent as JSON.") from error


def _words(error: BaseException) -> str:
    told = str(error) or type(error).__name__
    return " ".join(told.split())[:200].rstrip(".")
