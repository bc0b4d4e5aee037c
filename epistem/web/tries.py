"""Tries: one answer to a draft as it stands, and the exact request that would be sent."""

from __future__ import annotations

import asyncio
import json
import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from threading import BoundedSemaphore
from typing import Any

from flask import Response
from pydantic import Field

from epistem.core.cases.content import Expectation
from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.registry import CheckUse, measures_of
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.render import render
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document
from epistem.core.trials.judging import Bench
from epistem.core.wire import chat_completions as wire
from epistem.core.wire import tokens
from epistem.core.wire.formats import format_of
from epistem.core.wire.request import body_from
from epistem.core.wire.stream import Piece
from epistem.models.client import CallTrace, Endpoint, Exchange, ModelClient
from epistem.models.retry import Retry
from epistem.store import models, subjects
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.limits import TRIES
from epistem.web.problems import Problem, Unavailable, problem_of
from epistem.web.replies import Shape, SubjectPath, blueprint, database, reply
from epistem.web.streamed import ModelStream

bp = blueprint("tries")

QUICK = Retry(attempts=2, first_s=0.3, most_s=2.0)
"""A person is waiting: fail soon, and say why."""
_open_tries = BoundedSemaphore(TRIES)


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
    wire_format: str
    key_reference: str | None
    body: dict[str, Any]
    parts: list[RenderedPart]
    tokens: int = Field(description="All messages, with what each one adds to its parts.")
    window: int
    answer_tokens: int | None


class TriedAnswer(Shape):
    """`first_ms` is the time to the first piece of a streamed answer, reasoning or not."""

    request: ExactRequest
    answer: str
    reasoning: str
    finish_reason: str
    model: str
    input_tokens: int
    output_tokens: int
    reasoning_tokens: int
    cents: float
    first_ms: float | None
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
    a_try = Try.of(path.name, body)
    exchange = asyncio.run(_ask(a_try.endpoint, wire.encode(a_try.sent.body)))
    return reply(a_try.answered(exchange.reply, exchange.trace, None))


@bp.post(
    "/subjects/<name>/tries/stream", operation_id="streamTry", summary="Ask a model once, streamed",
    responses={200: {"content": {"text/event-stream": {"schema": {"type": "string"}}}}},
)  # fmt: skip
def stream_try(path: SubjectPath, body: TryOut) -> Response:
    """Events `piece` with {kind, text} as they come, kind `content` or `reasoning`; then `answer` with
    a TriedAnswer, or `problem` with a Problem. Who stops reading stops the call."""
    a_try = Try.of(path.name, body)
    if not _open_tries.acquire(blocking=False):
        raise Unavailable(f"{TRIES} answers are being written already. Ask again in a moment.")
    model_stream = ModelStream(
        a_try.endpoint, a_try.endpoint.format.encode_streamed(a_try.sent.body), QUICK
    )
    stream = Response(
        _events(a_try, model_stream),
        content_type="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )
    stream.call_on_close(model_stream.close)
    stream.call_on_close(_open_tries.release)
    return stream


def _events(a_try: Try, model_stream: ModelStream) -> Iterator[str]:
    try:
        for item in model_stream:
            if item is None:
                yield ": still here\n\n"
            elif isinstance(item, Piece):
                yield f"event: piece\ndata: {json.dumps(item._asdict())}\n\n"
            else:
                answer = a_try.answered(item.reply, item.trace, item.first_ms)
                yield f"event: answer\ndata: {answer.model_dump_json()}\n\n"
    except EpistemError as error:
        problem = problem_of(error).model_dump_json(exclude_none=True)
        yield f"event: problem\ndata: {problem}\n\n"


@dataclass(frozen=True)
class Try:
    """One try, ready to be sent."""

    body: TryOut
    subject: subjects.Subject
    model: models.Model
    sent: ExactRequest

    @classmethod
    def of(cls, name: str, body: TryOut) -> Try:
        """Raises what stops it: no such subject or model, a template or input that is wrong."""
        with database().transaction() as tx:
            subject = subjects.get(tx, name)
            model = models.get(tx, body.model)
        if body.seed is None:
            body = body.model_copy(update={"seed": secrets.randbelow(2**31)})
        return cls(body, subject, model, _request(body, model))

    @property
    def endpoint(self) -> Endpoint:
        m = self.model
        return Endpoint(m.name, m.address, m.key_reference, m.time_limit_ms, m.wire_format)

    def answered(self, answer: wire.Reply, trace: CallTrace, first_ms: float | None) -> TriedAnswer:
        usage = answer.usage
        checks = self.subject.checks_for(self.body.content.reply)
        findings, not_checked = _judge(checks, self.body, Answer(answer.text, answer.finish_reason))
        return TriedAnswer(
            request=self.sent,
            answer=answer.text,
            reasoning=answer.reasoning,
            finish_reason=answer.finish_reason,
            model=answer.model,
            input_tokens=usage.input_tokens,
            output_tokens=usage.output_tokens,
            reasoning_tokens=usage.reasoning_tokens,
            cents=self.model.cost_cents(usage.input_tokens, usage.output_tokens),
            first_ms=first_ms,
            total_ms=trace.total_ms,
            attempts=trace.attempts,
            findings=findings,
            not_checked=not_checked,
        )


def _request(body: TryOut, model: models.Model) -> ExactRequest:
    messages = render(body.content, body.inputs)
    settings = body.settings.over(body.content.settings)
    parts = [
        RenderedPart(role=message.role, name=name, text=text, tokens=tokens.count(text))
        for message in messages
        for name, text in message.parts
    ]
    sent = body_from(messages, body.content, model.asked_as, settings, body.seed, model.wire_format)
    return ExactRequest(
        address=model.address.rstrip("/") + format_of(model.wire_format).path,
        wire_format=model.wire_format,
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
