"""Children that are ended: in time, with their parent, and one after the other replaced."""

import os
import signal
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from epistem.confined.pool import NotDone, Pool, TookTooLong
from tests.kit.waiting import PATIENCE_S, wait_for


@pytest.fixture
def pool():
    made = Pool("tests.confined.parrot", 3)
    yield made
    made.let_go()


def ask(pool, said, seconds=PATIENCE_S):
    return pool.call(said.encode(), seconds=seconds).decode()


def pid_of(told):
    return int(told.split()[0])


def is_there(pid):
    try:
        return Path(f"/proc/{pid}/stat").read_text().split()[2] != "Z"
    except OSError:
        return False


class TestPool:
    def test_a_child_is_asked_again_and_again(self, pool):
        first = ask(pool, "a")
        assert first.endswith(" a")
        assert pid_of(ask(pool, "b")) == pid_of(first)

    def test_one_that_takes_too_long_is_ended_and_the_next_is_served(self, pool):
        before = pid_of(ask(pool, "a"))
        with pytest.raises(TookTooLong):
            ask(pool, "sleep", 0.1)
        assert not is_there(before)
        assert pid_of(ask(pool, "b")) != before

    def test_one_that_dies_over_what_it_is_asked_is_told(self, pool):
        with pytest.raises(NotDone):
            ask(pool, "die")
        ask(pool, "a")
        with pytest.raises(NotDone):
            ask(pool, "die")

    def test_one_that_was_killed_while_it_was_idle_is_replaced(self, pool):
        os.kill(pid_of(ask(pool, "a")), signal.SIGKILL)
        assert ask(pool, "b").endswith(" b")

    def test_it_has_so_much_memory(self, pool):
        assert ask(pool, "fill") == "no memory"

    def test_many_threads_ask_at_once(self, pool):
        with ThreadPoolExecutor(12) as threads:
            told = list(threads.map(lambda n: ask(pool, f"n{n}"), range(60)))
        assert [each.split()[1] for each in told] == [f"n{n}" for n in range(60)]

    def test_children_end_with_a_parent_that_is_killed_while_they_work(self):
        code = (
            "from threading import Thread\n"
            "from epistem.confined.pool import Pool\n"
            "pool = Pool('tests.confined.parrot', 1)\n"
            "print(pool.call(b'a', seconds=600).decode(), flush=True)\n"
            "pool.call(b'sleep', seconds=600)\n"
        )
        parent = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
        child = pid_of(parent.stdout.readline())
        parent.kill()
        parent.wait()
        parent.stdout.close()
        wait_for(lambda: not is_there(child), what="the child to end")
