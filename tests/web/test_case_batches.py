"""Several cases changed at once, and brought back to what they were."""

import pytest

from epistem.core.prompts.content import blank_prompt
from epistem.store import subjects
from tests.web.conftest import assert_problem

BASE = "/subjects/inlet/cases"


@pytest.fixture(autouse=True)
def three(api, database):
    with database.transaction() as tx:
        subjects.create(tx, "inlet", "", blank_prompt())
    for number in range(1, 4):
        api.post(
            BASE, {"inputs": {"message": f"m {number}"}, "tags": ["old"] if number == 1 else []}
        )


def put(api, path, body):
    return api.client.put(f"/api/v1{BASE}/{path}", json=body)


def tags(api):
    return [case["tags"] for case in api.get(BASE).get_json()["cases"]]


def test_tags_are_given_and_taken_and_the_answer_undoes_it(api):
    edited = put(api, "tags", {"numbers": [1, 2, 2], "add": ["Old", "june"], "remove": ["gone"]})
    assert tags(api) == [["old", "june"], ["old", "june"], []]
    assert [each["number"] for each in edited.get_json()["cases"]] == [1, 2]
    assert put(api, "restored", edited.get_json()).status_code == 200
    assert tags(api) == [["old"], [], []]
    # Undone once, it is not as it became any more.
    assert_problem(put(api, "restored", edited.get_json()), 412, "If-Match", "changed elsewhere")
    assert put(api, "tags", {"numbers": [1], "remove": ["none"]}).get_json()["cases"] == []


def test_one_that_is_not_there_leaves_all_as_they_are(api):
    assert_problem(put(api, "tags", {"numbers": [1, 9], "add": ["x"]}), 404, "case", "no case 9")
    assert tags(api) == [["old"], [], []]
    many = {"numbers": [2], "add": [f"t{n}" for n in range(50)]}
    put(api, "tags", many)
    assert_problem(put(api, "tags", {"numbers": [2], "add": ["more"]}), 422, "cases.2.tags", "50")


def test_several_are_put_away_whatever_their_revision_and_found_as_such(api):
    kept = put(api, "away", {"numbers": [1, 3], "away": True}).get_json()["cases"]
    assert [each["number"] for each in kept] == [1, 3]
    away = api.get(f"{BASE}?find=is:away").get_json()
    assert ([case["number"] for case in away["cases"]], away["kept"]) == ([1, 3], 1)
    assert put(api, "away", {"numbers": [1], "away": True}).get_json()["cases"] == []
    put(api, "deletion", {"cases": kept, "deleted": False})
    assert len(tags(api)) == 3


def test_what_a_person_says_next_follows_turns_and_rules(api):
    case = {"turns": ["first"], "person": {"rules": [{"asked": "date", "say": ["Monday"]}]}}

    def says(*answers):
        told = api.post("/talks/next", {"answers": answers, "case": case}).get_json()
        return told["said"], told["ended"]

    assert [says(), says("a"), says("a", "date?"), says("a", "b")] == [
        (None, None), ("first", None), ("Monday", None), (None, "done"),
    ]  # fmt: skip
    case["person"]["rules"].append({"asked": "DATE | day", "say": ["Tuesday"]})
    doubts = api.post("/talks/next", {"case": case}).get_json()["doubts"]
    assert doubts == ["Rules 1 and 2 are both met by “date”: both are said then."]
