"""What goes wrong on the way to a model server, in words that help."""

import asyncio
import ssl
import subprocess
from datetime import UTC, datetime

import pytest
from aiohttp import web

from epistem.core.wire.stream import Piece
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import Retry
from epistem.models.trouble import CallFailed, retry_after
from epistem.up.ports import free_port
from tests.kit.model_server import completion

NOW = datetime(2026, 3, 1, 12, 0, 0, tzinfo=UTC)


def ask(url, *, stream=False, attempts=1):
    async def run():
        retry = Retry(attempts=attempts, first_s=0.01)
        async with ModelClient(retry=retry) as client:
            endpoint = Endpoint("m", url, None, 3_000)
            if not stream:
                return await client.ask(endpoint, b'{"messages": []}')
            return [item async for item in client.stream(endpoint, b'{"messages": []}')]

    return asyncio.run(run())


@pytest.mark.parametrize(
    ("headers", "seconds"),
    [
        ({"Retry-After": "7"}, 7),
        ({"Retry-After": "0.5"}, 0.5),
        ({"retry-after-ms": "250", "Retry-After": "7"}, 0.25),
        ({"Retry-After": "Sun, 01 Mar 2026 12:00:30 GMT"}, 30),
        ({"Retry-After": "Sun, 01 Mar 2026 11:00:00 GMT"}, 0),
        ({"Retry-After": "soon"}, None),
        ({"Retry-After": "-3"}, None),
        ({"Retry-After": "nan"}, None),
        ({}, None),
    ],
)
def test_how_long_to_leave_a_server_alone(headers, seconds):
    assert retry_after(headers, NOW) == seconds


@pytest.mark.parametrize("status", [200, 201, 206])
def test_any_success_is_one(model_server, status):
    model_server.script.append((status, completion("hi"), {}))
    assert ask(model_server.url).reply.text == "hi"


@pytest.mark.parametrize("status", [301, 302, 307, 308])
def test_a_redirect_names_where_it_goes(model_server, status):
    model_server.script.append((status, "", {"Location": "https://elsewhere.example/v1"}))
    with pytest.raises(CallFailed, match=r"sends on to https://elsewhere.example/v1") as caught:
        ask(model_server.url, attempts=3)
    assert (caught.value.kind, len(model_server.requests)) == ("unreachable", 1)


def test_a_proxy_in_the_environment_is_told_and_not_used(monkeypatch):
    monkeypatch.setenv("https_proxy", "http://127.0.0.1:9")
    with pytest.raises(
        CallFailed, match="names a proxy, https_proxy; model servers are asked dire"
    ):
        ask(f"http://127.0.0.1:{free_port()}")


def test_a_server_that_does_not_speak_tls(model_server):
    with pytest.raises(CallFailed, match="does not speak TLS") as caught:
        ask(model_server.url.replace("http:", "https:"), attempts=3)
    assert caught.value.trace.attempts == 1


def test_a_certificate_that_is_not_trusted(tmp_path):
    key, cert = tmp_path / "key.pem", tmp_path / "cert.pem"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", cert,
         "-days", "2", "-subj", "/CN=127.0.0.1"],
        check=True, capture_output=True,
    )  # fmt: skip
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(cert, key)

    async def run():
        runner = web.AppRunner(web.Application())
        await runner.setup()
        site = web.TCPSite(runner, "127.0.0.1", 0, ssl_context=context)
        await site.start()
        url = f"https://127.0.0.1:{runner.addresses[0][1]}"
        try:
            async with ModelClient(retry=Retry(attempts=3)) as client:
                await client.ask(Endpoint("m", url), b"{}")
        finally:
            await runner.cleanup()

    with pytest.raises(CallFailed, match=r"the certificate of https://127.0.0.1.* is not trusted"):
        asyncio.run(run())


def test_an_empty_stream_is_asked_for_once_more_whole(model_server):
    events = {"Content-Type": "text/event-stream"}
    model_server.script.append((200, "", events))
    model_server.answer = lambda body: "hello"
    piece, end = ask(model_server.url, stream=True)
    assert (piece, end.reply.text) == (Piece("content", "hello"), "hello")
    assert [body.get("stream") for body in model_server.requests] == [True, None]


@pytest.mark.parametrize("kind", ["text/plain", "application/octet-stream", "application/json"])
def test_a_stream_under_another_content_type_is_read(model_server, kind):
    told = 'data: {"choices": [{"delta": {"content": "a"}, "finish_reason": "stop"}]}\n\n'
    model_server.script.extend([(200, told, {"Content-Type": kind})] * 2)
    *pieces, end = ask(model_server.url, stream=True)
    assert (pieces, end.reply.text) == ([Piece("content", "a")], "a")
    assert ask(model_server.url).reply.text == "a"  # and where no stream was asked for


def test_a_whole_answer_that_says_it_is_a_stream_is_read(model_server):
    model_server.script.append((200, completion("a"), {"Content-Type": "text/event-stream"}))
    assert ask(model_server.url, stream=True)[-1].reply.text == "a"
