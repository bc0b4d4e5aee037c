import os
import signal
import socket
import subprocess
import sys
import textwrap
from concurrent.futures import ThreadPoolExecutor

import pytest

from epistem.store.database import Address, StoreError
from epistem.up.errors import StartError
from epistem.up.mariadb import MariaDb
from epistem.up.ports import free_port, listener_for_web, port_of
from epistem.up.process import Child
from epistem.up.supervisor import running_database
from tests.kit.waiting import PATIENCE_S, wait_for


@pytest.fixture
def taken():
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        listener.listen()
        yield listener.getsockname()[1]


class TestPorts:
    def test_a_taken_port_that_was_asked_for_is_refused_with_what_to_do(self, taken):
        with pytest.raises(
            StartError, match=f"Port {taken} is taken by another program. Leave PORT out"
        ):
            listener_for_web(taken, lambda line: None)

    def test_who_starts_at_once_never_chooses_the_same(self, monkeypatch):
        usual = free_port()
        monkeypatch.setattr("epistem.up.ports.USUAL_PORT", usual)
        told: list[str] = []
        with ThreadPoolExecutor(8) as threads:
            held = list(threads.map(lambda _: listener_for_web(None, told.append), range(8)))
        ports = {port_of(each) for each in held}
        for each in held:
            each.close()
        assert len(ports) == 8
        assert min(ports) == usual
        assert len(told) == 7
        assert told[0].startswith(f"Port {usual} is taken, so this is on ")


class TestChild:
    def python(self, tmp_path, code, **options):
        return Child(
            "child", [sys.executable, "-c", textwrap.dedent(code)], tmp_path / "log", **options
        )

    def test_its_output_is_kept_and_its_end_told(self, tmp_path):
        child = self.python(tmp_path, "print('one'); print('two'); raise SystemExit(3)")
        wait_for(lambda: not child.running)
        assert child.how_it_ended() == "exit code 3"
        assert child.tail(1) == "two"

    def test_it_is_asked_kindly_then_killed(self, tmp_path):
        code = """
            import signal, time
            signal.signal(signal.SIGTERM, signal.SIG_IGN)
            print("ready", flush=True)
            time.sleep(60)
        """
        child = self.python(tmp_path, code)
        wait_for(lambda: child.tail() == "ready")
        child.stop(seconds=0.2)
        assert child.how_it_ended() == "killed by signal 9"

    def test_it_ends_with_the_process_that_started_it_however_that_ends(self, tmp_path):
        code = f"""
            import sys, time
            from pathlib import Path
            from epistem.up.process import Child
            child = Child("c", [sys.executable, "-c", "import time; time.sleep(60)"], Path({str(tmp_path / "log")!r}))
            print(child.pid, flush=True)
            time.sleep(60)
        """
        parent = subprocess.Popen(
            [sys.executable, "-c", textwrap.dedent(code)], stdout=subprocess.PIPE, text=True
        )
        assert parent.stdout is not None
        pid = int(parent.stdout.readline())
        parent.send_signal(signal.SIGKILL)
        parent.wait(PATIENCE_S)

        def gone():
            try:
                os.kill(pid, 0)
            except ProcessLookupError:
                return True
            with open(f"/proc/{pid}/stat") as stat:
                return stat.read().rsplit(")", 1)[1].split()[0] == "Z"

        wait_for(gone, what="the child to end")


def test_one_whose_parent_ended_while_it_was_being_set_up_ends_too():
    """It hears of another parent then, so it has to be told which it was."""
    gone = subprocess.Popen(["true"])
    gone.wait(PATIENCE_S)
    code = f"""
        import time
        from epistem.runner.lifeline import die_with_parent
        die_with_parent({gone.pid})
        time.sleep(60)
    """
    assert (
        subprocess.run([sys.executable, "-c", textwrap.dedent(code)], timeout=PATIENCE_S).returncode
        == -signal.SIGKILL
    )


class TestMariaDb:
    def test_a_server_that_a_killed_start_left_behind_is_ended_first(self, tmp_path):
        first = MariaDb(tmp_path / "db", durable=False)
        first.start()
        second = MariaDb(tmp_path / "db", durable=False)
        second.start()
        assert not first.child.running
        assert second.child.running
        second.stop()
        assert not second.child.running

    def test_a_pid_that_belongs_to_another_program_is_left_alone(self, tmp_path):
        folder = tmp_path / "db"
        folder.mkdir()
        other = subprocess.Popen(["sleep", "60"])
        (folder / "pid").write_text(str(other.pid))
        server = MariaDb(folder, durable=False)
        server.start()
        assert other.poll() is None
        other.kill()
        other.wait(PATIENCE_S)
        server.stop()

    def test_its_password_is_private_and_nobody_else_gets_in(self, address, tmp_path):
        server = MariaDb(tmp_path / "db", durable=False)
        server.start()
        assert (server.folder / "password").stat().st_mode & 0o077 == 0
        for user, password in (("root", ""), ("epistem", "guess")):
            stranger = Address("127.0.0.1", server.port, user, password, "mysql")
            with pytest.raises(StoreError, match="refused"):
                stranger.connect()
        server.stop()


def test_without_a_running_epistem_the_command_says_how_to_start_one(tmp_path):
    with pytest.raises(StartError, match="epistem up"):
        running_database(tmp_path)
