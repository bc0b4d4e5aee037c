"""More habits of model servers, met later: several answers in one, calls cut in other ways, what follows an answer."""

import json

import pytest

from epistem.core.errors import WireError
from epistem.core.wire import chat_completions as wire
from epistem.core.wire.messages import build_next
from epistem.core.wire.reply import NOT_TOLD, Reply, ToolCall, Usage
from epistem.core.wire.stream import StreamReader
from epistem.core.wire.tokens import usage_of
from tests.core.test_server_habits import USAGE, read, whole


def choice(index, text, **more):
    return {"index": index, "message": {"content": text}, "finish_reason": "stop", **more}


WHOLE = {
    "answers in another order": ({"choices": [choice(1, "two"), choice(0, "one")], "usage": USAGE}, {"text": "one"}),
    "content as an object in an object": (
        whole({"content": {"type": "text", "text": {"value": "a", "annotations": []}}}), {"text": "a"}),
    "content as an object with parts": (whole({"content": {"parts": [{"text": "a"}, {"text": "b"}]}}), {"text": "ab"}),
    "reasoning in details": (
        whole({"content": "a", "reasoning_details": [{"type": "reasoning.text", "text": "hm"}]}),
        {"text": "a", "reasoning": "hm"}),
    "reasoning as an object": (
        whole({"content": "a", "reasoning": {"summary": [{"text": "h"}, {"text": "m"}]}}),
        {"text": "a", "reasoning": "hm"}),
    "thoughts among the parts": (
        whole({"content": [{"text": "hm", "thought": True}, {"text": "a"}]}), {"text": "a", "reasoning": "hm"}),
    "usage that nobody believes": (whole({"content": "a"}, usage={"prompt_tokens": 10**15, "completion_tokens": 1}),
                                   {"usage": Usage(0, 1, 0, False)}),
}  # fmt: skip


@pytest.mark.parametrize("name", WHOLE)
def test_a_whole_answer(name):
    body, wanted = WHOLE[name]
    found = read(body)._asdict()
    assert {key: found[key] for key in wanted} == wanted


@pytest.mark.parametrize("error", [{"message": "overloaded"}, "overloaded"])
def test_an_error_beside_choices_is_an_error(error):
    body = {**whole({"content": "half an ans"}), "error": error}
    with pytest.raises(WireError, match="overloaded"):
        read(body)
    with pytest.raises(WireError, match="overloaded"):
        streamed([delta({"content": "half"}), {**delta({"content": " an"}), "error": error}])


def test_a_small_body_of_very_many_lists_is_not_read():
    bomb = b'{"choices": [' + b"[]," * 900_000 + b"[]]}"
    with pytest.raises(WireError, match="lists and records"):
        read(bomb)


def delta(told, index=0, **more):
    return {"choices": [{"index": index, "delta": told, **more}]}


def call(index=None, call_id=None, name=None, arguments=None):
    told = {} if index is None else {"index": index}
    told |= {} if call_id is None else {"id": call_id}
    function = {"name": name, "arguments": arguments}
    told["function"] = {key: value for key, value in function.items() if value is not None}
    return delta({"tool_calls": [told]})


def streamed(events, end="data: [DONE]\n\n"):
    reader = StreamReader()
    told = [each if isinstance(each, str) else json.dumps(each) for each in events]
    pieces = reader.feed("".join(f"data: {each}\n\n" for each in told).encode() + end.encode())
    return reader.reply(), "".join(piece.text for piece in pieces)


STOP = delta({}, finish_reason="stop")
CALLS = {
    "the index is told late": [call(None, "c1", "tide", ""), call(0, None, None, '{"a":'), call(0, None, None, " 1}")],
    "the index is told once": [call(0, "c1", "tide", ""), call(arguments='{"a":'), call(arguments=" 1}")],
    "no index at all": [call(None, "c1", "tide", '{"a":'), call(None, None, None, " 1}")],
    "the id in each piece": [call(0, "c1", "tide", ""), call(0, "c1", None, '{"a":'), call(0, "c1", None, " 1}")],
    "the name in pieces": [call(0, "c1", "ti"), call(0, None, "de"), call(0, None, None, '{"a": 1}')],
    "the name as far as it is written": [call(0, "c1", "ti"), call(0, None, "tide"), call(0, None, None, '{"a": 1}')],
    "the name after the arguments": [call(0, "c1", None, '{"a":'), call(0, "c1", None, " 1}"), call(0, "c1", "tide")],
    "the arguments twice": [call(0, "c1", "tide", ""), call(0, None, None, '{"a":'), call(0, None, None, " 1}"),
                            call(0, None, None, '{"a": 1}')],
    "the arguments twice, with the name": [call(0, "c1", "tide", '{"a":'), call(0, None, None, " 1}"),
                                           call(0, "c1", "tide", '{"a": 1}')],
    "the arguments as far as they are written": [call(0, "c1", "tide", '{"a"'), call(0, None, None, '{"a": 1}')],
}  # fmt: skip


