"""Faults on demand, and what the client of the product makes of them."""

import asyncio
import json
from http.client import IncompleteRead, RemoteDisconnected
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest

from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import Retry
from epistem.standin.faults import HEADER
from epistem.standin.server import make_app
from tests.kit.servers import served
from tests.kit.waiting import PATIENCE_S
from tests.standin.test_service import request


@pytest.fixture
def url():
    """One of its own, since a seed's count goes on from request to request."""
    with served(make_app(pace=0)) as url:
        yield url


def ask(url, fault, **more):
    """(status, headers, text) of the answer."""
    headers = {HEADER: fault}
    body = json.dumps(request("When do you open?", seed=1, **more)).encode()
    try:
        with urlopen(
            Request(f"{url}/v1/chat/completions", body, headers), timeout=PATIENCE_S
        ) as answer:
            return answer.status, answer.headers, answer.read().decode()
    except HTTPError as error:
        return error.code, error.headers, error.read().decode()


@pytest.mark.parametrize(
    ("status", "code"),
    [
        (401, "invalid_api_key"),
        (429, "rate_limit_exceeded"),
        (500, "internal_error"),
        (503, "overloaded"),
    ],
)
def test_an_error_answer_in_the_usual_shape(url, status, code):
    found, headers, text = ask(url, f"status={status}, retry_after=2")
    assert found == status
    assert json.loads(text)["error"]["code"] == code
    assert headers["Retry-After"] == "2"


def test_a_rate_with_a_seed_hits_the_same_requests_every_time():
    def hit():
        with served(make_app(pace=0)) as url:
            return [ask(url, "status=503, rate=0.3, seed=7")[0] for _ in range(60)]

    first = hit()
    assert first == hit()
    assert 8 <= first.count(503) <= 28
    assert set(first) == {200, 503}


def test_a_connection_that_is_cut(url):
    with pytest.raises((RemoteDisconnected, ConnectionError)):
        ask(url, "drop=1")


def test_json_that_ends_half_way(url):
    status, _, text = ask(url, "cut=1")
    assert status == 200
    with pytest.raises(ValueError, match=r"Unterminated|Expecting"):
        json.loads(text)


def test_a_page_where_json_should_be(url):
    status, headers, text = ask(url, "html=1")
    assert (status, headers["Content-Type"].split(";")[0]) == (200, "text/html")
    assert text.startswith("<html>")


def test_a_stream_that_ends_half_way_has_no_end_mark(url):
    assert "[DONE]" in ask(url, "slow=0", stream=True)[2]
    with pytest.raises(IncompleteRead) as caught:
        ask(url, "cut=1", stream=True)
    assert caught.value.partial.startswith(b"data: ")
    assert b"[DONE]" not in caught.value.partial


@pytest.mark.parametrize(("fault", "seconds"), [("slow=300", 0.3), ("stall=1200", 1.2)])
def test_waits_are_waited(url, fault, seconds, monkeypatch):
    waited, sleep = [], asyncio.sleep

    async def note(delay: float) -> None:
        waited.append(delay)
        await sleep(0)

    monkeypatch.setattr("asyncio.sleep", note)
    assert "[DONE]" in ask(url, fault, stream=True)[2]
    assert waited == [seconds]


@pytest.mark.parametrize(
    "fault",
    [
        "status",
        "status=200",
        "status=abc",
        "fire=1",
        "rate=0.5",
        "status=503, rate=2",
        "drop=1, cut=1",
    ],
)
def test_a_header_that_cannot_be_read_is_refused_by_name(url, fault):
    status, _, text = ask(url, fault)
    assert status == 400
    assert json.loads(text)["error"]["param"] == HEADER


def test_the_products_client_gets_through_what_passes(url):
    """A third of the calls fail in one way or another, and every answer comes all the same."""
    retry = Retry(attempts=8, first_s=0.001, most_s=0.01)

    async def run() -> list[int]:
        async with ModelClient(retry=retry) as client:
            endpoint = Endpoint("tern-s", url)
            headers, _ = client._headers_for(endpoint)
            attempts = []
            for fault in ("status=503", "drop=1", "cut=1", "html=1"):
                headers[HEADER] = f"{fault}, rate=0.33, seed=3"
                for seed in range(15):
                    body = json.dumps(request("When do you open?", seed=seed)).encode()
                    exchange = await client.ask(endpoint, body)
                    assert exchange.reply.finish_reason == "stop"
                    attempts.append(exchange.trace.attempts)
            return attempts

    attempts = asyncio.run(run())
    assert len(attempts) == 60
    assert sum(attempts) > 70
