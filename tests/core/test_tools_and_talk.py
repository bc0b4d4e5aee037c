"""What tools answer in a try, talk that goes on, and both on the wire in the two formats."""

import json

import pytest

from epistem.core.prompts.content import Input, Prompt
from epistem.core.prompts.dialogue import Turn, render_talk
from epistem.core.prompts.request import request_for
from epistem.core.prompts.tool import Tool, ToolTold
from epistem.core.prompts.tools import ToolsAtHand, answer_call
from epistem.core.wire import chat_completions, messages
from epistem.core.wire.formats import format_of
from epistem.core.wire.reply import Reply, ToolCall, Usage
from epistem.core.wire.stream import StreamReader
from tests.core.builders import prompt
from tests.core.test_prompt_pieces import picture

SAILINGS = Tool.from_json(
    {
        "name": "sailings",
        "description": "Sailings from a pier",
        "parameters": {"properties": {"pier": {"type": "string"}}, "required": ["pier"]},
        "answer": "none known",
        "by_example": [{"arguments": {"pier": "Hollin"}, "answer": "08:10, 17:40"}],
    }
)
CALL = ToolCall("c1", "sailings", '{"pier":"Hollin"}')
CALLED = Reply("", "tool_calls", Usage(), "tern-s", "", (CALL,))


class TestAnswers:
    @pytest.mark.parametrize(
        ("arguments", "answer"),
        [
            ('{"pier": "Hollin", "day": "today"}', "08:10, 17:40"),
            ('{"pier": "Sandray"}', "none known"),
        ],
    )
    def test_the_example_that_fits_answers_before_the_fixed_one(self, arguments, answer):
        assert answer_call(ToolsAtHand([SAILINGS]), "sailings", arguments).answer == answer

    @pytest.mark.parametrize(
        ("tool", "given", "answer"),
        [
            ("sailings", {}, "all are cancelled"),
            ("sailings", {"pier": "Hollin"}, "all are cancelled"),
            ("sailings", {"pier": "Ness"}, "08:10, 17:40"),
            ("fares", {}, "08:10, 17:40"),
        ],
    )
    def test_what_a_tool_answers_for_a_case_comes_before_the_rest(self, tool, given, answer):
        told = ToolTold(tool=tool, arguments=given, answer="all are cancelled")
        at_hand = ToolsAtHand([SAILINGS], [told])
        assert answer_call(at_hand, "sailings", CALL.arguments).answer == answer

    @pytest.mark.parametrize(
        ("name", "arguments", "told"),
        [
            ("ferries", "{}", "no tool “ferries”. There are sailings"),
            ("sailings", '{"pier": 3}', "do not fit at /pier"),
            ("sailings", "{pier", "not JSON"),
            ("sailings", "[]", "JSON object"),
        ],
    )
    def test_a_wrong_call_is_told_what_is_wrong(self, name, arguments, told):
        result = answer_call(ToolsAtHand([SAILINGS]), name, arguments)
        assert told in (result.fault or "")
        assert json.loads(result.answer) == {"error": result.fault}


class TestTalk:
    TURNS = (Turn(role="assistant", text="Which pier?"), Turn(role="user", text="Hollin"))

    def test_turns_follow_as_messages(self):
        said = render_talk(prompt("{{ note }}"), {"note": "When?"}, self.TURNS)
        assert [(m.role, m.text) for m in said] == [
            ("user", "When?"),
            ("assistant", "Which pier?"),
            ("user", "Hollin"),
        ]

    def test_where_the_dialogue_is_an_input_the_prompt_is_filled_in_anew(self):
        talk = [Input(name="talk", kind="dialogue")]
        content = prompt("So far:\n{{ talk }}\nNow: {{ note }}", inputs=talk)
        [begun] = render_talk(content, {"note": "When?"}, ())
        assert begun.text == "So far:\n\nNow: When?"
        [later] = render_talk(content, {"note": "When?"}, self.TURNS)
        assert later.text == "So far:\nuser: When?\nassistant: Which pier?\nNow: Hollin"