@pytest.mark.parametrize("name", CALLS)
def test_a_call_is_put_together(name):
    reply, _ = streamed([*CALLS[name], delta({}, finish_reason="tool_calls")])
    [found] = reply.tool_calls
    assert (found.name, json.loads(found.arguments)) == ("tide", {"a": 1})


def test_two_calls_of_one_index_stay_two():
    events = [
        call(0, "c1", "tide", '{"a": 1}'),
        call(0, "c2", "tide", '{"a": 2}'),
        call(0, "c3", "fare", "{}"),
    ]
    reply, _ = streamed(events)
    assert [(each.name, json.loads(each.arguments)) for each in reply.tool_calls] == [
        ("tide", {"a": 1}), ("tide", {"a": 2}), ("fare", {}),
    ]  # fmt: skip


def test_arguments_that_are_no_record_are_sent_on_as_they_were_written():
    made = ToolCall("c1", "tide", '{"pier": "Holl')
    told = build_next(
        {"messages": []}, Reply("", "tool_calls", NOT_TOLD, "m", "", (made,)), [(made, "no")]
    )
    assert told["messages"][0]["content"][0]["input"] == {"as_written": '{"pier": "Holl'}


def test_of_several_answers_one_is_read_whichever_comes_first():
    events = [
        delta({"content": "a"}),
        delta({"content": "X"}, 1),
        delta({"content": "Y"}, 1),
        delta({"content": "b"}),
    ]
    assert streamed([*events, STOP])[0].text == "ab"
    both = {
        "choices": [
            {"index": 1, "delta": {"content": "X"}},
            {"index": 0, "delta": {"content": "c"}},
        ]
    }
    assert streamed([*events, both, STOP])[0].text == "abc"


@pytest.mark.parametrize(
    ("after", "end"),
    [
        ([], "data: [DONE]\n\ndata: {broken\n\n"),
        ([], 'data: [DONE]\n\ndata: {"error": "late"}\n\n'),
        (["{broken"], ""),
        (["null"], "data: [DONE]\n\n"),
        (["[1]"], "data: [DONE]\n\n"),
        ([{"error": {"message": "usage could not be worked out"}}], ""),
    ],
    ids=range(6),
)
def test_what_is_wrong_after_an_answer_does_not_undo_it(after, end):
    assert streamed([delta({"content": "all of it"}), STOP, *after], end)[0].text == "all of it"


def test_null_between_the_pieces_is_nothing():
    assert (
        streamed([delta({"content": "a"}), "null", delta({"content": "b"}), STOP])[0].text == "ab"
    )


def test_usage_comes_in_pieces():
    events = [
        {**delta({"content": "a"}), "usage": {"prompt_tokens": 9, "completion_tokens": None}},
        {**STOP, "usage": {"completion_tokens": 5}},
    ]
    assert streamed(events)[0].usage == Usage(9, 5)


class TestCharactersInTwoPieces:
    def test_halves_of_a_pair(self):
        reply, told = streamed(
            ['{"choices":[{"index":0,"delta":{"content":"a\\ud83d"}}]}',
             '{"choices":[{"index":0,"delta":{"content":"\\ude00b"}}]}', STOP]
        )  # fmt: skip
        assert (reply.text, told) == ("a😀b", "a😀b")

    def test_bytes_that_were_cut(self):
        first, last = "😀".encode()[:2], "😀".encode()[2:]
        reader, told = StreamReader(), ""
        for piece in (b"a" + first, last + b"b"):
            event = b'data: {"choices":[{"index":0,"delta":{"content":"%b"}}]}\n\n' % piece
            told += "".join(each.text for each in reader.feed(event))
        reader.feed(b"data: [DONE]\n\n")
        assert (reader.reply().text, told) == ("a😀b", "a😀b")

    def test_a_half_that_stays_alone_is_told_as_one(self):
        reply, _ = streamed(['{"choices":[{"index":0,"delta":{"content":"a\\ud83d"}}]}', STOP])
        assert reply.text == "a?"


@pytest.mark.parametrize(
    "body",
    [
        {"data": [{"id": "tern"}, {"id": "plover"}]},
        {"models": [{"name": "tern"}, {"model": "plover"}]},
        [{"id": "tern"}, "plover"],
        ["tern", "plover", "tern"],
        {"models": {"tern": {}, "plover": {}}},
        {"object": "list", "data": [{"id": "tern"}, {"id": None, "name": "plover"}, 7]},
    ],
)
def test_lists_of_what_is_offered(body):
    assert wire.parse_models(json.dumps(body).encode()) == ["plover", "tern"]


def test_counts_that_a_request_can_not_have_are_not_believed():
    body = json.dumps(
        {"messages": [{"role": "user", "content": "When does the ferry leave?"}]}
    ).encode()
    absurd = Reply("At nine.", "stop", Usage(90_000_000, 3), "m")
    assert usage_of(body, absurd).told is False
    assert usage_of(body, absurd).input_tokens < 100
    fine = absurd._replace(usage=Usage(12, 3))
    assert usage_of(body, fine) == Usage(12, 3)
