import pytest

from epistem.store.database import Database
from epistem.store.subjects import Subject
from tests.kit.subjects import library


@pytest.fixture
def subject(database: Database, two_models: None) -> Subject:
    with database.transaction() as tx:
        return library(tx)
