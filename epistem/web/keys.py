"""The keys that a model may be given: by name only."""

from __future__ import annotations

from flask import Response

from epistem.models.keys import Keys
from epistem.web.replies import Shape, blueprint, reply

bp = blueprint("keys")


class KeyLine(Shape):
    """`addresses` are those it may be sent to; `fault` says why it can't be used, if so."""

    reference: str
    addresses: list[str]
    fault: str | None


class KeyList(Shape):
    """`folder` is where key files lie; null where this server has none."""

    keys: list[KeyLine]
    folder: str | None


@bp.get(
    "/keys", responses={200: KeyList}, operation_id="listKeys", summary="Keys there are, by name"
)
def list_keys() -> Response:
    """Never a key itself: its operator sets it, and says which addresses it may be sent to."""
    keys = Keys.of_this_server()
    lines = [KeyLine.model_validate(each) for each in keys.names()]
    return reply(KeyList(keys=lines, folder=str(keys.folder) if keys.folder else None))
