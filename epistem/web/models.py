"""The model list, and the settings there are."""

from __future__ import annotations

from flask import Response

from epistem.core.prompts.settings import SETTINGS
from epistem.store import models
from epistem.web.replies import Shape, blueprint, database, reply

bp = blueprint("models")


class ModelLine(Shape):
    """Prices are cents for a million tokens. Keys are never shown."""

    name: str
    address: str
    context_window: int
    input_cents: float
    output_cents: float
    about: str


class ModelList(Shape):
    models: list[ModelLine]


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
        found = models.all_of(tx)
    lines = [
        ModelLine(
            name=m.name,
            address=m.address,
            context_window=m.context_window,
            input_cents=m.input_cents,
            output_cents=m.output_cents,
            about=m.about,
        )
        for m in found
    ]
    return reply(ModelList(models=lines))


@bp.get(
    "/settings", responses={200: SettingList}, operation_id="listSettings",
    summary="Sampling settings and what they do",
)  # fmt: skip
def list_settings() -> Response:
    return reply(SettingList(settings=[SettingLine.model_validate(s) for s in SETTINGS]))
