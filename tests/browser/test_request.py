"""The exact request: its tokens by part, and copies of it that really run."""

import json
import shutil
import subprocess
import sys

import pytest

from tests.kit.waiting import PATIENCE_S

DRAFT = "/subjects/triage-message/draft"


@pytest.fixture
def request_page(page):
    page.go(DRAFT)
    page.pick_case("try-case", 6)
    page.click("exact-request")
    page.find("token-bar")
    page.driver.execute_script(
        "Object.defineProperty(navigator, 'clipboard', {configurable: true,"
        " value: {writeText: async (text) => { window.copied = text; }}});"
    )
    return page


def copied(page, what):
    page.click(f"copy-{what}")
    return page.until(lambda: page.driver.execute_script("return window.copied"))


def test_tokens_are_shown_by_part_against_the_window(request_page):
    said = request_page.text("token-bar")
    assert "% of the window of 8,192, and up to 120 for the answer" in said
    assert "Task" in said
    assert "smaller parts" in said


NEEDS_CURL = pytest.mark.skipif(shutil.which("curl") is None, reason="there is no curl here")


@pytest.mark.parametrize(
    ("what", "command"),
    [pytest.param("curl", ["sh", "-s"], marks=NEEDS_CURL), ("python", [sys.executable, "-"])],
)
def test_a_copy_runs_and_gets_an_answer(request_page, what, command):
    program = copied(request_page, what)
    done = subprocess.run(
        command, input=program, capture_output=True, text=True, timeout=PATIENCE_S, check=False
    )
    assert done.returncode == 0, done.stderr
    assert "label" in json.loads(done.stdout)["choices"][0]["message"]["content"]


def test_the_copied_json_is_the_one_that_is_shown(request_page):
    assert copied(request_page, "json") == request_page.text("request-json")
