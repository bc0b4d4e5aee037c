from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from epistem.web.app import make_app


class Api:
    """The API under /api/v1, asked as a browser would."""

    def __init__(self, client: FlaskClient) -> None:
        self.client = client

    def get(self, path: str, **options: Any) -> TestResponse:
        return self.client.get(f"/api/v1{path}", **options)

    def post(self, path: str, body: Any = None, **options: Any) -> TestResponse:
        return self.client.post(f"/api/v1{path}", json={} if body is None else body, **options)

    def delete(self, path: str) -> TestResponse:
        return self.client.delete(f"/api/v1{path}")

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
