from __future__ import annotations

from collections.abc import Iterator

import pytest

from tests.browser.page import Page, start_chromium
from tests.kit.epistem import EpistemProcess


@pytest.fixture(scope="session")
def epistem(tmp_path_factory) -> Iterator[EpistemProcess]:
    """All of Epistem with its demo, as `make demo` starts it."""
    started = EpistemProcess(tmp_path_factory.mktemp("epistem") / "home", "demo").wait_until_up()
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
