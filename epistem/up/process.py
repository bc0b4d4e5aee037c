"""One child process: started with its output in a log file, stopped kindly, then firmly."""

from __future__ import annotations

import os
import signal
import subprocess
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from epistem.runner.lifeline import die_with_parent


class Child:
    """Ends when this process ends, even by SIGKILL. Ctrl-C in the terminal does not reach it."""

    def __init__(
        self,
        name: str,
        command: Sequence[str],
        log: Path,
        *,
        env: dict[str, str] | None = None,
        keeps: Sequence[int] = (),
    ) -> None:
        """`keeps` are file descriptors that it is handed, open."""
        self.name = name
        self.log = log
        log.parent.mkdir(parents=True, exist_ok=True)
        with log.open("ab") as output:
            self._process = subprocess.Popen(
                command,
                stdin=subprocess.DEVNULL,
                stdout=output,
                stderr=subprocess.STDOUT,
                env={**os.environ, **(env or {})},
                start_new_session=True,
                pass_fds=keeps,
                preexec_fn=partial(die_with_parent, os.getpid(), signal.SIGTERM),
            )

    @property
    def pid(self) -> int:
        return self._process.pid

    @property
    def running(self) -> bool:
        return self._process.poll() is None

    def how_it_ended(self) -> str:
        code = self._process.poll()
        if code is None:
            return "still running"
        return f"killed by signal {-code}" if code < 0 else f"exit code {code}"

    def tail(self, lines: int = 6) -> str:
        """The last lines of its log."""
        try:
            return "\n".join(self.log.read_text("utf-8", "replace").splitlines()[-lines:])
        except OSError:
            return ""

    def stop(self, *, seconds: float = 10.0) -> None:
        """Ask it to end and wait; kill it after `seconds`."""
        if self.running:
            self._process.terminate()
            try:
                self._process.wait(seconds)
            except subprocess.TimeoutExpired:
                self._process.kill()
        self._process.wait()


def run_quietly(command: Sequence[str], *, fail: Callable[[str], Exception]) -> None:
    """Run to the end; what `fail` makes of its output is raised if it went wrong."""
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        raise fail((done.stderr or done.stdout).strip()[-600:])
