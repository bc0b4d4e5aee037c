"""Tries that go on: turns of a talk, calls of tools; and the history of all of them."""

import json

import pytest

from tests.kit.subjects import LABELS, sorting_prompt
from tests.web.conftest import assert_problem

CONTENT = sorting_prompt().to_json()
TOOL = {
    "name": "sailings",
    "description": "Times of sailings from a pier",
    "parameters": {
        "type": "object",
        "properties": {"pier": {"type": "string"}},
        "required": ["pier"],
    },
    "answer": "08:10 and 17:40",
}


@pytest.fixture
def made(api, two_models):
    api.post("/subjects", {"name": "shelf-note"})


def asking(system, **more):
    messages = [
        {"role": "system", "parts": [{"name": "Task", "text": system}]},
        {"role": "user", "parts": [{"name": "Message", "text": "{{ message }}"}]},
    ]
    return {"messages": messages, "settings": {"temperature": 0, "max_tokens": 200}, **more}


def try_out(api, content, inputs, **more):
    body = {"content": content, "inputs": inputs, "model": "gannet-l", "seed": 5, **more}
    return api.post("/subjects/shelf-note/tries", body)


def called_once(arguments):
    """A model server that calls the tool until it is told what it answered, then says it."""

    def answer(body):
        told = [m["content"] for m in body["messages"] if m["role"] == "tool"]
        if told:
            return f"It said: {told[-1]}"
        call = {
            "id": "c1",
            "type": "function",
            "function": {"name": "sailings", "arguments": arguments},
        }
        message = {"role": "assistant", "content": None, "tool_calls": [call]}
        return {"choices": [{"message": message, "finish_reason": "tool_calls"}],
                "usage": {"prompt_tokens": 10, "completion_tokens": 5}}  # fmt: skip

    return answer


class TestTools:
    def test_the_stand_in_calls_a_tool_and_goes_on_with_what_it_answers(self, api, made):
        content = asking("Look sailings up with the tool. Answer with the times.", tools=[TOOL])
        page = try_out(api, content, {"message": "When are the sailings from Hollin?"}).get_json()
        [used] = page["tool_uses"]
        assert (used["name"], used["answer"], used["fault"]) == (
            "sailings",
            "08:10 and 17:40",
            None,
        )
        assert json.loads(used["arguments"])["pier"] == "Hollin"
        assert page["rounds"] == 2
        assert "08:10" in page["answer"]
        assert page["input_tokens"] > page["request"]["tokens"]

    def test_streamed_the_use_of_a_tool_comes_before_the_answer(self, api, made):
        content = asking("Look sailings up with the tool. Answer with the times.", tools=[TOOL])
        body = {
            "content": content,
            "inputs": {"message": "When are the sailings from Hollin?"},
            "model": "gannet-l",
        }
        text = api.post("/subjects/shelf-note/tries/stream", body).get_data(as_text=True)
        events = [
            line.removeprefix("event: ") for line in text.splitlines() if line.startswith("event")
        ]
        assert events.count("tool") == 1
        assert events[-1] == "answer"
        assert events.index("tool") < events.index("answer")

    def test_a_model_without_the_ability_is_not_told_of_tools(self, api, made):
        entry = next(m for m in api.get("/models").get_json()["models"] if m["name"] == "gannet-l")
        fields = {
            k: v
            for k, v in entry.items()
            if k not in ("name", "revision", "built_in", "answered", "ignores")
        }
        api.change("/models/plain", {**fields, "served_as": "gannet-l", "abilities": []})
        body = {
            "content": asking("Talk.", tools=[TOOL]),
            "inputs": {"message": "Hi"},
            "model": "plain",
        }
        shown = api.post("/subjects/shelf-note/requests", body).get_json()
        assert "tools" not in shown["body"]

    @pytest.mark.parametrize(
        ("arguments", "fault"), [('{"pier": 3}', "do not fit at /pier"), ("{pier", "not JSON")]
    )
    def test_a_wrong_call_is_told_to_the_model_and_shown(
        self, api, made, model_server, arguments, fault
    ):
        model_server.answer = called_once(arguments)
        entry = {
            "address": model_server.url,
            "context_window": 1000,
            "input_cents": 1,
            "output_cents": 1,
        }
        api.change("/models/own", entry)
        page = try_out(api, asking("x", tools=[TOOL]), {"message": "y"}, model="own").get_json()
        [used] = page["tool_uses"]
        assert fault in used["fault"]
        assert fault in page["answer"]
        assert page["output_tokens"] >= 5


class TestTalk:
    def test_turns_are_sent_after_the_first_words(self, api, made):
        turns = [{"role": "assistant", "text": "Which pier?"}, {"role": "user", "text": "Hollin"}]
        body = {
            "content": asking("Talk."),
            "inputs": {"message": "When?"},
            "model": "tern-s",
            "turns": turns,
        }
        shown = api.post("/subjects/shelf-note/requests", body).get_json()
        assert [(m["role"], m["content"]) for m in shown["body"]["messages"]][1:] == [
            ("user", "When?"), ("assistant", "Which pier?"), ("user", "Hollin"),
        ]  # fmt: skip
        assert [part["name"] for part in shown["parts"]][-2:] == ["Turn 2", "Turn 3"]


