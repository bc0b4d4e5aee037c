"""Tools and pictures, as a stock client would send and read them, in both wire formats."""

import base64
import io
import json
import struct
import zlib

import pytest
from PIL import Image, PngImagePlugin

from tests.standin.asking import HUNDRED, ask, talk
from tests.standin.test_messages import post as post_messages
from tests.standin.test_service import post
from tests.standin.test_streaming import events


def tool(name, description, required=(), **properties):
    parameters = {"type": "object", "properties": properties, "required": list(required)}
    function = {"name": name, "description": description, "parameters": parameters}
    return {"type": "function", "function": function}


TEXT = {"type": "string"}
TRAINS = tool(
    "get_trains", "Departures of trains from a station", ["station"], station=TEXT, time=TEXT
)
LOST = tool(
    "find_lost", "Search the lost property office for an item", ["item"], item=TEXT, colour=TEXT
)
MENU = tool("get_menu", "The dishes on the menu of a day", ["day"], day=TEXT)
TOOLS = [TRAINS, LOST, MENU]


def calls(said, model="gannet-l", tools=TOOLS, **more):
    found = ask("You help travellers.", said, model, tools=tools, **{"temperature": 0.2, **more})
    return [(call.name, json.loads(call.arguments)) for call in found.calls]


def test_the_tool_that_fits_is_called_with_what_was_said():
    said = "Which trains leave from Elmford after 9:30?"
    assert calls(said) == [("get_trains", {"station": "Elmford", "time": "9:30"})]
    assert calls("I lost my red umbrella") == [
        ("find_lost", {"item": "red umbrella", "colour": "red"})
    ]


def test_no_tool_is_called_for_what_none_is_for():
    assert calls("Thank you, good night") == []
    assert calls("Which trains leave from Elmford?", tool_choice="none") == []


def test_several_calls_at_once():
    said = "Which trains leave from Elmford and from Harrow? And have you found my black bag?"
    found = calls(said)
    assert {json.dumps(arguments) for name, arguments in found if name == "get_trains"} == {
        '{"station": "Elmford"}',
        '{"station": "Harrow"}',
    }
    assert "find_lost" in [name for name, _ in found]
    assert len(calls(said, parallel_tool_calls=False)) == 1


def test_a_choice_that_is_forced_is_kept_to():
    forced = {"type": "function", "function": {"name": "get_menu"}}
    assert [name for name, _ in calls("Good morning", tool_choice=forced)] == ["get_menu"]
    assert len(calls("Good morning", tool_choice="required")) >= 1


def test_a_careful_model_asks_for_what_is_missing_and_a_careless_one_makes_it_up():
    said = "Which trains leave?"
    assert "What is the station?" in ask("", said, "gannet-l", tools=TOOLS, temperature=0).text
    made_up = sum(bool(calls(said, "dunlin-old", seed=seed)) for seed in HUNDRED)
    assert made_up > sum(bool(calls(said, seed=seed)) for seed in HUNDRED) + 20


def test_more_tools_and_more_heat_give_more_wrong_calls():
    more = [tool(f"get_{word}s", f"The {word}s of a station or of a train") for word in
            ("platform", "ticket", "delay", "seat", "porter", "waiting_room", "map", "notice")]  # fmt: skip

    def wrong(tools, temperature):
        said = "Which trains leave from Elmford?"
        found = [calls(said, "tern-s", tools, temperature=temperature, seed=s) for s in HUNDRED]
        return sum([name for name, _ in names] != ["get_trains"] for names in found)

    few, many, hot = wrong([TRAINS], 0.3), wrong([TRAINS, *more], 0.8), wrong([TRAINS, *more], 2.0)
    assert few < many < hot


def test_results_become_the_answer():
    said = talk("Which trains leave from Elmford and Harrow?")
    first = ask("", said, "gannet-l", tools=TOOLS, temperature=0)
    said.append(
        {
            "role": "assistant",
            "content": None,
            "tool_calls": [
                {"id": f"c{at}", "type": "function", "function": call._asdict()}
                for at, call in enumerate(first.calls)
            ],
        }
    )
    said += [
        {"role": "tool", "tool_call_id": "c0", "content": '[{"leaves": "9:40", "platform": 2}]'},
        {"role": "tool", "tool_call_id": "c1", "content": "There are no trains today."},
    ]
    found = ask("", said, "gannet-l", tools=TOOLS, temperature=0)
    assert found.calls == ()
    assert "Elmford: leaves 9:40, platform 2." in found.text
    assert "Harrow: There are no trains today." in found.text


def body(said="Which trains leave from Elmford?", **more):
    return {
        "model": "gannet-l",
        "seed": 1,
        "temperature": 0,
        "tools": TOOLS,
        "messages": talk(said),
        **more,
    }


def test_over_http_whole_and_streamed(stand_in):
    _, whole = post(stand_in, body())
    [choice] = whole["choices"]
    assert (choice["finish_reason"], choice["message"]["content"]) == ("tool_calls", None)
    [call] = choice["message"]["tool_calls"]
    assert call["type"] == "function"
    chunks = [json.loads(data) for data in events(stand_in, body(stream=True))[:-1]]
    deltas = [c for chunk in chunks for c in chunk["choices"][0]["delta"].get("tool_calls", ())]
    assert deltas[0]["id"] == call["id"]
    assert (
        "".join(d["function"].get("arguments", "") for d in deltas) == call["function"]["arguments"]
    )
    assert chunks[-1]["choices"][0]["finish_reason"] == "tool_calls"


