"""The model list, and the settings there are."""

from __future__ import annotations

import asyncio
import re
from threading import BoundedSemaphore
from typing import Annotated, Literal
from urllib.parse import urlsplit

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.errors import InvalidInput
from epistem.core.prompts.request import ABILITIES, Ability
from epistem.core.prompts.settings import SETTINGS
from epistem.core.wire.habits import Habits
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.keys import Keys
from epistem.models.retry import Retry
from epistem.store import models
from epistem.web.limits import QUESTIONS
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import IfMatch, Shape, blueprint, check_revision, database, reply
from epistem.work import greeting

bp = blueprint("models")

ONCE = Retry(attempts=1)
_questions = BoundedSemaphore(QUESTIONS)
FULL = f"{QUESTIONS} models are being asked already and have not answered. Try again in a moment."
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.:/-]*\Z")
MOST_HEADERS = 40
_HEADER = re.compile(r"[A-Za-z0-9!#$%&'*+.^_`|~-]{1,80}\Z")
_VALUE = re.compile(r"[\x20-\x7e]{0,300}\Z")
KEPT_HEADERS = {
    "authorization", "x-api-key", "api-key", "cookie", "proxy-authorization", "host",
    "content-type", "content-length", "transfer-encoding", "connection",
}  # fmt: skip
NO_KEY_IN = KEPT_HEADERS - {"authorization", "x-api-key", "api-key", "proxy-authorization"}
Price = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]


class ModelEntry(Shape):
    """What can be set of a model. Prices are cents for a million tokens. `served_as` is its name at the
    server, empty when it is the same. `key_reference` is the name of one of the server's keys, never a key."""

    address: str = Field(max_length=300)
    served_as: str = Field("", max_length=200)
    wire_format: Literal["chat_completions", "messages"] = "chat_completions"
    key_reference: str | None = Field(None, max_length=200)
    context_window: int = Field(ge=16, le=100_000_000)
    input_cents: Price
    output_cents: Price
    time_limit_ms: int = Field(60_000, ge=100, le=3_600_000)
    about: str = Field("", max_length=300)
    policy: str = Field("", max_length=600)
    abilities: list[Ability] = Field(default_factory=lambda: sorted(ABILITIES))
    calls_at_once: int | None = Field(
        None, ge=1, le=1_000, description="Calls that its server takes at once."
    )
    requests_per_minute: int | None = Field(None, ge=1, le=1_000_000)
    tokens_per_minute: int | None = Field(None, ge=1, le=1_000_000_000)
    habits: Habits = Field(
        default_factory=Habits, description="What its server does otherwise than most."
    )
    headers: dict[str, str] = Field(
        default_factory=dict, description="More headers to send. Nothing secret: these are shown."
    )


class ModelLine(ModelEntry):
    """`built_in` models come with Epistem: they are put there anew at every start."""

    name: str
    revision: int = Field(description="What a change of it sends in If-Match.")
    built_in: bool
    ignores: list[str] = Field(description="Settings that its wire format has no place for.")
    served_as: str
    wire_format: Literal["chat_completions", "messages"]
    key_reference: str | None
    time_limit_ms: int
    about: str
    policy: str
    abilities: list[Ability]
    calls_at_once: int | None
    requests_per_minute: int | None
    tokens_per_minute: int | None
    habits: Habits
    headers: dict[str, str]


class ModelList(Shape):
    models: list[ModelLine]


class ModelPath(BaseModel):
    name: str = Field(max_length=80)


class Greeted(Shape):
    """What came of asking a model for one word, in `calls` calls. `habits` are those of its server as
    they were found by trying, and `findings` what the entry does not say yet, in words."""

    answer: str
    model: str
    total_ms: float
    input_tokens: int
    output_tokens: int
    told: bool = Field(description="Whether its server tells the tokens.")
    calls: int
    habits: Habits
    findings: list[str]


class Offered(Shape):
    """The names that a model's server offers."""

    names: list[str]


class SettingLine(Shape):
    name: str
    label: str
    low: float
    high: float
    usual: str
    help: str


class SettingList(Shape):
    settings: list[SettingLine]


@bp.get("/models", responses={200: ModelList}, operation_id="listModels", summary="The model list")
def list_models() -> Response:
    with database().transaction() as tx:
        found, revisions = models.all_of(tx), models.revisions(tx)
    return reply(ModelList(models=[_line(m, revisions) for m in found]))


@bp.put(
    "/models/<path:name>", responses={200: ModelLine, 409: Problem, 412: Problem, 428: Problem},
    operation_id="putModel", summary="Add a model, or change the one of that name",
)  # fmt: skip
def put_model(path: ModelPath, header: IfMatch, body: ModelEntry) -> Response:
    """To change one that is there, If-Match holds its `revision`."""
    if not _NAME.match(path.name):
        raise InvalidInput(
            "A model's name has letters, digits, and . _ : / - after the first.", field="name"
        )
    _check_address(body.address)
    if body.key_reference:
        keys = Keys.of_this_server()
        keys.check(body.key_reference, body.address, field="key_reference")
    _check_headers(body.headers)
    _check_key_header(body.habits)
    given = {
        **body.model_dump(),
        "key_reference": body.key_reference or None,
        "abilities": frozenset(body.abilities),
        "habits": body.habits,
    }
    with database().transaction() as tx:
        models.check_free(tx, path.name)
        there = models.revisions(tx).get(path.name)
        if there is not None:
            check_revision(there, f"The model “{path.name}”")
        models.put(tx, models.Model(name=path.name, **given))
        return reply(_line(models.get(tx, path.name), models.revisions(tx)))


