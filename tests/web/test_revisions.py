"""Every change says what it changes: nobody's edit is lost without a word."""

import pytest

from tests.kit.subjects import library
from tests.web.conftest import assert_problem

MODEL = {
    "address": "http://127.0.0.1:9",
    "context_window": 1_000,
    "input_cents": 1,
    "output_cents": 1,
}
CHANGES = {
    "/models/own": (MODEL, {**MODEL, "about": "mine"}),
    "/subjects/shelf-note/about": ({"about": "theirs", "tags": []}, {"about": "mine", "tags": []}),
    "/subjects/shelf-note/checks": (
        {"checks": [{"check": "tone.stock_phrases"}]},
        {"checks": [{"check": "outcome.label"}]},
    ),
    "/subjects/shelf-note/cases/1/deletion": ({"deleted": True}, {"deleted": False}),
}


@pytest.fixture
def made(api, database, two_models):
    with database.transaction() as tx:
        library(tx)
    assert api.put("/models/own", MODEL).status_code == 200


@pytest.mark.parametrize("path", CHANGES)
def test_a_change_of_what_was_changed_meanwhile_is_refused(api, made, path):
    theirs, mine = CHANGES[path]
    seen = api.revision(path)
    assert_problem(api.put(path, mine), 428, "If-Match", "Send If-Match")
    assert api.put(path, theirs, etag=seen).status_code == 200
    assert_problem(api.put(path, mine, etag=seen), 412, "If-Match", "Nothing was overwritten")
    assert_problem(api.put(path, mine, etag='"x"'), 422, "If-Match", "should be like")
    assert api.revision(path) != seen
    assert api.change(path, mine).status_code == 200


def test_a_model_that_was_changed_meanwhile_is_not_removed(api, made):
    seen = api.revision("/models/own")
    assert_problem(api.delete("/models/own"), 428, "If-Match", "Send If-Match")
    api.change("/models/own", {**MODEL, "about": "theirs"})
    assert_problem(api.delete("/models/own", etag=seen), 412, "If-Match", "was changed elsewhere")
    assert api.remove("/models/own").status_code == 204


def test_a_case_that_was_put_away_meanwhile_is_not_written_over(api, made):
    seen = api.revision("/subjects/shelf-note/cases/2/deletion")
    content = api.get("/subjects/shelf-note/cases/2").get_json()["content"]
    api.change("/subjects/shelf-note/cases/2/deletion", {"deleted": True})
    late = api.put("/subjects/shelf-note/cases/2", content, etag=seen)
    assert_problem(late, 412, "If-Match", "Case 2 was changed elsewhere")
