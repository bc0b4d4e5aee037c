"""The chat-completions format, which most model servers speak."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import orjson

from epistem.core.errors import WireError
from epistem.core.wire.halves import whole
from epistem.core.wire.reading import (
    MOST_TOKENS,
    THOUGHTS,
    calls_from,
    error_in,
    finish_from,
    json_from,
    text_from,
    thoughts_from,
    usage_from,
    without_thoughts,
)
from epistem.core.wire.reply import (
    AS_IT_LIKES,
    Content,
    Reply,
    ToolCall,
    ToolOffer,
    ToolWish,
    Usage,
)

PATH = "/v1/chat/completions"
MODELS_PATH = "/v1/models"
_ODD = frozenset({"tool_calls", "function_call", "refusal", *THOUGHTS})


def build_request(
    model: str,
    messages: Iterable[tuple[str, Content]],
    settings: Mapping[str, Any],
    *,
    seed: int | None = None,
    json_schema: Any = None,
    tools: Sequence[ToolOffer] = (),
    wish: ToolWish = AS_IT_LIKES,
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
        if wish.choice == "this":
            body["tool_choice"] = {"type": "function", "function": {"name": wish.name}}
        elif wish.choice != "auto":
            body["tool_choice"] = "required" if wish.choice == "must" else "none"
        if not wish.several:
            body["parallel_tool_calls"] = False
    return body


def build_next(
    body: Mapping[str, Any],
    reply: Reply,
    results: Sequence[tuple[ToolCall, str]],
    *,
    last: bool = False,
) -> dict[str, Any]:
    """The request that goes on after the model called tools, with what each answered. It had to call one: now it
    may answer. `last`: it may call no more."""
    called = [
        {"id": c.id, "type": "function", "function": {"name": c.name, "arguments": c.arguments}}
        for c in reply.tool_calls
    ]
    said = {"role": "assistant", "content": reply.text, "tool_calls": called}
    told = [{"role": "tool", "tool_call_id": c.id, "content": answer} for c, answer in results]
    on = {**body, "messages": [*body["messages"], said, *told]}
    on.pop("tool_choice", None)
    return {**on, "tool_choice": "none"} if last else on


def encode(body: Mapping[str, Any]) -> bytes:
    return orjson.dumps(body)


def encode_streamed(body: Mapping[str, Any]) -> bytes:
    """The body as one that asks for the answer piece by piece, with its usage at the end."""
    return orjson.dumps({**body, "stream": True, "stream_options": {"include_usage": True}})


def encode_with_seed(encoded: bytes, seed: int) -> bytes:
    """The encoded body of a request that has no seed, with one: cheaper than encoding it again."""
    return b'%b,"seed":%d}' % (encoded[:-1], seed)


def parse_reply(raw: bytes) -> Reply:
    """Raises WireError if the bytes are not a reply: with the server's own words where they tell of a
    failure, else saying what is missing."""
    body = json_from(raw)
    if (usual := _usual_reply(body)) is not None:
        return usual
    if words := error_in(body):
        raise WireError(words)
    choices = body.get("choices") if isinstance(body, dict) else None
    told = [each for each in choices if isinstance(each, dict)] if isinstance(choices, list) else []
    choice = min(told, key=_place, default=None)
    if choice is None:
        raise WireError("The reply has no choices[0].message.content.")
    if "error" in choice and (words := error_in({"error": choice["error"]})):
        raise WireError(words)
    return reply_from(choice, body)


def reply_from(choice: Mapping[str, Any], body: Mapping[str, Any]) -> Reply:
    """The reply in one choice of a body. Raises WireError where it holds nothing."""
    message = choice.get("message")
    if not isinstance(message, dict):
        message = {"content": choice["text"]} if "text" in choice else {}
    told_calls = message.get("tool_calls") or message.get("function_call")
    calls = calls_from(message) if told_calls else ()
    refusal = text_from(message["refusal"]) if message.get("refusal") else ""
    written, thought = text_from(message.get("content")), thoughts_from(message)
    if "content" not in message and not (calls or refusal or thought):
        raise WireError("The reply has no choices[0].message.content.")
    text, marked = without_thoughts(written)
    ended = finish_from(choice.get("finish_reason"), calls)
    return Reply(
        text=text or refusal,
        finish_reason="content_filter" if refusal and not text else ended,
        usage=usage_from(body.get("usage") or body, text),
        model=str(body.get("model") or ""),
        reasoning=thought or marked,
        tool_calls=calls,
    )


def _usual_reply(body: Any) -> Reply | None:
    """What most servers send for most answers, read by the shortest way; None for anything else."""
    try:
        [choice], usage = body["choices"], body["usage"]
        message, finish = choice["message"], choice["finish_reason"]
        text, sent, written = message["content"], usage["prompt_tokens"], usage["completion_tokens"]
    except (KeyError, ValueError, TypeError):
        return None
    plain = (
        type(text) is str
        and type(sent) is int
        and type(written) is int
        and 0 < sent <= MOST_TOKENS
        and 0 < written <= MOST_TOKENS
        and finish in ("stop", "length")
        and "think>" not in text
        and not _ODD.intersection(message)
        and "error" not in body
        and "completion_tokens_details" not in usage
    )
    if not plain:
        return None
    try:
        text.encode()
    except UnicodeEncodeError:
        return None
    return Reply(text, finish, Usage(sent, written), str(body.get("model") or ""))


def _place(choice: Mapping[str, Any]) -> int:
    index = choice.get("index")
    return index if isinstance(index, int) else 0


def parse_models(raw: bytes) -> list[str]:
    """The names in the answer to MODELS_PATH. Raises WireError when it is no such list."""
    try:
        body = json_from(raw)
    except WireError as error:
        raise WireError("The server's list of models can't be read.") from error
    if isinstance(body, dict):
        lists = (body.get(key) for key in ("data", "models", "model", "result", "items"))
        body = next((each for each in lists if isinstance(each, list | dict)), None)
    if isinstance(body, dict):  # by name
        body = [{"id": name} for name in body]
    if not isinstance(body, list):
        raise WireError("The server's list of models can't be read.")
    return sorted(set(filter(None, map(_name_of, body))))


def _name_of(entry: Any) -> str:
    if isinstance(entry, dict):
        names = (entry.get(key) for key in ("id", "name", "model", "model_name"))
        entry = next((name for name in names if isinstance(name, str) and name), "")
    return whole(entry) if isinstance(entry, str) else ""


def _content(content: Content) -> Any:
    if isinstance(content, str):
        return content
    return [
        {"type": "text", "text": value}
        if kind == "text"
        else {"type": "image_url", "image_url": {"url": value}}
        for kind, value in content
    ]
