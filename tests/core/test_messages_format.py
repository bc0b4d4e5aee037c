"""The second wire format: what is sent, and what is read of replies and streams."""

import json
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import InvalidInput, WireError
from epistem.core.wire import messages
from epistem.core.wire.formats import FORMATS, format_of
from epistem.core.wire.stream import Piece

TOLD = [
    ("system", "Be brief."),
    ("developer", "No jokes."),
    ("user", "When?"),
    ("assistant", "Ten."),
]


def test_system_texts_go_to_the_top_and_what_has_no_place_is_left_out():
    settings = {"temperature": 0.5, "frequency_penalty": 1.0, "stop": ["x"], "top_p": None}
    body = messages.build_request(
        "harbour-1", [*TOLD, ("user", "And?")], settings, seed=4, json_schema={}
    )
    assert body == {
        "model": "harbour-1",
        "max_tokens": messages.USUAL_LIMIT,
        "system": "Be brief.\n\nNo jokes.",
        "messages": [
            {"role": "user", "content": "When?"},
            {"role": "assistant", "content": "Ten."},
            {"role": "user", "content": "And?"},
        ],
        "temperature": 0.5,
        "stop_sequences": ["x"],
    }
    assert messages.build_request("m", TOLD, {"max_tokens": 9})["max_tokens"] == 9
    assert messages.encode_with_seed(b"{}", 4) == b"{}"


USAGE = {"input_tokens": 5, "cache_read_input_tokens": 4, "output_tokens": 7}
REPLY = {
    "model": "harbour-1",
    "content": [
        {"type": "thinking", "thinking": "Hm.", "signature": "s"},
        {"type": "text", "text": "At "},
        {"type": "text", "text": "ten."},
    ],
    "stop_reason": "max_tokens",
    "usage": USAGE,
}


def test_a_reply_is_read_from_its_blocks():
    reply = messages.parse_reply(json.dumps(REPLY).encode())
    assert (reply.text, reply.reasoning, reply.finish_reason) == ("At ten.", "Hm.", "length")
    assert (reply.usage.input_tokens, reply.usage.output_tokens) == (9, 7)


@pytest.mark.parametrize("raw", [b"<html>", b"[]", b"{}", b'{"content": "text"}'])
def test_what_is_no_reply_is_refused(raw):
    with pytest.raises(WireError):
        messages.parse_reply(raw)


EVENTS = [
    {
        "type": "message_start",
        "message": {"model": "harbour-1", "usage": {**USAGE, "output_tokens": 1}},
    },
    {"type": "ping"},
    {"type": "content_block_delta", "delta": {"type": "thinking_delta", "thinking": "Hm."}},
    {"type": "content_block_delta", "delta": {"type": "text_delta", "text": "At größer "}},
    {"type": "content_block_delta", "delta": {"type": "text_delta", "text": "ten."}},
    {"type": "message_delta", "delta": {"stop_reason": "end_turn"}, "usage": {"output_tokens": 7}},
    {"type": "message_stop"},
]
WHOLE = b"".join(
    f"event: {e['type']}\ndata: {json.dumps(e, ensure_ascii=False)}\n\n".encode() for e in EVENTS
)


@given(st.lists(st.integers(0, len(WHOLE)), max_size=9))
def test_a_stream_cut_anywhere_is_the_same(cuts):
    reader, pieces = messages.StreamReader(), []
    for start, end in pairwise([0, *sorted(cuts), len(WHOLE)]):
        pieces += reader.feed(WHOLE[start:end])
    assert pieces == [
        Piece("reasoning", "Hm."),
        Piece("content", "At größer "),
        Piece("content", "ten."),
    ]
    reply = reader.reply()
    assert (reply.text, reply.reasoning, reply.finish_reason) == ("At größer ten.", "Hm.", "stop")
    assert (reply.model, reply.usage.input_tokens, reply.usage.output_tokens) == ("harbour-1", 9, 7)


def test_a_stream_that_breaks_off_or_fails_says_so():
    reader = messages.StreamReader()
    reader.feed(WHOLE[: WHOLE.index(b"event: message_delta")])
    with pytest.raises(WireError, match="broke off"):
        reader.reply()
    with pytest.raises(WireError, match="overloaded"):
        reader.feed(b'data: {"type": "error", "error": {"message": "overloaded"}}\n')


def test_formats_are_found_by_name():
    assert {name: format_of(name).path for name in FORMATS} == {
        "chat_completions": "/v1/chat/completions",
        "messages": "/v1/messages",
    }
    with pytest.raises(InvalidInput, match="chat_completions and messages"):
        format_of("smoke signals")
