"""The server as it runs, with clients that send half of what they say, and a database that hangs."""

from __future__ import annotations

import json
import os
import signal
import socket
from urllib.error import HTTPError
from urllib.parse import urlsplit
from urllib.request import Request, urlopen

import pytest

from epistem.web.limits import THREADS
from tests.kit.epistem import EpistemProcess
from tests.kit.waiting import PATIENCE_S, wait_for

HALVES = [
    b"POST /api/v1/subjects HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
    b'Content-Length: 500\r\n\r\n{"name"',
    b"GET /api/v1/subjects HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Long: ",
    b"POST /api/v1/subjects HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
    b"Transfer-Encoding: chunked\r\n\r\n5\r\n{",
]


@pytest.fixture(scope="module")
def running(tmp_path_factory):
    home = tmp_path_factory.mktemp("attacked") / "home"
    started = EpistemProcess(home, "up").wait_until_up()
    yield started
    started.stop()


def asked(url: str, seconds: float = 90, **headers: str) -> tuple[int, bytes]:
    try:
        with urlopen(Request(url, headers=headers), timeout=seconds) as answer:
            return answer.status, answer.read()
    except HTTPError as error:
        return error.code, error.read()


@pytest.mark.parametrize(
    ("address", "header", "status"),
    [("/api/v1/subjects?find=" + "x" * 9_000, "", 414), ("/api/v1/subjects", "x" * 20_000, 431)],
)
def test_what_no_application_hears_of_is_a_problem_too(running, address, header, status):
    parts = urlsplit(running.url)
    with socket.create_connection((parts.hostname, parts.port), timeout=PATIENCE_S) as client:
        client.sendall(
            f"GET {address} HTTP/1.1\r\nHost: {parts.netloc}\r\nX-Long: {header}\r\n\r\n".encode()
        )
        told = b""
        while piece := client.recv(10_000):
            told += piece
    head, _, body = told.partition(b"\r\n\r\n")
    assert head.startswith(f"HTTP/1.1 {status} ".encode())
    assert b"application/problem+json" in head
    assert json.loads(body)["status"] == status


def test_half_sent_requests_hold_no_thread_for_long(running):
    """The server lets go of each by itself, has more threads than are held, and is there for others while
    clients that were let go of stay where they are."""
    parts = urlsplit(running.url)
    held = []
    try:
        for half in HALVES * (THREADS // len(HALVES) // 2):
            client = socket.create_connection((parts.hostname, parts.port), timeout=PATIENCE_S)
            client.sendall(half)
            held.append(client)
        assert asked(f"{running.url}/api/v1/health")[0] == 200
        for client in held[0 :: len(HALVES)] + held[2 :: len(HALVES)]:
            assert client.recv(10_000).startswith(b"HTTP/1.1 400")
        assert asked(f"{running.url}/api/v1/health", seconds=20)[0] == 200
        for client in held:
            while client.recv(10_000):  # what it says, and then its end
                pass
    finally:
        for client in held:
            client.close()


def test_a_page_of_another_port_is_turned_away(running):
    status, body = asked(f"{running.url}/api/v1/subjects", Origin="http://127.0.0.1:9")
    assert status == 403
    assert b"another site or port" in body
    assert asked(f"{running.url}/api/v1/subjects", Origin=running.url)[0] == 200


def test_the_folder_of_keys_is_its_owners_alone(running):
    told = json.loads(asked(f"{running.url}/api/v1/keys")[1])
    assert told["folder"] == str(running.home / "keys")
    assert os.stat(told["folder"]).st_mode & 0o777 == 0o700


def test_pages_and_health_answer_while_the_database_is_frozen(running):
    database = running.pid("mariadbd")
    os.kill(database, signal.SIGSTOP)
    try:
        assert asked(f"{running.url}/")[0] == 200
        status, body = asked(f"{running.url}/api/v1/health")
        assert status == 503
        assert "is frozen" in json.loads(body)["database"]
        status, body = asked(f"{running.url}/api/v1/subjects")
        assert status == 503
        assert "is frozen" in json.loads(body)["detail"]
        assert asked(f"{running.url}/")[0] == 200
    finally:
        os.kill(database, signal.SIGCONT)
    wait_for(lambda: asked(f"{running.url}/api/v1/health")[0] == 200)
    assert asked(f"{running.url}/api/v1/subjects")[0] == 200
