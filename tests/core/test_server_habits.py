"""Habits of model servers: what each sends otherwise than most, and what is made of it."""

import json
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from epistem.core.errors import WireError
from epistem.core.wire import chat_completions as wire
from epistem.core.wire import messages as blocks
from epistem.core.wire.formats import format_of, url_of
from epistem.core.wire.habits import Habits
from epistem.core.wire.reading import words_of
from epistem.core.wire.reply import NOT_TOLD, Reply, ToolCall, Usage
from epistem.core.wire.stream import NothingCame, StreamReader
from epistem.core.wire.tokens import count, estimated_usage

USAGE = {"prompt_tokens": 9, "completion_tokens": 5}
CALL = {"id": "c1", "type": "function", "function": {"name": "tide", "arguments": '{"a": 1}'}}


def whole(message=None, *, finish="stop", usage=USAGE, **more):
    choice = {
        "index": 0,
        "message": {"role": "assistant", **(message or {})},
        "finish_reason": finish,
    }
    return {"model": "m", "choices": [choice], "usage": usage, **more}


def read(body):
    return wire.parse_reply(body if isinstance(body, bytes) else json.dumps(body).encode())


WHOLE = {
    "content as a list of parts": (
        whole({"content": [{"type": "text", "text": "a"}, {"type": "text", "text": "b"}]}),
        {"text": "ab"},
    ),
    "content as a list of texts": (whole({"content": ["a", "b"]}), {"text": "ab"}),
    "content as output_text": (whole({"content": [{"type": "output_text", "text": "a"}]}), {"text": "a"}),
    "content as an object": (whole({"content": {"type": "text", "text": "a"}}), {"text": "a"}),
    "a refusal apart": (
        whole({"content": None, "refusal": "I can't."}),
        {"text": "I can't.", "finish_reason": "content_filter"},
    ),
    "reasoning_content": (whole({"content": "a", "reasoning_content": "hm"}), {"text": "a", "reasoning": "hm"}),
    "reasoning": (whole({"content": "a", "reasoning": "hm"}), {"text": "a", "reasoning": "hm"}),
    "thinking parts": (
        whole({"content": [{"type": "thinking", "thinking": [{"text": "hm"}]}, {"type": "text", "text": "a"}]}),
        {"text": "a", "reasoning": "hm"},
    ),
    "think marks": (whole({"content": "<think>\nhm\n</think>\n\na"}), {"text": "a", "reasoning": "hm"}),
    "only the second think mark": (whole({"content": "hm\n</think>\na"}), {"text": "a", "reasoning": "hm"}),
    "thinking that was cut off": (
        whole({"content": "<think>hm"}, finish="length"),
        {"text": "", "reasoning": "hm", "finish_reason": "length"},
    ),
    "an answer that speaks of the mark": (
        whole({"content": "Write <think> before it."}),
        {"text": "Write <think> before it.", "reasoning": ""},
    ),
    "nothing but reasoning": (
        whole({"content": None, "reasoning": "hm"}, finish="length"),
        {"text": "", "reasoning": "hm"},
    ),
    "a text in place of a message": (
        {"choices": [{"text": "a", "finish_reason": "stop"}], "usage": USAGE},
        {"text": "a"},
    ),
    "a call without content": (
        whole({"tool_calls": [CALL]}, finish="tool_calls"),
        {"text": "", "tool_calls": (ToolCall("c1", "tide", '{"a": 1}'),)},
    ),
    "the older function_call": (
        whole({"content": None, "function_call": {"name": "tide", "arguments": "{}"}}, finish="function_call"),
        {"tool_calls": (ToolCall("call_1", "tide", "{}"),)},
    ),
    "arguments as an object": (
        whole({"tool_calls": [{"id": "c", "function": {"name": "tide", "arguments": {"a": 1}}}]}),
        {"tool_calls": (ToolCall("c", "tide", '{"a":1}'),)},
    ),
    "arguments missing": (
        whole({"tool_calls": [{"id": "c", "function": {"name": "tide"}}]}),
        {"tool_calls": (ToolCall("c", "tide", "{}"),)},
    ),
    "arguments empty": (
        whole({"tool_calls": [{"id": "c", "function": {"name": "tide", "arguments": ""}}]}),
        {"tool_calls": (ToolCall("c", "tide", "{}"),)},
    ),
    "calls without ids": (
        whole({"tool_calls": [{"function": {"name": "a"}}, {"function": {"name": "b"}}]}),
        {"tool_calls": (ToolCall("call_1", "a", "{}"), ToolCall("call_2", "b", "{}"))},
    ),
    "calls with one id": (
        whole({"tool_calls": [CALL, CALL]}),
        {"tool_calls": (ToolCall("c1", "tide", '{"a": 1}'), ToolCall("call_2", "tide", '{"a": 1}'))},
    ),
    "calls without a function around": (
        whole({"tool_calls": [{"id": "c", "name": "tide", "arguments": "{}"}]}),
        {"tool_calls": (ToolCall("c", "tide", "{}"),)},
    ),
    "a finish that is missing": (whole({"content": "a"}, finish=None), {"finish_reason": "unknown"}),
    "a finish in capitals": (whole({"content": "a"}, finish="STOP"), {"finish_reason": "stop"}),
    "a finish by another name": (whole({"content": "a"}, finish="eos_token"), {"finish_reason": "stop"}),
    "a limit by another name": (whole({"content": "a"}, finish="MAX_TOKENS"), {"finish_reason": "length"}),
    "usage missing": (whole({"content": "a"}, usage=None), {"usage": NOT_TOLD}),
    "usage null inside": (
        whole({"content": "a"}, usage={"prompt_tokens": None, "completion_tokens": None}),
        {"usage": NOT_TOLD},
    ),
    "usage of nothing": (
        whole({"content": "a"}, usage={"prompt_tokens": 0, "completion_tokens": 0}),
        {"usage": NOT_TOLD},
    ),
    "usage by other names": (
        whole({"content": "a"}, usage={"input_tokens": 9, "output_tokens": 5}),
        {"usage": Usage(9, 5)},
    ),
    "usage beside the choices": (
        whole({"content": "a"}, usage=None, prompt_eval_count=9, eval_count=5),
        {"usage": Usage(9, 5)},
    ),
    "usage as floats": (
        whole({"content": "a"}, usage={"prompt_tokens": 9.0, "completion_tokens": 5.0}),
        {"usage": Usage(9, 5)},
    ),
    "usage as texts": (
        whole({"content": "a"}, usage={"prompt_tokens": "9", "completion_tokens": "5"}),
        {"usage": Usage(9, 5)},
    ),
    "usage as a total": (
        whole({"content": "a"}, usage={"prompt_tokens": 9, "total_tokens": 14}),
        {"usage": Usage(9, 5)},
    ),
    "usage that is no number": (
        json.dumps(whole({"content": "a"}, usage={"prompt_tokens": float("nan")})).encode(),
        {"text": "a", "usage": NOT_TOLD},
    ),
    "a byte order mark": (b"\xef\xbb\xbf" + json.dumps(whole({"content": "a"})).encode(), {"text": "a"}),
    "half a surrogate pair": (
        b'{"choices": [{"message": {"content": "a\\ud800b"}, "finish_reason": "stop"}]}',
        {"text": "a?b"},
    ),
    "a model that is null": (whole({"content": "a"}, model=None), {"model": ""}),
}  # fmt: skip


