"""A streamed reply, cut anywhere."""

import json
from contextlib import suppress
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import WireError
from epistem.core.wire.stream import Piece, StreamReader


def chunk(delta=None, finish=None, **more):
    choices = [{"index": 0, "delta": delta or {}, "finish_reason": finish}]
    return {"model": "made-up-1", "choices": choices, **more}


def stream(*bodies, end=b"data: [DONE]\n\n"):
    return (
        b"".join(b"data: " + json.dumps(b, ensure_ascii=False).encode() + b"\n\n" for b in bodies)
        + end
    )


USAGE = {
    "prompt_tokens": 9,
    "completion_tokens": 5,
    "completion_tokens_details": {"reasoning_tokens": 2},
}
WHOLE = stream(
    chunk({"role": "assistant", "content": ""}),
    chunk({"reasoning_content": "Hm, größer"}),
    chunk({"content": "Yes – "}),
    chunk({"content": "at ten 😀"}),
    chunk({}, "stop"),
    {"model": "made-up-1", "choices": [], "usage": USAGE},
)


@given(st.lists(st.integers(0, len(WHOLE)), max_size=12))
def test_wherever_it_is_cut_the_pieces_and_the_reply_are_the_same(cuts):
    reader, pieces = StreamReader(), []
    places = [0, *sorted(cuts), len(WHOLE)]
    for start, end in pairwise(places):
        pieces += reader.feed(WHOLE[start:end])
    assert pieces == [
        Piece("reasoning", "Hm, größer"),
        Piece("content", "Yes – "),
        Piece("content", "at ten 😀"),
    ]
    reply = reader.reply()
    assert (reply.text, reply.reasoning, reply.finish_reason) == (
        "Yes – at ten 😀",
        "Hm, größer",
        "stop",
    )
    assert tuple(reply.usage) == (9, 5, 2, True)
    assert reply.model == "made-up-1"


def test_comments_names_and_carriage_returns_are_passed_over():
    raw = b": hello\r\nevent: x\r\n" + stream(chunk({"content": "a"}), chunk({}, "length")).replace(
        b"\n", b"\r\n"
    )
    reader = StreamReader()
    assert reader.feed(raw) == [Piece("content", "a")]
    assert reader.reply().finish_reason == "length"


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (b"", "broke off"),
        (stream(chunk({"content": "half"}), end=b""), "broke off"),
        (b"data: {oops\n\n", "not JSON"),
        (b"data: [1]\n\n", "not an object"),
        (stream({"error": {"message": "overloaded"}}), "overloaded"),
    ],
)
def test_a_stream_that_is_no_answer_says_what_is_wrong(raw, says):
    reader = StreamReader()

    def read():
        reader.feed(raw)
        return reader.reply()

    with pytest.raises(WireError, match=says):
        read()


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(raw):
    reader = StreamReader()
    with suppress(WireError):
        reader.feed(b"data: " + raw + b"\n")
        assert reader.reply().finish_reason
