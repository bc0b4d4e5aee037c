"""How much the stand-in bears: requests a second, and the time it adds with 200 in flight.

    python bench/stand_in.py [--requests 4000]

The rate is told beside that of the trivial reply server with the same client in the same run, since
the client and the machine bound both. For the added time each request asks for a wait of its own, and
what it took beyond that is added. Last, a single call of another caller while one caller keeps 500 in
flight, beside one with nobody else there.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import statistics
import subprocess
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from time import perf_counter, sleep

import aiohttp
import uvloop
from overhead import PROMPT, reply_server, text_of

from epistem.core.prompts.request import request_for
from epistem.core.wire import chat_completions as wire
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.standin.faults import HEADER
from epistem.up.ports import answers, free_port

LEAST_MS, MOST_MS = 300, 900


@contextmanager
def stand_in() -> Iterator[str]:
    port = free_port()
    command = [sys.executable, "-m", "epistem.cli", "stand-in", f"--port={port}", "--pace=0"]
    process = subprocess.Popen(command)
    while not answers(port):
        sleep(0.05)
    yield f"http://127.0.0.1:{port}"
    process.terminate()
    process.wait()


async def ask_all(
    url: str, count: int, in_flight: int, wait_ms: Callable[[int], int] = lambda number: 0
) -> tuple[float, list[float]]:
    """Requests a second, and the milliseconds that each took beyond its own wait."""
    bodies = [
        wire.encode(request_for(PROMPT, {"message": text_of(n % 100)}, "tern-s", seed=n))
        for n in range(count)
    ]
    waiting, added = enumerate(bodies), []
    async with aiohttp.ClientSession(connector=aiohttp.TCPConnector(limit=in_flight)) as session:

        async def lane() -> None:
            for number, body in waiting:
                wait = wait_ms(number)
                headers = {"Content-Type": "application/json"}
                if wait:
                    headers[HEADER] = f"slow={wait}"
                began = perf_counter()
                async with session.post(url + wire.PATH, data=body, headers=headers) as got:
                    json.loads(await got.read())
                added.append((perf_counter() - began) * 1000 - wait)

        began = perf_counter()
        async with asyncio.TaskGroup() as group:
            for _ in range(in_flight):
                group.create_task(lane())
        return count / (perf_counter() - began), added


async def single(url: str, crowd: int, times: int = 20) -> float:
    """Median milliseconds of one call while another caller keeps so many in flight."""
    body = wire.encode(request_for(PROMPT, {"message": text_of(1)}, "tern-s", seed=1))
    endpoint = Endpoint("tern-s", url, time_limit_ms=600_000, built_in=True)
    took = []
    async with (
        ModelClient(in_flight=max(crowd, 1), caller="trial 1") as trial,
        ModelClient(in_flight=1) as one,
    ):

        async def lane() -> None:
            while True:
                await trial.ask(endpoint, body)

        lanes = [asyncio.create_task(lane()) for _ in range(crowd)]
        await asyncio.sleep(2)
        for _ in range(times):
            began = perf_counter()
            await one.ask(endpoint, body)
            took.append((perf_counter() - began) * 1000)
            await asyncio.sleep(0.1)
        for each in lanes:
            each.cancel()
        await asyncio.gather(*lanes, return_exceptions=True)
    return statistics.median(took)


def main() -> None:
    parser = argparse.ArgumentParser(description="How much the stand-in bears.")
    parser.add_argument("--requests", type=int, default=4_000)
    options = parser.parse_args()
    with stand_in() as url, reply_server(0) as trivial:
        uvloop.run(ask_all(url, 500, 64))
        pairs = []
        for _ in range(5):
            ours, _ = uvloop.run(ask_all(url, options.requests, 64))
            fixed, _ = uvloop.run(ask_all(trivial, options.requests, 64))
            pairs.append((ours, fixed))
        rates, shares = [ours for ours, _ in pairs], [ours / fixed for ours, fixed in pairs]
        print(f"64 in flight, no wait, {len(pairs)} pairs: median (range)")
        print(
            f"  stand-in           {statistics.median(rates):,.0f} ({min(rates):,.0f} to {max(rates):,.0f}) a second"
        )
        print(
            f"  stand-in / trivial {statistics.median(shares):.2f} ({min(shares):.2f} to {max(shares):.2f})"
        )
        rate, added = uvloop.run(ask_all(url, options.requests, 200, staggered))
        added = sorted(added[400:])  # those that all began at once are left out
        print(f"200 in flight, waits of {LEAST_MS} to {MOST_MS} ms, {rate:,.0f} a second: added ms")
        for name, share in (("median", 0.5), ("99 of 100", 0.99)):
            print(f"  {name:18} {added[int(share * (len(added) - 1))]:.0f}")
        alone, among = (uvloop.run(single(url, crowd)) for crowd in (0, 500))
        print(f"one call: {alone:.1f} ms alone, {among:.1f} ms while 500 others are in flight")


def staggered(number: int) -> int:
    """A wait for each request, spread evenly, so that they don't come in waves."""
    return LEAST_MS + number * 377 % (MOST_MS - LEAST_MS)


if __name__ == "__main__":
    main()