@pytest.mark.parametrize("habit", WHOLE)
def test_whole_answers(habit):
    body, wanted = WHOLE[habit]
    reply = read(body)
    assert {name: getattr(reply, name) for name in wanted} == wanted


FAILURES = {
    "error as an object": ({"error": {"message": "too long", "type": "x"}}, "too long"),
    "error as a text": ({"error": "too long"}, "too long"),
    "error as a list": ({"errors": [{"msg": "too long"}, {"msg": "and wide"}]}, "too long; and wide"),
    "error beside a null": ({"error": {"message": "too long"}, "choices": None}, "too long"),
    "detail as a text": ({"detail": "too long"}, "too long"),
    "detail as a list": (
        {"detail": [{"loc": ["body", "seed"], "msg": "extra field"}]},
        "body.seed: extra field",
    ),
    "message alone": ({"object": "error", "message": "too long", "code": 400}, "too long"),
    "a list of errors": ([{"error": {"message": "too long"}}], "too long"),
    "error in a choice": (
        {"choices": [{"error": {"message": "too long"}, "message": {"content": ""}}]},
        "too long",
    ),
    "a page": (b"<!doctype html><html><head><title>502 Bad Gateway</title></head></html>", "502 Bad Gateway"),
    "a page without a title": (b"<html><body><h1>Busy</h1><p>Come later</p></body></html>", "Busy Come later"),
    "plain text": (b"upstream connect error", "upstream connect error"),
    "nothing": (b"", "It is empty"),
}  # fmt: skip


