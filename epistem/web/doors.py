"""What every request passes before anything reads it: whose it is, and whether its body is plain JSON."""

from __future__ import annotations

import json
import os
import re
from urllib.parse import urlsplit

from flask import Flask, Response, request
from werkzeug.exceptions import RequestEntityTooLarge, UnsupportedMediaType

from epistem.core.cases.files.table import MOST_BYTES
from epistem.core.errors import InvalidInput
from epistem.core.plain import check_plain
from epistem.web import problems
from epistem.web.problems import BadBody

API = "/api/"
LOCAL_HOSTS = {"127.0.0.1", "localhost", "::1"}
OWN_SITES = ("same-origin", "none")
_MAYBE_ODD = re.compile(
    rb"\\u[dD][89a-fA-F]|\xed[\xa0-\xbf]|NaN|Infinity|[0-9]{16}|[eE]\+?[0-9]{3}"
)
"""Bytes without which no text has half a character and no number is too large."""
SHALLOW = 60
MOST_DOCUMENT = 64_000_000
"""Bytes of a file, or a zip of files, that is brought into a collection."""
AS_BYTES = {
    "imports.begin_import": MOST_BYTES,
    "collections.bring": MOST_DOCUMENT,
    "tools.attach_source": MOST_DOCUMENT,
}
"""What takes a file as it is, and how many bytes of it."""


def guard(app: Flask) -> None:
    allowed = LOCAL_HOSTS | set(filter(None, os.environ.get("EPISTEM_HOSTS", "").split(",")))

    @app.before_request
    def own_host() -> Response | None:
        """A page elsewhere must not reach this server under a name of its own."""
        host = request.host.rsplit(":", 1)[0].strip("[]")
        if host not in allowed:
            return problems.problem(403, f"This server does not answer to the name {host[:80]}.")
        return None

    @app.before_request
    def own_page() -> Response | None:
        """Nor may it use the API, whatever the method and also without a body: some GETs ask models.

        A browser says where a request comes from; other clients say nothing, and are let in.
        """
        if not request.path.startswith(API):
            return None
        site, origin = request.headers.get("Sec-Fetch-Site"), request.headers.get("Origin")
        if (site and site not in OWN_SITES) or (origin and not _is_own(origin)):
            return problems.problem(403, "A page of another site or port may not use this server.")
        return None

    @app.before_request
    def well_formed() -> None:
        """A body that is no JSON is 400 and another type 415; one that nothing can keep 400, by field."""
        if not (request.path.startswith(API) and (request.content_length or _is_chunked())):
            return
        if (most := AS_BYTES.get(request.endpoint or "")) is not None:
            request.max_content_length = most
            if request.mimetype != "application/octet-stream":
                raise UnsupportedMediaType("Send the file as application/octet-stream.")
            if (request.content_length or 0) > most:
                raise RequestEntityTooLarge
            return
        if not request.is_json:
            request.get_json()  # raises 415
        body = request.get_data(cache=True)
        try:
            given = json.loads(body)
        except RecursionError as error:
            raise BadBody("The request is nested too deeply.") from error
        except ValueError as error:
            raise BadBody(f"The request is not JSON: {error}.") from error
        if _MAYBE_ODD.search(body) or body.count(b"[") + body.count(b"{") > SHALLOW:
            try:
                check_plain(given)
            except InvalidInput as error:
                raise BadBody(error.message, field=error.field) from error

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        response.headers.setdefault(
            "Content-Security-Policy",
            "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; "
            "frame-ancestors 'none'",
        )
        return response


def _is_own(origin: str) -> bool:
    try:
        return urlsplit(origin).netloc.lower() == request.host.lower()
    except ValueError:
        return False


def _is_chunked() -> bool:
    return "chunked" in request.headers.get("Transfer-Encoding", "").lower()
