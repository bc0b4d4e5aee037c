"""An outage of the database is waited for where it would be told of as what a tool or a look-up came to."""

import asyncio

import pytest

from epistem.store.database import StoreDown
from epistem.work.outages import once_back


def test_what_is_done_is_done_again_until_the_database_is_back():
    came = iter([StoreDown("away"), StoreDown("away"), 7])

    async def doing():
        told = next(came)
        if isinstance(told, Exception):
            raise told
        return told

    assert asyncio.run(once_back(doing)) == 7


def test_a_long_outage_is_told():
    async def doing():
        raise StoreDown("away")

    with pytest.raises(StoreDown, match="away"):
        asyncio.run(once_back(doing, longest_s=0))


def test_what_is_wrong_otherwise_is_told_at_once():
    done = []

    async def doing():
        done.append(1)
        raise ValueError("a fault")

    with pytest.raises(ValueError, match="a fault"):
        asyncio.run(once_back(doing))
    assert done == [1]
