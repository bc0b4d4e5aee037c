"""The chat-completions format, which most model servers speak."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import orjson

from epistem.core.errors import WireError

PATH = "/v1/chat/completions"
MODELS_PATH = "/v1/models"


class Usage(NamedTuple):
    """Tokens as the server counted them. Reasoning is part of the output."""

    input_tokens: int = 0
    output_tokens: int = 0
    reasoning_tokens: int = 0


class ToolCall(NamedTuple):
    """`arguments` is the JSON as the model wrote it, which need not be JSON."""

    id: str
    name: str
    arguments: str


class Reply(NamedTuple):
    """`model` is the name that the server says answered, which may differ from the one asked."""

    text: str
    finish_reason: str
    usage: Usage
    model: str
    reasoning: str = ""
    tool_calls: tuple[ToolCall, ...] = ()


Content = str | list[tuple[str, str]]
"""A text, or ("text", text) and ("image", `data:` address) in order."""


class ToolOffer(NamedTuple):
    """A tool as a model is told of it; `parameters` is a JSON Schema of type object."""

    name: str
    description: str
    parameters: Mapping[str, Any]


def build_request(
    model: str,
    messages: Iterable[tuple[str, Content]],
    settings: Mapping[str, Any],
    *,
    seed: int | None = None,
    json_schema: Any = None,
    tools: Sequence[ToolOffer] = (),
) -> dict[str, Any]:
    """The body to post. `messages` are (role, content); settings that are None are not sent."""
    body: dict[str, Any] = {
        "model": model,
        "messages": [{"role": role, "content": _content(content)} for role, content in messages],
    }
    body |= {name: value for name, value in settings.items() if value is not None}
    if seed is not None:
        body["seed"] = seed
    if json_schema is not None:
        body["response_format"] = {
            "type": "json_schema",
            "json_schema": {"name": "reply", "strict": True, "schema": json_schema},
        }
    if tools:
        body["tools"] = [{"type": "function", "function": tool._asdict()} for tool in tools]
    return body


def build_next(
    body: Mapping[str, Any], reply: Reply, results: Sequence[tuple[ToolCall, str]]
) -> dict[str, Any]:
    """The request that goes on after the model called tools, with what each answered."""
    called = [
        {"id": c.id, "type": "function", "function": {"name": c.name, "arguments": c.arguments}}
        for c in reply.tool_calls
    ]
    said = {"role": "assistant", "content": reply.text or None, "tool_calls": called}
    told = [{"role": "tool", "tool_call_id": c.id, "content": answer} for c, answer in results]
    return {**body, "messages": [*body["messages"], said, *told]}


def encode(body: Mapping[str, Any]) -> bytes:
    return orjson.dumps(body)


def encode_streamed(body: Mapping[str, Any]) -> bytes:
    """The body as one that asks for the answer piece by piece, with its usage at the end."""
    return orjson.dumps({**body, "stream": True, "stream_options": {"include_usage": True}})


def encode_with_seed(encoded: bytes, seed: int) -> bytes:
    """The encoded body of a request that has no seed, with one: cheaper than encoding it again."""
    return b'%b,"seed":%d}' % (encoded[:-1], seed)


def parse_reply(raw: bytes) -> Reply:
    """Raises WireError, saying what is missing, if the bytes are not a reply."""
    try:
        body = orjson.loads(raw)
    except orjson.JSONDecodeError as error:
        raise WireError(f"The reply is not JSON ({error}).") from error
    try:
        choice = body["choices"][0]
        calls = _tool_calls(choice["message"].get("tool_calls"))
        text = choice["message"].get("content") if calls else choice["message"]["content"]
    except (KeyError, IndexError, TypeError, AttributeError) as error:
        raise WireError("The reply has no choices[0].message.content.") from error
    thought = choice["message"].get("reasoning_content")
    return Reply(
        text=text if isinstance(text, str) else "",
        finish_reason=str(choice.get("finish_reason") or "unknown"),
        usage=usage_from(body.get("usage")),
        model=str(body.get("model") or ""),
        reasoning=thought if isinstance(thought, str) else "",
        tool_calls=calls,
    )


def parse_models(raw: bytes) -> list[str]:
    """The names in the answer to MODELS_PATH. Raises WireError when it is no such list."""
    try:
        names = [entry["id"] for entry in orjson.loads(raw)["data"]]
    except (orjson.JSONDecodeError, KeyError, TypeError) as error:
        raise WireError("The server's list of models can't be read.") from error
    return sorted({name for name in names if isinstance(name, str)})


def usage_from(usage: Any) -> Usage:
    """What a body says of tokens; 0 for what it does not say."""
    usage = usage if isinstance(usage, dict) else {}
    details = usage.get("completion_tokens_details")
    details = details if isinstance(details, dict) else {}
    return Usage(
        _whole(usage.get("prompt_tokens")),
        _whole(usage.get("completion_tokens")),
        _whole(details.get("reasoning_tokens")),
    )


def error_message(raw: bytes) -> str:
    """What an error body says, in the usual shape, or its first words."""
    try:
        said = orjson.loads(raw)["error"]["message"]
        return str(said)
    except (orjson.JSONDecodeError, KeyError, TypeError):
        return raw[:200].decode("utf-8", "replace").strip()


def _content(content: Content) -> Any:
    if isinstance(content, str):
        return content
    return [
        {"type": "text", "text": value}
        if kind == "text"
        else {"type": "image_url", "image_url": {"url": value}}
        for kind, value in content
    ]


def _tool_calls(told: Any) -> tuple[ToolCall, ...]:
    calls = []
    for call in told if isinstance(told, list) else []:
        function = call["function"]
        calls.append(
            ToolCall(str(call.get("id") or ""), str(function["name"]), function["arguments"])
        )
    return tuple(calls)


def _whole(value: Any) -> int:
    return value if isinstance(value, int) and value >= 0 else 0
