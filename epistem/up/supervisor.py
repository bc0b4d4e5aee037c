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
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import IO

from epistem.core.errors import EpistemError
from epistem.standin.profiles import profiles
from epistem.store import models
from epistem.store.database import Address, Database, Transaction
from epistem.store.migrate import migrate
from epistem.store.soundness import damaged, in_words
from epistem.up.errors import StartError
from epistem.up.mariadb import MariaDb
from epistem.up.ports import answers, free_port, listener_for_web, port_of, wait_until
from epistem.up.process import Child
from epistem.up.restarts import Restarts
from epistem.web.limits import THREADS
from epistem.work.outages import once_there

Say = Callable[[str], None]

WATCH_S = 0.5
START_S = 600.0
"""So long something may take to start that runs: a machine may be slow, or busy with much else."""
WORD_S = 20.0
"""How often one is told what is waited for."""
DATABASE = "database"

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
        self._restarts: dict[str, Restarts] = defaultdict(Restarts)
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
            self._say_what_is_damaged()
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

    def watch(self, *looks: Callable[[], None]) -> None:
        """Until Ctrl-C or SIGTERM. A process that dies is started again, and none of them ends the others; each of
        `looks` is called every now and then, and what one raises ends nothing, the others neither."""
        said = dict.fromkeys(looks, "")
        while not self._stopping:
            self._see_to(DATABASE, self._database.child)
            for name, child in list(self._children.items()):
                self._see_to(name, child)
            for look in looks:
                try:
                    look()
                except Exception as error:
                    why = error.message if isinstance(error, EpistemError) else repr(error)
                    if why != said[look]:
                        self._say(why)
                    said[look] = why
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
        """Raises StartError where it ends, or takes very long."""
        child = self._children[name]
        until = time.monotonic() + START_S
        while child.running and time.monotonic() < until:
            if wait_until(lambda: ready() or not child.running, seconds=WORD_S) and child.running:
                return
            if child.running:
                self._say(f"The {name} takes its time to start; it is waited for")
        raise StartError(
            f"The {name} did not start ({child.how_it_ended()}). The end of {child.log}:\n{child.tail(12)}"
        )

    def _see_to(self, name: str, child: Child) -> None:
        """Start it again where it stopped: at once, unless it does so over and over."""
        restarts = self._restarts[name]
        if child.running:
            return
        if not restarts.noticed:
            goes_on = "; running trials go on by themselves" if name == DATABASE else ""
            self._say_when(f"The {name} stopped ({child.how_it_ended()})", restarts, goes_on)
        if not restarts.due:
            return
        try:
            if name == DATABASE:
                self._database.start()
                self._say("The database is back.")
            else:
                self._children[name] = self._makers[name]()
        except (StartError, OSError) as error:
            self._say_when(f"The {name} could not be started: {error}", restarts)
        else:
            restarts.started()

    def _say_when(self, what: str, restarts: Restarts, goes_on: str = "") -> None:
        wait_s = restarts.stopped()
        when = f" in {wait_s:g} s, since it stops over and over" if wait_s else ""
        self._say(f"{what}. Starting it again{when}{goes_on}.")

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
            f"--timeout={START_S:.0f}",  # for which it may be starting, too
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
            "EPISTEM_KEPT_IN": str(self.home),
        }

    def _say_what_is_damaged(self) -> None:
        database = Database(self._database.address, connections=1)
        try:
            with database.transaction() as tx:
                if wrong := in_words(damaged(tx)):
                    self._say(wrong)
        finally:
            database.close()

    def _put_models(self, stand_in_port: int) -> None:
        address = f"http://127.0.0.1:{stand_in_port}"

        def put(tx: Transaction) -> None:
            for m in profiles().values():
                prices = (m.window, m.input_cents, m.output_cents)
                entry = models.Model(
                    m.name, address, None, *prices, about=m.about, policy=STAYS_HERE, built_in=True
                )
                models.put(tx, entry)

        database = Database(self._database.address, connections=1)
        try:
            once_there(lambda: database.settled(put), START_S)
        finally:
            database.close()

    def _web_answers(self) -> bool:
        try:
            with urllib.request.urlopen(f"{self.address}/api/v1/models", timeout=WORD_S) as got:
                return bool(got.status == 200)
        except OSError:
            return False

    def _on_signal(self, number: int, frame: FrameType | None) -> None:
        raise KeyboardInterrupt


@contextmanager
def home_of_its_own(home: Path) -> Iterator[None]:
    """While this lasts nothing else starts in that home. Raises StartError where something runs."""
    with (home / "up.lock").open("a+") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            message = f"Something of Epistem is being done in {home} already. Try again when that is over."
            raise StartError(message) from error
        yield


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
