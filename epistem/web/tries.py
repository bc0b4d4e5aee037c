"""Tries: one answer to a draft as it stands, and the exact request that would be sent."""

from __future__ import annotations

import asyncio
import secrets
from typing import Any

from flask import Response
from pydantic import Field

from epistem.core.cases.content import Expectation
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.registry import CheckUse, measures_of
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.render import render
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document
from epistem.core.trials.judging import Bench
from epistem.core.wire import chat_completions as wire
from epistem.core.wire import tokens
from epistem.core.wire.request import body_from
from epistem.models.client import Endpoint, Exchange, ModelClient
from epistem.models.retry import Retry
from epistem.store import models, subjects
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.problems import Problem
from epistem.web.replies import Shape, SubjectPath, blueprint, database, reply

bp = blueprint("tries")

QUICK = Retry(attempts=2, first_s=0.3, most_s=2.0)
"""A person is waiting: fail soon, and say why."""


class TryOut(Document):
    """`content` is the draft as typed. `settings` stand over its own. No seed: one is drawn."""

    content: Prompt
    inputs: dict[str, Any] = Field(default_factory=dict)
    model: str = Field(max_length=80)
    settings: Settings = Field(default_factory=Settings)
    expect: Expectation = Field(default_factory=Expectation)
    seed: int | None = Field(None, ge=0, lt=2**31)


class RenderedPart(Shape):
    role: str
    name: str
    text: str
    tokens: int


class ExactRequest(Shape):
    """`address` is where `body` would be posted. Tokens are counted by our own vocabulary: exact for
    the stand-in's models, an estimate for others. `answer_tokens` is the most the answer may have."""

    address: str
    key_reference: str | None
    body: dict[str, Any]
    parts: list[RenderedPart]
    tokens: int = Field(description="All messages, with what each one adds to its parts.")
    window: int
    answer_tokens: int | None


class TriedAnswer(Shape):
    request: ExactRequest
    answer: str
    finish_reason: str
    model: str
    input_tokens: int
    output_tokens: int
    cents: float
    total_ms: float
    attempts: int
    findings: list[FindingShape]
    not_checked: list[str] = Field(description="Checks that this draft can't be held to, and why.")


@bp.post(
    "/subjects/<name>/requests", responses={200: ExactRequest}, operation_id="showRequest",
    summary="The exact request, without sending it",
)  # fmt: skip
def show_request(path: SubjectPath, body: TryOut) -> Response:
    with database().transaction() as tx:
        subjects.get(tx, path.name)
        model = models.get(tx, body.model)
    return reply(_request(body, model))


@bp.post(
    "/subjects/<name>/tries", responses={200: TriedAnswer, 502: Problem}, operation_id="tryOut",
    summary="Ask a model once",
)  # fmt: skip
def try_out(path: SubjectPath, body: TryOut) -> Response:
    with database().transaction() as tx:
        subject = subjects.get(tx, path.name)
        model = models.get(tx, body.model)
    if body.seed is None:
        body = body.model_copy(update={"seed": secrets.randbelow(2**31)})
    sent = _request(body, model)
    endpoint = Endpoint(model.name, model.address, model.key_reference, model.time_limit_ms)
    exchange = asyncio.run(_ask(endpoint, wire.encode(sent.body)))
    answer, usage = exchange.reply, exchange.reply.usage
    checks = subject.checks_for(body.content.reply)
    findings, not_checked = _judge(checks, body, Answer(answer.text, answer.finish_reason))
    return reply(
        TriedAnswer(
            request=sent,
            answer=answer.text,
            finish_reason=answer.finish_reason,
            model=answer.model,
            input_tokens=usage.input_tokens,
            output_tokens=usage.output_tokens,
            cents=model.cost_cents(usage.input_tokens, usage.output_tokens),
            total_ms=exchange.trace.total_ms,
            attempts=exchange.trace.attempts,
            findings=findings,
            not_checked=not_checked,
        )
    )


def _request(body: TryOut, model: models.Model) -> ExactRequest:
    messages = render(body.content, body.inputs)
    settings = body.settings.over(body.content.settings)
    parts = [
        RenderedPart(role=message.role, name=name, text=text, tokens=tokens.count(text))
        for message in messages
        for name, text in message.parts
    ]
    sent = body_from(messages, body.content, model.name, settings, body.seed)
    return ExactRequest(
        address=model.address.rstrip("/") + wire.PATH,
        key_reference=model.key_reference,
        body=sent,
        parts=parts,
        tokens=sum(tokens.count(message.text) + tokens.PER_MESSAGE for message in messages),
        window=model.context_window,
        answer_tokens=settings.max_tokens,
    )


async def _ask(endpoint: Endpoint, body: bytes) -> Exchange:
    async with ModelClient(in_flight=1, retry=QUICK) as client:
        return await client.ask(endpoint, body)


def _judge(
    uses: list[CheckUse], body: TryOut, answer: Answer
) -> tuple[list[FindingShape], list[str]]:
    found, skipped = [], []
    ground = Ground(body.content.reply, body.expect, body.inputs)
    by_key = {measure.key: measure for measure in measures_of(uses)}
    for use in uses:
        try:
            bench = Bench([use], body.content.reply)
        except InvalidInput as error:
            skipped.append(error.message)
            continue
        for judged in bench.judge(answer, ground):
            measure = by_key[bench.measures[judged.measure].key]
            found.append(finding_shape(measure, judged.finding))
    return found, skipped
