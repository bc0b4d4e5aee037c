"""One MariaDB and one stand-in for the whole run; every test starts with empty tables."""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import settings
from xdist.scheduler import LoadScopeScheduling

from epistem.runner.service import Runner
from epistem.standin.server import make_app as make_stand_in
from epistem.store import models
from epistem.store.database import Address, Database
from epistem.store.migrate import migrate
from epistem.up.mariadb import MariaDb
from tests.kit.demo import DemoHome
from tests.kit.model_server import ModelServer
from tests.kit.running import runner_of
from tests.kit.servers import served

settings.register_profile("steady", deadline=None, derandomize=True)
settings.load_profile("steady")

TABLES = (
    "input_renames", "pauses", "walk_events", "walk_record", "walks", "walked",
    "calls", "marks", "arm_sums", "bodies", "model_entries", "model_turns", "readings", "cells",
    "arms", "trial_cases", "trials", "cases", "drafts",
    "judgements", "probations", "versions", "tries", "tried_contents", "subjects",
    "models", "fragment_versions", "fragments", "found", "passage_words", "passages", "document_versions", "documents",
    "collection_versions", "brought_documents", "look_up_cases", "collections", "vectors",
    "jobs", "tool_versions", "tools", "sources", "source_pieces", "tool_addresses", "tool_answers", "tool_permissions",
)  # fmt: skip


ORDER = (
    "tests/browser/",
    "tests/runner/",
    "tests/up/",
    "tests/fuzz/",
    "tests/standin/",
    "tests/web/",
)
"""What takes longest comes first, so that no worker is left alone with it at the end."""


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    def place(item: pytest.Item) -> int:
        return next((at for at, part in enumerate(ORDER) if item.nodeid.startswith(part)), 99)

    items.sort(key=place)  # within a place they keep their order


HALF = ("screens", "eyes_and_keys", "streams", "tools", "whole_line", "models")
"""Of the files that use a browser: about half of what they take."""


class ByFile(LoadScopeScheduling):
    """A file goes to one worker. All that use a browser go to two, each of which has one and a demo."""

    def _split_scope(self, nodeid: str) -> str:
        file = nodeid.partition("::")[0]
        if not file.startswith("tests/browser/"):
            return file
        name = file.removeprefix("tests/browser/test_").removesuffix(".py")
        return "one half of the browser's" if name in HALF else "the other half"


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> ByFile:
    return ByFile(config, log)


@pytest.fixture(scope="session")
def demo_home(tmp_path_factory: pytest.TempPathFactory) -> DemoHome:
    base = tmp_path_factory.getbasetemp()
    return DemoHome(base.parent if "PYTEST_XDIST_WORKER" in os.environ else base)


@pytest.fixture(scope="session")
def address(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Address]:
    server = MariaDb(tmp_path_factory.mktemp("mariadb"), durable=False)
    server.start()
    migrate(server.address)
    yield server.address
    server.stop()


@pytest.fixture(scope="session")
def _pool(address: Address) -> Iterator[Database]:
    database = Database(address)
    yield database
    database.close()


@pytest.fixture
def database(_pool: Database) -> Database:
    """Empty, and no other test's."""
    with _pool.transaction() as tx:
        tx.run("SET FOREIGN_KEY_CHECKS = 0")
        for table in TABLES:
            tx.run(f"DELETE FROM {table}")
        tx.run("SET FOREIGN_KEY_CHECKS = 1")
    return _pool


@pytest.fixture(scope="session")
def stand_in() -> Iterator[str]:
    """The address of the stand-in, answering at once."""
    with served(make_stand_in(pace=0)) as url:
        yield url


@pytest.fixture
def model_server() -> Iterator[ModelServer]:
    """A model server that answers as the test says."""
    server = ModelServer()
    with served(server.app()) as url:
        server.url = url
        yield server


@pytest.fixture
def two_models(database: Database, stand_in: str) -> None:
    """tern-s and gannet-l of the stand-in are in the model list."""
    with database.transaction() as tx:
        models.put(tx, models.Model("tern-s", stand_in, None, 8_192, 20, 80))
        models.put(tx, models.Model("gannet-l", stand_in, None, 32_768, 240, 960))


@pytest.fixture
def runner(address: Address, database: Database) -> Iterator[Runner]:
    made = runner_of(address)
    yield made
    made.close()
