"""From exchanges with models to calls as they are kept."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from types import MappingProxyType

import orjson

from epistem.core.engine.needs import SharedBody, digest_of
from epistem.core.engine.run import Noted, Record
from epistem.core.errors import WireError
from epistem.core.prompts.tools import ToolResult
from epistem.core.wire.formats import WireFormat
from epistem.models.driving import Called, Made
from epistem.store.calls import NewCall, Paid
from epistem.store.models import Model
from epistem.work.judging import Judges

ANSWERING, JUDGING, PERSON, TOOL, BLAME = "answer", "judge", "person", "tool", "blame"
"""The purposes of calls: answering, judging an answer, playing the person of a talk, calls of tools, and finding the
step that is to blame."""


def call_of(made: Made, model: Model, others: Judges, purpose: str = PERSON) -> NewCall:
    """An exchange with the model that answers, or with one of the others: which plays the person, or answers for a
    step of a chain."""
    if not made.need.model:
        return new_call(made, model)
    return _other_call(made, others, purpose)


def tool_call(called: Called) -> NewCall:
    """A call of a tool, with what it answered."""
    told = called.result
    reply = orjson.dumps({"answer": told.answer, "fault": told.fault, "how": told.how})
    need = called.need
    return NewCall(
        need.path, need.body, None, reply, called.started_at, told.ms, attempts=1, purpose=TOOL
    )


def tool_result(reply: bytes) -> ToolResult:
    """What a kept call of a tool answered."""
    told = orjson.loads(reply)
    return ToolResult(told["answer"], told["fault"], told["how"])


def judging_call(made: Made, judges: Judges) -> NewCall:
    """An exchange with a judge, under its own entry and at its own price."""
    return _other_call(made, judges, JUDGING)


def _other_call(made: Made, others: Judges, purpose: str) -> NewCall:
    name = made.need.model
    call = new_call(made, others.models[name])
    return call._replace(purpose=purpose, entry_id=others.entry_ids[name])


def new_call(made: Made, model: Model) -> NewCall:
    """The exchange with what it cost. A streamed one keeps its bytes as they were sent."""
    need, usage = made.need, made.usage
    body = need.body if made.sent is None else SharedBody(made.sent)
    return NewCall(
        path=need.path,
        body=body,
        seed=need.seed if made.sent is None else None,
        reply=made.raw,
        started_at=made.started_at,
        total_ms=made.total_ms,
        attempts=made.attempts,
        input_tokens=usage.input_tokens,
        output_tokens=usage.output_tokens,
        reasoning_tokens=usage.reasoning_tokens,
        estimated=made.estimated,
        cents=model.cost_cents(usage.input_tokens, usage.output_tokens),
        first_ms=made.first_ms,
        error=made.error,
        streamed=made.sent is not None,
    )


def record_of(
    wire: WireFormat, paid: Iterable[Paid], wires: Mapping[int, WireFormat] = MappingProxyType({})
) -> Record:
    """What a program that is resumed is told again. A reply that can't be read is asked for anew. What
    judges said is remembered elsewhere. `wires` are how other models are read, by their entries."""
    record: Record = {}
    for each in paid:
        if each.purpose in (JUDGING, BLAME):
            continue
        if each.purpose == TOOL:
            record[each.path] = Noted(each.hash, tool_result(each.reply))
            continue
        try:
            read = wires.get(each.entry_id or 0, wire)
            given = read.parse_reply(each.reply)
            record[each.path] = Noted(digest_of(each.hash, each.seed), given)
        except WireError:
            continue
    return record
