"""Trials, their events and their verdicts over HTTP."""

import json
from concurrent.futures import ThreadPoolExecutor
from threading import Event
from urllib.request import urlopen

import numpy as np
import pytest

from epistem.runner.service import RunnerOptions
from epistem.web.app import make_app
from tests.kit.running import runner_of
from tests.kit.servers import served_wsgi
from tests.kit.subjects import library
from tests.kit.waiting import PATIENCE_S, wait_for
from tests.web.conftest import assert_problem

PLAN = {
    "arms": [{"version": 1, "model": "tern-s"}, {"version": 2, "model": "tern-s"}],
    "repeats": 2,
    "seed": 4,
}


@pytest.fixture
def subject(database, two_models):
    with database.transaction() as tx:
        return library(tx)


@pytest.fixture
def running(address):
    """A runner beside the test."""
    stop = Event()
    runner = runner_of(address, RunnerOptions(in_flight=8, poll_s=0.02))
    with ThreadPoolExecutor(1) as pool:
        done = pool.submit(runner.run, stop)
        yield
        stop.set()
        done.result(PATIENCE_S)


def start(api, **more):
    return api.post("/subjects/shelf-note/trials", {**PLAN, **more})


def finished(api, **more):
    trial = start(api, **more).get_json()
    wait_for(lambda: api.get(f"/trials/{trial['id']}").get_json()["status"] == "finished")
    return api.get(f"/trials/{trial['id']}").get_json()


