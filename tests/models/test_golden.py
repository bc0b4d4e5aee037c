"""Golden exchanges of our own client: what it sends and how it reads what came back, in both formats.

Each recording holds the body that a prompt gives, the very bytes that a server answered, and what was
read from them. After a change that is meant, write them anew with `python -m tests.models.test_golden`,
and read the difference before it is committed.
"""

import json
from pathlib import Path
from urllib.request import Request, urlopen

import pytest

from epistem.core.prompts.content import Prompt
from epistem.core.prompts.dialogue import Turn, render_talk
from epistem.core.prompts.request import body_from
from epistem.core.wire.formats import FORMATS
from tests.core.test_prompt_pieces import picture
from tests.kit.waiting import PATIENCE_S

FOLDER = Path(__file__).parent / "golden"
SCHEMA = {
    "type": "object",
    "properties": {"label": {"enum": ["tea", "coffee"]}},
    "required": ["label"],
}
TOOL = {
    "name": "sailings",
    "description": "Times of sailings from a pier",
    "parameters": {
        "type": "object",
        "properties": {"pier": {"type": "string"}},
        "required": ["pier"],
    },
}
SORT = [
    {"role": "system", "parts": [{"name": "Task", "text": "Sort into one of: tea, coffee."},
                                 {"name": "Reply", "text": "{{ reply_shape() }}"}]},
    {"role": "user", "parts": [{"name": "Note", "text": "{{ note }}"}]},
]  # fmt: skip
LABEL = {"kind": "label", "labels": ["tea", "coffee"]}
SETTINGS = {"temperature": 0, "max_tokens": 60, "stop": ["\n\n"], "presence_penalty": 0.2}


def prompt(**more):
    return Prompt.from_json({"messages": SORT, "settings": SETTINGS, "reply": LABEL, **more})


CUP = {"note": "a cup of coffee, please"}
SAID = [Turn(role="assistant", text="coffee"), Turn(role="user", text="no, tea")]
WORK = {
    "label": (prompt(), CUP, "gannet-l", []),
    "examples": (prompt(examples=[{"inputs": {"note": "leaves"}, "answer": "tea"}]), CUP, "gannet-l", []),
    "talk": (prompt(), CUP, "gannet-l", SAID),
    "schema": (prompt(reply={"kind": "json", "json_schema": SCHEMA, "send_schema": True}), CUP, "gannet-l", []),
    "tools": (
        prompt(messages=[SORT[1]], reply={"kind": "text"}, tools=[TOOL]),
        {"note": "When are the sailings from Hollin?"},
        "gannet-l",
        [],
    ),
    "image": (
        prompt(
            messages=[{"role": "user", "parts": [{"name": "Photo", "text": "What is on it? {{ photo }}"}]}],
            reply={"kind": "text"},
            inputs=[{"name": "photo", "kind": "image"}],
        ),
        {"photo": picture()},
        "gannet-l",
        [],
    ),
    "reasoning": (prompt(), CUP, "auk-think", []),
}  # fmt: skip
NAMES = [
    f"{form}_{work}_{how}" for form in FORMATS for work in WORK for how in ("whole", "streamed")
]


def sent(name):
    """Path and bytes of the request."""
    form, work, how = split(name)
    content, inputs, model, turns = WORK[work]
    messages = render_talk(content, inputs, turns)
    body = body_from(messages, content, model, content.settings, 7, form)
    return form.path, form.encode_streamed(body) if how == "streamed" else json.dumps(body).encode()


def read(name, raw, cut=64):
    form, _, how = split(name)
    if how == "whole":
        reply = form.parse_reply(raw)
    else:
        reader = form.reader()
        for start in range(0, len(raw), cut):
            reader.feed(raw[start : start + cut])
        reply = reader.reply()
    calls = [call._asdict() for call in reply.tool_calls]
    assert reply.usage.told
    usage = {key: value for key, value in reply.usage._asdict().items() if key != "told"}
    return {**reply._asdict(), "usage": usage, "tool_calls": calls}


def split(name):
    form = next(form for key, form in FORMATS.items() if name.startswith(f"{key}_"))
    work, how = name.removeprefix(f"{form.name}_").rsplit("_", 1)
    return form, work, how


@pytest.mark.parametrize("name", NAMES)
def test_what_is_sent_and_read_is_as_recorded(name):
    kept = json.loads((FOLDER / f"{name}.json").read_text("utf-8"))
    path, body = sent(name)
    assert (path, json.loads(body)) == (kept["path"], kept["body"])
    assert read(name, kept["raw"].encode()) == kept["reply"]
    assert read(name, kept["raw"].encode(), cut=7) == kept["reply"]


def test_the_recordings_say_what_they_are_for():
    kept = {name: json.loads((FOLDER / f"{name}.json").read_text("utf-8")) for name in NAMES}
    assert {path.stem for path in FOLDER.glob("*.json")} == set(NAMES)
    for form in FORMATS:
        for how in ("whole", "streamed"):
            assert [c["name"] for c in kept[f"{form}_tools_{how}"]["reply"]["tool_calls"]] == [
                "sailings"
            ]
            assert kept[f"{form}_label_{how}"]["reply"]["text"].strip().lower().startswith("coffee")
    assert kept["chat_completions_reasoning_streamed"]["reply"]["reasoning"]


if __name__ == "__main__":
    from epistem.standin.server import make_app
    from tests.kit.servers import served

    FOLDER.mkdir(exist_ok=True)
    with served(make_app(pace=0)) as url:
        for name in NAMES:
            path, body = sent(name)
            headers = {"Content-Type": "application/json"}
            raw = urlopen(Request(url + path, body, headers), timeout=PATIENCE_S).read()
            kept = {
                "path": path,
                "body": json.loads(body),
                "raw": raw.decode(),
                "reply": read(name, raw),
            }
            text = json.dumps(kept, indent=1, ensure_ascii=False)
            (FOLDER / f"{name}.json").write_text(text + "\n", "utf-8")
