from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from epistem.core.subjects.content import content_from_json
from epistem.models.retry import Retry
from epistem.runner.walks import Walks
from epistem.store import models, subjects
from epistem.web.app import make_app
from tests.kit.waiting import wait_for
from tests.kit.walks import DRAFT, FINAL, chain


class Api:
    """The API under /api/v1, asked as a browser would."""

    def __init__(self, client: FlaskClient) -> None:
        self.client = client

    def get(self, path: str, **options: Any) -> TestResponse:
        return self.client.get(f"/api/v1{path}", **options)

    def post(self, path: str, body: Any = None, **options: Any) -> TestResponse:
        return self.client.post(f"/api/v1{path}", json={} if body is None else body, **options)

    def delete(self, path: str, *, etag: str | None = None) -> TestResponse:
        headers = {} if etag is None else {"If-Match": etag}
        return self.client.delete(f"/api/v1{path}", headers=headers)

    def change(self, path: str, body: Any) -> TestResponse:
        """PUT what changes the thing as it is now."""
        return self.put(path, body, etag=self.revision(path))

    def remove(self, path: str) -> TestResponse:
        return self.delete(path, etag=self.revision(path))

    def revision(self, path: str) -> str | None:
        """What If-Match has to hold; None for what is not there."""
        last = path.rsplit("/", 1)[1]
        if path.startswith("/models/"):
            listed = self.get("/models").get_json()["models"]
            found = [model["revision"] for model in listed if model["name"] == last]
        elif last == "deletion" or last.isdecimal():
            found = [self.get(path.removesuffix("/deletion")).get_json()["revision"]]
        else:
            page = self.get(path.removesuffix(f"/{last}")).get_json()
            found = [page[f"{last}_revision"]]
        return f'"{found[0]}"' if found else None

    def put(self, path: str, body: Any, *, etag: str | None = None) -> TestResponse:
        headers = {} if etag is None else {"If-Match": etag}
        return self.client.put(f"/api/v1{path}", json=body, headers=headers)


def assert_problem(
    answer: TestResponse, status: int, field: str | None, says: str
) -> dict[str, Any]:
    """A problem+json body with this field and these words, and no traceback."""
    assert answer.status_code == status, answer.text
    assert answer.content_type == "application/problem+json"
    body: dict[str, Any] = answer.get_json()
    assert body["status"] == status
    assert body.get("field") == field
    assert says in body["detail"]
    assert "Traceback" not in answer.text
    return body


@pytest.fixture
def api(database) -> Iterator[Api]:
    with make_app(database).test_client() as client:
        yield Api(client)


@pytest.fixture
def server(database, model_server):
    with database.transaction() as tx:
        models.put(tx, models.Model("own", model_server.url, None, 8_192, 20, 80))
        subjects.create(tx, "notices", "", content_from_json(chain(DRAFT, FINAL)))
    model_server.answer = lambda body: f"<{body['messages'][-1]['content']}>"
    return model_server


@pytest.fixture
def walking(address, database, server) -> Iterator[Walks]:
    """A runner of walks that is at work."""
    made = Walks(address, "here", gone_s=0.2, retry=Retry(attempts=1))
    made.start()
    yield made
    made.close()


@pytest.fixture
def walk(api):
    """Begin a walk; it as it is once it is so."""

    def walk(until=lambda told: told["over"], **asked):
        begun = api.post("/subjects/notices/walks", asked)
        assert begun.status_code == 201, begun.text
        number = begun.get_json()["id"]

        def look():
            told = api.get(f"/walks/{number}").get_json()
            return told if until(told) else None

        return wait_for(look, what=f"walk {number}")

    return walk
