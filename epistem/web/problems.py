"""Errors as application/problem+json (RFC 9457): what happened, to which field, what to do."""

from __future__ import annotations

from functools import cache
from http import HTTPStatus
from typing import Any

import structlog
from flask import Flask, Response, make_response, request
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from epistem.core.chains.content import Chain
from epistem.core.errors import (
    Conflict,
    EpistemError,
    InvalidFile,
    InvalidInput,
    NotFound,
    TemplateError,
)
from epistem.core.prompts.content import Prompt
from epistem.core.shapes import field_path
from epistem.core.trials.talking import PersonFailed
from epistem.models.trouble import CallFailed
from epistem.store.database import Collision, StoreDown, StoreError, Unfit
from epistem.store.drafts import StaleDraft

log = structlog.get_logger()

MAX_BODY_BYTES = 24_000_000


class Problem(BaseModel):
    """`field` is the path of what was wrong, as in `arms.0.model`."""

    model_config = ConfigDict(extra="forbid")

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    field: str | None = None
    part: str | None = Field(None, description="The prompt's part that the problem lies in.")
    line: int | None = Field(None, description="The line in that part or file, from 1.")
    theirs: Prompt | Chain | None = Field(None, description="With 412: the draft as it is now.")
    yours: Prompt | Chain | None = Field(None, description="With 412: the draft as you sent it.")
    revision: int | None = Field(None, description="With 412: the revision of `theirs`.")

    @classmethod
    def model_json_schema(cls, *how: Any, **more: Any) -> dict[str, Any]:
        """Worked out once: every route tells of it, with all that a draft may hold, and none changes it."""
        return _schema_of_problem(*how, **more)


@cache
def _schema_of_problem(*how: Any, **more: Any) -> dict[str, Any]:
    return super(Problem, Problem).model_json_schema(*how, **more)


class Unprecedented(EpistemError):
    """A request without the If-Match that it needs."""


class Unavailable(EpistemError):
    """More than the server does at once."""


class BadBody(InvalidInput):
    """A body that can't be read, or holds what nothing can keep."""


STATUS: list[tuple[type[EpistemError], int]] = [
    (StaleDraft, 412),
    (Unprecedented, 428),
    (Unavailable, 503),
    (StoreDown, 503),
    (Collision, 503),
    (Unfit, 400),
    (StoreError, 500),
    (CallFailed, 502),
    (PersonFailed, 502),
    (BadBody, 400),
    (InvalidInput, 422),
    (NotFound, 404),
    (Conflict, 409),
]


def problem_response(problem: Problem) -> Response:
    response = make_response(problem.model_dump_json(exclude_none=True), problem.status)
    response.content_type = "application/problem+json"
    return response


def problem(status: int, detail: str, **more: Any) -> Response:
    return problem_response(_problem(status, detail, **more))


def _problem(status: int, detail: str, **more: Any) -> Problem:
    return Problem(title=HTTPStatus(status).phrase, status=status, detail=detail, **more)


def of_error(error: EpistemError) -> Response:
    return problem_response(problem_of(error))


def problem_of(error: EpistemError) -> Problem:
    status = next((code for kind, code in STATUS if isinstance(error, kind)), 500)
    if isinstance(error, Conflict) and error.field == "If-Match":
        status = 412
    more: dict[str, Any] = {}
    if isinstance(error, TemplateError):
        more = {"part": error.part, "line": error.line}
    if isinstance(error, InvalidFile):
        more = {"line": error.line}
    if isinstance(error, StaleDraft):
        theirs = error.theirs
        more = {"theirs": theirs.content, "yours": error.yours, "revision": theirs.revision}
    return _problem(status, error.message, field=error.field, **more)


def of_validation(error: ValidationError) -> Response:
    """What pydantic found in a request: the first error, by field, without the input itself."""
    first = error.errors(include_input=False, include_url=False)[0]
    field = field_path(first["loc"])
    message = first["msg"].removeprefix("Value error, ")
    return problem(422, f"{field}: {message}." if field else f"{message}.", field=field or None)


def register(app: Flask) -> None:
    """Answer every error of /api so; no traceback reaches a client."""

    @app.errorhandler(EpistemError)
    def epistem_error(error: EpistemError) -> Response:
        return of_error(error)

    @app.errorhandler(RequestEntityTooLarge)
    def too_large(error: RequestEntityTooLarge) -> Response:
        return problem(
            413,
            f"The request is larger than {request.max_content_length or 0:,} bytes. Send less at once.",
        )

    @app.errorhandler(HTTPException)
    def http_error(error: HTTPException) -> Response:
        return problem(error.code or 500, error.description or "It could not be done.")

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> Response:
        log.exception("request failed")
        return problem(
            500, "Something in Epistem failed; the log has the details. Nothing was lost."
        )
