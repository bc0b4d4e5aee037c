"""The second wire format, held to the first."""

import json
from http.client import IncompleteRead
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from epistem.standin.faults import HEADER
from tests.kit.waiting import PATIENCE_S
from tests.standin.test_service import AS_JSON, NOTES
from tests.standin.test_service import post as post_chat

NOTE = NOTES[0][0]


def message_request(**more):
    return {
        "model": "gannet-l",
        "max_tokens": 200,
        "system": AS_JSON,
        "messages": [{"role": "user", "content": NOTE}],
        "seed": 4,
        **more,
    }


def post(url, body, headers=None):
    """(status, body) of the answer."""
    sent = Request(f"{url}/v1/messages", json.dumps(body).encode(), headers or {})
    try:
        with urlopen(sent, timeout=PATIENCE_S) as answer:
            return answer.status, json.loads(answer.read())
    except HTTPError as error:
        return error.code, json.loads(error.read())


def events(url, body, headers=None):
    """(name, data) of every event."""
    sent = Request(
        f"{url}/v1/messages", json.dumps({**body, "stream": True}).encode(), headers or {}
    )
    with urlopen(sent, timeout=PATIENCE_S) as answer:
        assert answer.headers["Content-Type"] == "text/event-stream"
        text = answer.read().decode()
    blocks = [block.split("\n") for block in text.strip().split("\n\n")]
    return [
        (name.removeprefix("event: "), json.loads(data.removeprefix("data: ")))
        for name, data in blocks
    ]


def test_an_answer_has_the_formats_shape(stand_in):
    status, body = post(stand_in, message_request())
    assert status == 200
    assert (body["type"], body["role"], body["model"]) == ("message", "assistant", "gannet-l")
    assert body["id"].startswith("msg_")
    [block] = body["content"]
    assert block["type"] == "text"
    assert (body["stop_reason"], body["stop_sequence"]) == ("end_turn", None)
    assert body["usage"]["input_tokens"] > 20
    assert body["usage"]["output_tokens"] > 3


def test_both_formats_give_the_same_answer_to_the_same_question(stand_in):
    _, here = post(stand_in, message_request(temperature=0.7))
    chat = {
        "model": "gannet-l",
        "max_tokens": 200,
        "temperature": 0.7,
        "seed": 4,
        "messages": [{"role": "system", "content": AS_JSON}, {"role": "user", "content": NOTE}],
    }
    _, there = post_chat(stand_in, chat)
    assert here["content"][0]["text"] == there["choices"][0]["message"]["content"]
    assert here["usage"]["input_tokens"] == there["usage"]["prompt_tokens"]


def test_text_may_come_in_blocks(stand_in):
    plain = post(stand_in, message_request())[1]
    blocks = message_request(
        system=[{"type": "text", "text": AS_JSON}],
        messages=[{"role": "user", "content": [{"type": "text", "text": NOTE}]}],
    )
    assert post(stand_in, blocks)[1]["usage"] == plain["usage"]


def test_it_says_why_it_stopped(stand_in):
    _, cut = post(stand_in, message_request(max_tokens=4))
    assert (cut["stop_reason"], cut["usage"]["output_tokens"]) == ("max_tokens", 4)
    _, stopped = post(stand_in, message_request(stop_sequences=["urgency"]))
    assert (stopped["stop_reason"], stopped["stop_sequence"]) == ("stop_sequence", "urgency")
    assert "urgency" not in stopped["content"][0]["text"]


def test_the_stream_is_the_same_answer_in_typed_events(stand_in):
    _, whole = post(stand_in, message_request())
    found = events(stand_in, message_request())
    names = [name for name, _ in found]
    assert names[:3] == ["message_start", "content_block_start", "ping"]
    assert names[-3:] == ["content_block_stop", "message_delta", "message_stop"]
    assert set(names[3:-3]) == {"content_block_delta"}
    assert all(name == data["type"] for name, data in found)
    text = "".join(data["delta"]["text"] for name, data in found if name == "content_block_delta")
    assert text == whole["content"][0]["text"]
    assert found[0][1]["message"]["content"] == []
    assert found[0][1]["message"]["stop_reason"] is None
    assert found[-2][1]["delta"]["stop_reason"] == "end_turn"
    assert found[-2][1]["usage"]["output_tokens"] == whole["usage"]["output_tokens"]


@pytest.mark.parametrize(
    ("more", "status", "kind", "says"),
    [
        ({"max_tokens": None}, 400, "invalid_request_error", "max_tokens"),
        ({"model": "tern-xl"}, 404, "not_found_error", "model"),
        ({"messages": []}, 400, "invalid_request_error", "messages"),
        ({"messages": [{"role": "system", "content": "x"}]}, 400, "invalid_request_error", "role"),
        ({"temperature": 1.5}, 400, "invalid_request_error", "temperature"),
        ({"system": 5}, 400, "invalid_request_error", "system"),
    ],
)
def test_a_wrong_value_is_refused_in_the_formats_own_shape(stand_in, more, status, kind, says):
    found, body = post(stand_in, message_request(**more))
    assert found == status
    assert body["type"] == "error"
    assert body["error"]["type"] == kind
    assert says in body["error"]["message"]


def test_faults_come_in_the_formats_own_shape(stand_in):
    status, body = post(stand_in, message_request(), {HEADER: "status=429"})
    assert (status, body["error"]["type"]) == (429, "rate_limit_error")
    with pytest.raises(IncompleteRead):
        events(stand_in, message_request(), {HEADER: "cut=1"})


@settings(max_examples=100)
@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=10),
        lambda inner: (
            st.lists(inner, max_size=3)
            | st.dictionaries(
                st.sampled_from(["system", "messages", "role", "content", "max_tokens"]),
                inner,
                max_size=4,
            )
        ),
        max_leaves=10,
    ),
    st.sampled_from(["system", "messages", "max_tokens", "stop_sequences", "stream", None]),
)
def test_anything_sent_gets_a_well_formed_answer(stand_in, junk, field):
    body = message_request(**{field: junk}) if field else junk
    if isinstance(body, dict) and body.get("stream") is True:
        return
    status, answer = post(stand_in, body)
    assert status in (200, 400, 404)
    assert answer["type"] == ("message" if status == 200 else "error")