class TestPlans:
    @pytest.mark.parametrize(
        ("more", "status", "field", "says"),
        [
            ({"arms": []}, 422, "arms", "The trial has no arms"),
            ({"cases": []}, 422, "cases", "The trial has no cases"),
            ({"repeats": 0}, 422, "repeats", "at least 1"),
            ({"repeats": 10_000}, 422, "repeats", "more than 100"),
            ({"repeats": "many"}, 422, "repeats", "integer"),
            (
                {"arms": [{"version": 1, "model": "tern-xl"}]},
                422,
                "arms.0.model",
                "There is no model “tern-xl”",
            ),
            ({"arms": [{"version": 9, "model": "tern-s"}]}, 422, "arms.0.version", "no version 9"),
            ({"cases": [400]}, 404, "cases", "can't be found: 400"),
            ({"arm": []}, 422, "arm", "Extra inputs"),
        ],
    )
    def test_one_that_cannot_be_carried_out_is_refused_by_field(
        self, api, subject, more, status, field, says
    ):
        assert_problem(start(api, **more), status, field, says)
        assert api.get("/subjects/shelf-note/trials").get_json()["trials"] == []

    def test_an_estimate_is_near_what_the_trial_then_takes(self, api, subject, running):
        first = api.post("/subjects/shelf-note/trials/estimate", PLAN).get_json()
        assert (first["calls"], first["from_past"], first["seconds"]) == (28, False, None)
        trial = finished(api)
        readings = [
            reading
            for arm in (0, 1)
            for case in range(7)
            for reading in api.get(
                f"/trials/{trial['id']}/readings?arm={arm}&case_at={case}"
            ).get_json()["readings"]
        ]
        # The stand-in counts by the same vocabulary, so the way in is exact.
        assert first["input_tokens"] == sum(r["input_tokens"] for r in readings)
        again = api.post("/subjects/shelf-note/trials/estimate", PLAN).get_json()
        assert again["from_past"]
        assert again["seconds"] > 0
        assert again["output_tokens"] == pytest.approx(
            sum(r["output_tokens"] for r in readings), abs=1
        )
        assert again["cents"] == pytest.approx(trial["cents"], rel=0.02)

    def test_a_plan_that_cannot_be_carried_out_has_no_estimate(self, api, subject):
        answer = api.post("/subjects/shelf-note/trials/estimate", {**PLAN, "arms": []})
        assert_problem(answer, 422, "arms", "no arms")

    def test_a_new_trial_has_all_that_a_matrix_needs(self, api, subject):
        page = start(api).get_json()
        assert (page["status"], page["total"], page["recorded"]) == ("waiting", 28, 0)
        assert api.get(f"/trials/{page['id']}/ticks").get_json()["marks"] == []
        assert [arm["name"] for arm in page["arms"]] == ["v1", "v2"]
        assert page["arms"][0]["settings"]["temperature"] == 0.7
        assert (page["cases"], page["numbers"], page["paused"]) == (7, [[1, 7]], [])
        some = api.get(f"/trials/{page['id']}/cases?at=1,5,99").get_json()["cases"]
        assert [(c["position"], c["number"]) for c in some] == [(1, 2), (5, 6)]
        assert some[0]["title"] == "When do you close on Saturdays?"
        whole = api.get(f"/trials/{page['id']}/cases/1").get_json()
        assert (whole["expects"], whole["content"]["inputs"]) == (
            "opening hours",
            {"note": "When do you close on Saturdays?"},
        )
        assert_problem(api.get(f"/trials/{page['id']}/cases/7"), 404, "position", "no case at 7")
        assert_problem(api.get(f"/trials/{page['id']}/cases?at=1,x"), 422, "at", "pattern")
        many = ",".join(map(str, range(101)))
        assert_problem(api.get(f"/trials/{page['id']}/cases?at={many}"), 422, "at", "100 cases")

    def test_the_list_is_searched_and_comes_in_pages(self, api, subject):
        ids = [start(api).get_json()["id"] for _ in range(52)]
        api.post(f"/trials/{ids[3]}/stop")
        first = api.get("/subjects/shelf-note/trials").get_json()
        assert ([t["id"] for t in first["trials"]], first["more"]) == (ids[:1:-1], True)
        rest = api.get(f"/subjects/shelf-note/trials?before={ids[2]}").get_json()
        assert ([t["id"] for t in rest["trials"]], rest["more"]) == (ids[1::-1], False)
        found = api.get("/subjects/shelf-note/trials?find=stopped+tern-s+v2").get_json()
        assert [t["id"] for t in found["trials"]] == [ids[3]]
        assert api.get("/subjects/shelf-note/trials?find=gannet").get_json()["trials"] == []

    def test_arms_that_are_not_paused_cannot_be_tried_now(self, api, subject):
        trial = start(api).get_json()["id"]
        assert_problem(api.post(f"/trials/{trial}/try-now"), 409, "trial", "No arm of")

    def test_stop_and_go_on(self, api, subject):
        trial = start(api).get_json()["id"]
        assert api.post(f"/trials/{trial}/stop").get_json()["status"] == "stopped"
        assert_problem(api.post(f"/trials/{trial}/stop"), 409, "trial", "stopped already")
        assert api.post(f"/trials/{trial}/go-on").get_json()["status"] == "waiting"
        assert_problem(
            api.post(f"/trials/{trial}/go-on"), 409, "trial", "only a stopped or failed trial"
        )

    def test_one_that_is_not_there(self, api):
        for path in (
            "/trials/9",
            "/trials/9/verdict",
            "/trials/9/readings?arm=0&case_at=0",
        ):
            assert_problem(api.get(path), 404, "trial", "There is no trial T9")


