import asyncio

from epistem.models.turns import Turns


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
