"""The simulated service of bookings, in the stand-in's process at an address of its own."""

import json
import socket
import subprocess
import sys
from contextlib import contextmanager
from urllib.error import HTTPError
from urllib.request import Request, urlopen

from epistem.up.ports import answers, free_port
from tests.kit.lifeline import ends_with_us
from tests.kit.waiting import PATIENCE_S, wait_for


@contextmanager
def stand_in(bookings):
    port = free_port()
    command = [
        sys.executable,
        "-m",
        "epistem.cli",
        "stand-in",
        f"--port={port}",
        f"--bookings={bookings}",
    ]
    process = subprocess.Popen(command, preexec_fn=ends_with_us())
    try:
        wait_for(lambda: answers(port), what="the stand-in")
        yield process
    finally:
        process.terminate()
        process.wait(PATIENCE_S)


def asked(port, path, body=None):
    told = None if body is None else json.dumps(body).encode()
    request = Request(f"http://127.0.0.1:{port}{path}", told, {"Content-Type": "application/json"})
    try:
        with urlopen(request, timeout=PATIENCE_S) as answer:
            return answer.status, json.loads(answer.read())
    except HTTPError as error:
        return error.code, json.loads(error.read())


def test_it_knows_bookings_holds_seats_and_is_shared():
    port = free_port()
    with stand_in(port), stand_in(port):
        wait_for(lambda: answers(port), what="the bookings")
        status, told = asked(port, "/bookings/4821")
        assert (status, told["booking"]["state"], told["booking"]["seats"]) == (200, "not paid", 2)
        assert asked(port, "/bookings/77")[0] == asked(port, "/bookings/x")[0] == 404
        status, held = asked(port, "/holds", {"seats": 3, "time": "12:30"})
        assert (status, held["held"], held["seats"]) == (201, True, 3)
        assert asked(port, "/holds", {"seats": 99})[0] == asked(port, "/holds", {})[0] == 422
    taken = free_port()
    with socket.create_server(("127.0.0.1", taken)), stand_in(taken) as process:
        assert process.poll() is None  # it goes on without