class TestReadings:
    def test_a_reading_keeps_the_exact_request(self, api, subject, running):
        page = finished(api)
        ticks = api.get(f"/trials/{page['id']}/ticks").get_json()
        assert (len(ticks["marks"]), ticks["last"], ticks["more"]) == (28, 28, False)
        assert set("".join(ticks["marks"])) <= set("012")
        found = api.get(f"/trials/{page['id']}/readings?arm=1&case_at=1").get_json()["readings"]
        assert [r["repeat_no"] for r in found] == [0, 1]
        whole = api.get(f"/readings/{found[0]['id']}").get_json()
        [call] = whole["calls"]
        request = json.loads(call["request"])
        assert request["messages"][1]["content"] == "When do you close on Saturdays?"
        assert (call["model"], request["seed"] > 0, call["path"]) == ("tern-s", True, "0.1")
        assert json.loads(call["reply"])["choices"][0]["message"]["content"] == found[0]["answer"]
        assert (found[0], found[0]["calls"]) == (whole["reading"], 1)
        assert [f["title"] for f in found[0]["findings"]][:1] == ["label is right"]
        line = api.get("/subjects/shelf-note").get_json()
        assert (line["trial_status"], line["trial_recorded"], line["trial_total"]) == (
            "finished",
            28,
            28,
        )
        assert line["headline"]["measure"] == "label is right"

    def test_arms_may_speak_different_formats(self, api, subject, running, stand_in):
        entry = {"address": stand_in, "served_as": "gannet-l", "wire_format": "messages"}
        prices = {"context_window": 32_768, "input_cents": 1.0, "output_cents": 2.0}
        api.change("/models/other", {**entry, **prices})
        page = finished(api, arms=[{"version": 1, "model": m} for m in ("gannet-l", "other")])
        assert (page["recorded"], page["unanswered"]) == (28, 0)
        [reading, _] = api.get(f"/trials/{page['id']}/readings?arm=1&case_at=1").get_json()[
            "readings"
        ]
        [call] = api.get(f"/readings/{reading['id']}").get_json()["calls"]
        assert json.loads(call["request"])["system"].startswith("Sort the note")
        assert reading["input_tokens"] > 20

    def test_a_model_that_a_trial_asks_stays_until_the_trial_is_over(self, api, subject, stand_in):
        prices = {"context_window": 32_768, "input_cents": 1.0, "output_cents": 2.0}
        api.change("/models/other", {"address": stand_in, **prices})
        trial = start(api, arms=[{"version": 1, "model": "other"}]).get_json()
        assert_problem(api.remove("/models/other"), 409, "name", f"T{trial['id']} is still asking")
        api.post(f"/trials/{trial['id']}/stop")
        assert api.remove("/models/other").status_code == 204
        # It asks its models as they were.
        assert api.post(f"/trials/{trial['id']}/go-on").status_code == 200


class TestRenamedInputs:
    def test_versions_of_before_an_input_was_renamed_can_still_be_asked(
        self, api, subject, running
    ):
        draft = api.get("/subjects/shelf-note/draft")
        renamed = api.post(
            "/subjects/shelf-note/draft/rename",
            {"old": "note", "new": "message", "apply": True},
            headers={"If-Match": draft.headers["ETag"]},
        )
        assert renamed.get_json()["cases"] == 7
        saved = api.post(
            "/subjects/shelf-note/versions",
            {"note": "renamed"},
            headers={"If-Match": renamed.headers["ETag"]},
        )
        assert saved.status_code == 201
        arms = [{"version": v, "model": "tern-s"} for v in (1, 3)]
        told = api.post("/subjects/shelf-note/trials/estimate", {**PLAN, "arms": arms}).get_json()
        assert told["unfit"] == 0
        page = finished(api, arms=arms)
        assert (page["recorded"], page["unanswered"]) == (28, 0)
        for arm in (0, 1):
            [reading, _] = api.get(f"/trials/{page['id']}/readings?arm={arm}&case_at=1").get_json()[
                "readings"
            ]
            [call] = api.get(f"/readings/{reading['id']}").get_json()["calls"]
            asked = json.loads(call["request"])["messages"][1]["content"]
            assert asked == "When do you close on Saturdays?"
        old = api.get("/subjects/shelf-note/versions/1").get_json()["content"]
        body = {"content": old, "inputs": {"message": "Open today?"}, "model": "tern-s"}
        tried = api.post("/subjects/shelf-note/tries", body).get_json()
        assert tried["request"]["body"]["messages"][1]["content"] == "Open today?"


