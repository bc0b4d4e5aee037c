"""Tries: one answer to a draft as it stands, and the exact request that would be sent."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterator
from threading import BoundedSemaphore

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.engine.answers import Answered, ToolUsed
from epistem.core.engine.run import Run
from epistem.core.errors import EpistemError
from epistem.core.wire.stream import Piece
from epistem.models.driving import AskedFirst, Driven
from epistem.models.retry import QUICK
from epistem.store.tools import answers
from epistem.web.limits import TRIES
from epistem.web.permits import held, held_stream
from epistem.web.problems import Problem, problem_of
from epistem.web.replies import (
    EVENTS,
    Shape,
    SubjectPath,
    blueprint,
    database,
    reply,
    transaction,
    who,
)
from epistem.web.streamed import ModelStream
from epistem.web.try_shapes import (
    ExactRequest,
    TriedAnswer,
    TryOut,
    request_shape,
    tool_use,
    tried_answer,
)  # fmt: skip
from epistem.work import tries
from epistem.work.limits import SharedLimits
from epistem.work.tries import SentTry, Tried

bp = blueprint("tries")

_open_tries = BoundedSemaphore(TRIES)
FULL = f"{TRIES} answers are being written already. Ask again in a moment."
Item = Piece | ToolUsed | AskedFirst | Tried


class MayAsk(BaseModel):
    may_ask: bool = Field(
        True,
        description="Whether a model may be asked for the vector of a question; passages of a usual length stand "
        "in where it may not.",
    )


@bp.post(
    "/subjects/<name>/requests", responses={200: ExactRequest}, operation_id="showRequest",
    summary="The exact request, without sending it",
)  # fmt: skip
def show_request(path: SubjectPath, query: MayAsk, body: TryOut) -> Response:
    shown = tries.show(database(), path.name, body.content, body.asked, may_ask=query.may_ask)
    return reply(request_shape(shown))


@bp.post(
    "/subjects/<name>/tries", responses={200: TriedAnswer, 502: Problem}, operation_id="tryOut",
    summary="Ask a model once",
)  # fmt: skip
def try_out(path: SubjectPath, body: TryOut) -> Response:
    a_try = tries.begin(database(), path.name, body.content, body.asked, by=who())
    driven = Driven(Run(a_try.program()))
    with held(_open_tries, FULL):
        try:
            tried = asyncio.run(tries.ask(a_try, driven))
        except EpistemError:
            _keep_part(a_try, driven, "", "", "broken off")
            raise
    return reply(_kept(a_try, tried))


@bp.post(
    "/subjects/<name>/tries/stream", operation_id="streamTry", summary="Ask a model once, streamed",
    responses={200: EVENTS, 502: Problem},
)  # fmt: skip
def stream_try(path: SubjectPath, body: TryOut) -> Response:
    """Events `piece` with {kind, text} as they come, kind `content` or `reasoning`, `tool` with a ToolUse, and
    `allow` with {token, name, arguments} where somebody has to allow a call first; then `answer` with a
    TriedAnswer, or `problem` with a Problem. Who stops reading stops the call."""
    a_try = tries.begin(database(), path.name, body.content, body.asked, by=who())
    begun: list[ModelStream[Item]] = []

    def events() -> Iterator[str]:
        driven = Driven(Run(a_try.program()))
        begun.append(
            ModelStream(
                lambda client: tries.streamed(a_try, client, driven),
                QUICK,
                SharedLimits(a_try.database),
            )
        )
        return _events(a_try, begun[0], driven)

    def close() -> None:
        for each in begun:
            each.close()

    return held_stream(_open_tries, FULL, events, close)


class Permission(Shape):
    allowed: bool


class PermissionPath(BaseModel):
    token: str


@bp.put(
    "/permissions/<token>", responses={200: Permission}, operation_id="sayAllowed",
    summary="Allow a call of a tool that changes something, or not",
)  # fmt: skip
def say_allowed(path: PermissionPath, body: Permission) -> Response:
    """The first word counts: a call that was made can't be taken back."""
    with transaction() as tx:
        answers.say(tx, path.token, allowed=body.allowed)
        said = answers.said(tx, path.token)
    return reply(Permission(allowed=bool(said)))


def _events(
    a_try: SentTry, model_stream: ModelStream[Item], driven: Driven[Answered]
) -> Iterator[str]:
    said: dict[str, str] = {"content": "", "reasoning": ""}

    try:
        for item in model_stream:
            if item is None:
                yield ": still here\n\n"
            elif isinstance(item, Piece):
                said[item.kind] += item.text
                yield f"event: piece\ndata: {json.dumps(item._asdict())}\n\n"
            elif isinstance(item, AskedFirst):
                yield f"event: allow\ndata: {json.dumps(item._asdict())}\n\n"
            elif isinstance(item, ToolUsed):
                yield f"event: tool\ndata: {tool_use(item).model_dump_json()}\n\n"
            else:
                said["content"] = ""
                yield f"event: answer\ndata: {_kept(a_try, item).model_dump_json()}\n\n"
    except GeneratorExit:
        _keep_part(a_try, driven, said["content"], said["reasoning"], "stopped")
        raise
    except EpistemError as error:
        _keep_part(a_try, driven, said["content"], said["reasoning"], "broken off")
        problem = problem_of(error).model_dump_json(exclude_none=True)
        yield f"event: problem\ndata: {problem}\n\n"


def _keep_part(
    a_try: SentTry, driven: Driven[Answered], content: str, reasoning: str, why: str
) -> None:
    """What was paid for is kept, if it is only a part."""
    if content or any(each.reply for each in driven.made):
        _kept(a_try, tries.part_of(a_try, content, reasoning, why, driven.made))


def _kept(a_try: SentTry, tried: Tried) -> TriedAnswer:
    """The answer as it is told, put into the history."""
    told = tried_answer(a_try.shown, tried)
    kept = tries.keep(a_try, tried, told.model_dump(mode="json"))
    return told if kept is None else told.model_copy(update={"try_id": kept})
