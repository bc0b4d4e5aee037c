"""The application: the API under /api/v1, and the built front end for everything else."""

from __future__ import annotations

import copy
import os
from http import HTTPStatus
from pathlib import Path
from threading import Lock
from typing import Any

from flask import Response, abort, jsonify, send_from_directory
from flask_openapi3 import Info, OpenAPI

from epistem import __version__
from epistem.logs import set_up_logs
from epistem.store.database import Address, Database
from epistem.web import (
    anew,
    brought,  # noqa: F401 (its routes belong to the blueprint of collections)
    case_batches,  # noqa: F401 (its routes belong to the blueprint of cases)
    case_doubles,  # noqa: F401 (so do these)
    case_history,  # noqa: F401
    case_pairs,  # noqa: F401 (and these)
    case_sets,
    cases,
    chains,
    checks,
    collections,
    drafts,
    events,
    fared,
    files,
    fragments,
    health,
    history,  # noqa: F401 (its routes belong to the blueprint of tries)
    imports,
    jobs,
    keys,
    look_up,  # noqa: F401 (so do these)
    looks,
    models,
    problems,
    readings,
    subjects,
    talks,
    tools,
    trial_walks,  # noqa: F401 (its routes belong to the blueprint of readings)
    trials,
    tries,
    verdicts,
    walks,
)  # fmt: skip
from epistem.web.doors import guard
from epistem.web.replies import API, PROBLEMS, Described

_describing = Lock()

PATIENCE_S = 30
"""A page waits no longer for one statement of the database."""
BY = {
    "name": "By", "in": "header", "required": False, "schema": {"type": "string"},
    "description": "The name of who asks, percent-encoded: what is changed is changed by it.",
}  # fmt: skip
STATIC = Path(__file__).with_name("static")


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
    guard(app)
    for module in (
        subjects,
        drafts,
        fragments,
        tools,
        collections,
        files,
        cases,
        case_sets,
        talks,
        fared,
        imports,
        jobs,
        chains,
        checks,
        keys,
        looks,
        models,
        tries,
        trials,
        anew,
        readings,
        events,
        verdicts,
        walks,
        health,
    ):
        app.register_api(module.bp)

    @app.get(
        f"{API}/openapi.json", operation_id="getOpenApi", summary="This description",
        responses={
            200: {"content": {"application/json": {"schema": {"type": "object"}}}},
            422: problems.Problem,
        },
    )  # fmt: skip
    def openapi() -> Response:
        return jsonify(description(app))

    # Not by the decorators: they would read `path` as a model of the API.
    app.add_url_rule("/", "front_end", _front_end, defaults={"path": ""})
    app.add_url_rule("/<path:path>", "front_end", _front_end)
    return app


def description(app: OpenAPI) -> dict[str, Any]:
    """The OpenAPI document, with problems under their own content type, and with those that any
    request may be answered with. They are put in here: as each route's own their schema would be
    worked out hundreds of times, which took seconds."""
    with _describing:
        for each in app.blueprints.values():
            if isinstance(each, Described):
                each.describe()
                app.paths.update(each.paths)
                app.components_schemas.update(each.components_schemas)
                app.tags += [tag for tag in each.tags if tag not in app.tags]
        document: dict[str, Any] = copy.deepcopy(app.api_doc)
    for path in document["paths"].values():
        for verb, operation in path.items():
            if verb != "get":
                operation["parameters"] = [*operation.get("parameters", []), BY]
            for status in PROBLEMS:
                told = {**operation["responses"]["422"], "description": HTTPStatus(status).phrase}
                operation["responses"].setdefault(str(status), copy.deepcopy(told))
            for answer in operation["responses"].values():
                content = answer.get("content", {})
                told = content.get("application/json", {}).get("schema", {}).get("$ref", "")
                if told.endswith("/Problem"):
                    content["application/problem+json"] = content.pop("application/json")
    return document


def from_environment() -> OpenAPI:
    """What the web server loads: the database's address stands in EPISTEM_DATABASE_URL."""
    set_up_logs()
    address = Address.from_url(os.environ["EPISTEM_DATABASE_URL"])
    return make_app(Database(address, patience_s=PATIENCE_S))


def _is_file(path: str) -> bool:
    try:
        return (STATIC / path).is_file()
    except (OSError, ValueError):  # longer than a file's name can be, or with a NUL in it
        return False


def _front_end(path: str) -> Response:
    if path.startswith("api/"):
        return problems.problem(404, "There is nothing at this address of the API.")
    if not (STATIC / "index.html").is_file():
        abort(503, "The front end is not built. Run `make demo`, or `scripts/setup`.")
    if path and _is_file(path):
        response = send_from_directory(STATIC, path)
        if path.startswith("assets/"):  # their names hold a hash of their content
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response
    if path.startswith("assets/"):
        return problems.problem(404, "That file is from another build. Reload the page.")
    response = send_from_directory(STATIC, "index.html")
    response.headers["Cache-Control"] = "no-cache"
    return response
