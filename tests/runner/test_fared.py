"""How cases fared: by version, in strips, and one case with all that met it."""

import json

from epistem.store import cases
from epistem.web.app import make_app
from tests.kit.running import carry_out, put_model
from tests.kit.subjects import NOTES, library, start_trial

WRONG_FOR = {NOTES[0][0]: 1, NOTES[1][0]: 2}
"""Notes that a way sorts wrongly: the first by version 1, the second by version 2."""


def sorts(body):
    note = body["messages"][-1]["content"]
    way = 2 if "way 1" in body["messages"][0]["content"] else 1
    label = dict(NOTES)[next(text for text, _ in NOTES if text in note)]
    wrong = next((w for text, w in WRONG_FOR.items() if text in note), 0) == way
    return json.dumps({"label": "overdue" if wrong else label})


def test_lists_strips_and_pages_tell_the_same_of_how_cases_fared(database, runner, model_server):
    model_server.answer = sorts
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = library(tx)
        cases.set_deleted(tx, subject, 7, True, 1)
    arms = [{"version": v, "model": "own"} for v in (1, 2)]
    trial = start_trial(database, subject, arms=arms, checks=[{"check": "outcome.label"}])
    carry_out(runner, database, trial)
    with database.transaction() as tx:
        late = cases.keep(tx, subject, cases.get(tx, subject, 2).content)
        told = cases.get(tx, subject, 1)
        cases.change(tx, subject, 1, told.content.model_copy(update={"tags": ["x"]}), told.revision)
    client = make_app(database).test_client()

    def get(path, **query):
        answer = client.get(f"/api/v1/subjects/shelf-note/cases{path}", query_string=query)
        assert answer.status_code == 200, answer.text
        return answer.get_json()

    def found(find, **query):
        return [case["number"] for case in get("", find=find, **query)["cases"]]

    assert found("fails:v1") == [1]
    assert found("never:v2") == [2]
    assert found("flips:v1..v2") == [1, 2]
    assert found("-passes:all") == [1, 2, late.number]
    assert found("untried:v1 untried:all") == [late.number]
    assert found("", sort="result", of=f"{trial.id}.1")[0] == 2
    arms_told = [(arm["trial"], arm["arm"], arm["over"]) for arm in get("/arms")["arms"]]
    assert arms_told == [(trial.id, 0, True), (trial.id, 1, True)]
    strips = get("/strips", of=f"{trial.id}.0,{trial.id}.1", numbers=f"1,3,{late.number}")
    assert [strip["letters"] for strip in strips["strips"]] == [["ff", "pp", ""], ["pp", "pp", ""]]
    first, second = get("/1/fared")["met"]
    assert (first["letters"], first["failed"], first["as_now"]) == ("ff", ["label is right"], False)
    assert json.loads(first["answer"]) == {"label": "overdue"}
    assert (second["letters"], second["failed"]) == ("pp", [])
    review = get("/review")
    assert (review["passes_all"], review["passes_none"]) == (4, 0)
    assert [(d["one"], d["other"]) for d in review["doubles"]] == [(2, late.number)]
    refused = client.get("/api/v1/subjects/shelf-note/cases/strips?of=1&numbers=1")
    assert (refused.status_code, refused.get_json()["field"]) == (422, "of")
