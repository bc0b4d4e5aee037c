import asyncio
import random

import pytest

from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import Retry
from epistem.models.sending import MAX_REPLY_BYTES
from epistem.models.trouble import CallFailed
from epistem.up.ports import free_port
from tests.kit.model_server import completion

QUICK = Retry(attempts=3, first_s=0.01, most_s=0.05)


def ask(url, *, retry=QUICK, key=None, time_limit_ms=5_000, waits=None):
    """One call; `waits` collects what it slept between attempts."""

    async def sleep(seconds: float) -> None:
        if waits is not None:
            waits.append(seconds)

    async def run():
        async with ModelClient(retry=retry, rng=random.Random(1), sleep=sleep) as client:
            return await client.ask(
                Endpoint("tern-s", url, key, time_limit_ms), b'{"messages": []}'
            )

    return asyncio.run(run())


class TestAnswers:
    def test_the_reply_and_its_bytes_are_kept(self, model_server):
        model_server.answer = lambda body: "hello"
        exchange = ask(model_server.url)
        assert exchange.reply.text == "hello"
        assert b'"made-up-1"' in exchange.raw
        assert exchange.trace.attempts == 1
        assert exchange.trace.total_ms > 0

    def test_a_slash_at_the_end_of_the_address_does_no_harm(self, model_server):
        assert ask(model_server.url + "/").reply.finish_reason == "stop"

    def test_a_key_is_sent_and_only_its_reference_is_kept(self, model_server, monkeypatch):
        monkeypatch.setenv("EPISTEM_KEY_SOME", "secret-1")
        monkeypatch.setenv("EPISTEM_KEY_SOME_FOR", model_server.url)
        ask(model_server.url, key="env:EPISTEM_KEY_SOME")
        assert model_server.headers[0]["Authorization"] == "Bearer secret-1"


class TestRetries:
    @pytest.mark.parametrize("status", [429, 500, 503])
    def test_a_transient_failure_is_tried_again(self, model_server, status):
        model_server.script.extend([(status, "busy", {})] * 2)
        exchange = ask(model_server.url)
        assert exchange.trace.attempts == 3
        assert len(model_server.requests) == 3

    def test_a_cut_connection_and_a_broken_reply_are_tried_again(self, model_server):
        model_server.script.extend(["drop", (200, '{"choices": [', {})])
        assert ask(model_server.url).trace.attempts == 3

    @pytest.mark.parametrize("status", [400, 401, 404])
    def test_what_would_fail_again_is_not(self, model_server, status):
        model_server.script.append((status, {"error": {"message": "no such model"}}, {}))
        with pytest.raises(CallFailed) as caught:
            ask(model_server.url)
        assert caught.value.message == f"tern-s answered {status}: no such model"
        assert len(model_server.requests) == 1

    def test_when_attempts_are_used_up_the_last_reply_is_kept(self, model_server):
        model_server.script.extend([(503, "try later", {})] * 3)
        with pytest.raises(CallFailed, match="503: try later Tried 3 times") as caught:
            ask(model_server.url)
        assert caught.value.raw == b"try later"
        assert caught.value.trace.attempts == 3

    def test_a_server_that_is_down_names_the_model_and_the_address(self):
        url = f"http://127.0.0.1:{free_port()}"
        with pytest.raises(CallFailed, match=f"tern-s can't be reached at {url}") as caught:
            ask(url)
        assert caught.value.field == "model"
        assert "Is the model server running?" in caught.value.message

    def test_a_slow_one_is_given_up_at_the_limit(self, model_server):
        model_server.delay_s = 5
        with pytest.raises(CallFailed, match=r"did not answer within 0\.1 s"):
            ask(model_server.url, time_limit_ms=100, retry=Retry(attempts=1))

    def test_a_redirect_is_not_followed(self, model_server):
        model_server.script.append((302, "", {"Location": "http://127.0.0.1:9/elsewhere"}))
        with pytest.raises(CallFailed, match="answered 302"):
            ask(model_server.url)

    def test_an_endless_reply_is_not_read_to_the_end(self, model_server):
        model_server.script.append((200, completion("x" * (MAX_REPLY_BYTES + 1)), {}))
        with pytest.raises(CallFailed, match="longer than 12,000,000 bytes"):
            ask(model_server.url)
        assert len(model_server.requests) == 1

    def test_waits_follow_the_servers_own_wish(self, model_server):
        model_server.script.append((429, "slow down", {"Retry-After": "7"}))
        waits: list[float] = []
        ask(model_server.url, retry=Retry(attempts=2, first_s=0.01, most_s=20), waits=waits)
        assert waits[0] == 7.0  # by this clock, which stands still, the model is left alone, too


class TestWaits:
    def test_they_grow_by_doubling_up_to_the_most_with_half_of_each_drawn(self):
        retry, rng = Retry(first_s=1, most_s=8), random.Random(3)
        for attempt, full in [(1, 1), (2, 2), (3, 4), (4, 8), (9, 8)]:
            drawn = [retry.wait_s(attempt, None, rng) for _ in range(300)]
            assert full / 2 <= min(drawn) < full * 0.55
            assert full * 0.95 < max(drawn) <= full

    def test_a_wish_beyond_the_most_is_held_to_it(self):
        assert Retry(most_s=5).wait_s(1, 3_600, random.Random(1)) == 5


def test_who_may_not_ask_any_more_when_it_is_its_turn_sends_nothing(model_server):
    class GivenUp(Exception):
        pass

    async def may_ask():
        raise GivenUp

    async def run():
        async with ModelClient(may_ask=may_ask) as client:
            with pytest.raises(GivenUp):
                await client.ask(Endpoint("m", model_server.url), b"{}")
            assert client._paces["m"].going == 0

    asyncio.run(run())
    assert model_server.requests == []
