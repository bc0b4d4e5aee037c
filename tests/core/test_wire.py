import json
from contextlib import suppress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import WireError
from epistem.core.prompts.content import Message, Part, Prompt, ReplyShape
from epistem.core.prompts.request import request_for
from epistem.core.prompts.settings import Settings
from epistem.core.wire import chat_completions as wire
from epistem.core.wire.reading import words_of
from epistem.core.wire.reply import NOT_TOLD, Reply, Usage


def test_a_request_as_it_is_sent():
    prompt = Prompt(
        messages=[
            Message(role="system", parts=[Part(name="T", text="Sort it.")]),
            Message(role="user", parts=[Part(name="M", text="{{ message }}")]),
        ],
        settings=Settings(temperature=0.7, max_tokens=120),
    )
    assert request_for(prompt, {"message": "Where is it?"}, "tern-s", seed=5) == {
        "model": "tern-s",
        "messages": [
            {"role": "system", "content": "Sort it."},
            {"role": "user", "content": "Where is it?"},
        ],
        "temperature": 0.7,
        "max_tokens": 120,
        "seed": 5,
    }


def test_a_schema_is_sent_only_when_the_version_says_so():
    def sent(send: bool) -> object:
        reply = ReplyShape(kind="json", json_schema={"type": "object"}, send_schema=send)
        content = Prompt(
            messages=[Message(role="user", parts=[Part(name="M", text="x")])], reply=reply
        )
        return request_for(content, {}, "m").get("response_format")

    assert sent(False) is None
    assert sent(True) == {
        "type": "json_schema",
        "json_schema": {"name": "reply", "strict": True, "schema": {"type": "object"}},
    }


def test_a_reply_as_it_comes():
    raw = {
        "model": "tern-s-2",
        "choices": [{"message": {"content": "ok"}, "finish_reason": "length"}],
        "usage": {"prompt_tokens": 12, "completion_tokens": 3},
    }
    reply = wire.parse_reply(json.dumps(raw).encode())
    assert reply == Reply("ok", "length", Usage(12, 3), "tern-s-2")


@pytest.mark.parametrize(
    ("choice", "text"), [({"message": {"content": None}}, ""), ({"message": {"content": "x"}}, "x")]
)
def test_what_is_left_out_is_taken_as_nothing(choice, text):
    reply = wire.parse_reply(json.dumps({"choices": [choice]}).encode())
    assert (reply.text, reply.finish_reason, reply.usage) == (text, "unknown", NOT_TOLD)


@pytest.mark.parametrize(
    "raw",
    [b"", b"<html>", b"[]", b"{}", b'{"choices": []}', b'{"choices": [{}]}', b"null", b"\xff"],
)
def test_what_is_no_reply_is_refused(raw):
    with pytest.raises(WireError):
        wire.parse_reply(raw)


@given(st.binary(max_size=200))
def test_any_bytes_give_a_reply_or_a_wire_error(raw):
    with suppress(WireError):
        wire.parse_reply(raw)
    assert isinstance(words_of(raw), str)


def test_the_message_of_an_error_body():
    assert words_of(b'{"error": {"message": "slow down"}}') == "slow down"
    assert words_of(b"<h1>Bad gateway</h1>") == "Bad gateway"
