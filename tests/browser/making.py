"""Prompts for the browser's tests, made over HTTP."""

from __future__ import annotations

import json
from typing import Any
from urllib.request import Request, urlopen


class Maker:
    """Makes subjects at a running Epistem."""

    def __init__(self, url: str) -> None:
        self._url = f"{url}/api/v1"

    def call(self, verb: str, path: str, body: Any = None, etag: str = "") -> tuple[Any, str]:
        """What is answered, and its ETag."""
        headers = {"Content-Type": "application/json", **({"If-Match": etag} if etag else {})}
        data = None if body is None else json.dumps(body).encode()
        with urlopen(Request(self._url + path, data, headers, method=verb)) as answer:
            return json.loads(answer.read() or b"null"), answer.headers.get("ETag", "")

    def prompt(self, name: str, system: str, **more: Any) -> None:
        """A subject whose draft has one system part and asks for `message`."""
        self.call("POST", "/subjects", {"name": name})
        user = more.pop("user", "{{ message }}")
        content = {
            "messages": [
                {"role": "system", "parts": [{"name": "Task", "text": system}]},
                {"role": "user", "parts": [{"name": "Message", "text": user}]},
            ],
            "settings": {"temperature": 0, "max_tokens": 200},
            **more,
        }
        self.draft(name, content)

    def draft(self, name: str, content: Any) -> None:
        _, etag = self.call("GET", f"/subjects/{name}/draft")
        self.call("PUT", f"/subjects/{name}/draft", content, etag)

    def content(self, name: str) -> Any:
        return self.call("GET", f"/subjects/{name}/draft")[0]["content"]

    def version(self, name: str, note: str) -> None:
        _, etag = self.call("GET", f"/subjects/{name}/draft")
        self.call("POST", f"/subjects/{name}/versions", {"note": note}, etag)
