"""What a request may hold. The first wrong field is refused by name; unknown ones are ignored."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from epistem.standin.embedding import MOST_PLACES
from epistem.standin.images import NotAPicture, picture_from, url_of
from epistem.standin.profiles import Profile, profiles

ROLES = ("system", "developer", "user", "assistant", "tool")
MOST_CHOICES = 16
MOST_STOPS = 4
MOST_TEXTS = 2_048
MOST_TOP = 20
MOST_TOOLS = 128
EFFORTS = ("none", "minimal", "low", "medium", "high")
_NAME = re.compile(r"[\w.-]{1,64}\Z")


class Refused(Exception):
    """A request that can't be answered: status, message, and the field it lies with."""

    def __init__(self, status: int, message: str, param: str | None, code: str) -> None:
        super().__init__(message)
        self.status, self.message, self.param, self.code = status, message, param, code


def wrong(field: str, must: str, code: str = "invalid_value") -> Refused:
    return Refused(400, f"`{field}` must be {must}.", field, code)


RANGES: dict[str, tuple[float, float]] = {
    "temperature": (0, 2),
    "top_p": (0, 1),
    "frequency_penalty": (-2, 2),
    "presence_penalty": (-2, 2),
}


def _is_whole(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def _between(low: int, high: int) -> Callable[[Any], bool]:
    return lambda value: _is_whole(value) and low <= value <= high


def _is_stop(value: Any) -> bool:
    listed = value if isinstance(value, list) else [value]
    return len(listed) <= MOST_STOPS and all(isinstance(text, str) and text for text in listed)


FIELDS: dict[str, tuple[Callable[[Any], bool], str]] = {
    "max_tokens": (_between(1, 10**9), "a whole number from 1"),
    "max_completion_tokens": (_between(1, 10**9), "a whole number from 1"),
    "seed": (_is_whole, "a whole number"),
    "n": (_between(1, MOST_CHOICES), f"from 1 to {MOST_CHOICES}"),
    "stop": (_is_stop, f"up to {MOST_STOPS} texts"),
    "stream": (lambda value: isinstance(value, bool), "true or false"),
    "logprobs": (lambda value: isinstance(value, bool), "true or false"),
    "top_logprobs": (_between(0, MOST_TOP), f"from 0 to {MOST_TOP}"),
    "parallel_tool_calls": (lambda value: isinstance(value, bool), "true or false"),
    "reasoning_effort": (lambda value: value in EFFORTS, f"one of {', '.join(EFFORTS)}"),
    "reasoning_format": (
        lambda value: value in ("field", "tags", "hidden"),
        "field, tags or hidden",
    ),
}
"""Each may be left out or null."""


def known_model(body: Any) -> Profile:
    if not isinstance(body, dict):
        raise Refused(400, "The body must be an object.", None, "invalid_type")
    name = body.get("model")
    if not isinstance(name, str):
        raise wrong("model", "a string", "invalid_type")
    if name not in profiles():
        known = ", ".join(profiles())
        message = f"There is no model `{name[:80]}`. There are {known}."
        raise Refused(404, message, "model", "model_not_found")
    return profiles()[name]


def checked(body: Any) -> Profile:
    """The model asked for. Raises Refused naming the first wrong field; unknown ones are ignored."""
    model = known_model(body)
    _check_messages(body.get("messages"))
    for field, (low, high) in RANGES.items():
        value = body.get(field)
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if value is not None and not (number and low <= value <= high):
            raise wrong(field, f"from {low:g} to {high:g}")
    for field, (fits, must) in FIELDS.items():
        if body.get(field) is not None and not fits(body[field]):
            raise wrong(field, must)
    if body.get("top_logprobs") and not body.get("logprobs"):
        raise wrong("top_logprobs", "sent with `logprobs` true")
    options = body.get("stream_options")
    if options is not None and not (isinstance(options, dict) and body.get("stream")):
        raise wrong("stream_options", "an object, sent with `stream` true")
    _check_reply(body.get("response_format"))
    _check_tools(body.get("tools"), body.get("tool_choice"))
    return model


def _check_messages(messages: Any) -> None:
    if not isinstance(messages, list) or not messages:
        raise wrong("messages", "a list that is not empty", "invalid_type")
    for at, message in enumerate(messages):
        field = f"messages[{at}]"
        role = message.get("role") if isinstance(message, dict) else None
        if role not in ROLES:
            raise wrong(f"{field}.role", f"one of {', '.join(ROLES)}")
        content = message.get("content")
        if not isinstance(content, str | list | None):
            raise wrong(f"{field}.content", "text", "invalid_type")
        for number, part in enumerate(content if isinstance(content, list) else ()):
            _check_part(part, f"{field}.content[{number}]")
        calls = message.get("tool_calls")
        if not isinstance(calls, list | None) or not all(_is_call(call) for call in calls or ()):
            raise wrong(f"{field}.tool_calls", "a list of calls with an id and a function")
        if role == "tool" and not isinstance(message.get("tool_call_id"), str):
            raise wrong(
                f"{field}.tool_call_id", "the id of the call that it answers", "invalid_type"
            )


def _check_part(part: Any, field: str) -> None:
    if not isinstance(part, dict):
        raise wrong(field, "a part with a type", "invalid_type")
    if not isinstance(part.get("text", ""), str):
        raise wrong(f"{field}.text", "text", "invalid_type")
    url = url_of(part)
    if url is not None:
        try:
            picture_from(url)
        except NotAPicture as error:
            raise Refused(
                400, f"`{field}` can't be read: {error}.", field, "invalid_image"
            ) from error


def _is_call(call: Any) -> bool:
    function = call.get("function") if isinstance(call, dict) else None
    return isinstance(function, dict) and isinstance(call.get("id"), str)


def _check_reply(wanted: Any) -> None:
    if wanted is None:
        return
    kinds = ("text", "json_object", "json_schema")
    if not isinstance(wanted, dict) or wanted.get("type") not in kinds:
        raise Refused(
            400,
            f"`response_format.type` must be one of {', '.join(kinds)}.",
            "response_format",
            "invalid_value",
        )
    inner = wanted.get("json_schema")
    if wanted["type"] == "json_schema":
        if not isinstance(inner, dict) or not isinstance(inner.get("name"), str):
            raise wrong("response_format.json_schema", "an object with a name")
        if not isinstance(inner.get("schema"), dict):
            raise wrong("response_format.json_schema.schema", "a JSON Schema")


def _check_tools(tools: Any, choice: Any) -> None:
    names = []
    if tools is not None and not (isinstance(tools, list) and len(tools) <= MOST_TOOLS):
        raise wrong("tools", f"a list of {MOST_TOOLS} tools at most", "invalid_type")
    for at, tool in enumerate(tools or ()):
        function = tool.get("function") if isinstance(tool, dict) else None
        if not isinstance(function, dict):
            raise wrong(f"tools[{at}].function", "an object", "invalid_type")
        name = function.get("name")
        if not isinstance(name, str) or not _NAME.match(name):
            raise wrong(f"tools[{at}].function.name", "letters, digits, _ and -, 64 at most")
        if not isinstance(function.get("description"), str | None):
            raise wrong(f"tools[{at}].function.description", "text", "invalid_type")
        if not isinstance(function.get("parameters"), dict | None):
            raise wrong(f"tools[{at}].function.parameters", "a JSON Schema", "invalid_type")
        names.append(name)
    if choice is None or choice in ("none", "auto", "required"):
        if choice == "required" and not names:
            raise wrong("tool_choice", "sent with tools")
        return
    inner = choice.get("function") if isinstance(choice, dict) else None
    if not isinstance(inner, dict) or inner.get("name") not in names:
        raise wrong("tool_choice", "none, auto, required or one of the tools")


def checked_texts(body: Any) -> tuple[Profile, list[str], int | None]:
    """Of an embeddings request: the model, the texts and how many numbers each should give."""
    model = known_model(body)
    given = body.get("input")
    texts = [given] if isinstance(given, str) else given
    whole = isinstance(texts, list) and 0 < len(texts) <= MOST_TEXTS
    if not whole or not all(isinstance(text, str) for text in texts):
        raise wrong("input", f"a text, or a list of 1 to {MOST_TEXTS} texts", "invalid_type")
    places = body.get("dimensions")
    if places is not None and not _between(8, MOST_PLACES)(places):
        raise wrong("dimensions", f"from 8 to {MOST_PLACES}")
    if body.get("encoding_format", "float") not in ("float", "base64"):
        raise wrong("encoding_format", "float or base64")
    return model, texts, places


def fits_window(model: Profile, asked: int) -> None:
    """Raises Refused when the messages alone are longer than the model's window."""
    if asked > model.window:
        message = f"The messages have {asked:,} tokens, and `{model.name}` takes {model.window:,} at most."
        raise Refused(400, message, "messages", "context_length_exceeded")
