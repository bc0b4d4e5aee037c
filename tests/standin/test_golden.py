"""Golden exchanges: whole requests with the very bytes of their answers, in both wire formats.

A change of format shows here as a difference. After a change that is meant, write them anew with
`python -m tests.standin.test_golden`, and read the difference before it is committed.
"""

import json
from pathlib import Path
from urllib.error import HTTPError
from urllib.request import Request, urlopen

import pytest

from tests.kit.waiting import PATIENCE_S

FOLDER = Path(__file__).parent / "golden"
CHAT, MESSAGES = "/v1/chat/completions", "/v1/messages"
SORT = {"role": "system", "content": "Sort into one of: tea, coffee. Answer with the label alone."}
CUP = {"role": "user", "content": "a cup of coffee, please"}
WEATHER = {
    "name": "get_weather",
    "description": "The weather of a city",
    "parameters": {
        "type": "object",
        "properties": {"city": {"type": "string"}},
        "required": ["city"],
    },
}
ASK_WEATHER = {"role": "user", "content": "What is the weather in Porto and Oslo?"}
CHAT_TOOLS = [{"type": "function", "function": WEATHER}]
TOOLS = [
    {**{k: WEATHER[k] for k in ("name", "description")}, "input_schema": WEATHER["parameters"]}
]
SHAPE = {
    "type": "json_schema",
    "json_schema": {
        "name": "reply",
        "strict": True,
        "schema": {
            "type": "object",
            "properties": {"label": {"enum": ["tea", "coffee"]}, "cups": {"type": "integer"}},
            "required": ["label", "cups"],
        },
    },
}


def chat(*messages, **more):
    return {"model": "gannet-l", "seed": 7, "temperature": 0, "messages": messages, **more}


def message(*messages, **more):
    return {"max_tokens": 80, **chat(*messages, **more)}


EXCHANGES = {
    "chat_plain": (CHAT, chat(SORT, CUP)),
    "chat_log_probabilities": (CHAT, chat(SORT, CUP, temperature=1, logprobs=True, top_logprobs=2)),
    "chat_two_answers_cut": (CHAT, chat(CUP, temperature=1, n=2, max_tokens=4)),
    "chat_shape": (CHAT, chat(CUP, response_format=SHAPE)),
    "chat_tools": (CHAT, chat(ASK_WEATHER, tools=CHAT_TOOLS)),
    "chat_reasoning": (CHAT, chat(SORT, CUP, model="auk-think", reasoning_effort="low")),
    "chat_stream": (CHAT, chat(SORT, CUP, stream=True, stream_options={"include_usage": True})),
    "chat_stream_tools": (CHAT, chat(ASK_WEATHER, tools=CHAT_TOOLS, stream=True)),
    "chat_refused": (CHAT, chat(CUP, temperature=2.5)),
    "chat_no_such_model": (CHAT, chat(CUP, model="heron")),
    "messages_plain": (MESSAGES, message(CUP, system=SORT["content"])),
    "messages_stop_sequence": (
        MESSAGES,
        message(CUP, system=SORT["content"], stop_sequences=["ee"]),
    ),
    "messages_tools": (MESSAGES, message(ASK_WEATHER, tools=TOOLS)),
    "messages_stream_thinking": (
        MESSAGES,
        message(
            CUP,
            system=SORT["content"],
            model="auk-think",
            stream=True,
            thinking={"type": "enabled", "budget_tokens": 1024},
        ),
    ),
    "messages_refused": (MESSAGES, message(CUP, max_tokens=0)),
    "count_tokens": (f"{MESSAGES}/count_tokens", {"model": "gannet-l", "messages": [CUP]}),
    "embeddings": ("/v1/embeddings", {"model": "tern-s", "input": "a cup", "dimensions": 8}),
}


def exchanged(url, path, body):
    """Status, content type and the answer's text; JSON answers are laid out to be read."""
    try:
        got = urlopen(Request(url + path, json.dumps(body).encode()), timeout=PATIENCE_S)
    except HTTPError as error:
        got = error
    kind, text = got.headers["Content-Type"].split(";")[0], got.read().decode()
    if kind == "application/json":
        text = json.dumps(json.loads(text), indent=1, ensure_ascii=False)
    return f"{got.status} {kind}\n{text.strip()}\n"


@pytest.mark.parametrize("name", EXCHANGES)
def test_an_exchange_is_as_recorded(stand_in, name):
    assert exchanged(stand_in, *EXCHANGES[name]) == (FOLDER / f"{name}.txt").read_text("utf-8")


def test_no_recording_is_left_over():
    assert {path.stem for path in FOLDER.glob("*.txt")} == set(EXCHANGES)


if __name__ == "__main__":
    from epistem.standin.server import make_app
    from tests.kit.servers import served

    with served(make_app(pace=0)) as address:
        for each, (path, body) in EXCHANGES.items():
            (FOLDER / f"{each}.txt").write_text(exchanged(address, path, body), "utf-8")
