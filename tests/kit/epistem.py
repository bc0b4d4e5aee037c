"""All of Epistem as a person starts it, in a process of its own."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any
from urllib.request import Request, urlopen
from uuid import uuid4

from tests.kit.lifeline import ends_with_us
from tests.kit.waiting import PATIENCE_S, wait_for

COMMAND = [sys.executable, "-m", "epistem.cli"]


class EpistemProcess:
    """`epistem up` or `epistem demo` with its data in `home`."""

    def __init__(self, home: Path, *arguments: str) -> None:
        self.home = home
        self._output = home.parent / f"{uuid4().hex}.out"
        with self._output.open("w") as output:
            self._process = subprocess.Popen(
                [*COMMAND, *arguments, "--home", str(home)],
                stdout=output,
                stderr=subprocess.STDOUT,
                preexec_fn=ends_with_us(),
            )

    @property
    def said(self) -> str:
        return self._output.read_text()

    @property
    def url(self) -> str:
        found = re.search(r"Epistem is at (\S+)", self.said)
        assert found, self.said
        return found.group(1)

    def wait_until_up(self) -> EpistemProcess:
        wait_for(lambda: "Ctrl-C ends it" in self.said or self._process.poll() is not None)
        assert self._process.poll() is None, self.said
        return self

    def wait_until_done(self) -> EpistemProcess:
        """Until nothing goes on behind the pages, and the newest trial of each subject is over."""

        def over() -> bool:
            jobs = self.get("/jobs")["jobs"]
            failed = [job for job in jobs if job["attempts"]]
            assert not failed, failed
            if jobs:
                return False
            newest = [each["latest_trial"] for each in self.get("/subjects")["subjects"]]
            told = [self.get(f"/trials/{number}") for number in newest if number]
            return all(trial["status"] not in ("waiting", "running") for trial in told)

        wait_for(over, what="all of it to be done")
        return self

    def get(self, path: str) -> Any:
        with urlopen(f"{self.url}/api/v1{path}", timeout=PATIENCE_S) as answer:
            return json.loads(answer.read())

    def put(self, path: str, body: object) -> None:
        headers = {"Content-Type": "application/json"}
        told = Request(f"{self.url}/api/v1{path}", json.dumps(body).encode(), headers, method="PUT")
        urlopen(told, timeout=PATIENCE_S).close()

    def pids(self) -> dict[str, int]:
        """The processes it started, by what they are."""
        children = Path(f"/proc/{self._process.pid}/task/{self._process.pid}/children")
        found = {}
        for pid in children.read_text().split():
            try:
                command = Path(f"/proc/{pid}/cmdline").read_bytes().decode().split("\0")
            except OSError:  # it ended meanwhile
                continue
            for name in ("mariadbd", "gunicorn", "stand-in", "runner"):
                if any(word.endswith(name) for word in command):  # one that has ended has none
                    found[name] = int(pid)
        return found

    def pid(self, name: str) -> int:
        """Of that process, waited for: one that was just forked does not show its name yet."""
        wait_for(lambda: name in self.pids())
        return self.pids()[name]

    def send(self, number: int) -> None:
        self._process.send_signal(number)

    def wait(self) -> int:
        return self._process.wait(PATIENCE_S)

    def stop(self) -> int:
        self.send(signal.SIGINT)
        return self.wait()


def run(home: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    """Another `epistem` command beside it, to its end."""
    environment = {**os.environ, "EPISTEM_HOME": str(home), "COLUMNS": "120"}
    return subprocess.run(
        [*COMMAND, *arguments],
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        env=environment,
        preexec_fn=ends_with_us(),
        check=False,
    )


def is_gone(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    except OSError:
        return True