class TestShapeFaults:
    def test_they_name_the_place_in_the_answer(self, api, made, model_server):
        model_server.answer = lambda body: '{"label": "whale", "extra": 1}'
        entry = {
            "address": model_server.url,
            "context_window": 1000,
            "input_cents": 1,
            "output_cents": 1,
        }
        api.change("/models/own", entry)
        page = try_out(api, CONTENT, {"note": "x"}, model="own").get_json()
        assert page["value"] == {"label": "whale", "extra": 1}
        assert {fault["path"] for fault in page["shape_faults"]} == {"/label", ""}


class TestHistory:
    def test_every_try_is_kept_with_its_draft_and_answer(self, api, made):
        first = try_out(api, CONTENT, {"note": "When do you open?"}).get_json()
        other = sorting_prompt("Sort it. Labels: " + ", ".join(LABELS)).to_json()
        second = try_out(
            api, other, {"note": "wet"}, case=None, settings={"temperature": 1}
        ).get_json()
        listed = api.get("/subjects/shelf-note/tries").get_json()
        assert [line["id"] for line in listed["tries"]] == [second["try_id"], first["try_id"]]
        assert [line["edit"] for line in listed["tries"]] == [2, 1]
        assert listed["more"] is False
        kept = api.get(f"/subjects/shelf-note/tries/{first['try_id']}").get_json()
        assert kept["content"] == api.get("/subjects/shelf-note/draft").get_json()["content"] | {
            **kept["content"]
        }
        assert kept["asked"]["inputs"] == {"note": "When do you open?"}
        assert kept["answered"]["answer"] == first["answer"]
        older = api.get("/subjects/shelf-note/tries", query_string={"before": second["try_id"]})
        assert [line["id"] for line in older.get_json()["tries"]] == [first["try_id"]]

    def test_what_had_come_of_a_stopped_answer_is_kept_and_not_judged(self, api, made):
        body = {"content": asking("Tell me all."), "inputs": {"message": "Hi"}, "model": "gannet-l"}
        answer = api.post("/subjects/shelf-note/tries/stream", body)
        events = iter(answer.response)
        begun = next(json.loads(e.split(b"data: ")[1]) for e in events if b"event: piece" in e)
        answer.close()
        [line] = api.get("/subjects/shelf-note/tries").get_json()["tries"]
        kept = api.get(f"/subjects/shelf-note/tries/{line['id']}").get_json()["answered"]
        assert (kept["finish_reason"], kept["findings"], line["passed"]) == ("stopped", [], False)
        assert kept["answer"].startswith(begun["text"])

    @pytest.mark.parametrize("way", ["tries", "tries/stream"])
    def test_the_rounds_that_were_paid_for_are_kept_when_a_later_one_fails(
        self, api, made, model_server, way
    ):
        called = called_once('{"pier": "Hollin"}')
        model_server.answer = lambda body: (
            called(body)
            if body["messages"][-1]["role"] != "tool"
            else (400, '{"error": "full"}', {})
        )
        entry = {"address": model_server.url, "context_window": 8192, "input_cents": 20.0,
                 "output_cents": 80.0}  # fmt: skip
        api.change("/models/full", entry)
        body = {"content": asking("Look it up.", tools=[TOOL]), "inputs": {"message": "When?"},
                "model": "full"}  # fmt: skip
        assert "full" in api.post(f"/subjects/shelf-note/{way}", body).get_data(as_text=True)
        [line] = api.get("/subjects/shelf-note/tries").get_json()["tries"]
        kept = api.get(f"/subjects/shelf-note/tries/{line['id']}").get_json()["answered"]
        assert (kept["finish_reason"], line["passed"]) == ("broken off", False)
        assert kept["input_tokens"] >= 10
        assert kept["cents"] > 0

    def test_one_that_is_not_there(self, api, made):
        assert_problem(api.get("/subjects/shelf-note/tries/99"), 404, "try", "no try 99")


class TestMustNotSay:
    def test_a_case_that_rules_words_out_brings_its_check(self, api, made):
        case = {"inputs": {"note": "x"}, "expect": {"must_not_say": ["full refund", " "]}}
        assert api.post("/subjects/shelf-note/cases", case).status_code == 201
        titles = [m["title"] for m in api.get("/subjects/shelf-note").get_json()["measures"]]
        assert titles == ["no stock phrases", "says none of the words it must not"]

    def test_a_try_is_held_to_it(self, api, made, model_server):
        model_server.answer = lambda body: "You get a Full  refund. No refunds."
        api.change("/subjects/shelf-note/checks", {"checks": [{"check": "outcome.must_not_say"}]})
        entry = {
            "address": model_server.url,
            "context_window": 1000,
            "input_cents": 1,
            "output_cents": 1,
        }
        api.change("/models/own", entry)
        expect = {"must_not_say": ["full refund", "money"]}
        page = try_out(api, asking("x"), {"message": "y"}, model="own", expect=expect).get_json()
        [finding] = page["findings"]
        assert (finding["passed"], finding["message"]) == (False, "It says “full refund”.")
        [span] = finding["spans"]
        assert page["answer"][span["start"] : span["end"]] == "Full  refund"