class TestVerdicts:
    def test_rates_comparisons_and_a_sentence(self, api, subject, running):
        page = finished(api, repeats=3)
        verdict = api.get(f"/trials/{page['id']}/verdict").get_json()
        assert (verdict["recorded"], verdict["total"], verdict["lead"]) == (42, 42, 1)
        assert [m["title"] for m in verdict["measures"]] == [
            "label is right", "fits the reply shape", "nothing round the JSON", "no stock phrases",
        ]  # fmt: skip
        assert len(verdict["comparisons"]) == 4
        for row in verdict["rates"]:
            for rate in row:
                assert 0 <= rate["low"] <= rate["value"] <= rate["high"] <= 1
                assert rate["answers"] <= 21  # an answer without JSON has nothing round it
            assert (row[0]["answers"], row[0]["cases"]) == (21, 7)
        assert verdict["sentences"][0] == []
        for each in verdict["comparisons"]:
            assert bool(each["settles"]) == (each["word"] == "unsettled"), each
        said = "".join(segment["text"] for segment in verdict["sentences"][1])
        assert "v1" in said
        assert verdict["efforts"][0]["answers"] == 21
        assert verdict == api.get(f"/trials/{page['id']}/verdict").get_json()

    def test_any_arm_can_be_the_one_to_read_against(self, api, subject, running):
        page = finished(api)
        first = api.get(f"/trials/{page['id']}/verdict").get_json()
        other = api.get(f"/trials/{page['id']}/verdict?baseline=1").get_json()
        assert (first["baseline"], other["baseline"], other["lead"]) == (0, 1, 0)
        assert other["sentences"][1] == []
        assert first["sentences"][0] == []
        for one, two in zip(first["comparisons"], other["comparisons"], strict=True):
            assert (one["arm"], two["arm"], two["main"]) == (1, 0, False)
            assert two["difference"] == pytest.approx(-one["difference"])
            assert two["high"] == pytest.approx(-one["low"])
        gone = api.get(f"/trials/{page['id']}/verdict?baseline=2")
        assert_problem(gone, 422, "baseline", "none of the 2 arms")

    def test_two_versions_on_two_models_get_a_sentence_on_each(self, api, subject, running):
        arms = [{"version": v, "model": m} for m in ("tern-s", "gannet-l") for v in (1, 2)]
        page = finished(api, arms=arms)
        at = f"/trials/{page['id']}/verdict"
        found = api.get(f"{at}/models").get_json()["models"]
        told = [(each["model"], each["arm"], each["baseline"]) for each in found]
        assert told == [("tern-s", 1, 0), ("gannet-l", 3, 2)]
        for each in found:
            page = api.get(f"{at}?baseline={each['baseline']}").get_json()
            full = page["sentences"][each["arm"]]
            assert each["sentence"] != []
            assert all(segment in full for segment in each["sentence"])
        one_model = finished(api, arms=arms[:2])
        assert api.get(f"/trials/{one_model['id']}/verdict/models").get_json() == {"models": []}

    def test_repeats_that_were_all_alike_at_temperature_0_are_told_in_the_next_plan(
        self, api, subject, running
    ):
        cold = [{**arm, "settings": {"temperature": 0}} for arm in PLAN["arms"]]
        plan = {**PLAN, "arms": [cold[0], PLAN["arms"][1]]}

        def steady(plan):
            estimate = api.post("/subjects/shelf-note/trials/estimate", plan).get_json()
            return estimate["steady"]

        assert steady(plan) == []
        page = finished(api, arms=cold)
        shares = api.get(f"/trials/{page['id']}/verdict").get_json()["agreements"]
        assert all(share == 1 for row in shares for share in row)
        assert steady(plan) == [0]
        assert steady({**plan, "repeats": 1}) == []

    def test_results_by_tag_are_the_shares_of_its_cases(self, api, subject, running):
        for number, tag in ((1, "odd"), (3, "odd"), (2, "even"), (4, "even"), (5, "alone")):
            case = api.get(f"/subjects/shelf-note/cases/{number}").get_json()["content"]
            body = {**case, "tags": [tag, "all"] if number < 6 else ["all"]}
            api.change(f"/subjects/shelf-note/cases/{number}", body)
        page = finished(api)
        query = f"/trials/{page['id']}/verdict/tags?arm=1&measure=0"
        found = {each["tag"]: each for each in api.get(query).get_json()["tags"]}
        assert set(found) == {"odd", "even", "all"}
        ticks = api.get(f"/trials/{page['id']}/ticks").get_json()
        rows = zip(ticks["arm"], ticks["case_at"], ticks["marks"], strict=True)
        marks = [(arm, at, mark[0] == "2") for arm, at, mark in rows]
        for tag, places in (("odd", (0, 2)), ("even", (1, 3))):
            rates = [
                100 * np.mean([np.mean([p for a, c, p in marks if (a, c) == (arm, at)]) for at in places])
                for arm in (0, 1)
            ]  # fmt: skip
            assert found[tag]["rate"] == pytest.approx(rates[1])
            assert found[tag]["difference"] == pytest.approx(rates[1] - rates[0])
        assert_problem(api.get(query.replace("arm=1", "arm=7")), 422, "arm", "arm=7 is not there")

    def test_one_of_a_trial_that_has_no_reading_yet(self, api, subject):
        scored = [{"check": "structure.length"}, {"check": "outcome.label"}]
        checks = [*scored, {"check": "tone.reading_grade", "required": False}]
        for started in ({}, {"checks": checks}):
            page = f"/trials/{start(api, **started).get_json()['id']}"
            asked = ("", "/tags?arm=1", "/tags?arm=1&measure=1", "/models", "?baseline=1")
            for url in (page, f"{page}/ticks", *(f"{page}/verdict{query}" for query in asked)):
                assert api.get(url).status_code == 200, url
            assert api.get(f"{page}/verdict/tags?arm=1").get_json()["tags"] == []
            assert api.post(f"{page}/stop").status_code == 200
        nothing = start(api, checks=[]).get_json()["id"]
        assert api.get(f"/trials/{nothing}/verdict/tags?arm=1").get_json() == {"tags": []}
        trial = start(api).get_json()["id"]
        verdict = api.get(f"/trials/{trial}/verdict").get_json()
        assert verdict["rates"] == [[None] * 4] * 2
        assert {c["word"] for c in verdict["comparisons"]} == {"unsettled"}


