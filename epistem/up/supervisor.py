"""Start everything, watch it, restart what dies, and end it all on Ctrl-C."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import signal
import socket
import sys
import time
import urllib.request
from collections import deque
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import IO

from epistem.standin.profiles import profiles
from epistem.store import models
from epistem.store.database import Address, Database
from epistem.store.migrate import migrate
from epistem.up.errors import StartError
from epistem.up.mariadb import MariaDb
from epistem.up.ports import answers, free_port, listener_for_web, port_of, wait_until
from epistem.up.process import Child
from epistem.web.limits import THREADS

Say = Callable[[str], None]

RESTARTS = 5
RESTART_WINDOW_S = 60.0
WATCH_S = 0.5


STAYS_HERE = "Nothing leaves this machine."


class Supervisor:
    """Owns the folder `home` while it runs: one supervisor a folder."""

    def __init__(self, home: Path, *, port: int | None, say: Say, pace: float = 1.0) -> None:
        self.home = home.resolve()
        self._asked_port = port
        self._say = say
        self._pace = pace
        self._lock: IO[str] | None = None
        self._database = MariaDb(self.home / "mariadb")
        self._children: dict[str, Child] = {}
        self._makers: dict[str, Callable[[], Child]] = {}
        self._restarts: dict[str, deque[float]] = {}
        self._stopping = False
        self._listener: socket.socket | None = None
        self.web_port = self.bookings_port = 0

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.web_port}"

    @property
    def bookings_address(self) -> str:
        """Of the simulated service of bookings."""
        return f"http://127.0.0.1:{self.bookings_port}"

    @property
    def database_address(self) -> Address:
        return self._database.address

    def start(self, *, reset: bool = False) -> None:
        """Raises StartError, with everything that was started ended again."""
        self.home.mkdir(parents=True, exist_ok=True)
        (self.home / "keys").mkdir(mode=0o700, exist_ok=True)
        self._take_lock()
        for number in (
            signal.SIGTERM,
            signal.SIGINT,
        ):  # INT is off in what a shell starts behind it
            signal.signal(number, self._on_signal)
        try:
            self._listener = listener_for_web(self._asked_port, self._say)
            self.web_port = port_of(self._listener)
            if reset:
                self._say("Starting afresh: the old data is removed")
                shutil.rmtree(self.home / "mariadb", ignore_errors=True)
            stand_in_port, self.bookings_port = free_port(), self._kept_port("bookings")
            self._run("stand-in", lambda: self._stand_in(stand_in_port))
            self._say("Starting the database")
            self._database.start()
            applied = migrate(self._database.address)
            if applied:
                self._say(f"Applied {len(applied)} migrations")
            self._put_models(stand_in_port)
            self._say("Starting the runner, the stand-in models and the web server")
            self._run("runner", self._runner)
            self._run("web server", self._web)
            self._wait_for("stand-in", lambda: answers(stand_in_port))
            self._wait_for("web server", self._web_answers)
            self._write_state()
        except BaseException:
            self.stop()
            raise

    def watch(self) -> None:
        """Until Ctrl-C or SIGTERM; a process that dies is started again."""
        while not self._stopping:
            if not self._database.child.running:
                self._restart_database()
            for name, child in list(self._children.items()):
                if not child.running:
                    self._restart(name, child)
            time.sleep(WATCH_S)

    def stop(self) -> None:
        """End everything, the database last."""
        self._stopping = True
        if self._listener is not None:
            self._listener.close()
        for name in ("web server", "runner", "stand-in"):
            if name in self._children:
                self._children[name].stop(seconds=8)
        self._database.stop()
        if self._lock is not None:
            self._lock.seek(0)
            self._lock.truncate()
            self._lock.close()
            self._lock = None

    def _take_lock(self) -> None:
        """One supervisor a folder. What a dead one left in the file is only worth a remark."""
        lock = (self.home / "up.lock").open("a+")
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            lock.seek(0)
            told = _state_of(lock.read())
            where = f" at {told['address']}" if told else ""
            pid = f" (pid {told['pid']})" if told else ""
            raise StartError(
                f"Epistem is running already{where}{pid}. Stop that one with Ctrl-C first."
            ) from error
        lock.seek(0)
        told = _state_of(lock.read())
        if told:
            self._say(
                f"The last run (pid {told['pid']}) ended without cleaning up; that is done now."
            )
        lock.truncate(0)
        self._lock = lock

    def _write_state(self) -> None:
        assert self._lock is not None
        self._lock.write(
            json.dumps(
                {"pid": os.getpid(), "address": self.address, "database_port": self._database.port}
            )
        )
        self._lock.flush()

    def _run(self, name: str, make: Callable[[], Child]) -> None:
        self._makers[name] = make
        self._children[name] = make()

    def _wait_for(self, name: str, ready: Callable[[], bool]) -> None:
        child = self._children[name]
        wait_until(lambda: ready() or not child.running, seconds=60)
        if not child.running or not ready():
            raise StartError(
                f"The {name} did not start ({child.how_it_ended()}). The end of {child.log}:\n{child.tail(12)}"
            )

    def _restart(self, name: str, child: Child) -> None:
        self._say(f"The {name} stopped ({child.how_it_ended()}). Starting it again.")
        self._count_restart(name, child)
        self._children[name] = self._makers[name]()

    def _restart_database(self) -> None:
        child = self._database.child
        self._say(
            f"The database stopped ({child.how_it_ended()}). Starting it again; running trials go on by themselves."
        )
        self._count_restart("database", child)
        self._database.start()
        self._say("The database is back.")

    def _count_restart(self, name: str, child: Child) -> None:
        times = self._restarts.setdefault(name, deque(maxlen=RESTARTS))
        times.append(time.monotonic())
        if len(times) == RESTARTS and times[-1] - times[0] < RESTART_WINDOW_S:
            raise StartError(
                f"The {name} stopped {RESTARTS} times within a minute, so it is left alone. "
                f"The end of {child.log}:\n{child.tail(12)}"
            )

    def _stand_in(self, port: int) -> Child:
        told = (f"--port={port}", f"--pace={self._pace}", f"--bookings={self.bookings_port}")
        return self._epistem("stand-in", "stand-in", *told)

    def _kept_port(self, name: str) -> int:
        """The same each time if it can be had: addresses with it are kept in tools. It is shared with another Epistem
        of this machine that has a copy of the same data."""
        file = self.home / f"{name}.port"
        try:
            port = int(file.read_text())
            with socket.socket() as tried:
                tried.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEPORT, 1)
                tried.bind(("127.0.0.1", port))
        except (OSError, ValueError, OverflowError):
            port = free_port()
            file.write_text(str(port))
        return port

    def _runner(self) -> Child:
        return self._epistem("runner", "runner")

    def _web(self) -> Child:
        """Whoever comes while it starts again waits at the socket, which is ours."""
        assert self._listener is not None
        held = self._listener.fileno()
        command = [
            sys.executable, "-m", "gunicorn", "epistem.web.app:from_environment()",
            f"--bind=fd://{held}", "--workers=1", "--worker-class=epistem.web.worker.Worker",
            f"--threads={THREADS}", "--graceful-timeout=2", "--no-control-socket", "--log-level=warning",
        ]  # fmt: skip
        log, environment = self.home / "logs" / "web.log", self._environment()
        return Child("web server", command, log, env=environment, keeps=[held])

    def _epistem(self, name: str, *arguments: str) -> Child:
        command = [sys.executable, "-m", "epistem.cli", *arguments]
        return Child(name, command, self.home / "logs" / f"{name}.log", env=self._environment())

    def _environment(self) -> dict[str, str]:
        if not (self._database.folder / "password").exists():
            return {}
        return {
            "EPISTEM_DATABASE_URL": self._database.address.to_url(),
            "EPISTEM_KEYS": str(self.home / "keys"),
        }

    def _put_models(self, stand_in_port: int) -> None:
        database = Database(self._database.address, connections=1)
        address = f"http://127.0.0.1:{stand_in_port}"
        with database.transaction() as tx:
            for m in profiles().values():
                prices = (m.window, m.input_cents, m.output_cents)
                entry = models.Model(
                    m.name, address, None, *prices, about=m.about, policy=STAYS_HERE, built_in=True
                )
                models.put(tx, entry)
        database.close()

    def _web_answers(self) -> bool:
        try:
            with urllib.request.urlopen(f"{self.address}/api/v1/models", timeout=2) as got:
                return bool(got.status == 200)
        except OSError:
            return False

    def _on_signal(self, number: int, frame: FrameType | None) -> None:
        raise KeyboardInterrupt


def running_database(home: Path) -> Address:
    """The database of the Epistem that runs in `home`. Raises StartError if none does."""
    try:
        told = _state_of((home / "up.lock").read_text())
        password = (home / "mariadb" / "password").read_text().strip()
    except OSError:
        told = None
    if not told or not answers(told["database_port"]):
        raise StartError(
            f"Epistem is not running in {home}. Start it in another terminal: epistem up"
        )
    return Address("127.0.0.1", told["database_port"], "epistem", password)


def _state_of(text: str) -> dict[str, int] | None:
    try:
        told = json.loads(text)
    except ValueError:
        return None
    return (
        told
        if isinstance(told, dict) and {"pid", "address", "database_port"} <= set(told)
        else None
    )
