"""The library of checks and its bench over HTTP."""

import pytest

from epistem.core.checks.registry import CHECKS
from epistem.core.checks.uses import CheckUse
from epistem.store import subjects
from epistem.work.probation import begin_test
from tests.kit.running import put_model
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
    assert bench(api, []).get_json() == {
        "measures": [],
        "of": [],
        "faults": [],
        "answers": [],
        "trust": [],
    }


TONE = {"check": "judge.rubric", "options": {"criterion": "tone", "model": "gannet-l"}}


def test_rules_of_the_draft_are_told_with_what_could_guard_them(api, subject):
    draft = api.get("/subjects/shelf-note/draft").get_json()
    part = draft["content"]["messages"][0]["parts"][0]
    part["text"] = "Sort notes. Never promise a date."
    etag = f'"{draft["revision"]}"'
    assert api.put("/subjects/shelf-note/draft", draft["content"], etag=etag).status_code == 200
    rules = api.get("/subjects/shelf-note/checks/rules").get_json()["rules"]
    [rule] = [each for each in rules if each["words"] == "Never promise a date."]
    assert rule["guards"] == []
    assert [offer["check"] for offer in rule["offers"]] == ["safety.promises", "judge.yes_no"]


def test_a_judge_is_put_to_the_test_and_the_bench_says_how_it_did(api, subject):
    [before] = bench(api, [TONE], text="Hello").get_json()["trust"]
    assert (before["tested"], before["trusted"]) == (False, False)
    page = api.post("/judges/test", TONE).get_json()
    assert [known["known"] for known in page["known"]] == [5, 4, 1, 3]
    assert all(known["given"] for known in page["known"])
    again = api.post("/judges/test", TONE).get_json()
    assert again["cents"] > 0  # a test asks anew: a model may have changed behind its name
    assert again["trust"] == page["trust"]
    [after] = bench(api, [TONE]).get_json()["trust"]
    assert after == page["trust"]
    assert_problem(api.post("/judges/test", {"check": "tone.emoji"}), 422, "check", "asks no model")


def test_the_bench_says_that_a_judge_is_put_to_the_test_behind_the_pages(api, database, subject):
    with database.transaction() as tx:
        begin_test(tx, CheckUse.from_json(TONE))
    [trust] = bench(api, [TONE], text="Hello").get_json()["trust"]
    assert trust["why"].startswith("It is being put to the test")


def test_a_judge_is_asked_about_one_answer(api, subject):
    page = api.post(
        "/subjects/shelf-note/checks/judged", {"check": TONE, "text": "Thank you, glad to help!"}
    ).get_json()
    [finding] = page["findings"]
    assert (finding["unit"], 1 <= finding["score"] <= 5) == ("point", True)
    gone = {"check": {"check": "judge.rubric", "options": {"model": "nobody"}}, "text": "x"}
    refused = api.post("/subjects/shelf-note/checks/judged", gone)
    assert_problem(refused, 422, "options.model", "not in the list")


def test_a_try_is_judged_after_its_answer(api, subject):
    api.change("/subjects/shelf-note/checks", {"checks": [TONE, {"check": "tone.emoji"}]})
    body = {"content": api.get("/subjects/shelf-note/draft").get_json()["content"],
            "inputs": {"note": "Where is my atlas?"}, "model": "tern-s"}  # fmt: skip
    tried = api.post("/subjects/shelf-note/tries", body).get_json()
    assert [finding["measure"] for finding in tried["findings"]] == [0, 1]
    assert tried["findings"][0]["score"] is not None


def test_what_a_case_expects_brings_the_checks_that_it_needs(api, subject):
    expected = [{"known": False}, {"refuse": True}]
    for at, expect in enumerate(expected):
        answer = api.post(
            "/subjects/shelf-note/cases", {"inputs": {"note": f"note {at}"}, "expect": expect}
        )
        assert answer.status_code == 201, answer.get_json()
    page = api.get("/subjects/shelf-note").get_json()
    keys = [use["check"] for use in page["checks"]]
    assert keys[-2:] == ["grounding.not_known", "safety.refuses"]


