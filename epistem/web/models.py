"""The model list, and the settings there are."""

from __future__ import annotations

import asyncio
from threading import BoundedSemaphore
from typing import Annotated, Literal

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.prompts.request import ABILITIES, Ability
from epistem.core.prompts.settings import SETTINGS
from epistem.core.wire.habits import Habits
from epistem.models.client import ModelClient
from epistem.models.endpoint import Endpoint
from epistem.models.retry import Retry
from epistem.store import models
from epistem.store.database import Transaction
from epistem.web.limits import QUESTIONS
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import (
    IfMatch,
    Shape,
    blueprint,
    check_revision,
    reply,
    transaction,
)
from epistem.work import greeting
from epistem.work import models as work

bp = blueprint("models")

ONCE = Retry(attempts=1)
_questions = BoundedSemaphore(QUESTIONS)
FULL = f"{QUESTIONS} models are being asked already and have not answered. Try again in a moment."
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
    abilities: list[Ability] = Field(default_factory=lambda: sorted(ABILITIES - {"embeddings"}))
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
    answered: bool = Field(description="Whether it has ever answered at its address.")
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
    with transaction() as tx:
        return reply(ModelList(models=_lines(tx, models.all_of(tx))))


@bp.put(
    "/models/<path:name>", responses={200: ModelLine, 409: Problem, 412: Problem, 428: Problem},
    operation_id="putModel", summary="Add a model, or change the one of that name",
)  # fmt: skip
def put_model(path: ModelPath, header: IfMatch, body: ModelEntry) -> Response:
    """To change one that is there, If-Match holds its `revision`."""
    given = {
        **body.model_dump(),
        "key_reference": body.key_reference or None,
        "abilities": frozenset(body.abilities),
        "habits": body.habits,
    }
    model = models.Model(name=path.name, **given)
    work.check(model)
    with transaction() as tx:
        work.check_free(tx, path.name)
        there = models.revisions(tx).get(path.name)
        if there is not None:
            check_revision(there, f"The model “{path.name}”")
        models.put(tx, model)
        return reply(_lines(tx, [models.get(tx, path.name)])[0])


@bp.delete(
    "/models/<path:name>", responses={204: None, 409: Problem, 412: Problem, 428: Problem},
    operation_id="removeModel", summary="Take a model off the list; its readings stay",
)  # fmt: skip
def remove_model(path: ModelPath, header: IfMatch) -> Response:
    with transaction() as tx:
        work.check_own(models.get(tx, path.name, field="name"))
        check_revision(models.revisions(tx)[path.name], f"The model “{path.name}”")
        work.remove(tx, path.name)
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
    with transaction() as tx:
        models.heard(tx, model.name)
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


def _lines(tx: Transaction, found: list[models.Model]) -> list[ModelLine]:
    revisions, answered = models.revisions(tx), models.answered(tx)
    return [
        ModelLine.model_validate(
            {
                **vars(model),
                "ignores": list(model.format.ignores),
                "revision": revisions[model.name],
                "answered": model.built_in or model.name in answered,
                "abilities": sorted(model.abilities),
            }
        )
        for model in found
    ]


def _listed(name: str) -> models.Model:
    with transaction() as tx:
        return models.get(tx, name, field="name")


async def _greet(model: models.Model) -> greeting.Greeting:
    async with ModelClient(in_flight=1, retry=ONCE, keep_open=False) as client:
        return await greeting.greet(client, model)


async def _offered(model: models.Model) -> list[str]:
    async with ModelClient(in_flight=1, retry=ONCE, keep_open=False) as client:
        return await client.offered(Endpoint.of(model, most_ms=greeting.MOST_MS))
