"""What a request may hold. The first wrong field is refused by name; unknown ones are ignored."""

from __future__ import annotations

from typing import Any

from epistem.standin.embedding import MOST_PLACES
from epistem.standin.profiles import Profile, profiles

ROLES = ("system", "developer", "user", "assistant", "tool")
MOST_CHOICES = 16
MOST_STOPS = 4
MOST_TEXTS = 2_048


class Refused(Exception):
    """A request that can't be answered: status, message, and the field it lies with."""

    def __init__(self, status: int, message: str, param: str | None, code: str) -> None:
        super().__init__(message)
        self.status, self.message, self.param, self.code = status, message, param, code


RANGES: dict[str, tuple[float, float]] = {
    "temperature": (0, 2),
    "top_p": (0, 1),
    "frequency_penalty": (-2, 2),
    "presence_penalty": (-2, 2),
}


def _known_model(body: Any) -> Profile:
    if not isinstance(body, dict):
        raise Refused(400, "The body must be an object.", None, "invalid_type")
    name = body.get("model")
    if not isinstance(name, str):
        raise Refused(400, "`model` must be a string.", "model", "invalid_type")
    if name not in profiles():
        known = ", ".join(profiles())
        raise Refused(
            404, f"There is no model `{name}`. There are {known}.", "model", "model_not_found"
        )
    return profiles()[name]


def checked(body: Any) -> Profile:
    """The model asked for. Raises Refused naming the first wrong field; unknown ones are ignored."""
    model = _known_model(body)
    messages = body.get("messages")
    if not isinstance(messages, list) or not messages:
        raise Refused(
            400, "`messages` must be a list that is not empty.", "messages", "invalid_type"
        )
    for at, message in enumerate(messages):
        if not isinstance(message, dict) or message.get("role") not in ROLES:
            raise Refused(
                400,
                f"`role` must be one of {', '.join(ROLES)}.",
                f"messages[{at}].role",
                "invalid_value",
            )
        if not isinstance(message.get("content", ""), str | list | None):
            raise Refused(400, "`content` must be text.", f"messages[{at}].content", "invalid_type")
    for field, (low, high) in RANGES.items():
        value = body.get(field)
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if value is not None and not (number and low <= value <= high):
            raise Refused(
                400, f"`{field}` must be from {low:g} to {high:g}.", field, "invalid_value"
            )
    for field in ("max_tokens", "max_completion_tokens"):
        value = body.get(field)
        if value is not None and not (isinstance(value, int) and value >= 1):
            raise Refused(400, f"`{field}` must be a whole number from 1.", field, "invalid_value")
    seed = body.get("seed")
    if seed is not None and (not isinstance(seed, int) or isinstance(seed, bool)):
        raise Refused(400, "`seed` must be a whole number.", "seed", "invalid_type")
    wanted = body.get("response_format")
    if wanted is not None and not (
        isinstance(wanted, dict) and wanted.get("type") in ("text", "json_object", "json_schema")
    ):
        raise Refused(
            400, "`response_format.type` is not known.", "response_format", "invalid_value"
        )
    many = body.get("n")
    if many is not None and not (_is_whole(many) and 1 <= many <= MOST_CHOICES):
        raise Refused(400, f"`n` must be from 1 to {MOST_CHOICES}.", "n", "invalid_value")
    stops = body.get("stop")
    listed = stops if isinstance(stops, list) else [] if stops is None else [stops]
    if len(listed) > MOST_STOPS or not all(isinstance(text, str) and text for text in listed):
        raise Refused(400, f"`stop` takes up to {MOST_STOPS} texts.", "stop", "invalid_value")
    if not isinstance(body.get("stream", False), bool | None):
        raise Refused(400, "`stream` must be true or false.", "stream", "invalid_type")
    options = body.get("stream_options")
    if options is not None and not (isinstance(options, dict) and body.get("stream")):
        raise Refused(
            400, "`stream_options` goes with `stream`.", "stream_options", "invalid_value"
        )
    return model


def checked_texts(body: Any) -> tuple[Profile, list[str], int | None]:
    """Of an embeddings request: the model, the texts and how many numbers each should give."""
    model = _known_model(body)
    given = body.get("input")
    texts = [given] if isinstance(given, str) else given
    whole = isinstance(texts, list) and 0 < len(texts) <= MOST_TEXTS
    if not whole or not all(isinstance(text, str) for text in texts):
        message = f"`input` must be a text, or a list of 1 to {MOST_TEXTS} texts."
        raise Refused(400, message, "input", "invalid_type")
    places = body.get("dimensions")
    if places is not None and not (_is_whole(places) and 8 <= places <= MOST_PLACES):
        message = f"`dimensions` must be from 8 to {MOST_PLACES}."
        raise Refused(400, message, "dimensions", "invalid_value")
    if body.get("encoding_format", "float") not in ("float", "base64"):
        message = "`encoding_format` is float or base64."
        raise Refused(400, message, "encoding_format", "invalid_value")
    return model, texts, places


def fits_window(model: Profile, asked: int) -> None:
    """Raises Refused when the messages alone are longer than the model's window."""
    if asked > model.window:
        message = f"The messages have {asked:,} tokens, and `{model.name}` takes {model.window:,} at most."
        raise Refused(400, message, "messages", "context_length_exceeded")


def _is_whole(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)