def test_a_draft_tells_its_rules_without_a_check(api, subject):
    draft = api.get("/subjects/shelf-note/draft").get_json()
    draft["content"]["messages"][0]["parts"][0]["text"] = "Never promise a date. Be kind."
    etag = f'"{draft["revision"]}"'
    page = api.put("/subjects/shelf-note/draft", draft["content"], etag=etag).get_json()
    assert {"path": "messages.0.parts.0.text", "words": "Never promise a date."} in page[
        "unguarded"
    ]


def test_every_option_is_described_with_its_default(api):
    for kind in api.get("/checks").get_json()["kinds"]:
        for name, told in kind["options"].get("properties", {}).items():
            assert "default" in told, f"{kind['key']}: {name}"
    kinds = {
        kind["key"]: kind["options"]["properties"]
        for kind in api.get("/checks").get_json()["kinds"]
    }
    assert len(kinds["safety.personal_data"]["kinds"]["default"]) == 6
    assert kinds["judge.own"]["shown"]["default"] == ["question"]


@pytest.mark.parametrize(
    "broken",
    [
        CheckUse(check="house.name"),  # of a package that is not installed any more
        CheckUse(check="tone.emoji", options={"colour": "red"}),  # of an older version of the check
    ],
)
def test_a_kept_check_that_cannot_be_had_any_more_stops_nothing_else(
    api, database, subject, broken
):
    with database.transaction() as tx:
        subjects.set_checks(
            tx, subject, [broken, CheckUse(check="tone.exclamation")], subject.checks_revision
        )
    page = api.get("/subjects/shelf-note").get_json()
    assert [measure["title"] for measure in page["measures"]][1:] == ["no exclamation marks"]
    body = {"content": api.get("/subjects/shelf-note/draft").get_json()["content"],
            "inputs": {"note": "Where is my atlas?"}, "model": "tern-s"}  # fmt: skip
    tried = api.post("/subjects/shelf-note/tries", body).get_json()
    assert [finding["measure"] for finding in tried["findings"]] == [1]
    assert len(tried["not_checked"]) == 1
    checks = {"checks": [{"check": "tone.exclamation"}]}
    assert api.change("/subjects/shelf-note/checks", checks).status_code < 300


def test_a_judge_is_told_what_a_try_was_an_answer_to(api, database, subject, model_server):
    put_model(database, "critic", model_server.url)
    model_server.answer = lambda body: '{"reason": "So.", "score": 2}'
    body = {"content": api.get("/subjects/shelf-note/draft").get_json()["content"],
            "inputs": {"note": "Where is my atlas?"}, "model": "tern-s"}  # fmt: skip
    tried = api.post("/subjects/shelf-note/tries", body).get_json()
    critic = {"check": "judge.rubric", "options": {"model": "critic"}}
    asked = {"check": critic, "try_id": tried["try_id"]}
    page = api.post("/subjects/shelf-note/checks/judged", asked).get_json()
    assert (page["findings"][0]["passed"], page["findings"][0]["score"]) == (False, 2)
    shown = model_server.requests[-1]["messages"][1]["content"]
    assert "Where is my atlas?" in shown
    assert tried["answer"] in shown


def test_a_reply_without_a_score_is_not_remembered(api, database, subject, model_server):
    put_model(database, "critic", model_server.url)
    critic = {"check": "judge.rubric", "options": {"model": "critic"}}
    given = []
    for reply in ("No idea.", '{"score": 5}', "No idea."):
        model_server.answer = lambda body, reply=reply: reply
        page = api.post(
            "/subjects/shelf-note/checks/judged", {"check": critic, "text": "Hello"}
        ).get_json()
        given.append(page["findings"][0]["score"])
    assert given == [None, 5, 5]


def test_a_judge_that_never_answers_keeps_what_is_known_of_it(api, database, subject, model_server):
    put_model(database, "critic", model_server.url)
    critic = {"check": "judge.rubric", "options": {"criterion": "tone", "model": "critic"}}
    model_server.answer = lambda body: '{"score": 3}'
    before = api.post("/judges/test", critic).get_json()["trust"]
    model_server.answer = lambda body: (500, b"broken" * 20_000, {})
    assert_problem(api.post("/judges/test", critic), 502, "model", "critic")
    [after] = bench(api, [critic]).get_json()["trust"]
    assert after == before
