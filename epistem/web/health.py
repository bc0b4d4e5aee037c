"""Whether this server is well: asked by those who watch it, also while the database is away."""

from __future__ import annotations

from typing import Literal

from flask import Response

from epistem import __version__
from epistem.core.errors import EpistemError
from epistem.web.replies import Shape, blueprint, database, reply

bp = blueprint("health")


class Health(Shape):
    """`database` says what is the matter with it, in a sentence, if it is not well."""

    status: Literal["well", "no database"]
    version: str
    database: str | None


@bp.get(
    "/health", responses={200: Health, 503: Health}, operation_id="getHealth",
    summary="Whether the server and its database are well",
)  # fmt: skip
def get_health() -> Response:
    try:
        database().probe()
    except EpistemError as error:
        away = Health(status="no database", version=__version__, database=error.message)
        return reply(away, 503)
    return reply(Health(status="well", version=__version__, database=None))
