"""A MariaDB server of one's own: on loopback, with its own data folder and a free port."""

from __future__ import annotations

import os
import secrets
import shutil
import signal
from contextlib import suppress
from pathlib import Path

from epistem.core.errors import EpistemError
from epistem.store.database import Address
from epistem.up.errors import StartError
from epistem.up.ports import free_port, wait_until
from epistem.up.process import Child, run_quietly

USER = "epistem"
START_SECONDS = 600
"""So long it may take while it runs: a machine may be slow, or there is much to recover."""


class MariaDb:
    """`folder` holds its data, log and password. Nobody else can log in, root included."""

    def __init__(
        self, folder: Path, *, port: int | None = None, durable: bool = True, filling: bool = False
    ) -> None:
        """`durable=False` is for tests: a commit is then not flushed to the disk at once. Nor is it while it is
        `filling`, of which nothing is kept that is not whole; there are larger packets then."""
        self.folder = folder.resolve()
        self.port = port or free_port()
        self._durable, self._filling = durable and not filling, filling
        self._child: Child | None = None

    @property
    def address(self) -> Address:
        password = (self.folder / "password").read_text("ascii").strip()
        return Address("127.0.0.1", self.port, USER, password)

    @property
    def child(self) -> Child:
        assert self._child is not None, "start it first"
        return self._child

    def start(self) -> None:
        """Make the data folder if there is none, start, and wait until it lets us in."""
        server = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
        if not Path(server).exists():
            raise StartError(
                "MariaDB is not installed. Run: sudo apt-get install --no-install-recommends mariadb-server"
            )
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        _end_left_over(self.folder)
        self._install()
        self._child = Child(
            "database",
            [
                server,
                "--no-defaults",
                f"--datadir={self.folder / 'data'}",
                f"--port={self.port}",
                "--bind-address=127.0.0.1",
                "--socket=local.sock",  # inside the data folder, so that its path stays short
                f"--pid-file={self.folder / 'pid'}",
                f"--tmpdir={self._own_tmp()}",
                f"--init-file={self._login_file()}",
                "--skip-name-resolve",
                "--skip-log-bin",
                "--performance-schema=OFF",
                "--character-set-server=utf8mb4",
                "--innodb-buffer-pool-size=256M",
                f"--max-allowed-packet={'1G' if self._filling else '64M'}",
                "--max-connections=200",
                f"--innodb-flush-log-at-trx-commit={1 if self._durable else 2}",
                *_user(),
            ],
            self.folder / "log",
        )
        wait_until(lambda: self._lets_us_in() or not self.child.running, seconds=START_SECONDS)
        if not self._lets_us_in():
            how = self.child.how_it_ended()
            tail = self.child.tail()
            self.child.stop()
            raise StartError(f"The database did not start ({how}). The end of its log:\n{tail}")

    def stop(self) -> None:
        if self._child is not None:
            self._child.stop(seconds=20)
        with suppress(FileNotFoundError):
            (self.folder / "init.sql").unlink()

    def _install(self) -> None:
        if (self.folder / "data").is_dir():
            return
        half_made = self.folder / "data.new"
        shutil.rmtree(half_made, ignore_errors=True)
        half_made.mkdir(mode=0o700)
        run_quietly(
            [
                "mariadb-install-db",
                "--no-defaults",
                f"--datadir={half_made}",
                f"--tmpdir={self._own_tmp()}",
                "--auth-root-authentication-method=socket",
                "--skip-test-db",
                *_user(),
            ],
            fail=lambda said: StartError(f"MariaDB could not make its data folder:\n{said}"),
        )
        half_made.rename(self.folder / "data")  # all or nothing, even when killed half-way

    def _own_tmp(self) -> Path:
        """For its temporary files: in a shared folder each server that starts removes those of the others."""
        folder = self.folder / "tmp"
        folder.mkdir(mode=0o700, exist_ok=True)
        return folder

    def _login_file(self) -> Path:
        password = self.folder / "password"
        if not password.exists():
            _write_private(password, secrets.token_urlsafe(24))
        login = self.folder / "init.sql"
        _write_private(
            login,
            f"DELETE FROM mysql.global_priv WHERE User NOT IN ('{USER}', 'mariadb.sys');\n"
            "FLUSH PRIVILEGES;\n"
            f"CREATE OR REPLACE USER '{USER}'@'127.0.0.1' IDENTIFIED BY '{password.read_text().strip()}';\n"
            f"GRANT ALL ON *.* TO '{USER}'@'127.0.0.1';\n",
        )
        return login

    def _lets_us_in(self) -> bool:
        address = self.address
        admin = Address(address.host, address.port, address.user, address.password, "mysql")
        try:
            admin.connect().close()
        except EpistemError:
            return False
        return True


def _user() -> list[str]:
    return ["--user=root"] if os.geteuid() == 0 else []


def _write_private(path: Path, text: str) -> None:
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        file.write(text)


def _has_ended(pid: int) -> bool:
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except OSError:
        return True
    return state == "Z"  # ended, and only waits to be noticed by its parent


def _end_left_over(folder: Path) -> None:
    """A server that outlived a killed start holds the data folder: let it finish, or end it."""
    try:
        pid = int((folder / "pid").read_text())
        command = Path(f"/proc/{pid}/cmdline").read_bytes().decode("utf-8", "replace")
    except (OSError, ValueError):
        return
    if f"--datadir={folder / 'data'}" not in command:
        return  # the number belongs to some other program by now
    for sign in (signal.SIGTERM, signal.SIGKILL):
        with suppress(ProcessLookupError):
            os.kill(pid, sign)
        if wait_until(lambda: _has_ended(pid), seconds=20):
            return
    raise StartError(
        f"A database from an earlier start (pid {pid}) can't be ended. End it, then try again."
    )
