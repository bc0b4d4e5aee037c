"""A package of one's own adds a check: the example is installed, as anybody would install it."""

import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from epistem.core.checks import registry
from epistem.core.errors import InvalidInput
from tests.kit.waiting import PATIENCE_S

EXAMPLE = Path(__file__).parents[2] / "examples" / "house-rules"
SEES = """
from epistem.core.checks.base import Answer
from epistem.core.checks.registry import build, check_class, check_keys
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import ReplyShape
from epistem.core.checks.base import Ground
cls = check_class("tone.house_name")
for passing in (True, False):
    for example in cls.examples(passing):
        check = build(CheckUse(check=cls.key, options=dict(example.options)), ReplyShape())
        found = check.judge(example.answer, example.ground)
        assert all(f.passed for f in found) == passing, (example, found)
print(check_keys()[-1])
"""


@pytest.mark.timeout(120)
def test_the_example_package_is_installed_and_its_check_is_in_the_library(tmp_path):
    pip = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "--quiet",
        "--no-index",
        "--no-deps",
        "--no-build-isolation",
    ]
    copy = shutil.copytree(EXAMPLE, tmp_path / "copy")  # what is built is built beside the source
    subprocess.run([*pip, "--target", tmp_path, copy], check=True, capture_output=True, timeout=110)
    seen = subprocess.run(
        [sys.executable, "-c", SEES], env={"PYTHONPATH": f"{tmp_path}:{EXAMPLE.parents[1]}"},
        capture_output=True, text=True, timeout=PATIENCE_S,
    )  # fmt: skip
    assert (seen.stdout.strip(), seen.returncode) == ("tone.house_name", 0), seen.stderr


@pytest.mark.parametrize(
    ("place", "says"),
    [
        ("not_there_at_all:Check", "No module named"),
        ("json:loads", "is no check of that key"),
        ("json:nothing", "no attribute"),
    ],
)
def test_a_check_whose_library_is_missing_says_so_and_is_left_out(monkeypatch, place, says):
    monkeypatch.setattr(registry, "_plugged_in", lambda: {"own.broken": place})
    registry.check_class.cache_clear()
    registry.check_keys.cache_clear()
    try:
        assert "own.broken" not in registry.check_keys()
        with pytest.raises(InvalidInput, match=says):
            registry.check_class("own.broken")
    finally:
        registry.check_class.cache_clear()
        registry.check_keys.cache_clear()
