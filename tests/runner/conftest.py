from collections.abc import Iterator

import pytest

from epistem.runner.service import Runner
from epistem.store.database import Address, Database
from epistem.store.subjects import Subject
from tests.kit.running import runner_of
from tests.kit.subjects import library


@pytest.fixture
def subject(database: Database, two_models: None) -> Subject:
    with database.transaction() as tx:
        return library(tx)


@pytest.fixture
def runner(address: Address, database: Database) -> Iterator[Runner]:
    made = runner_of(address)
    yield made
    made.close()
