"""A suite that is killed leaves nothing running: no Epistem, no database, no browser."""

import os
import signal
import subprocess
import sys
from pathlib import Path

from tests.kit.lifeline import ends_with_us
from tests.kit.waiting import PATIENCE_S, wait_for

SUITE = """
import time
from pathlib import Path
from tests.browser.page import start_chromium
from tests.kit.epistem import EpistemProcess

def test_it(tmp_path, address):
    started = EpistemProcess(tmp_path / "home", "up").wait_until_up()
    driver = start_chromium(tmp_path / "chromium")
    driver.get(started.url)
    Path("UP").write_text("up")
    time.sleep(3600)
"""


def _of(mark: str) -> list[str]:
    """The processes whose command or environment names this folder."""
    found = []
    for each in Path("/proc").iterdir():
        if not each.name.isdecimal() or int(each.name) == os.getpid():
            continue
        try:
            told = (each / "cmdline").read_bytes() + (each / "environ").read_bytes()
        except OSError:
            continue
        if mark.encode() in told:
            found.append(told.partition(b"\0")[0].decode())
    return found


def test_a_suite_that_is_killed_leaves_nothing_running(tmp_path):
    file, up = tmp_path / "test_suite.py", tmp_path / "up"
    file.write_text(SUITE.replace("UP", str(up)))
    root = Path(__file__).parents[2]
    command = [
        sys.executable, "-m", "pytest", "-n", "1", "-p", "tests.conftest", f"--rootdir={root}",
        f"--basetemp={tmp_path / 'base'}", f"--override-ini=pythonpath={root}", str(file),
    ]  # fmt: skip
    environment = {**os.environ, "MARK": str(tmp_path)}
    for name in [name for name in environment if name.startswith("PYTEST_")]:
        del environment[name]
    suite = subprocess.Popen(
        command, cwd=root, env=environment, stdout=subprocess.DEVNULL, preexec_fn=ends_with_us()
    )
    wait_for(lambda: up.exists() or suite.poll() is not None, what="the suite to be at work")
    assert suite.poll() is None
    running = _of(str(tmp_path))
    assert any("mariadbd" in each for each in running)
    assert any("chromium" in each for each in running)
    suite.send_signal(signal.SIGKILL)
    suite.wait(PATIENCE_S)
    wait_for(lambda: not _of(str(tmp_path)), what="all that the suite had started to end")