@bp.delete(
    "/models/<path:name>", responses={204: None, 409: Problem, 412: Problem, 428: Problem},
    operation_id="removeModel", summary="Take a model off the list; its readings stay",
)  # fmt: skip
def remove_model(path: ModelPath, header: IfMatch) -> Response:
    with database().transaction() as tx:
        models.check_own(models.get(tx, path.name, field="name"))
        check_revision(models.revisions(tx)[path.name], f"The model “{path.name}”")
        models.remove(tx, path.name)
    return Response(status=204)


@bp.post(
    "/models/greet/<path:name>", responses={200: Greeted, 502: Problem}, operation_id="greetModel",
    summary="Ask a model of the list for one word",
)  # fmt: skip
def greet_model(path: ModelPath) -> Response:
    """Only addresses of the list are ever asked, so save an entry before you try it."""
    model = _listed(path.name)
    with held(_questions, FULL):
        found = asyncio.run(_greet(model))
    answer = found.reply
    return reply(
        Greeted(
            answer=answer.text[:200],
            model=answer.model,
            total_ms=found.total_ms,
            input_tokens=answer.usage.input_tokens,
            output_tokens=answer.usage.output_tokens,
            told=answer.usage.told,
            calls=found.calls,
            habits=found.habits,
            findings=found.findings,
        )
    )


@bp.get(
    "/models/offered/<path:name>", responses={200: Offered, 502: Problem}, operation_id="listOffered",
    summary="What the server of a model of the list offers",
)  # fmt: skip
def list_offered(path: ModelPath) -> Response:
    model = _listed(path.name)
    with held(_questions, FULL):
        return reply(Offered(names=asyncio.run(_offered(model))))


@bp.get(
    "/settings", responses={200: SettingList}, operation_id="listSettings",
    summary="Sampling settings and what they do",
)  # fmt: skip
def list_settings() -> Response:
    return reply(SettingList(settings=[SettingLine.model_validate(s) for s in SETTINGS]))


def _line(model: models.Model, revisions: dict[str, int]) -> ModelLine:
    more = {"ignores": list(model.format.ignores), "revision": revisions[model.name]}
    told = {**vars(model), **more, "abilities": sorted(model.abilities)}
    return ModelLine.model_validate(told)


def _listed(name: str) -> models.Model:
    with database().transaction() as tx:
        return models.get(tx, name, field="name")


def _check_address(address: str) -> None:
    """An http(s) address with a host, and nothing secret in it. Raises InvalidInput."""
    try:
        parts = urlsplit(address)
        port_fits = parts.port is None or parts.port > 0
    except ValueError as error:
        raise InvalidInput(f"The address can't be read: {error}.", field="address") from error
    if parts.scheme not in ("http", "https") or not parts.hostname or not port_fits:
        raise InvalidInput(
            "The address reads http://host:port or https://host, with or without /v1 at its end.",
            field="address",
        )
    if parts.username or parts.password or parts.query or parts.fragment:
        raise InvalidInput(
            "The address has a name, password or query in it. Keys belong in the key's place.",
            field="address",
        )


def _check_headers(headers: dict[str, str]) -> None:
    """Raises InvalidInput for a header that can't be sent, or that would hold a key."""
    if len(headers) > MOST_HEADERS:
        message = f"There are {len(headers):,} headers; at most {MOST_HEADERS} can be sent along."
        raise InvalidInput(message, field="headers")
    for name, value in headers.items():
        if name.lower() in KEPT_HEADERS:
            message = (
                f"“{name[:40]}” is not set here. A key belongs in the key's place, as a reference."
            )
            raise InvalidInput(message, field="headers")
        if not _HEADER.match(name) or not _VALUE.match(value):
            message = f"“{name[:40]}” can't be sent: a header is one line of plain letters."
            raise InvalidInput(message, field="headers")


def _check_key_header(habits: Habits) -> None:
    """Raises InvalidInput for a header that a key can't be sent in."""
    name, prefix = habits.key_header, habits.key_prefix
    if name and (not _HEADER.match(name) or name.lower() in NO_KEY_IN):
        message = f"A key can't be sent in the header “{name[:40]}”. Authorization and x-api-key are usual."
        raise InvalidInput(message, field="habits.key_header")
    if prefix is not None and not _VALUE.match(prefix):
        message = "What stands before the key is a word of plain letters, such as Bearer."
        raise InvalidInput(message, field="habits.key_prefix")


async def _greet(model: models.Model) -> greeting.Greeting:
    async with ModelClient(in_flight=1, retry=ONCE) as client:
        return await greeting.greet(client, model)


async def _offered(model: models.Model) -> list[str]:
    async with ModelClient(in_flight=1, retry=ONCE) as client:
        return await client.offered(Endpoint.of(model, most_ms=greeting.MOST_MS))
