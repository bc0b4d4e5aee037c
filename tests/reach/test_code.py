"""Installed code as a tool: found by its entry point, within its time, whatever it does."""

import asyncio
import sys
from threading import Event

import pytest

from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.tool import CodeWork
from epistem.reach import code
from tests.kit.waiting import wait_for

OWN = """
from threading import Event
never = Event()
def double(given):
    return {"doubled": given["n"] * 2}
def hang(given):
    never.wait()
def fall(given):
    raise KeyError("pier")
def odd(given):
    return object()
"""


@pytest.fixture
def installed(tmp_path, monkeypatch):
    """A package that offers tools, as one that is installed."""
    (tmp_path / "own_tools.py").write_text(OWN)
    facts = tmp_path / "own_tools-1.0.dist-info"
    facts.mkdir()
    (facts / "METADATA").write_text("Metadata-Version: 2.1\nName: own-tools\nVersion: 1.0\n")
    names = "\n".join(f"{name} = own_tools:{name}" for name in ("double", "hang", "fall", "odd"))
    (facts / "entry_points.txt").write_text(f"[epistem.tools]\n{names}\ngone = own_tools:gone\n")
    monkeypatch.syspath_prepend(str(tmp_path))
    yield
    if "own_tools" in sys.modules:
        never: Event = sys.modules.pop("own_tools").never
        never.set()


def call(entry, given=None, seconds=5.0):
    does = CodeWork(kind="code", entry=entry, seconds=seconds)
    return asyncio.run(code.call(does, given or {}))


def test_it_is_found_and_called(installed):
    assert code.installed() == ["double", "fall", "gone", "hang", "odd"]
    assert call("double", {"n": 4}) == '{"doubled": 8}'


@pytest.mark.parametrize(
    ("entry", "told"),
    [
        ("fall", "KeyError"),
        ("odd", "TypeError"),
        ("gone", "AttributeError"),
        ("hang", "within 0.2 s"),
    ],
)
def test_what_goes_wrong_is_told_in_words(installed, entry, told):
    with pytest.raises(EpistemError, match=told):
        call(entry, seconds=0.2 if entry == "hang" else 5.0)


def test_what_is_not_installed_says_what_is(installed):
    with pytest.raises(InvalidInput, match="There are: double"):
        call("triple")


def test_those_that_never_come_back_keep_their_places_and_no_more(installed):
    for _ in range(code.MOST_AT_ONCE):
        with pytest.raises(EpistemError, match="within"):
            call("hang", seconds=0.01)
    with pytest.raises(EpistemError, match="have not come back"):
        call("double", {"n": 1})
    sys.modules["own_tools"].never.set()
    wait_for(lambda: code._places._value == code.MOST_AT_ONCE, what="the places")
    assert call("double", {"n": 1}) == '{"doubled": 2}'
