"""What holds for every address of the API."""

import re
import subprocess
import sys

import pytest
from openapi_spec_validator import validate

from epistem.core.checks.registry import CHECKS
from epistem.store.database import Address, Database
from epistem.up.ports import free_port
from epistem.web.app import description, make_app
from epistem.web.problems import MAX_BODY_BYTES
from tests.web.conftest import Api, assert_problem

STARTING = """
from pydantic import BaseModel
worked_out = []
described = BaseModel.model_json_schema.__func__
def noted(cls, *how, **more):
    worked_out.append(cls.__name__)
    return described(cls, *how, **more)
BaseModel.model_json_schema = classmethod(noted)
from epistem.web.app import make_app
make_app(None)
print(*worked_out)
"""


def test_a_server_starts_without_working_its_description_out():
    """That took most of a minute, in which whoever had killed it waited."""
    told = subprocess.run(
        [sys.executable, "-c", STARTING], capture_output=True, text=True, check=True
    )
    assert told.stdout.split() == ["Problem"]


def test_the_description_is_valid_openapi_3_1(api):
    served = api.get("/openapi.json").get_json()
    assert served["openapi"].startswith("3.1")
    validate(served)
    assert served == description(make_app(None))


def test_every_route_is_described():
    """Two blueprints that share a path would hide each other's methods."""
    app = make_app(None)
    told = {
        (verb.upper(), re.sub(r"\{.*?\}", "{}", path))
        for path, operations in description(app)["paths"].items()
        for verb in operations
    }
    routed = {
        (method, re.sub(r"<.*?>", "{}", rule.rule))
        for rule in app.url_map.iter_rules()
        if rule.rule.startswith("/api/v1/")
        for method in (rule.methods or set()) - {"HEAD", "OPTIONS"}
    }
    assert routed == told


def test_every_operation_has_a_name_a_summary_and_its_problems():
    for path, operations in description(make_app(None))["paths"].items():
        assert path.startswith("/api/v1/")
        for operation in operations.values():
            assert operation["operationId"]
            assert operation["summary"]
            for status in ("400", "403", "404", "405", "413", "415", "422", "500", "503"):
                told = operation["responses"][status]["content"]
                assert "application/problem+json" in told or operation["operationId"] == "getHealth"


def test_every_route_is_in_the_description(api):
    """Also those of two blueprints at one path, of which one took the other's place."""
    described = {
        (path, method.upper())
        for path, operations in api.get("/openapi.json").get_json()["paths"].items()
        for method in operations
    }
    served = {
        (re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", str(rule)), method)
        for rule in api.client.application.url_map.iter_rules()
        if str(rule).startswith("/api/")
        for method in rule.methods - {"HEAD", "OPTIONS"}
    }
    assert served == described


@pytest.mark.parametrize(
    ("path", "kind"),
    [
        ("/api/v1/files", "application/zip"),
        ("/api/v1/subjects/{name}/file", "application/yaml"),
        ("/api/v1/events", "text/event-stream"),
    ],
)
def test_downloads_and_streams_have_their_own_types(api, path, kind):
    told = api.get("/openapi.json").get_json()["paths"][path]["get"]["responses"]["200"]
    assert list(told["content"]) == [kind]


@pytest.mark.parametrize("text", ["{", "", "{'name': 1}", '{"name": "x"', "\xff"])
def test_malformed_json_is_told_as_a_problem(api, text):
    answer = api.client.post(
        "/api/v1/subjects", data=text.encode("latin-1"), content_type="application/json"
    )
    assert answer.status_code in (400, 422)
    assert answer.content_type == "application/problem+json"
    assert "Traceback" not in answer.text
    assert api.get("/subjects").get_json()["subjects"] == []


@pytest.mark.parametrize("body", [[], "text", 1, None])
def test_json_of_another_shape_is_refused(api, body):
    answer = api.client.post("/api/v1/subjects", json=body)
    assert (answer.status_code, answer.content_type) == (422, "application/problem+json")


def test_another_content_type_is_refused(api):
    answer = api.client.post("/api/v1/subjects", data="name=x", content_type="text/plain")
    assert_problem(answer, 415, None, "")


def test_a_body_beyond_the_limit_is_refused_before_it_is_read(api):
    answer = api.client.post(
        "/api/v1/subjects", data=b"x" * (MAX_BODY_BYTES + 1), content_type="application/json"
    )
    assert_problem(answer, 413, None, "larger than 24,000,000 bytes")


@pytest.mark.parametrize("path", ["/nothing", "/subjects/x/y/z", "/trials/abc"])
def test_an_address_that_is_none(api, path):
    assert_problem(api.get(path), 404, None, "")


def test_a_method_that_is_not_offered(api):
    assert_problem(api.client.delete("/api/v1/subjects"), 405, None, "")


def test_a_database_that_is_away_is_told_in_a_sentence():
    away = Database(Address("127.0.0.1", free_port(), "me", "secret-9"), connections=1)
    with make_app(away).test_client() as client:
        answer = Api(client).get("/subjects")
    assert_problem(answer, 503, None, "does not answer. What you see is kept")
    assert "secret-9" not in answer.text


def test_what_fails_inside_is_told_without_its_details(api, monkeypatch):
    def fail(*_: object) -> None:
        raise RuntimeError("secret detail")

    monkeypatch.setattr("epistem.store.subjects.desk", fail)
    answer = api.get("/subjects")
    assert_problem(answer, 500, None, "the log has the details")
    assert "secret detail" not in answer.text


class TestGuard:
    def test_a_page_under_another_name_is_turned_away(self, api):
        assert_problem(
            api.get("/subjects", headers={"Host": "evil.example:80"}), 403, None, "evil.example"
        )
        assert api.get("/subjects", headers={"Host": "localhost:8400"}).status_code == 200

    def test_another_site_cannot_change_things(self, api):
        answer = api.post("/subjects", {"name": "x"}, headers={"Sec-Fetch-Site": "cross-site"})
        assert_problem(answer, 403, None, "another site or port")

    def test_pages_may_load_only_what_is_ours(self, api):
        policy = api.get("/subjects").headers["Content-Security-Policy"]
        assert "default-src 'self'" in policy


class TestFrontEnd:
    def test_every_screen_address_gives_the_page_and_is_not_kept(self, api):
        for path in ("/", "/subjects/shelf-note/verdict/3"):
            answer = api.client.get(path)
            assert answer.status_code == 200
            assert '<div id="app">' in answer.text
            assert answer.headers["Cache-Control"] == "no-cache"

    def test_a_file_of_another_build_is_not_answered_with_the_page(self, api):
        assert_problem(api.client.get("/assets/index-old.js"), 404, None, "Reload the page")

    def test_no_file_outside_the_build_can_be_read(self, api):
        for path in ("/../app.py", "/..%2fapp.py", "/assets/../../app.py"):
            answer = api.client.get(path)
            assert "make_app" not in answer.text


def test_the_tables_that_the_screens_read(api, two_models):
    assert [m["name"] for m in api.get("/models").get_json()["models"]] == ["tern-s", "gannet-l"]
    settings = api.get("/settings").get_json()["settings"]
    assert {s["name"] for s in settings} >= {"temperature", "top_p", "max_tokens"}
    assert all(s["help"] for s in settings)
    assert [k["key"] for k in api.get("/checks").get_json()["kinds"]] == list(CHECKS)
