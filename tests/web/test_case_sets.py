"""Named sets of cases: what they hold, where they narrow, and a trial over them."""

import pytest

from tests.kit.subjects import library


@pytest.fixture
def sets(api, database):
    with database.transaction() as tx:
        library(tx)
    return "/subjects/shelf-note/case-sets"


def listed(answer):
    assert answer.status_code == 200, answer.text
    return {each["name"]: each["cases"] for each in answer.get_json()["sets"]}


def numbers(api, find):
    return api.get(f"/subjects/shelf-note/cases/numbers?find={find}").get_json()["numbers"]


def test_a_set_holds_what_its_filter_finds_or_what_was_chosen(api, sets):
    assert listed(api.put(f"{sets}/overdue", {"find": "label:overdue"})) == {"overdue": 2}
    assert listed(api.put(f"{sets}/smoke", {"numbers": [1, 5, 99]})) == {"overdue": 2, "smoke": 2}
    assert numbers(api, "set:smoke") == [1, 5]
    assert numbers(api, "set:overdue") == [3, 6]
    assert numbers(api, "-set:smoke -set:overdue") == [2, 4, 7]
    assert numbers(api, "set:nowhere") == []
    added = {"inputs": {"note": "late again"}, "expect": {"label": "overdue"}}
    api.post("/subjects/shelf-note/cases", added)
    assert listed(api.get(sets)) == {"overdue": 3, "smoke": 2}
    assert listed(api.delete(f"{sets}/smoke")) == {"overdue": 3}
    assert listed(api.put(f"{sets}/fails, org/model", {"numbers": [2]})) == {
        "fails, org/model": 1,
        "overdue": 3,
    }
    assert api.put(f"{sets}/%20", {"numbers": [2]}).status_code == 422


@pytest.mark.parametrize(
    ("body", "field"),
    [({}, "find"), ({"find": "set:other"}, "find"), ({"numbers": []}, "numbers")],
)
def test_a_set_of_nothing_in_particular_or_of_sets_is_refused(api, sets, body, field):
    refused = api.put(f"{sets}/odd", body)
    assert (refused.status_code, refused.get_json()["field"]) == (422, field)


def test_a_trial_asks_the_cases_of_a_set(api, sets, two_models):
    api.put(f"{sets}/smoke", {"numbers": [1, 5]})
    api.put(f"{sets}/overdue", {"find": "label:overdue"})
    arms = [{"version": v, "model": "tern-s"} for v in (1, 2)]
    made = api.post("/subjects/shelf-note/trials", {"arms": arms, "sets": ["smoke", "overdue"]})
    assert made.get_json()["numbers"] == [[1, 1], [3, 3], [5, 6]]
    lost = api.post("/subjects/shelf-note/trials", {"arms": arms, "sets": ["none"]})
    assert (lost.status_code, lost.get_json()["field"]) == (422, "sets")