class TestEvents:
    """Over a real connection, as the browser reads them."""

    @pytest.fixture
    def url(self, database):
        with served_wsgi(make_app(database)) as url:
            yield f"{url}/api/v1"

    def read(self, url):
        """Every event of the stream as it comes, as (event, data)."""
        fields = {}
        with urlopen(f"{url}/events", timeout=PATIENCE_S) as answer:
            assert answer.headers["Content-Type"].startswith("text/event-stream")
            for line in answer:
                key, _, value = line.decode().strip().partition(": ")
                if key:
                    fields[key] = value
                elif fields:
                    yield fields["event"], json.loads(fields["data"])
                    fields = {}

    def until_none_is_live(self, url):
        told = []
        for kind, data in self.read(url):
            told.append((kind, data))
            if kind == "live" and not data["trials"]:
                return told
        raise AssertionError("the stream ended")

    def test_a_trial_is_told_from_its_start_to_its_end(self, api, subject, url, running):
        trial = start(api, repeats=10).get_json()["id"]
        told = self.until_none_is_live(url)
        assert ("live", {"trials": [trial]}) in told
        lines = [data for kind, data in told if kind == "trial"]
        assert [line["landed"] for line in lines] == sorted(line["landed"] for line in lines)
        assert (lines[-1]["status"], lines[-1]["landed"]) == ("finished", 140)
        assert lines[-1]["told_at"] >= lines[-1]["finished_at"]

    def test_one_that_begins_and_ends_between_two_looks_is_told(self, api, subject, url):
        seen = self.read(url)
        assert next(seen) == ("live", {"trials": []})
        trial = start(api).get_json()["id"]
        api.post(f"/trials/{trial}/stop")
        kind, line = next(seen)
        while line.get("status") != "stopped":
            kind, line = next(seen)
        assert (kind, line["id"]) == ("trial", trial)

    def test_what_is_over_is_not_told_and_what_is_stopped_is(self, api, subject, url):
        first = start(api).get_json()["id"]
        api.post(f"/trials/{first}/stop")
        second = start(api).get_json()["id"]
        seen = []
        for kind, data in self.read(url):
            seen.append((kind, data.get("id"), data.get("status"), data.get("trials")))
            if kind == "live" and data["trials"]:
                api.post(f"/trials/{second}/stop")
            elif kind == "live":
                break
        assert seen == [
            ("trial", second, "waiting", None),
            ("live", None, None, [second]),
            ("trial", second, "stopped", None),
            ("live", None, None, []),
        ]


