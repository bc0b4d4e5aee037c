"""Cases held out: asked like the others, and seen nowhere until somebody looks, which is recorded."""

import json

import pytest

from epistem.core.cases.content import Case
from epistem.core.cases.holdout import share_of
from epistem.store import cases
from epistem.web.app import make_app
from epistem.work import anew
from tests.kit.running import carry_out, put_model
from tests.kit.subjects import NOTES, library, start_trial

OUT = (2, 5)


def sorts(body):
    """Right but for the cases that are held out, which version 2 gets wrong."""
    note = body["messages"][-1]["content"]
    at = next(at for at, (text, _) in enumerate(NOTES, start=1) if text in note)
    wrong = at in OUT and "way 1" in body["messages"][0]["content"]
    return json.dumps({"label": "overdue" if wrong else NOTES[at - 1][1]})


@pytest.fixture
def held_out(database, runner, model_server):
    """A finished trial of two versions over seven cases, two of them held out, and a client."""
    model_server.answer = sorts
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = library(tx)
        cases.change(tx, subject, OUT[0], _tagged(tx, subject, OUT[0]), 1)
    client = make_app(database).test_client()
    held = client.put(
        "/api/v1/subjects/shelf-note/cases/holdout", json={"numbers": [OUT[1]], "share": 1}
    )
    assert [each["number"] for each in held.get_json()["cases"]] == [OUT[1]]
    arms = [{"version": v, "model": "own"} for v in (1, 2)]
    trial = start_trial(database, subject, arms=arms, checks=[{"check": "outcome.label"}])
    return carry_out(runner, database, trial), client


def _tagged(tx, subject, number):
    content = cases.get(tx, subject, number).content
    return content.model_copy(update={"tags": ["holdout"]})


def get(client, path, status=200, **query):
    answer = client.get(f"/api/v1/{path}", query_string=query)
    assert answer.status_code == status, answer.text
    return answer.get_json()


def test_nothing_tells_of_their_results_until_somebody_looks(held_out, database):
    trial, client = held_out
    page, at = get(client, f"trials/{trial.id}"), [number - 1 for number in OUT]
    assert page["held_out"] == [[place, place] for place in at]
    verdict = get(client, f"trials/{trial.id}/verdict")
    assert verdict["comparisons"][0]["difference"] == 0.0
    assert verdict["rates"][1][0]["cases"] == 5
    assert set(get(client, f"trials/{trial.id}/ticks")["case_at"]) == {0, 2, 3, 5, 6}
    refused = get(client, f"trials/{trial.id}/readings", 409, arm=1, case_at=at[0])
    assert refused["field"] == "look"
    with database.transaction() as tx:
        rows = tx.rows(
            "SELECT id FROM cells WHERE trial_id = %s AND case_at = %s", (trial.id, at[0])
        )
    get(client, f"readings/{rows[0][0]}", 409)
    cases_at = "subjects/shelf-note/cases"
    assert get(client, f"{cases_at}/{OUT[0]}/fared")["met"] == []
    assert [each["number"] for each in get(client, cases_at, find="fails:v2")["cases"]] == []
    assert {each["number"] for each in get(client, cases_at, find="untried:v2")["cases"]} == set(
        OUT
    )
    strips = get(client, f"{cases_at}/strips", of=f"{trial.id}.1", numbers="1,2")
    assert strips["strips"][0]["letters"] == ["pp", ""]
    assert get(client, f"{cases_at}/review")["passes_none"] == 0
    scores = get(client, "subjects/shelf-note/versions/scores")["scores"]
    assert {each["version"]: each["rate"] for each in scores} == {1: 1.0, 2: 1.0}
    with database.transaction() as tx:
        again = anew.judge_anew(tx, trial.id)
    assert again.plan.held_out == at


def test_a_look_is_recorded_before_anything_is_shown_and_shows_them_alone(held_out):
    trial, client = held_out
    get(client, f"trials/{trial.id}/verdict", 404, look=1)
    made = client.post(
        f"/api/v1/trials/{trial.id}/looks", json={"why": "to decide"}, headers={"By": "Ann"}
    ).get_json()
    look = made["id"]
    verdict = get(client, f"trials/{trial.id}/verdict", look=look)
    assert verdict["comparisons"][0]["difference"] == -100.0
    assert verdict["rates"][1][0]["cases"] == 2
    assert set(get(client, f"trials/{trial.id}/ticks", look=look)["case_at"]) == {
        n - 1 for n in OUT
    }
    told = get(client, f"trials/{trial.id}/readings", arm=1, case_at=1, look=look)["readings"]
    assert [json.loads(each["answer"])["label"] for each in told] == ["overdue"] * 2
    [seen] = get(client, f"trials/{trial.id}")["looks"]
    assert (seen["by"], seen["why"]) == ("Ann", "to decide")
    assert get(client, f"trials/{trial.id}/verdict")["comparisons"][0]["difference"] == 0.0


def test_a_trial_that_holds_nothing_out_has_nothing_to_look_at(database, two_models):
    with database.transaction() as tx:
        subject = library(tx)
    trial = start_trial(database, subject)
    answer = make_app(database).test_client().post(f"/api/v1/trials/{trial.id}/looks", json={})
    assert answer.status_code == 409


def test_a_share_is_always_the_same_cases_and_grows_without_letting_any_go():
    told = [(n, Case.from_json({"inputs": {"m": f"text {n}"}})) for n in range(1, 101)]
    fifth, half = share_of(told, 0.2), share_of(list(reversed(told)), 0.5)
    assert (len(fifth), len(half)) == (20, 50)
    assert set(fifth) < set(half)
    assert share_of(told, 0.2) == fifth
