"""Asking addresses for tools: what is allowed, what is not followed, and what is too much."""

import asyncio
import json
import socket
from contextlib import contextmanager

import pytest
from aiohttp import web

from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.tool import HttpWork
from epistem.core.tools.addresses import Origin, origin_in
from epistem.models.keys import Keys
from epistem.reach import doors as reached
from epistem.reach import http
from epistem.reach.doors import Door, check_address
from tests.kit.servers import served


@contextmanager
def bookings(**routes):
    """A server that answers so; its address, and what it was asked."""
    asked = []

    def kept(handle):
        async def answer(request):
            asked.append(
                (request.method, request.path_qs, dict(request.headers), await request.text())
            )
            return await handle(request)

        return answer

    app = web.Application()
    for name, handle in routes.items():
        app.router.add_route("*", f"/{name}{{rest:.*}}", kept(handle))
    with served(app) as url:
        yield url, asked


def ask(address, given=None, *, inside=True, doors=None, keys=None, **more):
    does = HttpWork.from_json({"kind": "http", "address": address, **more})
    allowed = doors if doors is not None else [Door(origin_in(address), inside)]
    return asyncio.run(http.ask(does, given or {}, allowed, keys))


async def booking(request):
    return web.json_response({"booking": {"seats": 3, "boat": "Tern"}, "secret": "x"})


class TestAsking:
    def test_what_is_pointed_at_is_shown(self):
        with bookings(bookings=booking) as (url, asked):
            told = ask(
                f"{url}/bookings/{{number}}{{?full}}",
                {"number": "A 7", "full": True},
                shows=["/booking"],
            )
        assert json.loads(told) == {"seats": 3, "boat": "Tern"}
        [(method, path, headers, body)] = asked
        assert (method, path, body) == ("GET", "/bookings/A%207?full=true", "")
        assert headers["Accept-Encoding"] == "identity"

    def test_arguments_go_where_they_belong_and_a_key_as_a_header(self, tmp_path):
        with bookings(bookings=booking) as (url, asked):
            key = tmp_path / "desk"
            key.write_text(f"sesame\n{url}\n")
            key.chmod(0o600)
            ask(
                f"{url}/bookings/{{number}}",
                {"number": 7, "seats": 2},
                method="POST",
                sends="arguments",
                headers=[
                    {"name": "X-Key", "key": "file:desk"},
                    {"name": "X-Desk", "value": "north"},
                ],
                keys=Keys({}, tmp_path),
            )
        [(method, path, headers, body)] = asked
        assert (method, path, json.loads(body)) == ("POST", "/bookings/7", {"seats": 2})
        assert (headers["X-Key"], headers["X-Desk"]) == ("sesame", "north")

    def test_a_key_is_not_sent_where_its_operator_has_not_said_so(self, tmp_path):
        with bookings(bookings=booking) as (url, asked):
            (tmp_path / "desk").write_text("sesame\nhttps://elsewhere.example\n")
            (tmp_path / "desk").chmod(0o600)
            headers = [{"name": "X-Key", "key": "file:desk"}]
            with pytest.raises(InvalidInput, match="may not be sent"):
                ask(f"{url}/bookings", headers=headers, keys=Keys({}, tmp_path))
        assert asked == []


def answers(*, status=200, headers=None, body=b"", **more):
    async def handle(request):
        return web.Response(status=status, headers=headers, body=body, **more)

    return handle


async def drips(request):
    response = web.StreamResponse()
    await response.prepare(request)
    while True:
        await response.write(b"x")
        await asyncio.sleep(0.05)


async def floods(request):
    response = web.StreamResponse()
    response.enable_chunked_encoding()
    await response.prepare(request)
    for _ in range(50):
        await response.write(b"x" * 1_000_000)
    return response


async def hangs(request):
    await asyncio.sleep(60)


def sends_on(to, status=302):
    return answers(status=status, headers={"Location": to})


