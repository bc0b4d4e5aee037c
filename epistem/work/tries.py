"""Trying a draft: the exact request, one answer to it, judged, and kept in the history."""

from __future__ import annotations

import secrets
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

import structlog
from pydantic import Field

from epistem.core.cases.content import Case, Expectation
from epistem.core.checks.base import Answer, Finding, Ground, Spent
from epistem.core.checks.bench import Bench, Judged
from epistem.core.checks.measures import Measure, measures_of
from epistem.core.checks.structure.find_json import find_json
from epistem.core.engine.answers import Answered, Asking, ToolUsed, answer
from epistem.core.engine.looking import FoundIn, filled, looked_through, presumed
from epistem.core.engine.needs import Found, LookUp, Program, SharedBody
from epistem.core.engine.run import Run
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt, ReplyShape
from epistem.core.prompts.dialogue import Turn, render_talk
from epistem.core.prompts.inputs import inputs_of
from epistem.core.prompts.rename import todays_names, with_old_names
from epistem.core.prompts.request import body_from, tokens_of_tools
from epistem.core.prompts.settings import Settings
from epistem.core.prompts.tool import AS_USUAL, ToolTold
from epistem.core.prompts.tools import ToolsAtHand
from epistem.core.schemas import SchemaFault, compile_schema
from epistem.core.shapes import Document
from epistem.core.trials.grounds import answer_to, ground_of
from epistem.core.wire import chat_completions as wire
from epistem.core.wire import tokens
from epistem.core.wire.reply import Reply, Usage
from epistem.core.wire.stream import Piece
from epistem.models.client import ModelClient
from epistem.models.driving import (
    AskedFirst,
    Called,
    Driven,
    Made,
    Reach,
    carry_out,
    stream_out,
)
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import bodies, calls, entries, models, renames, subjects, tries
from epistem.store.calls import NewCall
from epistem.store.database import Database, Transaction
from epistem.store.models import Model
from epistem.store.subjects import Subject
from epistem.work import pinned
from epistem.work.calls import judging_call, new_call, tool_call
from epistem.work.judging import Judges, judges_of
from epistem.work.knowledge.embedding import NotAsked
from epistem.work.knowledge.looking_up import find
from epistem.work.limits import SharedLimits
from epistem.work.tools.reaching import Reaching

log = structlog.get_logger()

UNFINISHED = ("stopped", "broken off")
"""Ends of an answer that its model did not choose, beside those that a server tells of."""


class Asked(Document):
    """What a draft is tried with. `settings` stand over its own. No seed: one is drawn. `turns` are
    what was said after the first words and the answer to them, beginning with that answer."""

    inputs: dict[str, Any] = Field(default_factory=dict)
    model: str = Field(max_length=80)
    settings: Settings = Field(default_factory=Settings)
    expect: Expectation = Field(default_factory=Expectation)
    seed: int | None = Field(None, ge=0, lt=2**31)
    turns: list[Turn] = Field(default_factory=list, max_length=400)
    tool_answers: list[ToolTold] = Field(
        default_factory=list, max_length=200, description="What tools answer before all else."
    )
    case: int | None = Field(None, ge=1, description="The case that the inputs came from.")
    version: int | None = Field(
        None, ge=1, description="The version that `content` is, if it is one."
    )


class RenderedPart(NamedTuple):
    """Its words stand in the body."""

    role: str
    name: str
    tokens: int


@dataclass(frozen=True)
class ExactRequest:
    """`address` is where `body` would be posted. Tokens are counted by our own vocabulary: exact for
    the stand-in's models, an estimate for others. `answer_tokens` is the most the answer may have. `found` is
    what was looked up for its inputs."""

    address: str
    wire_format: str
    key_reference: str | None
    body: dict[str, Any]
    parts: list[RenderedPart]
    tokens: int
    window: int
    answer_tokens: int | None
    found: Sequence[FoundIn] = ()


