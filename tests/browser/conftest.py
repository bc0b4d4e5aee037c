from __future__ import annotations

import os
from collections.abc import Iterator
from importlib import resources

import pytest

from tests.browser.making import Maker
from tests.browser.page import Page, start_chromium
from tests.kit.epistem import EpistemProcess


@pytest.fixture(scope="session")
def epistem(tmp_path_factory, demo_home) -> Iterator[EpistemProcess]:
    """All of Epistem with its demo, as `make demo` starts it, and one more model that is slow."""
    home = demo_home.copied_to(tmp_path_factory.mktemp("epistem") / "home")
    more = tmp_path_factory.mktemp("models")
    entry = (resources.files("epistem.standin") / "models" / "auk-think.toml").read_text("utf-8")
    slow = entry.replace('"auk-think"', '"auk-slow"').replace(
        "ms_per_token = 2.4", "ms_per_token = 60"
    )
    (more / "auk-slow.toml").write_text(slow)
    os.environ["EPISTEM_STAND_IN_MODELS"] = str(more)
    os.environ["EPISTEM_KEY_UNBOUND"] = "a-key-of-the-tests"
    started = EpistemProcess(home, "demo").wait_until_up()
    del os.environ["EPISTEM_STAND_IN_MODELS"], os.environ["EPISTEM_KEY_UNBOUND"]
    yield started
    started.stop()


@pytest.fixture(scope="session")
def _driver(tmp_path_factory):
    driver = start_chromium(tmp_path_factory.mktemp("chromium"))
    yield driver
    driver.quit()


@pytest.fixture
def page(_driver, epistem) -> Iterator[Page]:
    """A browser that remembers nothing; at its end the console must be free of errors."""
    page = Page(_driver, epistem.url)
    page.go("/")
    _driver.execute_script("localStorage.clear()")
    page.complaints()
    yield page
    assert page.complaints() == []


@pytest.fixture(scope="session")
def make(epistem) -> Maker:
    return Maker(epistem.url)
