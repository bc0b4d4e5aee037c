"""Small helpers that every blueprint uses."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from functools import partial
from typing import Annotated, Any
from urllib.parse import unquote

from flask import Response, current_app, make_response, request
from flask_openapi3 import APIBlueprint, Tag
from flask_openapi3.utils import parse_parameters
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, RootModel

from epistem.core.errors import InvalidInput, Stale
from epistem.store.database import Database, Transaction
from epistem.web.problems import Problem, Unprecedented

API = "/api/v1"
MOST_NAME = 80
EVENTS = {"content": {"text/event-stream": {"schema": {"type": "string"}}}}
"""How a stream of events is described."""


PROBLEMS = (400, 403, 404, 405, 409, 413, 414, 415, 422, 500, 503)
"""What any request may be answered with besides its own answers."""


class Shape(BaseModel):
    """Base of what the API answers with; can be read from the store's objects."""

    model_config = ConfigDict(extra="forbid", from_attributes=True)


def _as_utc(moment: datetime) -> datetime:
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


Moment = Annotated[datetime, AfterValidator(_as_utc)]


class SubjectPath(BaseModel):
    name: str = Field(description="The subject's name, as in `desk-reply`.")


class IfMatch(BaseModel):
    if_match: str | None = Field(None, alias="If-Match", description="The ETag of what you edited.")


class Described(APIBlueprint):
    """What is told of its routes is worked out when somebody asks for the description, since that takes longer than all
    else at the start of a server."""

    def __init__(self, *told: Any, **more: Any) -> None:
        super().__init__(*told, **more)
        self._untold: deque[Callable[[], object]] = deque()

    def _collect_openapi_info(self, rule: str, func: Callable[..., Any], **told: Any) -> Any:
        self._untold.append(partial(super()._collect_openapi_info, rule, func, **told))
        return parse_parameters(func, doc_ui=False)

    def describe(self) -> None:
        while self._untold:
            self._untold.popleft()()


def blueprint(name: str) -> Described:
    return Described(
        name,
        __name__,
        url_prefix=API,
        abp_tags=[Tag(name=name)],
        abp_responses={422: Problem},  # the others are put in by `app.description`
    )


def database() -> Database:
    found: Database = current_app.extensions["epistem.database"]
    return found


def transaction() -> AbstractContextManager[Transaction]:
    """What is changed in it is changed by who asks."""
    return database().transaction(by=who())


def who() -> str:
    """The name that the caller goes by: the header By, percent-encoded; empty where there is none."""
    given = unquote(request.headers.get("By", ""))
    return " ".join("".join(c for c in given if c.isprintable()).split())[:MOST_NAME]


def reply(
    shape: BaseModel | list[Any], status: int = 200, *, headers: dict[str, str] | None = None
) -> Response:
    """The shape as JSON. A list is answered as it is."""
    body = RootModel[list[Any]](shape) if isinstance(shape, list) else shape
    response = make_response(body.model_dump_json(), status)
    response.content_type = "application/json"
    response.headers.update(headers or {})
    return response


def etag(revision: int) -> str:
    return f'"{revision}"'


def check_revision(current: int, what: str) -> None:
    """Raises Stale unless that is the revision in If-Match."""
    if expected_revision() != current:
        raise Stale(what)


def expected_revision() -> int:
    """The revision in If-Match. Raises when there is none: an edit must say what it edits."""
    given = request.headers.get("If-Match", "").strip()
    if not given:
        raise Unprecedented(
            "Send If-Match with the ETag that you were given, so that nobody's edit is lost.",
            field="If-Match",
        )
    try:
        return int(given.removeprefix("W/").strip('"'))
    except ValueError as error:
        raise InvalidInput(
            f'If-Match reads {given[:40]}; it should be like "12".', field="If-Match"
        ) from error
