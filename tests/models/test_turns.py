import asyncio

from epistem.models.client import Endpoint
from epistem.models.turns import Turns
from epistem.store.models import Model


def test_calls_to_one_model_are_spread_and_others_do_not_wait():
    now, slept = [100.0], []

    async def sleep(seconds):
        slept.append(round(seconds, 3))

    async def run():
        turns = Turns(sleep, lambda: now[0])
        for _ in range(3):
            await turns.take("slow", 60)
        await turns.take("other", 60)
        now[0] += 10
        await turns.take("slow", 60)

    asyncio.run(run())
    assert slept == [1.0, 2.0]


def test_clients_that_ask_at_once_share_the_rate():
    limited = Model("slow", "http://127.0.0.1:9", None, 100, 1, 1, requests_per_minute=90)
    assert Endpoint.of(limited, among=2).requests_per_minute == 45
    free = Model("quick", "http://127.0.0.1:9", None, 100, 1, 1)
    assert Endpoint.of(free, among=2).requests_per_minute is None
