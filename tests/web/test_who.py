"""Who did it is kept beside every change, as the name that they gave."""

from urllib.parse import quote

import pytest

from epistem.core.cases.content import Case
from tests.kit.subjects import library

NAME = "Ádám Ò Briain"


@pytest.fixture
def ask(api, database, two_models):
    """Requests as that person, to a subject with two versions and cases."""
    with database.transaction() as tx:
        library(tx)

    def ask(verb, path, body=None, etag=None, by=NAME):
        headers = {"By": quote(by), **({"If-Match": etag} if etag else {})}
        answer = api.client.open(f"/api/v1{path}", method=verb, json=body, headers=headers)
        assert answer.status_code < 300, answer.text
        return answer

    return ask


def test_everything_that_is_changed_says_by_whom(ask, api, database, stand_in):
    of = "/subjects/shelf-note"
    draft = ask("GET", f"{of}/draft")
    content = draft.get_json()["content"]
    content["messages"][0]["parts"][0]["text"] += " Be quick."
    draft = ask("PUT", f"{of}/draft", content, draft.headers["ETag"])
    saved = ask("POST", f"{of}/versions", {"note": "quick"}, draft.headers["ETag"]).get_json()
    kept = ask("POST", f"{of}/cases", Case(inputs={"note": "x"}).to_json())
    path = f"{of}/cases/{kept.get_json()['number']}"
    away = ask("PUT", f"{path}/deletion", {"deleted": True}, '"1"', by="Bo").get_json()
    trial = ask("POST", f"{of}/trials", {"arms": [{"version": 1, "model": "tern-s"}]}).get_json()
    stopped = ask("POST", f"/trials/{trial['id']}/stop", by="Bo").get_json()
    fragment = {"name": "house-tone", "text": "Be kind."}
    made = ask("POST", "/fragments", fragment).get_json()
    asked = {"content": content, "inputs": {"note": "Where is it?"}, "model": "tern-s"}
    ask("POST", f"{of}/tries", asked)
    [tried] = api.get(f"{of}/tries").get_json()["tries"]
    assert [
        draft.get_json()["changed_by"],
        saved["version"]["saved_by"],
        kept.get_json()["changed_by"],
        trial["started_by"],
        made["versions"][0]["saved_by"],
        tried["tried_by"],
    ] == [NAME] * 6
    assert (away["changed_by"], stopped["changed_by"]) == ("Bo", "Bo")

    entry = {"address": stand_in, "context_window": 1000, "input_cents": 0, "output_cents": 0}
    ask("PUT", "/models/mine", entry)
    ask("PUT", f"{of}/about", {"about": "x"}, '"1"')
    with database.transaction() as tx:
        rows = tx.rows("SELECT changed_by FROM models WHERE name = 'mine'")
        rows += tx.rows("SELECT changed_by FROM subjects WHERE name = 'shelf-note'")
    assert rows == [(NAME,), (NAME,)]


@pytest.mark.parametrize(
    ("given", "kept"),
    [("", ""), ("%00%0aBo%20%20Lee ", "Bo Lee"), ("x" * 500, "x" * 80), ("%", "%")],
)
def test_a_name_that_will_not_do_is_cleaned(ask, api, given, kept):
    headers = {"By": given}
    answer = api.client.post("/api/v1/subjects/shelf-note/cases", json={}, headers=headers)
    assert answer.get_json()["changed_by"] == kept