@dataclass(frozen=True)
class SentTry:
    """A try that is ready to be sent: whose it is, what is asked, and of which model."""

    database: Database
    subject: Subject
    content: Prompt
    asked: Asked
    shown: ExactRequest
    model: Model
    by: str = ""
    judges: Judges | None = None
    """The models that judge its answer; None where no check asks one."""
    found: tuple[FoundIn, ...] = ()
    """What was looked up for it."""
    deliberates: bool = False
    """Whether some of its checks need the outside: models that judge, queries that are run."""

    @property
    def endpoint(self) -> Endpoint:
        return Endpoint.of(self.model)

    def program(self) -> Program[Answered]:
        body = {name: value for name, value in self.shown.body.items() if name != "seed"}
        tools = self.content.tools if "tools" in self.model.abilities else []
        asking = Asking(SharedBody(wire.encode(body)), self.found)
        choice = self.content.tool_choice or AS_USUAL
        at_hand = ToolsAtHand(tools, self.asked.tool_answers, choice)
        return answer(self.model.format, asking, self.asked.seed, at_hand)


class FoundBy(NamedTuple):
    """A finding, and the row of evidence that it belongs to."""

    measure: Measure
    finding: Finding


@dataclass
class Tried:
    """What came of a try. Tokens, money and time are those of all its calls; `estimated` where a server
    did not tell the tokens. `not_checked` are checks that this draft can't be held to, and why."""

    answered: Answered
    made: list[Made]
    cents: float
    findings: list[FoundBy] = field(default_factory=list)
    not_checked: list[str] = field(default_factory=list)
    value: Any = None
    shape_faults: list[SchemaFault] = field(default_factory=list)
    called: list[Called] = field(default_factory=list)
    """The calls of its tools."""
    judged: list[NewCall] = field(default_factory=list)
    """The calls that its judges took; their cost is not the answer's."""

    @property
    def usage(self) -> Usage:
        told = [each.usage for each in self.made]
        return Usage(
            sum(each.input_tokens for each in told),
            sum(each.output_tokens for each in told),
            sum(each.reasoning_tokens for each in told),
            all(each.told for each in told),
        )

    @property
    def first_ms(self) -> float | None:
        """To the first piece of the first stream."""
        before = 0.0
        for each in self.made:
            if each.first_ms is not None:
                return before + each.first_ms
            before += each.total_ms
        return None


def begin(database: Database, name: str, content: Prompt, asked: Asked, *, by: str = "") -> SentTry:
    """Ready to be sent, as tried by who is called `by`. Raises what stops it: no such subject or model,
    a wrong template or input."""
    with database.transaction() as tx:
        subject = subjects.get(tx, name)
        model = models.get(tx, asked.model)
        content = pinned.filled_in(tx, content)
        asked = _with_old_names(tx, subject, content, asked)
        checks = Bench(subject.checks_for(content.reply), content.reply, strict=False)
        named = checks.judges
        judges = judges_of(tx, database, named, models.all_of(tx)) if named else None
    seed = secrets.randbelow(2**31) if asked.seed is None else asked.seed
    asked = asked.model_copy(update={"seed": seed})
    filled_in, found = _looked_up(database, content, asked)
    shown = exact_request(content, filled_in, model, found)
    told = (judges, found, checks.deliberates)
    return SentTry(database, subject, content, asked, shown, model, by, *told)


def show(
    database: Database, name: str, content: Prompt, asked: Asked, *, may_ask: bool = True
) -> ExactRequest:
    """The request as it would be sent, without a seed if none is given. Raises as `begin`. Where a look-up would
    have to ask a model and may not, as at each letter that is typed, passages of a usual length stand in."""
    with database.transaction() as tx:
        subject = subjects.get(tx, name)
        model = models.get(tx, asked.model)
        content = pinned.filled_in(tx, content)
        asked = _with_old_names(tx, subject, content, asked)
    try:
        asked, found = _looked_up(database, content, asked, may_ask=may_ask)
    except NotAsked:
        asked, found = asked.model_copy(update={"inputs": presumed(content, asked.inputs)}), ()
    return exact_request(content, asked, model, found)