@pytest.mark.parametrize("habit", FAILURES)
def test_errors_inside_an_answer_reach_the_person_in_the_servers_words(habit):
    body, words = FAILURES[habit]
    with pytest.raises(WireError) as caught:
        read(body)
    assert words in caught.value.message
    raw = body if isinstance(body, bytes) else json.dumps(body).encode()
    if raw and habit != "error in a choice":
        assert words in words_of(raw)


def test_words_are_on_one_line_and_cut_short():
    assert words_of(b"a\n\n  b" + b"c" * 70_000).startswith("a bccc")
    assert len(words_of(b"x" * 70_000)) == 600
    assert words_of(b"<script>" * 700) == ""


def event(body):
    return b"data: " + json.dumps(body).encode() + b"\n\n"


def piece(delta=None, finish=None, **more):
    return {
        "model": "m",
        "choices": [{"index": 0, "delta": delta or {}, "finish_reason": finish}],
        **more,
    }


def calls(*deltas):
    return [piece({"tool_calls": [delta]}) for delta in deltas] + [piece({}, "tool_calls")]


def streamed(*bodies, end=b"data: [DONE]\n\n"):
    return b"".join(map(event, bodies)) + end


def part(index=None, call_id=None, name=None, arguments=None):
    function = {key: v for key, v in (("name", name), ("arguments", arguments)) if v is not None}
    told = {"function": function}
    return (
        told
        | ({"index": index} if index is not None else {})
        | ({"id": call_id} if call_id else {})
    )


ONE = (ToolCall("c1", "tide", '{"a": 1}'),)
TWO = (ToolCall("c1", "tide", '{"a": 1}'), ToolCall("c2", "gate", "{}"))
USED = {"usage": {"prompt_tokens": 9, "completion_tokens": 5}}
STREAMED = {
    "the name repeated": (
        streamed(*calls(part(0, "c1", "tide", ""), part(0, None, "tide", '{"a":'), part(0, None, "tide", " 1}"))),
        {"tool_calls": ONE},
    ),
    "the id repeated": (
        streamed(*calls(part(0, "c1", "tide", '{"a":'), part(0, "c1", None, " 1}"))),
        {"tool_calls": ONE},
    ),
    "no index": (
        streamed(*calls(part(None, "c1", "tide", '{"a":'), part(None, None, None, " 1}"),
                        part(None, "c2", "gate", "{}"))),
        {"tool_calls": TWO},
    ),
    "one index for all": (
        streamed(*calls(part(0, "c1", "tide", '{"a": 1}'), part(0, "c2", "gate", "{}"))),
        {"tool_calls": TWO},
    ),
    "one index and no id": (
        streamed(*calls(part(0, None, "tide", '{"a": 1}'), part(0, None, "gate", "{}"))),
        {"tool_calls": (ToolCall("call_1", "tide", '{"a": 1}'), ToolCall("call_2", "gate", "{}"))},
    ),
    "the same tool twice without index or id": (
        streamed(*calls(part(None, None, "tide", '{"a": 1}'), part(None, None, "tide", '{"a": 2}'))),
        {"tool_calls": (ToolCall("call_1", "tide", '{"a": 1}'), ToolCall("call_2", "tide", '{"a": 2}'))},
    ),
    "an id that comes late": (
        streamed(*calls(part(0, None, "tide", '{"a":'), part(0, "c1", None, " 1}"))),
        {"tool_calls": ONE},
    ),
    "arguments as an object": (
        streamed(*calls(part(0, "c1", "tide", {"a": 1}))),
        {"tool_calls": (ToolCall("c1", "tide", '{"a":1}'),)},
    ),
    "arguments missing": (
        streamed(*calls(part(0, "c1", "tide"))),
        {"tool_calls": (ToolCall("c1", "tide", "{}"),)},
    ),
    "the older function_call": (
        streamed(piece({"function_call": {"name": "tide", "arguments": '{"a"'}}),
                 piece({"function_call": {"arguments": ": 1}"}}), piece({}, "function_call")),
        {"tool_calls": (ToolCall("call_1", "tide", '{"a": 1}'),)},
    ),
    "content as parts": (
        streamed(piece({"content": [{"type": "text", "text": "a"}]}), piece({}, "stop")),
        {"text": "a"},
    ),
    "reasoning": (
        streamed(piece({"reasoning": "hm"}), piece({"content": "a"}), piece({}, "stop")),
        {"text": "a", "reasoning": "hm"},
    ),
    "think marks in pieces": (
        streamed(*(piece({"content": each}) for each in ("<th", "ink>h", "m</th", "ink>\n", "\na", "b")),
                 piece({}, "stop")),
        {"text": "ab", "reasoning": "hm"},
    ),
    "what only begins like a mark": (
        streamed(piece({"content": "<thin"}), piece({"content": " ice"}), piece({}, "stop")),
        {"text": "<thin ice", "reasoning": ""},
    ),
    "a refusal": (
        streamed(piece({"refusal": "I "}), piece({"refusal": "can't."}), piece({}, "stop")),
        {"text": "I can't.", "finish_reason": "content_filter"},
    ),
    "usage in every piece": (
        streamed(piece({"content": "a"}, **USED), piece({}, "stop", **USED)),
        {"usage": Usage(9, 5)},
    ),
    "usage in the choice": (
        streamed(piece({"content": "a"}), {"choices": [{"delta": {}, "finish_reason": "stop", **USED}]}),
        {"usage": Usage(9, 5)},
    ),
    "usage that is not told": (streamed(piece({"content": "a"}), piece({}, "stop")), {"usage": NOT_TOLD}),
    "the end without a finish": (
        streamed(piece({"content": "a"})),
        {"text": "a", "finish_reason": "stop"},
    ),
    "the end without a mark": (streamed(piece({"content": "a"}), piece({}, "stop"), end=b""), {"text": "a"}),
    "a whole message at the end": (
        streamed(piece({"content": "a"}), {"choices": [{"message": {"content": "a"}, "finish_reason": "stop"}]}),
        {"text": "a"},
    ),
    "nothing but a whole message": (
        streamed({"choices": [{"message": {"content": "a"}, "finish_reason": "stop"}]}),
        {"text": "a"},
    ),
    "data without a space": (
        streamed(piece({"content": "a"}), piece({}, "stop")).replace(b"data: ", b"data:"),
        {"text": "a"},
    ),
    "comments, names, ids and empty data": (
        b": hello\n\nevent: message\nid: 1\nretry: 5\ndata:\n\n" + streamed(piece({"content": "a"}, "stop")),
        {"text": "a"},
    ),
    "data on several lines": (
        b'data: {"choices": [{"delta":\ndata: {"content": "a"},\ndata: "finish_reason": "stop"}]}\n\n',
        {"text": "a"},
    ),
    "one line end between events": (
        streamed(piece({"content": "a"}), piece({}, "stop")).replace(b"\n\n", b"\n"),
        {"text": "a"},
    ),
    "line ends of both kinds": (
        streamed(piece({"content": "a"}), piece({}, "stop")).replace(b"\n", b"\r\n"),
        {"text": "a"},
    ),
    "line ends of the old kind": (
        streamed(piece({"content": "a"}), piece({}, "stop")).replace(b"\n", b"\r"),
        {"text": "a"},
    ),
    "a byte order mark": (b"\xef\xbb\xbf" + streamed(piece({"content": "a"}, "stop")), {"text": "a"}),
    "one JSON a line": (
        b"\n".join(json.dumps(each).encode() for each in (piece({"content": "a"}), piece({}, "stop"))),
        {"text": "a"},
    ),
    "NaN": (b'data: {"choices": [{"delta": {"content": "a"}, "logprobs": NaN, "finish_reason": "stop"}]}\n\n',
            {"text": "a"}),
    "half a surrogate pair": (
        b'data: {"choices": [{"delta": {"content": "\\ud83d"}, "finish_reason": "stop"}]}\n\n',
        {"text": "?"},
    ),
}  # fmt: skip


