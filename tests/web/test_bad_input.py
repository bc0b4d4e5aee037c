"""What goes wrong on the way to an answer: told by field, and nothing is lost."""

import base64

import pytest

from tests.core.test_prompt_pieces import picture
from tests.web.conftest import assert_problem

PHOTO = [{"name": "photo", "kind": "image"}]
ENTRY = {
    "address": "http://127.0.0.1:9",
    "context_window": 100,
    "input_cents": 0,
    "output_cents": 0,
}


@pytest.fixture
def own(api, model_server):
    """A subject, and a model whose answers the test gives."""
    api.post("/subjects", {"name": "note"})
    entry = {
        "address": model_server.url,
        "context_window": 1000,
        "input_cents": 1,
        "output_cents": 1,
    }
    assert api.change("/models/own", entry).status_code == 200
    return model_server


def asking(text="{{ message }}", **more):
    return {"messages": [{"role": "user", "parts": [{"name": "Message", "text": text}]}], **more}


def try_out(api, content=None, inputs=None, **more):
    body = {
        "content": content or asking(),
        "inputs": inputs or {"message": "hi"},
        "model": "own",
        **more,
    }
    return api.post("/subjects/note/tries", body)


class TestAnswers:
    @pytest.mark.parametrize(
        "answer",
        ["", "<script>alert(1)</script><b>bold</b>", "x" * 10_000_000],
        ids=["empty", "html", "10 MB"],
    )
    def test_an_odd_answer_is_shown_and_kept_as_it_is(self, api, own, answer):
        own.answer = lambda body: answer
        page = try_out(api)
        assert page.status_code == 200, page.text[:300]
        assert page.get_json()["answer"] == answer
        kept = api.get(f"/subjects/note/tries/{page.get_json()['try_id']}").get_json()
        assert kept["answered"]["answer"] == answer
        [line] = api.get("/subjects/note/tries").get_json()["tries"]
        assert len(line["first_words"]) <= 200

    def test_an_html_page_in_place_of_an_answer_says_so(self, api, own):
        own.script.extend([(200, "<html>", {"Content-Type": "text/html"})] * 3)
        assert_problem(try_out(api), 502, "model", "not JSON")

    def test_a_model_that_calls_tools_for_ever_is_ended(self, api, own):
        call = {"id": "c", "function": {"name": "look", "arguments": "{}"}}
        choice = {"message": {"content": "", "tool_calls": [call]}, "finish_reason": "tool_calls"}
        own.answer = lambda body: {"choices": [choice]}
        page = try_out(api, asking(tools=[{"name": "look", "answer": "nothing"}])).get_json()
        assert (page["rounds"], page["finish_reason"]) == (9, "tool_calls")
        assert own.requests[-1]["tool_choice"] == "none"
        assert len(own.requests) == 9


class TestInputs:
    @pytest.mark.parametrize(
        "value",
        ["no picture", "data:image/png;base64," + base64.b64encode(b"MZ not a picture").decode()],
    )
    def test_an_image_that_is_none_is_refused_by_name(self, api, own, value):
        answer = try_out(api, asking("{{ photo }}", inputs=PHOTO), {"photo": value})
        assert_problem(answer, 422, "inputs.photo", "PNG, JPEG, GIF or WebP")

    def test_a_model_that_takes_no_images_says_so_before_it_is_asked(self, api, own):
        entry = {
            "address": own.url,
            "context_window": 1000,
            "input_cents": 1,
            "output_cents": 1,
            "abilities": [],
        }
        api.change("/models/own", entry)
        answer = try_out(api, asking("{{ photo }}", inputs=PHOTO), {"photo": picture()})
        assert_problem(answer, 422, "model", "takes no images")
        assert own.requests == []

    def test_500_kb_of_pasted_text_is_kept_and_more_is_refused_by_field(self, api, own):
        first = api.get("/subjects/note/draft").headers["ETag"]
        kept = api.put("/subjects/note/draft", asking("x" * 500_000), etag=first)
        assert kept.status_code == 200
        more = api.put("/subjects/note/draft", asking("x" * 500_001), etag=kept.headers["ETag"])
        assert_problem(more, 422, "messages.0.parts.0.text", "at most 500000")

    @pytest.mark.parametrize(
        "text",
        [
            "{{ ''.__class__.__mro__ }}",
            "{{ examples.__globals__ }}",
            "{{ reply_shape.__closure__ }}",
        ],
    )
    def test_there_is_no_way_out_of_the_sandbox(self, api, own, text):
        answer = try_out(api, asking(text))
        assert answer.status_code == 422
        assert own.requests == []


class TestModels:
    @pytest.mark.parametrize(
        ("more", "field", "says"),
        [
            ({"headers": {"Authorization": "Bearer x"}}, "headers", "key's place"),
            ({"headers": {"X-A": "two\nlines"}}, "headers", "one line"),
            ({"requests_per_minute": 0}, "requests_per_minute", "greater than or equal to 1"),
            ({"abilities": ["fly"]}, "abilities.0", "'tools'"),
        ],
    )
    def test_what_can_not_be_said_of_a_model(self, api, more, field, says):
        assert_problem(api.change("/models/own", {**ENTRY, **more}), 422, field, says)

    def test_its_headers_are_sent_and_its_facts_are_kept(self, api, own):
        entry = {**ENTRY, "address": own.url, "headers": {"X-Team": "desk"},
                 "requests_per_minute": 600, "abilities": ["tools"]}  # fmt: skip
        line = api.change("/models/own", entry).get_json()
        assert (line["headers"], line["requests_per_minute"]) == ({"X-Team": "desk"}, 600)
        assert line["abilities"] == ["tools"]
        assert try_out(api).status_code == 200
        assert own.headers[-1]["X-Team"] == "desk"


def test_an_answer_that_can_not_be_kept_is_shown_all_the_same(api, own, database):
    with database.transaction() as tx:
        tx.run("RENAME TABLE tries TO tries_away")
    try:
        page = try_out(api)
        assert (page.status_code, page.get_json()["try_id"]) == (200, None)
    finally:
        with database.transaction() as tx:
            tx.run("RENAME TABLE tries_away TO tries")
