"""Subjects, drafts, versions, cases and tries over HTTP."""

import json

import pytest

from epistem.core.prompts.content import MAX_PART_CHARACTERS
from epistem.store import models
from epistem.up.ports import free_port
from tests.kit.subjects import sorting_prompt
from tests.web.conftest import assert_problem

CONTENT = sorting_prompt().to_json()


@pytest.fixture
def made(api):
    """A subject with a draft that sorts notes; the draft's ETag."""
    assert api.post("/subjects", {"name": "shelf-note", "about": "sorts notes"}).status_code == 201
    first = api.get("/subjects/shelf-note/draft")
    kept = api.put("/subjects/shelf-note/draft", CONTENT, etag=first.headers["ETag"])
    assert kept.status_code == 200
    return kept.headers["ETag"]


def part(text, name="Task"):
    return {"messages": [{"role": "user", "parts": [{"name": name, "text": text}]}]}


class TestSubjects:
    def test_a_new_one_stands_on_the_desk(self, api, made):
        [line] = api.get("/subjects").get_json()["subjects"]
        assert (line["name"], line["about"], line["versions"], line["edited"]) == (
            "shelf-note",
            "sorts notes",
            0,
            True,
        )
        assert line["headline"] is None

    @pytest.mark.parametrize(
        ("body", "status", "field", "says"),
        [
            ({"name": "Shelf Note"}, 422, "name", "small letters"),
            ({"name": "shelf-note"}, 409, "name", "Choose another name"),
            ({}, 422, "name", "Field required"),
            ({"name": "x", "colour": "red"}, 422, "colour", "Extra inputs"),
        ],
    )
    def test_a_name_that_will_not_do(self, api, made, body, status, field, says):
        assert_problem(api.post("/subjects", body), status, field, says)

    def test_one_that_is_not_there(self, api):
        for path in (
            "/subjects/nope",
            "/subjects/nope/draft",
            "/subjects/nope/cases",
            "/subjects/nope/trials",
        ):
            assert_problem(api.get(path), 404, "name", "There is no subject called “nope”")

    def test_checks_can_be_attached_and_are_checked(self, api, made):
        good = [{"check": "tone.stock_phrases", "options": {"also": ["dear reader"]}, "margin": 5}]
        page = api.change("/subjects/shelf-note/checks", {"checks": good}).get_json()
        assert [m["title"] for m in page["measures"]] == ["no stock phrases"]
        assert page["measures"][0]["margin"] == 5
        twice = api.change("/subjects/shelf-note/checks", {"checks": good * 2})
        assert_problem(twice, 422, "checks.1.check", "attached twice")
        wrong = [{"check": "tone.stock_phrases", "options": {"also": "x"}}]
        assert_problem(
            api.change("/subjects/shelf-note/checks", {"checks": wrong}),
            422,
            "checks.0.options.also",
            "list",
        )


class TestDrafts:
    def test_inputs_and_problems_come_with_the_draft(self, api, made):
        page = api.get("/subjects/shelf-note/draft").get_json()
        assert (page["inputs"], page["problems"]) == (["note"], [])
        broken = api.put(
            "/subjects/shelf-note/draft", part("one\n{% if x %}"), etag=made
        ).get_json()
        [problem] = broken["problems"]
        assert (problem["part"], problem["line"], problem["field"]) == (
            "Task",
            2,
            "messages.0.parts.0.text",
        )

    def test_a_stale_if_match_loses_nothing(self, api, made):
        mine, theirs = part("mine"), part("theirs")
        assert api.put("/subjects/shelf-note/draft", theirs, etag=made).status_code == 200
        stale = api.put("/subjects/shelf-note/draft", mine, etag=made)
        body = assert_problem(stale, 412, "If-Match", "Nothing was overwritten")
        assert body["theirs"]["messages"][0]["parts"][0]["text"] == "theirs"
        assert body["yours"]["messages"][0]["parts"][0]["text"] == "mine"
        assert (
            api.put("/subjects/shelf-note/draft", mine, etag=f'"{body["revision"]}"').status_code
            == 200
        )

    @pytest.mark.parametrize(("etag", "status"), [(None, 428), ("latest", 422), ('"99"', 412)])
    def test_an_edit_must_say_what_it_edits(self, api, made, etag, status):
        answer = api.put("/subjects/shelf-note/draft", CONTENT, etag=etag)
        assert_problem(answer, status, "If-Match", "")
        assert api.get("/subjects/shelf-note/draft").headers["ETag"] == made

    def test_a_part_that_is_too_long_is_named(self, api, made):
        answer = api.put(
            "/subjects/shelf-note/draft", part("x" * (MAX_PART_CHARACTERS + 1)), etag=made
        )
        assert_problem(answer, 422, "messages.0.parts.0.text", "at most 500000 characters")