def test_over_the_other_format_with_results_in_blocks(stand_in):
    function = TRAINS["function"]
    tools = [
        {
            "name": function["name"],
            "description": function["description"],
            "input_schema": function["parameters"],
        }
    ]
    asked = {"model": "gannet-l", "max_tokens": 200, "seed": 1, "temperature": 0, "tools": tools}
    said = talk("Which trains leave from Elmford?")
    _, first = post_messages(stand_in, {**asked, "messages": said})
    [block] = first["content"]
    assert (first["stop_reason"], block["type"], block["input"]) == (
        "tool_use",
        "tool_use",
        {"station": "Elmford"},
    )
    result = {
        "type": "tool_result",
        "tool_use_id": block["id"],
        "content": [{"type": "text", "text": "At 9:40."}],
    }
    said += [{"role": "assistant", "content": [block]}, {"role": "user", "content": [result]}]
    _, second = post_messages(stand_in, {**asked, "messages": said})
    assert second["stop_reason"] == "end_turn"
    assert "Elmford: At 9:40." in second["content"][0]["text"]


@pytest.mark.parametrize(
    ("more", "param"),
    [
        ({"tools": "get_trains"}, "tools"),
        ({"tools": [{"type": "function"}]}, "tools[0].function"),
        ({"tools": [tool("no spaces please", "x")]}, "tools[0].function.name"),
        ({"tool_choice": "get_bread"}, "tool_choice"),
        ({"tools": [], "tool_choice": "required"}, "tool_choice"),
        ({"messages": [{"role": "tool", "content": "x"}]}, "messages[0].tool_call_id"),
        ({"messages": [{"role": "assistant", "tool_calls": [5]}]}, "messages[0].tool_calls"),
    ],
)
def test_wrong_tools_are_refused_by_name(stand_in, more, param):
    status, answer = post(stand_in, body(**more))
    assert (status, answer["error"]["param"]) == (400, param)


def picture(colour, told=None, kind="PNG", size=(280, 140)):
    """A data URL of a picture of one colour."""
    info = PngImagePlugin.PngInfo()
    if told:
        info.add_text("Description", told)
    raw = io.BytesIO()
    Image.new("RGB", size, colour).save(raw, kind, **({"pnginfo": info} if kind == "PNG" else {}))
    return f"data:image/{kind.lower()};base64,{base64.b64encode(raw.getvalue()).decode()}"


def shown(url, **more):
    parts = [
        {"type": "text", "text": "What is this?"},
        {"type": "image_url", "image_url": {"url": url}},
    ]
    return {
        "model": "gannet-l",
        "seed": 1,
        "messages": [{"role": "user", "content": parts}],
        **more,
    }


@pytest.mark.parametrize("kind", ["PNG", "JPEG"])
def test_a_picture_is_seen_by_size_and_colour(stand_in, kind):
    _, answer = post(stand_in, shown(picture((200, 40, 40), kind=kind)))
    assert "280 by 140 pixels, mostly red" in answer["choices"][0]["message"]["content"]
    assert answer["usage"]["prompt_tokens"] > 50


def test_what_a_text_chunk_says_is_drawn_is_told(stand_in):
    _, answer = post(stand_in, shown(picture("blue", "a blue umbrella on a bench")))
    assert "a blue umbrella on a bench" in answer["choices"][0]["message"]["content"]


def test_a_picture_in_the_other_format(stand_in):
    data = picture("blue", "a kite").partition(",")[2]
    source = {"type": "base64", "media_type": "image/png", "data": data}
    said = [
        {
            "role": "user",
            "content": [
                {"type": "image", "source": source},
                {"type": "text", "text": "What is it?"},
            ],
        }
    ]
    status, answer = post_messages(
        stand_in, {"model": "gannet-l", "max_tokens": 99, "messages": said}
    )
    assert status == 200
    assert "a kite" in answer["content"][0]["text"]


def bomb():
    """A PNG that says it is 50,000 pixels wide and high."""
    head = struct.pack(">IIBBBBB", 50_000, 50_000, 8, 2, 0, 0, 0)
    chunk = b"IHDR" + head
    return (
        b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + chunk + struct.pack(">I", zlib.crc32(chunk))
    )


@pytest.mark.parametrize(
    "url",
    [
        "https://example.com/cat.png",
        "data:image/png;base64,AAAA",
        "data:image/png;base64,###",
        "data:text/html;base64,PGI+",
        f"data:image/png;base64,{base64.b64encode(bomb()).decode()}",
        "",
    ],
)
def test_what_is_not_a_picture_is_refused_by_its_place(stand_in, url):
    status, answer = post(stand_in, shown(url))
    assert (status, answer["error"]["param"]) == (400, "messages[0].content[1]")
    assert answer["error"]["code"] == "invalid_image"
