"""Tries: one answer to a draft as it stands, and the exact request that would be sent."""

from __future__ import annotations

import asyncio
import json
import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from threading import BoundedSemaphore
from typing import Any

import structlog
from flask import Response

from epistem.core.checks.base import Answer, Ground
from epistem.core.checks.registry import CheckUse, check_class, measures_of
from epistem.core.checks.structure.find_json import find_json
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.prompts.content import Prompt, ReplyShape
from epistem.core.prompts.dialogue import render_talk
from epistem.core.schemas import compile_schema
from epistem.core.trials.judging import Bench
from epistem.core.wire import chat_completions as wire
from epistem.core.wire import tokens
from epistem.core.wire.formats import format_of
from epistem.core.wire.request import body_from, tokens_of_tools
from epistem.core.wire.stream import Piece
from epistem.models.client import CallTrace, Endpoint, ModelClient
from epistem.models.retry import Retry
from epistem.models.rounds import Outcome, ToolUsed, Try, streamed_rounds, whole_rounds
from epistem.store import fragments, models, subjects, tries
from epistem.store.database import Database
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.limits import TRIES
from epistem.web.permits import held, held_stream
from epistem.web.problems import Problem, problem_of
from epistem.web.replies import EVENTS, SubjectPath, blueprint, database, reply
from epistem.web.streamed import ModelStream
from epistem.web.try_shapes import (
    Asked,
    ExactRequest,
    RenderedPart,
    ShapeFault,
    ToolUse,
    TriedAnswer,
    TryOut,
)  # fmt: skip

log = structlog.get_logger()
bp = blueprint("tries")

QUICK = Retry(attempts=2, first_s=0.3, most_s=2.0)
"""A person is waiting: fail soon, and say why."""
UNFINISHED = ("stopped", "broken off")
"""Ends of an answer that its model did not choose, beside those that a server tells of."""
_open_tries = BoundedSemaphore(TRIES)
FULL = f"{TRIES} answers are being written already. Ask again in a moment."


@bp.post(
    "/subjects/<name>/requests", responses={200: ExactRequest}, operation_id="showRequest",
    summary="The exact request, without sending it",
)  # fmt: skip
def show_request(path: SubjectPath, body: TryOut) -> Response:
    with database().transaction() as tx:
        subjects.get(tx, path.name)
        model = models.get(tx, body.model)
        content = fragments.filled_in(tx, body.content)
    return reply(exact_request(content, body, model))


@bp.post(
    "/subjects/<name>/tries", responses={200: TriedAnswer, 502: Problem}, operation_id="tryOut",
    summary="Ask a model once",
)  # fmt: skip
def try_out(path: SubjectPath, body: TryOut) -> Response:
    a_try = _begun(path.name, body)
    with held(_open_tries, FULL):
        outcome = asyncio.run(_ask(a_try))
    return reply(_kept(a_try, outcome))


@bp.post(
    "/subjects/<name>/tries/stream", operation_id="streamTry", summary="Ask a model once, streamed",
    responses={200: EVENTS, 502: Problem},
)  # fmt: skip
def stream_try(path: SubjectPath, body: TryOut) -> Response:
    """Events `piece` with {kind, text} as they come, kind `content` or `reasoning`, and `tool` with a
    ToolUse; then `answer` with a TriedAnswer, or `problem` with a Problem. Who stops reading stops
    the call."""
    a_try = _begun(path.name, body)
    begun: list[ModelStream[Piece | ToolUsed | Outcome]] = []

    def events() -> Iterator[str]:
        begun.append(ModelStream(lambda client: streamed_rounds(client, a_try), QUICK))
        return _events(a_try, begun[0])

    def close() -> None:
        for each in begun:
            each.close()

    return held_stream(_open_tries, FULL, events, close)


def _events(a_try: SentTry, model_stream: ModelStream[Piece | ToolUsed | Outcome]) -> Iterator[str]:
    said: dict[str, str] = {"content": "", "reasoning": ""}
    try:
        for item in model_stream:
            if item is None:
                yield ": still here\n\n"
            elif isinstance(item, Piece):
                said[item.kind] += item.text
                yield f"event: piece\ndata: {json.dumps(item._asdict())}\n\n"
            elif isinstance(item, ToolUsed):
                yield f"event: tool\ndata: {_tool_use(item).model_dump_json()}\n\n"
            else:
                said["content"] = ""
                yield f"event: answer\ndata: {_kept(a_try, item).model_dump_json()}\n\n"
    except GeneratorExit:
        _keep_part(a_try, said, "stopped")
        raise
    except EpistemError as error:
        _keep_part(a_try, said, "broken off")
        problem = problem_of(error).model_dump_json(exclude_none=True)
        yield f"event: problem\ndata: {problem}\n\n"


@dataclass(frozen=True)
class SentTry(Try):
    """A try with whose subject it belongs to, and the request as it is shown."""

    subject: subjects.Subject
    store: Database
    asked: Asked
    shown: ExactRequest
    entry: models.Model


