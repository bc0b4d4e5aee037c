"""The library of checks and its bench over HTTP."""

import pytest

from epistem.core.checks.registry import CHECKS
from tests.kit.subjects import library
from tests.web.conftest import assert_problem


@pytest.fixture
def subject(database, two_models):
    with database.transaction() as tx:
        return library(tx)


def bench(api, checks, **more):
    return api.post("/subjects/shelf-note/checks/bench", {"checks": checks, **more})


def test_the_library_is_told_with_options_and_examples(api):
    kinds = {kind["key"]: kind for kind in api.get("/checks").get_json()["kinds"]}
    assert list(kinds) == list(CHECKS)
    length = kinds["structure.length"]
    assert length["options"]["properties"]["most"]["title"] == "At most"
    assert min(len(length["good"]), len(length["bad"])) >= 8
    assert "short" in length["also_called"]


def test_a_text_and_the_latest_tries_are_judged_as_the_options_stand(api, subject):
    body = {"content": api.get("/subjects/shelf-note/draft").get_json()["content"],
            "inputs": {"note": "Where is my atlas?"}, "model": "tern-s"}  # fmt: skip
    tried = api.post("/subjects/shelf-note/tries", body).get_json()
    checks = [
        {"check": "structure.length", "options": {"most": 3}},
        {"check": "structure.matches", "options": {"pattern": "(a"}},
        {"check": "outcome.must_say", "options": {"phrases": ["tide"]}},
    ]
    page = bench(api, checks, text="one two three four").get_json()
    assert [measure["title"] for measure in page["measures"]] == [
        "3 words at most", "matches /(a/", "says tide",
    ]  # fmt: skip
    assert page["of"] == [0, 1, 2]
    assert [bool(fault) for fault in page["faults"]] == [False, True, False]
    mine, latest = page["answers"]
    told = [(f["measure"], f["passed"], f["score"]) for f in mine["findings"]]
    assert told == [(0, False, 4), (2, False, None)]
    assert [(s["start"], s["end"]) for s in mine["findings"][0]["spans"]] == [(14, 18)]
    assert (latest["text"], latest["asked"]) == (tried["answer"], "Where is my atlas?")
    assert api.get("/subjects/shelf-note").get_json()["checks"] != checks  # nothing is kept


@pytest.mark.parametrize(
    ("checks", "more", "field", "says"),
    [
        ([{"check": "tone.jolly"}], {}, None, "There is no check"),
        ([{"check": "tone.emoji", "options": {"most": "many"}}], {}, "checks.0.options.most", "number"),
        ([], {"tries": 400}, "tries", "less than or equal"),
        ([], {"text": "x" * 200_001}, "text", "at most 200000"),
    ],
)  # fmt: skip
def test_what_cannot_be_judged_is_refused_by_field(api, subject, checks, more, field, says):
    assert_problem(bench(api, checks, **more), 422, field, says)


def test_without_checks_or_answers_there_is_nothing_to_say(api, subject):
    assert bench(api, []).get_json() == {"measures": [], "of": [], "faults": [], "answers": []}