def through(raw, cuts=()):
    reader, pieces = StreamReader(), []
    for start, end in pairwise([0, *sorted(cuts), len(raw)]):
        pieces += reader.feed(raw[start:end])
    return pieces, reader.reply()


@pytest.mark.parametrize("habit", STREAMED)
def test_streamed_answers(habit):
    raw, wanted = STREAMED[habit]
    _, reply = through(raw)
    assert {name: getattr(reply, name) for name in wanted} == wanted


@given(st.sampled_from(sorted(STREAMED)), st.lists(st.integers(0, 600), max_size=8))
def test_wherever_it_is_cut_the_reply_is_the_same(habit, cuts):
    raw, _ = STREAMED[habit]
    _, reply = through(raw, [cut for cut in cuts if cut < len(raw)])
    assert reply == through(raw)[1]


@pytest.mark.parametrize(
    ("raw", "words"),
    [
        (streamed({"error": {"message": "no room"}}), "no room"),
        (streamed(piece({"content": "a"}), {"error": "no room"}), "no room"),
        (streamed(piece({"content": "a"}), {"detail": [{"msg": "no room"}]}), "no room"),
        (streamed(piece({"content": "a"}), {"message": "no room", "code": 5}), "no room"),
        (b'event: error\ndata: "no room"\n\n', "no room"),
        (b"event: error\ndata: no room\n\n", "no room"),
        (streamed({"choices": [{"delta": {}, "error": {"message": "no room"}}]}), "no room"),
        (streamed(piece({"content": "a"}), end=b""), "broke off before the answer was over"),
    ],
)
def test_errors_inside_a_stream_reach_the_person(raw, words):
    with pytest.raises(WireError, match=words):
        through(raw)


