"""What goes on behind the pages, over the API: told, tried now, left."""

import json

import pytest

from epistem.store import jobs
from epistem.web.events import _events
from tests.web.conftest import assert_problem


@pytest.fixture
def waiting(database):
    """A job that did not work yet."""
    with database.transaction() as tx:
        jobs.begin(tx, "odd", "one", {"what": "one"}, "Do one thing")
        [job] = jobs.claim(tx, "me", ["odd"], 5)
        jobs.put_off(tx, job.id, "me", "It was <busy>.", 600)
    return job


def test_what_goes_on_is_listed_tried_now_left_and_taken_up_again(api, waiting):
    [line] = api.get("/jobs").get_json()["jobs"]
    assert (line["title"], line["status"], line["attempts"], line["why"]) == (
        "Do one thing", "waiting", 1, "It was <busy>.",
    )  # fmt: skip
    [now] = api.post(f"/jobs/{line['id']}/again").get_json()["jobs"]
    assert (now["attempts"], now["due_at"] < line["due_at"]) == (0, True)
    assert api.delete(f"/jobs/{line['id']}").get_json() == {"jobs": []}
    assert len(api.post(f"/jobs/{line['id']}/again").get_json()["jobs"]) == 1


def test_one_that_is_not_there_is_told(api, waiting):
    assert_problem(api.post("/jobs/999/again"), 404, None, "no job 999")
    assert_problem(api.delete("/jobs/999"), 404, None, "no job 999")


def test_one_that_is_done_is_listed_no_more_and_can_not_be_left(api, database, waiting):
    with database.transaction() as tx:
        jobs.try_again(tx, waiting.id)
        jobs.claim(tx, "me", ["odd"], 5)
        jobs.finish(tx, waiting.id, "me")
    assert api.get("/jobs").get_json() == {"jobs": []}
    api.delete(f"/jobs/{waiting.id}")
    with database.transaction() as tx:
        assert jobs.find(tx, "odd", "one").status == "done"


def test_a_window_hears_of_each_change(database, waiting):
    stream = _events(database)

    def heard():
        event = next(each for each in stream if each.startswith("event: jobs"))
        return json.loads(event.partition("data: ")[2])["jobs"]

    assert [each["status"] for each in heard()] == ["waiting"]
    with database.transaction() as tx:
        jobs.leave(tx, waiting.id)
    assert heard() == []
