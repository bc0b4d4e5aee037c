"""Streams from a model server: as they come, retried while nothing has come, ended when not wanted."""

import asyncio
import random
import socket
from contextlib import suppress
from threading import Thread

import pytest

from epistem.core.wire.stream import Piece
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import Retry
from epistem.models.sending import Streamed
from epistem.models.trouble import CallFailed
from tests.core.test_stream import WHOLE, chunk, stream

QUICK = Retry(attempts=3, first_s=0.01, most_s=0.05)
EVENTS = {"Content-Type": "text/event-stream"}


def read(url, *, time_limit_ms=5_000):
    async def run():
        async with ModelClient(retry=QUICK, rng=random.Random(1)) as client:
            endpoint = Endpoint("tern-s", url, None, time_limit_ms)
            return [item async for item in client.stream(endpoint, b'{"messages": []}')]

    return asyncio.run(run())


def test_pieces_come_one_by_one_and_the_whole_at_the_end(model_server):
    model_server.script.append((200, WHOLE.decode(), EVENTS))
    *pieces, end = read(model_server.url)
    assert [piece.kind for piece in pieces] == ["reasoning", "content", "content"]
    assert isinstance(end, Streamed)
    assert end.reply.text == "Yes – at ten 😀"
    assert 0 < end.first_ms <= end.trace.total_ms


def test_a_server_that_answers_whole_all_the_same_is_read(model_server):
    model_server.answer = lambda body: "hello"
    piece, end = read(model_server.url)
    assert piece == Piece("content", "hello")
    assert end.reply.usage.input_tokens == 10


def test_what_fails_before_the_first_piece_is_tried_again(model_server):
    model_server.script.extend([(503, "busy", {}), "drop", (200, WHOLE.decode(), EVENTS)])
    assert read(model_server.url)[-1].trace.attempts == 3


def test_what_breaks_off_in_the_middle_is_not(model_server):
    half = stream(chunk({"content": "half"}), end=b"").decode()
    model_server.script.append((200, half, EVENTS))
    with pytest.raises(CallFailed, match="broke off before the answer was over"):
        read(model_server.url)
    assert len(model_server.requests) == 1


@pytest.mark.parametrize(
    ("script", "says"),
    [
        ((404, '{"error": {"message": "no such model"}}', {}), "answered 404: no such model"),
        ((200, "<html>", {"Content-Type": "text/html"}), "not JSON"),
        ((200, "data: {oops\n\n", EVENTS), "not JSON"),
    ],
)
def test_a_refusal_says_why(model_server, script, says):
    model_server.script.extend([script] * 3)
    with pytest.raises(CallFailed, match=says):
        read(model_server.url)


def test_the_time_limit_holds_for_streams_too(model_server):
    model_server.delay_s = 5
    with pytest.raises(CallFailed, match=r"within 0\.05 s"):
        read(model_server.url, time_limit_ms=50)


def test_the_stand_in_streams_what_it_answers_whole(stand_in):
    body = b'{"model": "auk-think", "seed": 3, "messages": [{"role": "user", "content": "Hello, who are you?"}]'

    async def both():
        async with ModelClient(retry=QUICK) as client:
            endpoint = Endpoint("auk-think", stand_in)
            whole = await client.ask(endpoint, body + b"}")
            more = b', "stream": true, "stream_options": {"include_usage": true}}'
            return whole.reply, [item async for item in client.stream(endpoint, body + more)][
                -1
            ].reply

    whole, streamed = asyncio.run(both())
    assert streamed == whole
    assert streamed.reasoning


class Raw:
    """A server that sends these bytes as its answer, as they are, and then does this with the connection."""

    def __init__(self, told, then="close"):
        self.told, self.then, self.asked = told, then, 0

    def __enter__(self):
        self.socket = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self.socket.getsockname()[1]}"
        self.thread = Thread(target=self.serve, daemon=True)
        self.thread.start()
        return self

    def serve(self):
        self.open = []
        while True:
            try:
                there, _ = self.socket.accept()
            except OSError:
                return
            self.open.append(there)
            if self.then == "silent":
                continue
            there.recv(100_000)
            self.asked += 1
            with suppress(OSError):
                there.sendall(b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n" + self.told)
            if self.then == "close":
                there.close()

    def __exit__(self, *error):
        self.socket.close()
        for each in self.open:
            each.close()


CHUNKED = b"Transfer-Encoding: chunked\r\n\r\n"


def chunked(data):
    return CHUNKED + b"%x\r\n%b\r\n" % (len(data), data)


def test_a_connection_that_breaks_after_the_answer_does_not_undo_it():
    with Raw(chunked(WHOLE.replace(b"data: [DONE]\n\n", b""))) as server:
        assert read(server.url)[-1].reply.text == "Yes – at ten 😀"
        assert server.asked == 1


def test_nothing_is_waited_for_after_the_end_of_a_stream():
    with Raw(chunked(WHOLE), then="stay") as server:
        end = read(server.url, time_limit_ms=3_600_000)[-1]
        assert end.reply.text == "Yes – at ten 😀"


def test_the_bytes_of_a_stream_that_broke_off_are_there():
    half = stream(chunk({"content": "half"}), end=b"")
    with Raw(chunked(half)) as server, pytest.raises(CallFailed) as failed:
        read(server.url)
    assert failed.value.raw == half


def test_a_stream_of_blanks_is_let_go_of():
    blanks = pytest.raises(CallFailed, match="nothing but blanks")
    with Raw(chunked(b" \n" * 4_000_000), then="stay") as server, blanks:
        read(server.url, time_limit_ms=3_600_000)


def test_https_to_a_server_that_does_not_speak_it_is_told(monkeypatch):
    monkeypatch.setattr("epistem.models.sending.CONNECT_S", 0.3)
    with Raw(b"", then="silent") as server, pytest.raises(CallFailed, match="begin with http://"):
        read(server.url.replace("http://", "https://"), time_limit_ms=3_600_000)
