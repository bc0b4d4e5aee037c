"""Keeping to what a server allows."""

import asyncio
import random

from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.limits import Own, spacing_s, tokens_expected
from epistem.models.pace import Pace


class Clock:
    def __init__(self):
        self.now, self.slept = 100.0, []

    def __call__(self):
        return self.now

    async def sleep(self, seconds):
        self.slept.append(round(seconds, 3))
        await asyncio.sleep(0)


def endpoint(name="slow", **limits):
    return Endpoint(name, "http://127.0.0.1:9", **limits)


def test_calls_to_one_model_are_spread_and_others_do_not_wait():
    clock = Clock()

    async def run():
        limits = Own(clock)
        slow = endpoint(requests_per_minute=60)
        for _ in range(3):
            async with limits.turn(slow, 10, clock.sleep):
                pass
        async with limits.turn(endpoint("other", requests_per_minute=60), 10, clock.sleep):
            pass
        clock.now += 10
        async with limits.turn(slow, 10, clock.sleep):
            pass

    asyncio.run(run())
    assert clock.slept == [1.0, 2.0]


def test_a_call_takes_the_larger_of_its_shares():
    assert spacing_s(endpoint(requests_per_minute=60), 1_000) == 1
    assert spacing_s(endpoint(tokens_per_minute=60_000), 1_000) == 1
    assert spacing_s(endpoint(requests_per_minute=60, tokens_per_minute=30_000), 1_000) == 2
    assert spacing_s(endpoint(), 1_000) == 0
    picture = b'{"url": "data:image/png;base64,' + b"A" * 400_000 + b'"}'
    assert tokens_expected(picture) < 400


def test_a_pace_is_halved_by_a_complaint_and_grows_by_one_a_round():
    clock, most = Clock(), []

    async def run():
        pace = Pace(clock.sleep, clock)
        for _ in range(16):
            await pace.__aenter__()
        pace.complained(clock.now, None, 20)
        most.append(pace.most)
        pace.complained(clock.now - 1, None, 20)  # sent before the first was heeded
        most.append(pace.most)
        for _ in range(8):
            pace.answered()
        most.append(int(pace.most))
        clock.now += 1
        pace.complained(clock.now, 5.0, 20)
        most.append(int(pace.most))
        for _ in range(16):
            await pace.__aexit__(None, None, None)
        async with pace:
            pass

    asyncio.run(run())
    assert most == [8, 8, 8, 4]
    assert clock.slept == [5.0]


def test_after_a_429_fewer_calls_are_in_flight_and_later_more_again(model_server):
    model_server.delay_s = 0.01
    model_server.script.extend([(429, "slow down", {})] * 8)
    in_flight = []

    async def run():
        async with ModelClient(in_flight=16, rng=random.Random(1), sleep=_no_wait) as client:
            at = Endpoint("m", model_server.url)

            async def lane(calls):
                for _ in range(calls):
                    await client.ask(at, b'{"messages": []}')
                    in_flight.append(client._paces["m"].going)

            await asyncio.gather(*(lane(20) for _ in range(16)))
            return client._paces["m"].most

    most = asyncio.run(run())
    assert max(in_flight[8:24]) <= 9
    assert most > 10


async def _no_wait(seconds):
    await asyncio.sleep(0)
