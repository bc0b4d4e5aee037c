"""Limits of a model that all who ask it keep together, through the database."""

import asyncio
from contextlib import suppress
from threading import Thread

import pytest

from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.store import turns
from epistem.work.limits import SharedLimits
from tests.kit.waiting import PATIENCE_S


def many(database, endpoint, calls, *, clients=3):
    """So many calls of clients that know nothing of each other, each on a thread of its own."""

    def client():
        async def run():
            limits = SharedLimits(database)
            async with ModelClient(in_flight=8, limits=limits) as asking:
                lanes = (asking.ask(endpoint, b'{"messages": []}') for _ in range(calls))
                await asyncio.gather(*lanes)
            limits.close()

        asyncio.run(run())

    threads = [Thread(target=client) for _ in range(clients)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(PATIENCE_S)


@pytest.mark.parametrize("most", [1, 3])
def test_no_more_calls_at_once_than_a_server_takes(database, model_server, most):
    model_server.delay_s = 0.02
    many(database, Endpoint("local", model_server.url, calls_at_once=most), 6)
    assert len(model_server.requests) == 18
    assert model_server.most_in_flight == most


def test_turns_are_handed_out_to_one_at_a_time(database):
    waits = []
    for _ in range(4):
        with database.transaction() as tx:
            waits.append(turns.take(tx, "slow", 30.0))
    with database.transaction() as tx:
        assert turns.take(tx, "other", 30.0) == 0
    assert waits[0] == 0
    assert [round(wait) for wait in waits[1:]] == [30, 60, 90]


def test_a_rate_holds_for_all_clients_together(database, model_server):
    waited = []

    async def sleep(seconds):
        waited.append(seconds)

    async def run():
        endpoint = Endpoint("rated", model_server.url, requests_per_minute=6)
        for _ in range(2):
            limits = SharedLimits(database)
            async with ModelClient(limits=limits, sleep=sleep) as client:
                for _ in range(2):
                    await client.ask(endpoint, b'{"messages": []}')
            limits.close()

    asyncio.run(run())
    assert [round(seconds) for seconds in waited] == [10, 20, 30]


def test_a_place_is_free_again_when_its_holder_is_gone(database):
    first, second = turns.Places(database.address), turns.Places(database.address)
    assert first.take("local", 1) is not None
    assert second.take("local", 1) is None
    assert second.take("another", 1) is not None
    first.close()

    async def wait():
        while second.take("local", 1) is None:
            await asyncio.sleep(0.01)

    asyncio.run(asyncio.wait_for(wait(), 10))
    second.close()


def test_a_call_that_is_given_up_while_it_waits_takes_no_place(database, model_server):
    holder = turns.Places(database.address)
    held = holder.take("local", 1)

    class GivenUp(Exception):
        pass

    async def sleep(seconds):
        raise GivenUp

    async def run():
        limits = SharedLimits(database)
        async with ModelClient(limits=limits, sleep=sleep) as client:
            with suppress(GivenUp):
                await client.ask(Endpoint("local", model_server.url, calls_at_once=1), b"{}")
        limits.close()

    asyncio.run(run())
    assert model_server.requests == []
    holder.give_back(held)
    assert holder.take("local", 1) is not None
    holder.close()