@pytest.mark.parametrize("raw", [b"", b"\n\n", b": ping\n\n", b"data:\n\n"])
def test_an_empty_stream_is_told_apart(raw):
    with pytest.raises(NothingCame):
        through(raw)


def test_many_lines_of_data_take_no_longer_than_they_are():
    reader = StreamReader()
    reader.feed(b"data: [\n" * 200_000)
    with pytest.raises(WireError):
        reader.feed(b"\n")


def test_the_second_format_tells_its_errors_and_numbers_its_calls():
    with pytest.raises(WireError, match="Overloaded"):
        blocks.parse_reply(b'{"type": "error", "error": {"type": "x", "message": "Overloaded"}}')
    use = {"type": "tool_use", "name": "tide", "input": {"a": 1}}
    reply = blocks.parse_reply(json.dumps({"type": "message", "content": [use, use]}).encode())
    assert [call.id for call in reply.tool_calls] == ["call_1", "call_2"]
    assert reply.usage == NOT_TOLD


SETTINGS = {"temperature": 0.5, "max_tokens": 9, "top_p": 0.9}


class TestHabits:
    """What an entry of the model list says of its server."""

    def test_what_is_refused_is_left_out_and_the_limit_renamed(self):
        form = format_of(
            "chat_completions",
            Habits(
                refuses=("seed", "temperature", "stream_options"), limit_as="max_completion_tokens"
            ),
        )
        body = form.build_request("m", [("user", "x")], SETTINGS, seed=5)
        assert {name for name in body if name not in ("model", "messages")} == {
            "top_p",
            "max_completion_tokens",
        }
        assert form.encode(b'{"a":1}', 5) == b'{"a":1}'
        assert "stream_options" not in json.loads(form.streamed(b'{"a": 1}'))
        assert json.loads(form.streamed(b'{"a": 1}'))["stream"] is True
        assert set(form.ignores) == {"seed", "temperature", "stream_options"}

    @pytest.mark.parametrize(
        ("form", "sent"),
        [("schema", "json_schema"), ("object", "json_object"), ("none", None)],
    )
    def test_a_reply_schema_is_sent_as_the_server_takes_it(self, form, sent):
        wire_format = format_of("chat_completions", Habits(schema_as=form))
        body = wire_format.build_request("m", [("user", "x")], {}, json_schema={"type": "object"})
        assert (body.get("response_format") or {}).get("type") == sent

    @pytest.mark.parametrize(
        ("habits", "headers"),
        [
            ({}, {"Authorization": "Bearer k"}),
            ({"key_header": "x-api-key"}, {"x-api-key": "k"}),
            ({"key_header": "api-key", "key_prefix": ""}, {"api-key": "k"}),
            ({"key_prefix": "Token"}, {"Authorization": "Token k"}),
            ({"key_header": "Authorization"}, {"Authorization": "Bearer k"}),
        ],
    )
    def test_the_key_goes_where_the_server_looks_for_it(self, habits, headers):
        assert format_of("chat_completions", Habits(**habits)).key_headers("k") == headers

    @pytest.mark.parametrize(
        "address",
        [
            "http://h:1",
            "http://h:1/",
            "http://h:1/v1",
            "http://h:1/v1/",
            "http://h:1/v1/chat/completions",
        ],
    )
    def test_an_address_may_end_in_the_version_or_the_path(self, address):
        assert url_of(address, wire.PATH) == "http://h:1/v1/chat/completions"

    def test_another_version_stays(self):
        assert url_of("http://h/api/v3", wire.PATH) == "http://h/api/v3/chat/completions"


def test_tokens_that_are_not_told_are_estimated_and_never_nothing():
    body = json.dumps({"messages": [{"role": "user", "content": "Where is the ferry?"}]}).encode()
    usage = estimated_usage(body, Reply("At the pier.", "stop", NOT_TOLD, "m", "hm"))
    assert usage.told is False
    assert usage.input_tokens == count("Where is the ferry?") + 3
    assert usage.output_tokens == count("At the pier.") + count("hm")
    long = estimated_usage(body, Reply("word " * 1_000_000, "stop", NOT_TOLD, "m"))
    assert 900_000 < long.output_tokens < 1_100_000