class TestOnTheWire:
    def content(self):
        described = [Input(name="photo", kind="image")]
        return prompt("See {{ photo }}", inputs=described, tools=[SAILINGS])

    def test_a_tool_and_an_image_in_each_format(self):
        inputs = {"photo": picture()}
        schema = {"type": "object", **SAILINGS.parameters}
        body = request_for(self.content(), inputs, "m")
        assert body["tools"] == [
            {
                "type": "function",
                "function": {
                    "name": "sailings",
                    "description": "Sailings from a pier",
                    "parameters": schema,
                },
            }
        ]
        assert body["messages"][0]["content"] == [
            {"type": "text", "text": "See"},
            {"type": "image_url", "image_url": {"url": picture()}},
        ]
        other = request_for(self.content(), inputs, "m", wire=format_of("messages"))
        assert other["tools"][0]["input_schema"] == schema
        data = picture().partition(",")[2]
        assert other["messages"][0]["content"][1] == {
            "type": "image",
            "source": {"type": "base64", "media_type": "image/png", "data": data},
        }

    def test_what_a_tool_answered_goes_back_beside_the_call(self):
        first = chat_completions.build_request("m", [("user", "When?")], {})
        said, told = chat_completions.build_next(first, CALLED, [(CALL, "08:10")])["messages"][1:]
        assert said["tool_calls"][0]["function"]["arguments"] == CALL.arguments
        assert told == {"role": "tool", "tool_call_id": "c1", "content": "08:10"}
        second = messages.build_request("m", [("user", "When?")], {})
        said, told = messages.build_next(second, CALLED, [(CALL, "08:10")])["messages"][1:]
        assert said["content"] == [
            {"type": "tool_use", "id": "c1", "name": "sailings", "input": {"pier": "Hollin"}}
        ]
        assert told["content"] == [{"type": "tool_result", "tool_use_id": "c1", "content": "08:10"}]

    def test_calls_are_read_from_whole_replies(self):
        call = {"id": "c1", "function": {"name": "sailings", "arguments": CALL.arguments}}
        choice = {"finish_reason": "tool_calls", "message": {"content": None, "tool_calls": [call]}}
        raw = json.dumps({"choices": [choice]}).encode()
        assert chat_completions.parse_reply(raw).tool_calls == (CALL,)
        block = {"type": "tool_use", "id": "c1", "name": "sailings", "input": {"pier": "Hollin"}}
        raw = json.dumps({"content": [block], "stop_reason": "tool_use"}).encode()
        assert messages.parse_reply(raw).tool_calls == (CALL,)

    def test_calls_are_read_from_streams_in_pieces(self):
        reader = StreamReader()
        for piece in (
            {"index": 0, "id": "c1", "function": {"name": "sailings", "arguments": ""}},
            {"index": 0, "function": {"arguments": '{"pier":'}},
            {"index": 0, "function": {"arguments": '"Hollin"}'}},
        ):
            event = {"choices": [{"delta": {"tool_calls": [piece]}}]}
            reader.feed(b"data: " + json.dumps(event).encode() + b"\n")
        reader.feed(b'data: {"choices": [{"delta": {}, "finish_reason": "tool_calls"}]}\n')
        assert reader.reply().tool_calls == (CALL,)
        other = messages.StreamReader()
        block = {"type": "tool_use", "id": "c1", "name": "sailings", "input": {}}
        for event in (
            {"type": "content_block_start", "index": 1, "content_block": block},
            {"index": 1, "delta": {"type": "input_json_delta", "partial_json": '{"pier":'}},
            {"index": 1, "delta": {"type": "input_json_delta", "partial_json": '"Hollin"}'}},
            {"type": "message_delta", "delta": {"stop_reason": "tool_use"}},
        ):
            other.feed(b"data: " + json.dumps(event).encode() + b"\n")
        assert (other.reply().tool_calls, other.reply().finish_reason) == ((CALL,), "tool_calls")


def test_a_prompt_without_tools_sends_none():
    assert set(request_for(Prompt.from_json(prompt("x").to_json()), {}, "m")) == {
        "model",
        "messages",
    }