class TestVersions:
    def save(self, api, etag, note=""):
        return api.post("/subjects/shelf-note/versions", {"note": note}, headers={"If-Match": etag})

    def test_saving_the_same_again_makes_no_version(self, api, made):
        first = self.save(api, made, "first")
        assert (first.status_code, first.get_json()["version"]["number"]) == (201, 1)
        again = self.save(api, first.headers["ETag"], "again")
        assert (again.status_code, again.get_json()["new"]) == (200, False)
        [only] = api.get("/subjects/shelf-note/versions").get_json()["versions"]
        assert (only["note"], len(only["content_hash"])) == ("first", 64)
        assert api.get("/subjects/shelf-note/draft").get_json()["edited"] is False

    @pytest.mark.parametrize(
        ("content", "field", "says"),
        [
            (part("{{ open"), "messages.0.parts.0.text", "line 1"),
            (
                {**CONTENT, "reply": {"kind": "json", "json_schema": {"type": "strang"}}},
                "reply.json_schema",
                "is not a JSON Schema",
            ),
            (
                {**CONTENT, "reply": {"kind": "json", "json_schema": "{oops"}},
                "reply.json_schema",
                "is not JSON",
            ),
            ({"messages": []}, "messages", "nothing to send"),
        ],
    )
    def test_what_could_not_be_sent_is_kept_but_makes_no_version(
        self, api, made, content, field, says
    ):
        kept = api.put("/subjects/shelf-note/draft", content, etag=made)
        assert kept.status_code == 200
        assert_problem(self.save(api, kept.headers["ETag"]), 422, field, says)
        assert api.get("/subjects/shelf-note/versions").get_json()["versions"] == []
        assert (
            api.get("/subjects/shelf-note/draft").get_json()["content"]["messages"]
            == content["messages"]
        )

    def test_what_you_saw_is_what_is_saved(self, api, made):
        api.put("/subjects/shelf-note/draft", part("newer"), etag=made)
        assert_problem(self.save(api, made), 412, "If-Match", "changed elsewhere")


CASE = {
    "inputs": {"note": "When do you open?"},
    "expect": {"label": "opening hours"},
    "tags": ["Plain"],
}


class TestCases:
    def test_keep_change_put_away_and_bring_back(self, api, made):
        kept = api.post("/subjects/shelf-note/cases", CASE)
        page = kept.get_json()
        assert (kept.status_code, page["number"], page["title"]) == (201, 1, "When do you open?")
        assert page["content"]["tags"] == ["plain"]
        changed = api.put(
            "/subjects/shelf-note/cases/1", {"inputs": {"note": "x"}}, etag=kept.headers["ETag"]
        )
        assert changed.get_json()["revision"] == 2
        stale = api.put("/subjects/shelf-note/cases/1", CASE, etag=kept.headers["ETag"])
        assert_problem(stale, 412, "If-Match", "Nothing was overwritten")
        api.change("/subjects/shelf-note/cases/1/deletion", {"deleted": True})
        assert api.get("/subjects/shelf-note/cases").get_json()["cases"] == []
        api.change("/subjects/shelf-note/cases/1/deletion", {"deleted": False})
        assert len(api.get("/subjects/shelf-note/cases").get_json()["cases"]) == 1

    @pytest.mark.parametrize(
        ("body", "field", "says"),
        [
            ({"inputs": {"note": "x" * 2_000_000}}, "inputs.note", "2,000,000 characters"),
            ({"inputs": []}, "inputs", "dictionary"),
            ({"expect": {"lable": "x"}}, "expect.lable", "Extra inputs"),
        ],
    )
    def test_one_that_will_not_do_is_refused_by_field(self, api, made, body, field, says):
        assert_problem(api.post("/subjects/shelf-note/cases", body), 422, field, says)


