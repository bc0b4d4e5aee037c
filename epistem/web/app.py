"""The application: the API under /api/v1, and the built front end for everything else."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from flask import Flask, Response, abort, jsonify, request, send_from_directory
from flask_openapi3 import Info, OpenAPI

from epistem import __version__
from epistem.logs import set_up_logs
from epistem.store.database import Address, Database
from epistem.web import (
    cases,
    drafts,
    events,
    files,
    fragments,
    history,
    models,
    problems,
    subjects,
    trials,
    tries,
    verdicts,
)  # fmt: skip
from epistem.web.replies import API

STATIC = Path(__file__).with_name("static")
LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}


def make_app(database: Database | None) -> OpenAPI:
    """The application over `database`; with None only its description can be used."""
    app = OpenAPI(
        __name__,
        info=Info(title="Epistem", version=__version__),
        security_schemes={},
        validation_error_callback=problems.of_validation,
        doc_ui=False,
        static_folder=None,
    )
    app.config["MAX_CONTENT_LENGTH"] = problems.MAX_BODY_BYTES
    app.extensions["epistem.database"] = database
    problems.register(app)
    _guard(app)
    for module in (
        subjects,
        drafts,
        fragments,
        files,
        cases,
        models,
        tries,
        history,
        trials,
        events,
        verdicts,
    ):
        app.register_api(module.bp)

    @app.get(f"{API}/openapi.json", doc_ui=False)
    def openapi() -> Response:
        return jsonify(description(app))

    # Not by the decorators: they would read `path` as a model of the API.
    app.add_url_rule("/", "front_end", _front_end, defaults={"path": ""})
    app.add_url_rule("/<path:path>", "front_end", _front_end)
    return app


def description(app: OpenAPI) -> dict[str, Any]:
    """The OpenAPI document, with problems under their own content type."""
    document: dict[str, Any] = app.api_doc
    for path in document["paths"].values():
        for operation in path.values():
            for answer in operation["responses"].values():
                content = answer.get("content", {})
                told = content.get("application/json", {}).get("schema", {}).get("$ref", "")
                if told.endswith("/Problem"):
                    content["application/problem+json"] = content.pop("application/json")
    return document


def from_environment() -> OpenAPI:
    """What the web server loads: the database's address stands in EPISTEM_DATABASE_URL."""
    set_up_logs()
    return make_app(Database(Address.from_url(os.environ["EPISTEM_DATABASE_URL"])))


def _guard(app: Flask) -> None:
    allowed = LOCAL_HOSTS | set(filter(None, os.environ.get("EPISTEM_HOSTS", "").split(",")))

    @app.before_request
    def known_host() -> Response | None:
        """A page elsewhere must not reach this server under a name of its own, nor post to it."""
        host = request.host.rsplit(":", 1)[0].strip("[]")
        if host not in allowed:
            return problems.problem(403, f"This server does not answer to the name {host[:80]}.")
        if request.method != "GET" and request.headers.get("Sec-Fetch-Site") == "cross-site":
            return problems.problem(403, "Another site may not change things here.")
        return None

    @app.before_request
    def well_formed() -> None:
        """Malformed JSON is 400 and another type 415, before anything reads the body."""
        if request.path.startswith(API) and request.content_length:
            request.get_json()

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
            "frame-ancestors 'none'",
        )
        return response


def _front_end(path: str) -> Response:
    if path.startswith("api/"):
        return problems.problem(404, "There is nothing at this address of the API.")
    if not (STATIC / "index.html").is_file():
        abort(503, "The front end is not built. Run `make demo`, or `scripts/setup`.")
    if path and (STATIC / path).is_file():
        response = send_from_directory(STATIC, path)
        if path.startswith("assets/"):  # their names hold a hash of their content
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response
    if path.startswith("assets/"):
        return problems.problem(404, "That file is from another build. Reload the page.")
    response = send_from_directory(STATIC, "index.html")
    response.headers["Cache-Control"] = "no-cache"
    return response
