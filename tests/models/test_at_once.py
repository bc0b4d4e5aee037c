"""Bodies of requests are written at once, and whatever waits, fails or is given up does so as before."""

import asyncio
import json
import socket

import pytest

from epistem.models.at_once import begun
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import Retry
from epistem.models.trouble import CallFailed


def run(work):
    return asyncio.run(asyncio.wait_for(work, 20))


def test_it_is_done_before_anything_else_as_far_as_it_comes():
    async def main():
        done, opened = [], asyncio.get_running_loop().create_future()

        async def work():
            done.append("first")
            done.append(await opened)
            await asyncio.sleep(0)
            done.append("last")

        rest = begun(work())
        assert done == ["first"]
        task = asyncio.create_task(rest)
        opened.set_result("then")
        await task
        assert done == ["first", "then", "last"]
        await begun(asyncio.sleep(0))

    run(main())


@pytest.mark.parametrize("late", [False, True])
def test_what_it_raises_is_raised_by_the_rest(late):
    async def main():
        async def work():
            if late:
                await asyncio.sleep(0)
            raise OSError("gone")

        rest = begun(work())
        with pytest.raises(OSError, match="gone"):
            await asyncio.create_task(rest)

    run(main())


def test_it_is_given_up_where_it_waits():
    async def main():
        told = []

        async def work():
            try:
                await asyncio.get_running_loop().create_future()
            except asyncio.CancelledError:
                told.append("given up")
                raise

        task = asyncio.create_task(begun(work()))
        await asyncio.sleep(0)
        task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task
        assert told == ["given up"]

    run(main())


def body(text):
    return json.dumps({"model": "m", "messages": [{"role": "user", "content": text}]}).encode()


def test_a_body_that_does_not_fit_into_the_socket_arrives_whole(model_server):
    model_server.answer = lambda told: str(len(told["messages"][-1]["content"]))

    async def main():
        async with ModelClient() as client:
            asked = [
                client.ask(Endpoint("m", model_server.url), body("x" * n)) for n in (1, 9_000_000)
            ]
            return [each.reply.text for each in await asyncio.gather(*asked)]

    assert run(main()) == ["1", "9000000"]


def test_a_server_that_never_reads_is_let_go_of():
    async def main():
        with socket.create_server(("127.0.0.1", 0)) as deaf:
            url = f"http://127.0.0.1:{deaf.getsockname()[1]}"
            async with ModelClient(retry=Retry(attempts=1)) as client:
                with pytest.raises(CallFailed, match="within"):
                    await client.ask(Endpoint("m", url, time_limit_ms=300), body("x" * 30_000_000))

    run(main())