def _looked_up(
    database: Database, content: Prompt, asked: Asked, *, may_ask: bool = True
) -> tuple[Asked, tuple[FoundIn, ...]]:
    """With the passages that are looked up for it among the inputs."""

    def look_up(need: LookUp) -> Found:
        return find(database, need.looking, need.question, may_ask=may_ask)

    inputs, found = looked_through(filled(content, asked.inputs, asked.turns), look_up)
    return (asked.model_copy(update={"inputs": inputs}) if found else asked), found


def _with_old_names(tx: Transaction, subject: Subject, content: Prompt, asked: Asked) -> Asked:
    """What an older version asks for by a name that was changed since is given under that, too."""
    aliases = todays_names(inputs_of(content), renames.all_of(tx, subject))
    if not aliases:
        return asked
    return asked.model_copy(update={"inputs": with_old_names(asked.inputs, aliases)})


def exact_request(
    content: Prompt, asked: Asked, model: Model, found: Sequence[FoundIn] = ()
) -> ExactRequest:
    """What would be sent, with its tokens by part."""
    messages = render_talk(content, asked.inputs, asked.turns)
    settings = asked.settings.over(content.settings)
    parts = [
        RenderedPart(message.role, name, tokens.count(text))
        for message in messages
        for name, text in message.parts
    ]
    body = body_from(
        messages, content, model.asked_as, settings, asked.seed, model.format, model.abilities
    )
    in_tools = tokens_of_tools(content) if "tools" in body else 0
    if in_tools:
        parts.append(RenderedPart("tools", "Tools", in_tools))
    in_messages = sum(tokens.count(message.text) + tokens.PER_MESSAGE for message in messages)
    return ExactRequest(
        address=Endpoint.of(model).url,
        wire_format=model.wire_format,
        key_reference=model.key_reference,
        body=body,
        parts=parts,
        tokens=in_messages + in_tools,
        window=model.context_window,
        answer_tokens=settings.max_tokens,
        found=found,
    )


async def ask(a_try: SentTry, driven: Driven[Answered]) -> Tried:
    """The answer, whole. Raises CallFailed; what was made until then is in `driven`."""
    limits, reach = SharedLimits(a_try.database), Reaching(a_try.database, "try")
    try:
        async with ModelClient(in_flight=1, retry=QUICK, limits=limits) as client:
            await carry_out(client, a_try.endpoint, driven, reach=reach)
            return await finish(a_try, client, driven, reach)
    finally:
        limits.close()
        reach.close()


async def streamed(
    a_try: SentTry, client: ModelClient, driven: Driven[Answered]
) -> AsyncIterator[Piece | ToolUsed | AskedFirst | Tried]:
    """Pieces and uses of tools as they come, and calls that somebody has to allow; the answer, judged, at the
    end. Raises as `ask`."""
    reach = Reaching(a_try.database, "try", somebody_there=True)
    try:
        async for item in stream_out(client, a_try.endpoint, driven, reach=reach):
            yield await finish(a_try, client, driven, reach) if isinstance(item, Driven) else item
    finally:
        reach.close()


async def finish(
    a_try: SentTry, client: ModelClient, driven: Driven[Answered], reach: Reach
) -> Tried:
    """Judged by the plain checks, then by the models that judge."""
    tried = judged(a_try, driven.result, driven.made)
    tried.called = driven.called
    if a_try.deliberates and tried.answered.reply.finish_reason not in UNFINISHED:
        bench, rows = _bench(a_try)
        answer_, ground = _answer(a_try, tried), _ground(a_try)
        judges = a_try.judges
        asking = Driven(Run(bench.deliberate(answer_, ground, judges.asked if judges else {})))
        await carry_out(client, a_try.endpoint, asking, aside=judges, reach=reach)
        tried.findings += named(rows, asking.result)
        tried.findings.sort(key=lambda each: each.measure.index)
        tried.judged = [judging_call(made, judges) for made in asking.made] if judges else []
    return tried