class TestTrouble:
    @pytest.mark.parametrize(
        ("handle", "told"),
        [
            (drips, "within 0.4 s"),
            (hangs, "within 0.4 s"),
            (floods, "too long"),
            (answers(body=b"x" * 2_000_000), "2,000,000 bytes"),
            (answers(status=503, body=b"<h1>Busy</h1>" * 9_000), "503"),
            (answers(status=404, body=b""), "404 Not Found"),
            (answers(body=b"a\0b"), "no text"),
            (answers(headers={"Content-Encoding": "gzip"}, body=b"\x1f\x8b\x08"), "packed"),
            (answers(headers={"X": "y" * 70_000}), "could not be asked"),
            (sends_on("http://127.0.0.1:1/"), "not followed"),
            (sends_on("http://169.254.169.254/keys"), "not followed"),
            (sends_on("file:///etc/passwd"), "not followed"),
            (sends_on("//evil.example/"), "not followed"),
            (sends_on("/x"), "more than 3 times"),
        ],
        ids=range(14),
    )
    def test_what_comes_of_a_server_in_trouble_is_told_in_words(self, handle, told):
        with bookings(x=handle) as (url, _), pytest.raises(EpistemError, match=told) as caught:
            ask(f"{url}/x", seconds=0.4 if handle in (drips, hangs) else 10)
        assert len(caught.value.message) < 500

    def test_it_is_followed_within_its_own_host(self):
        with bookings(x=sends_on("/y?a=1"), y=booking) as (url, asked):
            assert "Tern" in ask(f"{url}/x")
        assert [path for _, path, _, _ in asked] == ["/x", "/y?a=1"]

    def test_what_was_sent_is_not_sent_again(self):
        def refused(address):
            with pytest.raises(EpistemError, match="not sent again"):
                ask(address, method="POST")

        with bookings(x=sends_on("/y", 307), y=booking) as (url, asked):
            refused(f"{url}/x")
        assert len(asked) == 1

    def test_nobody_there(self):
        with pytest.raises(EpistemError, match="could not be asked"):
            ask("http://127.0.0.1:9/x")

    def test_a_charset_that_is_none_is_no_harm(self):
        with bookings(
            x=answers(body="é".encode(), content_type="text/plain", charset="klingon")
        ) as (url, _):
            assert ask(f"{url}/x") == "é"


class TestDoors:
    def test_what_is_not_allowed_is_not_reached(self):
        with bookings(x=booking) as (url, asked):
            origin = origin_in(url)
            for door in (
                Door(Origin("https", origin.host, origin.port), True),
                Door(Origin("http", origin.host, origin.port + 1), True),
                Door(Origin("http", "localhost", origin.port), True),
            ):
                with pytest.raises(InvalidInput, match="not among the addresses"):
                    ask(f"{url}/x", doors=[door])
        assert asked == []

    @pytest.mark.parametrize("host", ["127.0.0.1", "localhost"])
    def test_this_machine_is_reached_only_where_it_is_allowed(self, host):
        with bookings(x=booking) as (url, asked):
            address = f"{url.replace('127.0.0.1', host)}/x"
            with pytest.raises(EpistemError, match="in this machine or its network"):
                ask(address, inside=False)
            assert asked == []
            assert "Tern" in ask(address)

    @pytest.mark.parametrize(
        "numeric",
        [
            "127.0.0.1", "10.1.2.3", "192.168.1.1", "169.254.169.254", "0.0.0.0", "100.64.0.1", "224.0.0.1", "::1",
            "fe80::1%eth0", "fc00::1", "::ffff:127.0.0.1", "::ffff:10.0.0.1", "64:ff9b::7f00:1", "2002:7f00:1::",
            "255.255.255.255", "::",
        ],
    )  # fmt: skip
    def test_addresses_inside_are_known(self, numeric):
        with pytest.raises(InvalidInput, match="in this machine"):
            check_address(numeric, Door(Origin("http", "x.example", 80)))

    @pytest.mark.parametrize(
        "host", ["127.1", "2130706433", "0177.0.0.1", "0x7f.1", "0", "[::1]", "[::ffff:127.0.0.1]"]
    )
    def test_this_machine_by_another_number_is_known_too(self, host):
        with bookings(x=booking) as (url, asked):
            with pytest.raises(EpistemError, match="in this machine or its network"):
                ask(f"http://{host}:{origin_in(url).port}/x", inside=False)
            assert asked == []

    def test_one_outside_may_be_asked(self):
        check_address("93.184.216.34", Door(Origin("http", "x.example", 80)))
        check_address("2606:2800:220:1::", Door(Origin("http", "x.example", 80)))

    def test_a_name_that_stands_for_something_else_the_next_time_changes_nothing(self, monkeypatch):
        """What is checked is what is connected to: the name is looked up once."""
        with bookings(x=booking) as (url, asked):
            port = origin_in(url).port
            looked_up = []

            def getaddrinfo(host, port, *args, **more):
                looked_up.append(host)
                numeric = "93.184.216.34" if len(looked_up) == 1 else "127.0.0.1"
                return [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (numeric, port))]

            monkeypatch.setattr(reached.socket, "getaddrinfo", getaddrinfo)
            with pytest.raises(EpistemError):
                ask(f"http://boats.example:{port}/x", inside=False, seconds=0.3)
        assert looked_up == ["boats.example"]
        assert asked == []

    def test_a_name_with_one_address_inside_is_refused(self, monkeypatch):
        def getaddrinfo(host, port, *args, **more):
            return [
                (socket.AF_INET, socket.SOCK_STREAM, 6, "", (numeric, port))
                for numeric in ("93.184.216.34", "10.0.0.1")
            ]

        monkeypatch.setattr(reached.socket, "getaddrinfo", getaddrinfo)
        with pytest.raises(InvalidInput, match=r"stands for 10\.0\.0\.1"):
            ask("http://boats.example/x", inside=False)
