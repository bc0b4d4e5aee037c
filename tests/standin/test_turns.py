"""Fair turns at the simulated models: whoever asks once does not wait for all that others have asked."""

import asyncio
import json
import subprocess
import sys
from functools import partial

import aiohttp
import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.wire.formats import CALLER
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.standin.asking import SERVICE
from epistem.standin.server import make_app
from epistem.standin.turns import InTurn
from epistem.up.ports import answers, free_port
from tests.kit.lifeline import ends_with_us
from tests.kit.servers import served
from tests.kit.waiting import PATIENCE_S, wait_for

CROWD = 500
A_FEW = 50
"""First come, first served would have all of the crowd answered before."""


class TestOrder:
    def test_each_caller_has_one_turn_in_turn(self):
        line = InTurn()
        for at in range(4):
            line.add(("trial",), f"trial {at}")
        assert line.take() == "trial 0"
        line.add(("try",), "try")
        assert line.take() == "try"
        line.add(("walk",), "walk 0")
        line.add(("walk",), "walk 1")
        assert [line.take() for _ in range(5)] == [
            "walk 0",
            "trial 1",
            "walk 1",
            "trial 2",
            "trial 3",
        ]
        with pytest.raises(IndexError):
            line.take()

    @given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3)), max_size=60))
    def test_all_are_taken_once_and_those_of_one_name_in_order(self, added):
        line = InTurn()
        for number, names in enumerate(added):
            line.add(names, (names, number))
        taken = [line.take() for _ in range(len(line))]
        assert len(line) == 0
        assert sorted(number for _, number in taken) == list(range(len(added)))
        for names in set(added):
            numbers = [number for name, number in taken if name == names]
            assert numbers == sorted(numbers)

    @given(st.integers(1, 30), st.integers(0, 200), st.booleans())
    def test_a_single_call_waits_for_few_turns_however_many_callers_keep_asking(
        self, callers, before, told
    ):
        """Each of the others asks again as soon as it had its turn, with many calls at once."""

        def name(number):
            return (f"trial {number}",) if told else ("", number)

        line = InTurn()
        for number in range(callers):
            for _ in range(20):
                line.add(name(number), number)
        for _ in range(before):
            number = line.take()
            line.add(name(number), number)
        line.add(("one",), "one")
        taken = []
        while "one" not in taken:
            taken.append(line.take())
            if taken[-1] != "one":
                line.add(name(taken[-1]), taken[-1])
        assert len(taken) <= 4

    def test_of_a_crowd_that_tells_no_names_the_newest_and_the_oldest_are_heard(self):
        line = InTurn()
        for number in range(CROWD):
            line.add(("", number), number)
        line.add(("", "one"), "one")
        first = [line.take() for _ in range(8)]
        assert "one" in first
        assert 0 in first

    def test_those_who_had_a_turn_are_not_kept_waiting_by_newcomers(self):
        line, had = InTurn(), 0
        line.add(("trial",), "trial")
        line.add(("trial",), "trial")
        line.take()
        for number in range(200):
            line.add((f"try {number}",), number)
            line.add((f"try {number} too",), number)
            if line.take() == "trial":
                had += 1
                line.add(("trial",), "trial")
        assert had >= 20


BODY = {
    "model": "tern-s",
    "messages": [
        {"role": "system", "content": "Sort the note into one of: overdue, lost book, other."},
        {"role": "user", "content": "I left the atlas on the train. Please tell me what to do."},
    ],
}


@pytest.fixture(scope="module")
def service():
    """In a process of its own, as it is served: what its clients here do must not hold it up."""
    port = free_port()
    command = [sys.executable, "-m", "epistem.cli", "stand-in", f"--port={port}", "--pace=0"]
    process = subprocess.Popen(command, preexec_fn=ends_with_us())
    wait_for(lambda: answers(port), what="the stand-in")
    yield f"http://127.0.0.1:{port}"
    process.terminate()
    process.wait(PATIENCE_S)


async def _post(session, url):
    headers = {"Content-Type": "application/json"}
    at = f"{url}/v1/chat/completions"
    async with session.post(at, data=json.dumps(BODY), headers=headers) as got:
        assert got.status == 200
        await got.read()


async def _during_one(asks, asks_once, again=True):
    """How many calls of a crowd of 500, who ask `again` and again or once, are answered while one other call is under
    way: the fewest of five times, since the crowd's answers and the other's are read by one loop here."""
    answered, counts = [], []

    async def lane():
        await asks()
        answered.append(1)
        while again:
            await asks()
            answered.append(1)

    lanes = [asyncio.create_task(lane()) for _ in range(CROWD)]
    for so_many in range(20, 120, 20):
        while len(answered) < so_many:
            await asyncio.sleep(0.01)
        before = len(answered)
        await asks_once()
        counts.append(len(answered) - before)
    for each in lanes:
        each.cancel()
    await asyncio.gather(*lanes, return_exceptions=True)
    return min(counts)


@pytest.mark.parametrize("again", [True, False], ids=["who ask again", "who ask once"])
def test_one_call_among_five_hundred_in_flight_is_answered_after_a_few(service, again):
    """Nobody says who calls."""

    async def run():
        connector = aiohttp.TCPConnector(limit=0)
        timeout = aiohttp.ClientTimeout(PATIENCE_S)
        async with (
            aiohttp.ClientSession(connector=connector, timeout=timeout) as many,
            aiohttp.ClientSession(
                connector=aiohttp.TCPConnector(force_close=True), timeout=timeout
            ) as other,
        ):
            ask, ask_once = partial(_post, many, service), partial(_post, other, service)
            return await _during_one(ask, ask_once, again)

    assert asyncio.run(run()) <= A_FEW


def test_one_call_of_the_product_is_answered_while_a_trial_has_five_hundred_in_flight(service):
    endpoint = Endpoint("tern-s", service, time_limit_ms=600_000, built_in=True)
    body = json.dumps(BODY).encode()

    async def run():
        async with (
            ModelClient(in_flight=CROWD, caller="trial 12") as trial,
            ModelClient(in_flight=1) as single,
        ):
            ask = partial(trial.ask, endpoint, body)
            return await _during_one(ask, partial(single.ask, endpoint, body))

    assert asyncio.run(run()) <= A_FEW


def test_what_nobody_waits_for_any_more_is_not_worked_out():
    """Clients that give up and ask again would have it work for nobody, ever later."""
    app = make_app(pace=0)
    calls, turns = app[SERVICE].calls, app[SERVICE].turns

    async def run(url):
        async with aiohttp.ClientSession(connector=aiohttp.TCPConnector(limit=0)) as many:
            tasks = [asyncio.create_task(_post(many, url)) for _ in range(CROWD)]
            await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    with served(app) as url:
        asyncio.run(run(url))
        wait_for(lambda: not turns.waiting, what="the line to be empty")
        assert calls.total() < CROWD


def test_who_calls_is_told_to_built_in_models_alone(model_server):
    async def run():
        async with ModelClient(caller="trial 3") as client:
            for built_in in (False, True):
                endpoint = Endpoint("m", model_server.url, built_in=built_in)
                await client.ask(endpoint, b'{"messages": []}')
                await client.calling_as("walk 4").ask(endpoint, b'{"messages": []}')

    asyncio.run(run())
    wait_for(lambda: len(model_server.headers) == 4)
    assert [each.get(CALLER) for each in model_server.headers] == [None, None, "trial 3", "walk 4"]
