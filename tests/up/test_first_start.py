"""The first start: whatever its models meet, it gives an address; what is broken off is done by the next one."""

import os
import re
import signal
from importlib import resources

import pytest

from epistem.demo.load import SUBJECTS
from tests.kit.epistem import EpistemProcess, run
from tests.kit.waiting import wait_for


@pytest.fixture(scope="module")
def begun(tmp_path_factory):
    """A home whose first start had a judge that answers nobody, and was killed as soon as it gave its address."""
    home = tmp_path_factory.mktemp("first") / "home"
    more = tmp_path_factory.mktemp("models")
    entry = resources.files("epistem.standin") / "models" / "plover-judge.toml"
    (more / "plover-judge.toml").write_text(
        f'faults = "status=503"\n{entry.read_text("utf-8")}', "utf-8"
    )
    os.environ["EPISTEM_STAND_IN_MODELS"] = str(more)
    first = EpistemProcess(home, "demo")
    del os.environ["EPISTEM_STAND_IN_MODELS"]
    first.wait_until_up()
    told = wait_for(
        lambda: [
            job
            for job in first.get("/jobs")["jobs"]
            if job["kind"] == "judge test" and job["attempts"]
        ],
        what="the judge to fail",
    )
    first.send(signal.SIGKILL)
    first.wait()
    return home, first.said, told


def test_a_judge_that_never_answers_ends_nothing_and_is_told(begun):
    _, said, [job] = begun
    assert re.search(r"Epistem is at http://127\.0\.0\.1:\d+", said)
    assert job["title"] == "Put plover-judge to the test: Tone"
    assert "plover-judge answered 503" in job["why"]
    assert "Ending" not in said


def test_the_next_start_does_what_was_left_undone_and_only_that(begun):
    home, *_ = begun
    second = EpistemProcess(home, "demo").wait_until_up()
    wait_for(lambda: not second.get("/jobs")["jobs"], what="all that was left to be done")
    lines = {each["name"]: each for each in second.get("/subjects")["subjects"]}
    assert sorted(lines) == sorted(SUBJECTS)
    assert [len(second.get(f"/subjects/{name}/trials")["trials"]) for name in SUBJECTS] == [1] * 10
    assert {tool["newest"] for tool in second.get("/tools")["tools"]} == {1}
    uses = second.get("/subjects/desk-reply")["checks"]
    assert any(use["check"] == "judge.rubric" for use in uses)
    vectors = second.get("/collections/desk-handbook/vectors")
    assert vectors["done"] == vectors["total"] > 50
    assert second.stop() == 0


def test_the_home_is_taken_before_and_after_the_command(tmp_path):
    before = run(tmp_path / "a", "--home", str(tmp_path / "b"), "cases", "list", "x")
    after = run(tmp_path / "a", "cases", "list", "x", "--home", str(tmp_path / "c"))
    assert "is not running in" in before.stderr
    assert str(tmp_path / "b") in "".join(before.stderr.split("\n"))
    assert str(tmp_path / "c") in "".join(after.stderr.split("\n"))
    assert "ten prompts and chains" in run(tmp_path, "demo", "--help").stdout