class TestTries:
    def body(self, **more):
        return {
            "content": CONTENT,
            "inputs": {"note": "When do you open?"},
            "model": "tern-s",
            **more,
        }

    def test_an_answer_with_its_request_cost_and_findings(self, api, made, two_models):
        answer = api.post(
            "/subjects/shelf-note/tries", self.body(expect={"label": "opening hours"}, seed=3)
        )
        page = answer.get_json()
        assert answer.status_code == 200
        assert page["request"]["body"]["seed"] == 3
        assert page["request"]["body"]["messages"][1]["content"] == "When do you open?"
        assert page["cents"] > 0
        assert page["finish_reason"] in ("stop", "length")
        assert {f["title"] for f in page["findings"]} >= {"label is right", "no stock phrases"}
        assert (
            page["answer"]
            == api.post("/subjects/shelf-note/tries", self.body(seed=3)).get_json()["answer"]
        )

    def test_the_exact_request_is_the_one_that_a_try_sends(self, api, made, two_models):
        body = self.body(seed=9, settings={"temperature": 0})
        shown = api.post("/subjects/shelf-note/requests", body).get_json()
        sent = api.post("/subjects/shelf-note/tries", body).get_json()["request"]
        assert shown == sent
        assert shown["body"]["temperature"] == 0
        assert [p["name"] for p in shown["parts"]] == ["Task", "Reply", "Note"]

    def test_tokens_are_told_by_part_and_are_what_the_server_counts(self, api, made, two_models):
        page = api.post("/subjects/shelf-note/tries", self.body(seed=9)).get_json()
        shown = page["request"]
        assert shown["tokens"] == page["input_tokens"]
        assert shown["window"] == 8_192
        assert all(part["tokens"] > 0 for part in shown["parts"])
        assert 0 <= shown["tokens"] - sum(part["tokens"] for part in shown["parts"]) <= 12

    def streamed(self, api, body):
        """(event, data) pairs of a streamed try."""
        answer = api.post("/subjects/shelf-note/tries/stream", body)
        assert answer.content_type == "text/event-stream"
        blocks = [
            block.split("\n") for block in answer.get_data(as_text=True).strip().split("\n\n")
        ]
        return [
            (b[0].removeprefix("event: "), json.loads(b[1].removeprefix("data: "))) for b in blocks
        ]

    def test_a_streamed_answer_is_the_one_that_comes_whole(self, api, made, two_models):
        *pieces, (event, answer) = self.streamed(api, self.body(seed=3))
        assert {name for name, _ in pieces} == {"piece"}
        assert event == "answer"
        assert "".join(piece["text"] for _, piece in pieces) == answer["answer"]
        assert 0 < answer["first_ms"] <= answer["total_ms"]
        whole = api.post("/subjects/shelf-note/tries", self.body(seed=3)).get_json()
        for field in ("answer", "request", "findings", "input_tokens", "output_tokens"):
            assert answer[field] == whole[field]

    def test_a_stream_that_fails_ends_in_a_problem(self, api, made, two_models, database):
        with database.transaction() as tx:
            models.put(tx, models.Model("tern-s", "http://127.0.0.1:9", None, 8_192, 20, 80))
        [(event, problem)] = self.streamed(api, self.body(seed=3))
        assert event == "problem"
        assert problem["status"] == 502
        assert "can't be reached" in problem["detail"]

    def test_what_cannot_be_sent_is_refused_before_the_stream_begins(self, api, made, two_models):
        answer = api.post("/subjects/shelf-note/tries/stream", self.body(inputs={}))
        assert_problem(answer, 422, "inputs.note", "needs the input “note”")

    def test_a_check_that_cannot_be_held_says_why(self, api, made, two_models):
        api.change("/subjects/shelf-note/checks", {"checks": [{"check": "structure.reply_schema"}]})
        content = {**CONTENT, "reply": {"kind": "text"}}
        page = api.post("/subjects/shelf-note/tries", self.body(content=content)).get_json()
        assert page["findings"] == []
        assert "needs a schema" in page["not_checked"][0]

    @pytest.mark.parametrize(
        ("more", "status", "field", "says"),
        [
            ({"inputs": {}}, 422, "inputs.note", "The part “Note” needs the input “note”"),
            ({"content": part("a\n\n{% for %}")}, 422, "messages.0.parts.0.text", "line 3"),
            ({"model": "tern-xl"}, 422, "model", "There are gannet-l and tern-s"),
            ({"inputs": {"note": "x" * 2_000_000}}, 422, "inputs.note", "the limit is 1,000,000"),
            (
                {"settings": {"temperature": 3}},
                422,
                "settings.temperature",
                "less than or equal to 2",
            ),
        ],
    )
    def test_what_cannot_be_tried_is_refused_by_field(
        self, api, made, two_models, more, status, field, says
    ):
        body = assert_problem(
            api.post("/subjects/shelf-note/tries", self.body(**more)), status, field, says
        )
        if "line" in says:
            assert (body["part"], body["line"]) == ("Task", 3)

    def test_a_model_server_that_is_down_says_so(self, api, made, database):
        url = f"http://127.0.0.1:{free_port()}"
        with database.transaction() as tx:
            models.put(tx, models.Model("away", url, None, 1_000, 1, 1))
        answer = api.post("/subjects/shelf-note/tries", self.body(model="away"))
        assert_problem(
            answer, 502, "model", f"away can't be reached at {url}. Is the model server running?"
        )

    def test_code_points_of_a_finding_survive_emoji(self, api, made, database, model_server):
        model_server.answer = lambda body: "🚢🙂 Rest assured."
        with database.transaction() as tx:
            models.put(tx, models.Model("polite", model_server.url, None, 1_000, 1, 1))
        api.change("/subjects/shelf-note/checks", {"checks": [{"check": "tone.stock_phrases"}]})
        page = api.post("/subjects/shelf-note/tries", self.body(model="polite")).get_json()
        [span] = page["findings"][0]["spans"]
        assert page["answer"][span["start"] : span["end"]] == "Rest assured"


class TestChecksOfAPrompt:
    def titles(self, api):
        return [m["title"] for m in api.get("/subjects/shelf-note").get_json()["measures"]]

    def test_until_chosen_they_follow_the_reply(self, api, made):
        assert self.titles(api) == [
            "label is right",
            "fits the reply shape",
            "nothing round the JSON",
            "no stock phrases",
        ]
        text = {**CONTENT, "reply": {"kind": "text"}}
        api.put("/subjects/shelf-note/draft", text, etag=made)
        assert self.titles(api) == ["no stock phrases"]

    def test_once_chosen_they_stay(self, api, made):
        api.change("/subjects/shelf-note/checks", {"checks": []})
        assert self.titles(api) == []