def test_what_a_check_would_have_said_of_a_past_trial(api, subject, running):
    page = finished(api)
    told = api.post(f"/trials/{page['id']}/rejudged", {"check": "outcome.label"}).get_json()
    ticks = api.get(f"/trials/{page['id']}/ticks").get_json()
    right = [
        sum(
            mark[0] == "2"
            for arm, mark in zip(ticks["arm"], ticks["marks"], strict=True)
            if arm == at
        )
        for at in (0, 1)
    ]
    assert told["had"]
    assert (told["seen"], told["answers"], told["changes"]) == (28, 28, 0)
    assert [(arm["passed"], arm["passed_then"]) for arm in told["arms"]] == [(n, n) for n in right]
    strict = {"check": "structure.length", "options": {"of": "character", "most": 20}}
    found = api.post(f"/trials/{page['id']}/rejudged", strict).get_json()
    assert not found["had"]
    assert found["arms"][0]["passed_then"] is None
    assert found["changes"] == sum(arm["judged"] - arm["passed"] for arm in found["arms"]) > 0
    first = found["changed"][0]
    assert not first["passes"]
    assert len(first["text"]) > 20
    assert first["spans"][0]["start"] == 20
    wrong = {"check": "structure.length", "options": {"of": "parsec"}}
    assert_problem(
        api.post(f"/trials/{page['id']}/rejudged", wrong), 422, "checks.0.options.of", "word"
    )


class TestJudgedAnew:
    """What is asked over HTTP; what becomes of it is in tests/runner/test_anew.py."""

    def test_it_is_a_trial_of_its_own_and_each_tells_of_the_other(self, api, subject, running):
        then = finished(api)
        price = api.post(f"/trials/{then['id']}/anew/price", {}).get_json()
        assert price == {"answers": then["total"], "calls": 0, "tokens": 0, "cents": 0.0}
        made = api.post(f"/trials/{then['id']}/anew", {"checks": [{"check": "tone.polite"}]})
        assert made.status_code == 201
        now = made.get_json()
        assert (now["answers_of"], now["compared"]) == (
            then["id"],
            f"T{then['id']} judged anew: v2 against v1, on tern-s",
        )
        wait_for(lambda: api.get(f"/trials/{now['id']}").get_json()["status"] == "finished")
        assert api.get(f"/trials/{then['id']}").get_json()["judged_anew"] == [now["id"]]
        verdict = api.get(f"/trials/{now['id']}/verdict").get_json()
        assert [measure["key"] for measure in verdict["measures"]] == ["tone.polite"]
        assert verdict["recorded"] == then["total"]
        [reading, *_] = api.get(f"/trials/{now['id']}/readings?arm=0&case_at=0").get_json()[
            "readings"
        ]
        [call] = api.get(f"/readings/{reading['id']}").get_json()["calls"]
        assert "messages" in json.loads(call["request"])

    def test_what_can_not_be_judged_says_why(self, api, subject):
        waiting = start(api).get_json()["id"]
        assert_problem(api.post(f"/trials/{waiting}/anew", {}), 409, "trial", "wait for its end")
        assert_problem(api.post("/trials/9999/anew/price", {}), 404, "trial", "no trial T9999")
        api.post(f"/trials/{waiting}/stop")
        assert_problem(
            api.post(f"/trials/{waiting}/anew", {}), 409, "trial", "no answer that could"
        )
        wrong = {"checks": [{"check": "tone.emoji", "options": {"most": -1}}]}
        assert_problem(
            api.post(f"/trials/{waiting}/anew", wrong), 409, "trial", "no answer that could"
        )
