"""Where tools may go: the addresses that people of this server have allowed, and nowhere else.

A name is looked up once, what it stands for is checked, and that is what is connected to: a name that stands for
something else a moment later (DNS rebinding) changes nothing.
"""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Iterable
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv6Address, IPv6Network, ip_address
from typing import Any

from aiohttp.abc import AbstractResolver, ResolveResult

from epistem.core.errors import InvalidInput
from epistem.core.tools.addresses import Origin

_UNICAST = IPv6Network("2000::/3")


@dataclass(frozen=True)
class Door:
    """An allowed address. One that is `inside` may stand for this machine or its network, which others never may."""

    origin: Origin
    inside: bool = False


def door_for(origin: Origin | None, doors: Iterable[Door]) -> Door:
    """Raises InvalidInput, in words, where it is not allowed."""
    for door in doors:
        if door.origin == origin:
            return door
    raise InvalidInput(
        f"{origin or 'That'} is not among the addresses that tools may reach. Allow it under Tools, or take another.",
        field="address",
    )


def addresses_of(door: Door) -> list[str]:
    """The numeric addresses that the host stands for, each checked. Blocks. Raises InvalidInput."""
    host = door.origin.host
    try:
        found = socket.getaddrinfo(host, door.origin.port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError) as error:
        raise InvalidInput(f"The host {host} is not known.", field="address") from error
    told = [str(each[4][0]) for each in found]
    for each in told:
        check_address(each, door)
    return told


def check_address(numeric: str, door: Door) -> None:
    """Raises InvalidInput for one that is not of the outside, unless the door is."""
    if door.inside:
        return
    if not _is_outside(ip_address(numeric.split("%")[0])):
        raise InvalidInput(
            f"{door.origin.host} stands for {numeric}, which is in this machine or its network. Tools reach that only "
            "where the address is allowed as one inside.",
            field="address",
        )


def _is_outside(address: IPv4Address | IPv6Address) -> bool:
    if isinstance(address, IPv6Address):
        if address.ipv4_mapped is not None:
            return _is_outside(address.ipv4_mapped)
        # Outside of 2000::/3 stands what is not of the internet, and an IPv4 address in each of its other spellings.
        wrapped = address.sixtofour or address.teredo or address not in _UNICAST
        return address.is_global and not wrapped
    return address.is_global and not address.is_multicast


class CheckedResolver(AbstractResolver):
    """For the HTTP client: gives it checked addresses alone."""

    def __init__(self, door: Door) -> None:
        self._door = door

    async def resolve(
        self, host: str, port: int = 0, family: socket.AddressFamily = socket.AF_INET
    ) -> list[ResolveResult]:
        told: list[str] = await asyncio.to_thread(addresses_of, self._door)
        return [_resolved(host, numeric, port) for numeric in dict.fromkeys(told)]

    async def close(self) -> None:
        pass


def _resolved(host: str, numeric: str, port: int) -> ResolveResult:
    family: Any = socket.AF_INET6 if ":" in numeric else socket.AF_INET
    return ResolveResult(
        hostname=host, host=numeric, port=port, family=family, proto=0, flags=socket.AI_NUMERICHOST
    )
