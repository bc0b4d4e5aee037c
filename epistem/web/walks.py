"""Walks of chains: begun, watched, stopped, replayed; and the pauses in them that wait for a person."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from datetime import UTC
from threading import BoundedSemaphore
from typing import Any, Literal

from flask import Response, request
from pydantic import BaseModel, Field

from epistem import __version__
from epistem.core.chains.otlp import spans_of
from epistem.core.errors import Conflict, EpistemError, InvalidInput, NotFound
from epistem.core.shapes import Document
from epistem.store import calls, subjects
from epistem.store.database import Database
from epistem.store.walks import events, pauses, rows
from epistem.web.limits import WALKS
from epistem.web.pages import fitting
from epistem.web.permits import held_stream
from epistem.web.problems import Problem
from epistem.web.readings import CallShape, call_shape
from epistem.web.replies import EVENTS, Shape, SubjectPath, blueprint, database, reply, transaction
from epistem.web.walk_shapes import (
    PauseList,
    StepShape,
    WaitingPause,
    WalkList,
    WalkPage,
    pause_shape,
    step_shapes,
    walk_line,
    walk_page,
)
from epistem.work.stopping import until_all_have_seen
from epistem.work.walks.beginning import AskedWalk, begin

bp = blueprint("walks")

LISTED = 40
POLL_S = 0.08
HEARTBEAT_S = 10.0
_open_streams = BoundedSemaphore(WALKS)
FULL = f"{WALKS} walks are being watched already. Close one, or reload in a moment."


class WalkPath(BaseModel):
    walk: int = Field(ge=1)


class PausePath(BaseModel):
    pause: int = Field(ge=1)


class Earlier(BaseModel):
    before: int | None = Field(None, ge=1, description="Only walks older than this one.")


class OfStep(BaseModel):
    at: str = Field(max_length=300, description="The place of the step.")


class Since(BaseModel):
    after: int = Field(0, ge=0, description="Only what happened after this one.")


class StepCalls(Shape):
    calls: list[CallShape]


class SaidWord(Document):
    """What is said to a pause; `value` where it is `edited`. In a talk the word is `said`, and the `note` what."""

    word: Literal["approved", "edited", "refused", "said", "silent"]
    value: Any = None
    note: str = Field("", max_length=20_000)


@bp.post(
    "/subjects/<name>/walks", responses={201: WalkPage, 409: Problem}, operation_id="beginWalk",
    summary="Walk a chain, or replay a walk",
)  # fmt: skip
def begin_walk(path: SubjectPath, body: AskedWalk) -> Response:
    with transaction() as tx:
        begun = begin(tx, path.name, body)
    return reply(walk_page(begun, []), 201)


@bp.get(
    "/subjects/<name>/walks", responses={200: WalkList}, operation_id="listWalks",
    summary="Walks, newest first, a page at a time",
)  # fmt: skip
def list_walks(path: SubjectPath, query: Earlier) -> Response:
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = rows.listed(tx, subject, before=query.before, most=LISTED + 1)
    lines, more = fitting([walk_line(each) for each in found], LISTED)
    return reply(WalkList(walks=lines, more=more))


@bp.get(
    "/walks/<int:walk>", responses={200: WalkPage}, operation_id="getWalk", summary="One walk",
)  # fmt: skip
def get_walk(path: WalkPath) -> Response:
    with transaction() as tx:
        found = rows.get(tx, path.walk)
        return reply(walk_page(found, pauses.of_walk(tx, path.walk)))


@bp.get(
    "/walks/<int:walk>/step", responses={200: StepShape, 404: Problem}, operation_id="getWalkStep",
    summary="One step of a walk, with more of what it was given and wrote",
)  # fmt: skip
def get_walk_step(path: WalkPath, query: OfStep) -> Response:
    with transaction() as tx:
        found = rows.get(tx, path.walk)
    for each in step_shapes(found.steps):
        if each.at == query.at:
            return reply(each)
    raise NotFound(f"Walk {path.walk} did not come to step {query.at[:80]}.", field="at")


@bp.get(
    "/walks/<int:walk>/calls", responses={200: StepCalls}, operation_id="listStepCalls",
    summary="The exact requests that a step of a walk made",
)  # fmt: skip
def list_step_calls(path: WalkPath, query: OfStep) -> Response:
    with transaction() as tx:
        rows.get(tx, path.walk)
        made = calls.of(tx, "walk", [path.walk])[path.walk]
    mine = [
        each
        for each in made
        if each.path.startswith((f"{query.at}.", f"{query.at}~")) or each.path == query.at
    ]
    return reply(StepCalls(calls=[call_shape(each) for each in mine]))


@bp.post(
    "/walks/<int:walk>/stop", responses={200: WalkPage, 409: Problem}, operation_id="stopWalk",
    summary="Stop a walk",
)  # fmt: skip
def stop_walk(path: WalkPath) -> Response:
    """Once it is answered no call goes out any more."""
    with transaction() as tx:
        found = rows.get(tx, path.walk)
        if not rows.stop(tx, path.walk):
            raise Conflict(f"Walk {path.walk} is over already: {found.line.status}.", field="walk")
        events.insert(tx, path.walk, [("end", {"status": "stopped", "why": "It was stopped."})])
    until_all_have_seen()
    with transaction() as tx:
        return reply(walk_page(rows.get(tx, path.walk), pauses.of_walk(tx, path.walk)))


@bp.get(
    "/walks/<int:walk>/events", operation_id="watchWalk", responses={200: EVENTS},
    summary="What happens in a walk, as it happens",
)  # fmt: skip
def watch_walk(path: WalkPath, query: Since) -> Response:
    """Events `begun` with {at, name, kind}, `piece` with {path, kind, text} as a model writes, `known` with {at, wrote}
    of a step that finds facts out, `step` with a StepShape, `paused` with {at, name}, `said` with {at, word}; at the
    end `end` with {status, why}."""
    with transaction() as tx:
        rows.get(tx, path.walk)
    source, seen = database(), request.headers.get("Last-Event-ID", "")
    last = int(seen) if seen.isdecimal() else query.after
    return held_stream(_open_streams, FULL, lambda: _events(source, path.walk, last))


@bp.get(
    "/walks/<int:walk>/otlp", operation_id="exportWalk", summary="A walk as OpenTelemetry spans, OTLP/JSON",
    responses={200: {"content": {"application/json": {"schema": {"type": "object"}}}}},
)  # fmt: skip
def export_walk(path: WalkPath) -> Response:
    """With the semantic conventions for generative AI."""
    with transaction() as tx:
        found = rows.get(tx, path.walk)
    began = found.line.created_at.replace(tzinfo=UTC)
    steps = [each.model_dump() for each in step_shapes(found.steps)]
    told = spans_of(
        found.subject, str(found.id), round(began.timestamp() * 1e9), steps, ended=found.line.status,
        why=found.line.why, version=__version__,
    )  # fmt: skip
    response = Response(json.dumps(told, ensure_ascii=False), content_type="application/json")
    response.headers["Content-Disposition"] = f'attachment; filename="walk-{found.id}.json"'
    return response


@bp.get(
    "/pauses", responses={200: PauseList}, operation_id="listPauses",
    summary="What waits for a person: what is to be approved, then talks; the most pressing of each first",
)  # fmt: skip
def list_pauses() -> Response:
    with transaction() as tx:
        found = pauses.waiting(tx, 101)
    told, _ = fitting([pause_shape(each) for each in found], 100)
    return reply(PauseList(pauses=told))


@bp.put(
    "/pauses/<int:pause>", responses={200: WaitingPause, 409: Problem}, operation_id="sayWord",
    summary="Approve, edit or refuse what a walk waits for",
)  # fmt: skip
def say_word(path: PausePath, body: SaidWord) -> Response:
    """The first word counts."""
    if body.word == "edited" and "value" not in body.model_fields_set:
        raise InvalidInput("Say what it is to be instead.", field="value")
    with transaction() as tx:
        said = pauses.say(tx, path.pause, body.word, body.value, body.note.strip())
        told = {"at": said.path, "word": body.word}
        events.insert(tx, said.walk, [("said", told)])
    return reply(pause_shape(said))


def _events(source: Database, walk_id: int, last: int) -> Iterator[str]:
    spoke = time.monotonic()
    while True:
        try:
            with source.transaction() as tx:
                over = rows.status_of(tx, walk_id) not in rows.GOING
                found = events.after(tx, walk_id, last)
        except EpistemError:
            return  # the client connects again by itself
        for each in found:
            last = each.id
            told = json.dumps(each.told, ensure_ascii=False)
            yield f"id: {each.id}\nevent: {each.kind}\ndata: {told}\n\n"
        if found:
            spoke = time.monotonic()
        elif over:
            return
        elif time.monotonic() - spoke > HEARTBEAT_S:
            spoke = time.monotonic()
            yield ": still here\n\n"
        time.sleep(POLL_S)