def _begun(name: str, body: TryOut) -> SentTry:
    """Ready to be sent. Raises what stops it: no such subject or model, a wrong template or input."""
    with database().transaction() as tx:
        subject = subjects.get(tx, name)
        model = models.get(tx, body.model)
        content = fragments.filled_in(tx, body.content)
    seed = secrets.randbelow(2**31) if body.seed is None else body.seed
    asked = Asked.from_json({**body.model_dump(exclude={"content"}), "seed": seed})
    shown = exact_request(content, asked, model)
    return SentTry(
        Endpoint.of(model), content, shown.body, subject, database(), asked, shown, model
    )


def exact_request(content: Prompt, asked: Asked, model: models.Model) -> ExactRequest:
    """What would be sent, with its tokens by part."""
    messages = render_talk(content, asked.inputs, asked.turns)
    settings = asked.settings.over(content.settings)
    parts = [
        RenderedPart(role=message.role, name=name, tokens=tokens.count(text))
        for message in messages
        for name, text in message.parts
    ]
    sent = body_from(
        messages,
        content,
        model.asked_as,
        settings,
        asked.seed,
        model.wire_format,
        model.abilities,
    )
    in_tools = tokens_of_tools(content) if "tools" in sent else 0
    if in_tools:
        parts.append(RenderedPart(role="tools", name="Tools", tokens=in_tools))
    return ExactRequest(
        address=model.address.rstrip("/") + format_of(model.wire_format).path,
        wire_format=model.wire_format,
        key_reference=model.key_reference,
        body=sent,
        parts=parts,
        tokens=sum(tokens.count(message.text) + tokens.PER_MESSAGE for message in messages)
        + in_tools,
        window=model.context_window,
        answer_tokens=settings.max_tokens,
    )


async def _ask(a_try: Try) -> Outcome:
    async with ModelClient(in_flight=1, retry=QUICK) as client:
        return await whole_rounds(client, a_try)


def _kept(a_try: SentTry, outcome: Outcome) -> TriedAnswer:
    """The answer, judged, and put into the history."""
    answer = _answered(a_try, outcome)
    passed = answer.finish_reason not in UNFINISHED and all(f.passed for f in answer.findings)
    told = answer.model_dump(mode="json")
    asked = a_try.asked.model_dump(mode="json")
    try:
        with a_try.store.transaction() as tx:
            kept = tries.keep(tx, a_try.subject, a_try.content, asked, told, passed=passed)
    except Exception:  # an answer that was paid for is shown all the same
        log.exception("a try was not kept")
        return answer
    return answer.model_copy(update={"try_id": kept})


def _keep_part(a_try: SentTry, said: dict[str, str], why: str) -> None:
    """What had come of an answer that did not end goes into the history, without being judged."""
    if said["content"]:
        begun = CallTrace(datetime.now(UTC).replace(tzinfo=None), 0.0, 1)
        part = wire.Reply(said["content"], why, wire.Usage(), a_try.entry.name, said["reasoning"])
        _kept(a_try, Outcome(part, begun))


def _answered(a_try: SentTry, outcome: Outcome) -> TriedAnswer:
    answer, trace, usage = outcome.reply, outcome.trace, outcome.usage
    content = a_try.content
    checks = a_try.subject.checks_for(content.reply)
    ground = Ground(content.reply, a_try.asked.expect, a_try.asked.inputs)
    whole = answer.finish_reason not in UNFINISHED
    findings, not_checked = _judge(
        checks if whole else [], ground, Answer(answer.text, answer.finish_reason)
    )
    found = find_json(answer.text) if content.reply.kind == "json" else None
    return TriedAnswer(
        request=a_try.shown,
        answer=answer.text,
        reasoning=answer.reasoning,
        finish_reason=answer.finish_reason,
        model=answer.model,
        input_tokens=usage.input_tokens,
        output_tokens=usage.output_tokens,
        reasoning_tokens=usage.reasoning_tokens,
        cents=a_try.entry.cost_cents(usage.input_tokens, usage.output_tokens),
        first_ms=outcome.first_ms,
        total_ms=trace.total_ms,
        attempts=trace.attempts,
        findings=findings,
        not_checked=not_checked,
        tool_uses=[_tool_use(used) for used in outcome.tools],
        rounds=outcome.rounds,
        value=found.value if found else None,
        shape_faults=_shape_faults(content.reply, found.value) if found else [],
    )


def _tool_use(used: ToolUsed) -> ToolUse:
    return ToolUse(
        name=used.call.name,
        arguments=used.call.arguments,
        answer=used.result.answer,
        fault=used.result.fault,
    )


def _shape_faults(shape: ReplyShape, value: Any) -> list[ShapeFault]:
    if not isinstance(shape.json_schema, dict):
        return []
    try:
        faults = compile_schema(shape.json_schema).faults(value)
    except InvalidInput:
        return []
    return [ShapeFault(path=path, message=message) for path, message in faults]


def _judge(
    uses: list[CheckUse], ground: Ground, answer: Answer
) -> tuple[list[FindingShape], list[str]]:
    found, skipped = [], []
    rows = measures_of(uses, ground.reply)
    first = 0
    for use in uses:
        here, first = first, first + len(check_class(use.check).aspects)
        try:
            bench = Bench([use], ground.reply)
        except InvalidInput as error:
            skipped.append(error.message)
            continue
        for judged in bench.judge(answer, ground):
            found.append(finding_shape(rows[here + judged.measure], judged.finding))
    return found, skipped