def part_of(a_try: SentTry, text: str, reasoning: str, why: str, made: list[Made]) -> Tried:
    """What had come of an answer that did not end; it is not judged."""
    reply = Reply(text, why, Usage(), a_try.model.name, reasoning)
    return judged(a_try, Answered(reply), made)


def judged(a_try: SentTry, answered: Answered, made: list[Made]) -> Tried:
    reply, content = answered.reply, a_try.content
    cents = sum(new_call(each, a_try.model).cents for each in made)
    tried = Tried(answered, made, cents)
    if reply.finish_reason not in UNFINISHED:
        bench, rows = _bench(a_try)
        goes_on = _goes_on(a_try)
        found_by = bench.judge(_answer(a_try, tried), _ground(a_try), goes_on=goes_on)
        tried.findings = named(rows, found_by)
        tried.not_checked = [fault for fault in bench.faults if fault]
        if goes_on and bench.at_the_end:
            tried.not_checked.append(f"Told once a talk is over: {', '.join(bench.at_the_end)}.")
    found = find_json(reply.text) if content.reply.kind == "json" else None
    if found:
        tried.value = found.value
        tried.shape_faults = _shape_faults(content.reply, found.value)
    return tried


def keep(a_try: SentTry, tried: Tried, told: dict[str, Any]) -> int | None:
    """Put it into the history, with its calls; its id, or None where that failed: an answer that was
    paid for is shown all the same. `told` is the answer as it is shown."""
    reply = tried.answered.reply
    passed = reply.finish_reason not in UNFINISHED and not any(
        each.finding.failed and each.measure.required for each in tried.findings
    )
    asked = a_try.asked.model_dump(mode="json")
    made = [new_call(each, a_try.model) for each in tried.made]
    made += [tool_call(each) for each in tried.called] + tried.judged
    try:
        with a_try.database.transaction() as tx:
            kept = bodies.keep(tx, [call.body for call in made if call.body is not None])
        with a_try.database.transaction(by=a_try.by) as tx:
            entry_id = entries.keep(tx, a_try.model)
            try_id = tries.keep(tx, a_try.subject, a_try.content, asked, told, passed=passed)
            calls.insert(tx, "try", [(try_id, entry_id, call) for call in made], kept)
            models.heard(tx, a_try.model.name)
    except Exception:
        log.exception("a try was not kept")
        return None
    return try_id


def _shape_faults(shape: ReplyShape, value: Any) -> list[SchemaFault]:
    if not isinstance(shape.json_schema, dict):
        return []
    try:
        return list(compile_schema(shape.json_schema).faults(value))
    except InvalidInput:
        return []


def _answer(a_try: SentTry, tried: Tried) -> Answer:
    """With the turns before it, and what it took."""
    usage = tried.usage
    ms = sum(each.total_ms for each in tried.made) + sum(c.result.ms for c in tried.called)
    spent = Spent(usage.input_tokens, usage.output_tokens, ms, tried.cents)
    told = answer_to([tried.answered], None, spent)
    return replace(told, before=tuple(a_try.asked.turns))


def _goes_on(a_try: SentTry) -> bool:
    """Whether it is an answer of a talk, which may not be the last."""
    expect = a_try.asked.expect
    return bool(a_try.asked.turns or expect.collect or expect.ends or expect.goodbye)


def _ground(a_try: SentTry) -> Ground:
    case = Case(inputs=a_try.asked.inputs, expect=a_try.asked.expect)
    return ground_of(a_try.content, case, found=a_try.found)


def _bench(a_try: SentTry) -> tuple[Bench, list[Measure]]:
    """The subject's checks as far as this draft can be held to them, and their rows."""
    uses, reply = a_try.subject.checks_for(a_try.content.reply), a_try.content.reply
    return Bench(uses, reply, strict=False), measures_of(uses, reply, strict=False)


def named(rows: Sequence[Measure], found: Sequence[Judged]) -> list[FoundBy]:
    """Each with its row."""
    return [FoundBy(rows[each.measure], each.finding) for each in found]
