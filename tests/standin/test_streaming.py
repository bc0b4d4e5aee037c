"""Answers piece by piece, several at once, and cut at stop texts."""

import json
from urllib.request import Request, urlopen

from tests.kit.waiting import PATIENCE_S
from tests.standin.test_service import AS_JSON, NOTES, post, request


def events(url, body):
    """The data of every event, in order."""
    found = []
    with urlopen(
        Request(f"{url}/v1/chat/completions", json.dumps(body).encode()), timeout=PATIENCE_S
    ) as answer:
        assert answer.headers["Content-Type"] == "text/event-stream"
        for line in answer:
            if line.startswith(b"data: "):
                found.append(line[6:].decode().strip())
    return found


def chunks(url, **more):
    *data, last = events(url, request(NOTES[0][0], task=AS_JSON, seed=3, stream=True, **more))
    assert last == "[DONE]"
    return [json.loads(text) for text in data]


def said(found, index=0):
    deltas = [c["choices"][0] for c in found if c["choices"] and c["choices"][0]["index"] == index]
    return "".join(choice["delta"].get("content", "") for choice in deltas)


def test_the_pieces_together_are_the_answer_that_comes_whole(stand_in):
    _, whole = post(stand_in, request(NOTES[0][0], task=AS_JSON, seed=3))
    found = chunks(stand_in)
    assert said(found) == whole["choices"][0]["message"]["content"]
    assert len(found) > 5
    assert found[0]["choices"][0]["delta"] == {
        "role": "assistant",
        "content": "",
        "refusal": None,
    }
    assert found[-1]["choices"][0]["finish_reason"] == whole["choices"][0]["finish_reason"]
    assert {c["object"] for c in found} == {"chat.completion.chunk"}
    assert {c["id"] for c in found} == {whole["id"]}


def test_usage_comes_last_when_it_is_asked_for(stand_in):
    *rest, last = chunks(stand_in, stream_options={"include_usage": True})
    _, whole = post(stand_in, request(NOTES[0][0], task=AS_JSON, seed=3))
    assert last["choices"] == []
    assert last["usage"] == whole["usage"]
    assert all(chunk["usage"] is None for chunk in rest)
    assert all("usage" not in chunk for chunk in chunks(stand_in))


def test_several_answers_differ_and_the_first_is_the_one_that_comes_alone(stand_in):
    body = request(NOTES[0][0], task=AS_JSON, seed=3, temperature=1.5)
    _, alone = post(stand_in, body)
    _, three = post(stand_in, {**body, "n": 3})
    texts = [choice["message"]["content"] for choice in three["choices"]]
    assert [choice["index"] for choice in three["choices"]] == [0, 1, 2]
    assert texts[0] == alone["choices"][0]["message"]["content"]
    assert len(set(texts)) > 1
    assert three["usage"]["completion_tokens"] > alone["usage"]["completion_tokens"]


def test_several_answers_come_side_by_side(stand_in):
    found = chunks(stand_in, n=2)
    _, whole = post(stand_in, request(NOTES[0][0], task=AS_JSON, seed=3, n=2))
    for index in (0, 1):
        assert said(found, index) == whole["choices"][index]["message"]["content"]
    order = [c["choices"][0]["index"] for c in found]
    assert order[:4] == [0, 1, 0, 1]


def test_an_answer_ends_before_a_stop_text(stand_in):
    _, whole = post(stand_in, request(NOTES[0][0], task=AS_JSON, seed=3))
    text = whole["choices"][0]["message"]["content"]
    _, cut = post(stand_in, request(NOTES[0][0], task=AS_JSON, seed=3, stop=["urgency", "\n\n"]))
    [choice] = cut["choices"]
    assert choice["message"]["content"] == text.split("urgency")[0]
    assert choice["finish_reason"] == "stop"


def test_messages_beyond_the_window_are_refused_with_a_clear_code(stand_in):
    status, body = post(stand_in, request("word " * 9_000, model="tern-s"))
    assert (status, body["error"]["code"]) == (400, "context_length_exceeded")
    assert "8,192 at most" in body["error"]["message"]
    assert post(stand_in, request("word " * 9_000, model="gannet-l"))[0] == 200
