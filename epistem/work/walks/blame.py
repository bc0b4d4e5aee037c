"""Which step of a failing walk is to blame: it is walked again from each step with what that should have written."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, NamedTuple

from epistem.core.cases.content import Case
from epistem.core.cases.talk import is_talk
from epistem.core.chains.content import Chain
from epistem.core.chains.drawn import texts_of_steps
from epistem.core.chains.walking import Changes, Walk, answer_text
from epistem.core.checks.bench import Bench
from epistem.core.engine.answers import Answered
from epistem.core.engine.run import Record, Run
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.trials.arms import asked_of
from epistem.core.trials.grounds import answer_to, ground_of
from epistem.core.trials.talking import Person, opening_words
from epistem.core.wire.reply import Reply, Usage
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, carry_out
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK
from epistem.store import bodies, calls, cells, models, readings, trial_cases, trials
from epistem.store.database import Database, Transaction
from epistem.store.readings import Reading
from epistem.store.trials import Arm, Trial
from epistem.store.walks import readings as walked
from epistem.work.calls import BLAME, call_of, judging_call, record_of, tool_call
from epistem.work.judging import Judges
from epistem.work.knowledge.looking_up import finder
from epistem.work.limits import SharedLimits
from epistem.work.speakers import Speakers
from epistem.work.tools.reaching import Reaching
from epistem.work.walks.chains import speakers_of

MOST_STEPS = 12
"""Steps that are put right, one by one; each may ask models anew for all that follows."""


class PutRight(NamedTuple):
    """The walk with one step put right: what it should have written, by whom that is told, and whether all checks pass
    then. `why` says how that walk ended where it was not done."""

    at: str
    name: str
    right: dict[str, Any]
    source: str
    passes: bool
    answer: str
    why: str


class Blame(NamedTuple):
    """`to_blame` is the first step by which all is well once it is put right; None where none is."""

    tried: list[PutRight]
    to_blame: str | None
    cents: float


class _Failing(NamedTuple):
    trial: Trial
    arm: Arm
    chain: Chain
    case: Case
    seed: int
    steps: list[dict[str, Any]]
    record: Record
    right: list[tuple[str, str, dict[str, Any], str]]
    others: Speakers
    judges: Judges
    reading: Reading


def find_blame(database: Database, reading_id: int) -> Blame:
    """Raises Conflict for an answer that passes, or where nobody says what a step should have written."""
    with database.transaction() as tx:
        failing = _failing(tx, database, reading_id)
    return asyncio.run(_walk_all(database, failing))


async def _walk_all(database: Database, failing: _Failing) -> Blame:
    tried: list[PutRight] = []
    cents = 0.0
    limits = SharedLimits(database)
    reach = Reaching(database, "trial", trial_id=failing.trial.id, moment=failing.trial.created_at)
    try:
        async with ModelClient(in_flight=16, retry=QUICK, limits=limits) as client:
            for at, name, right, source in failing.right[:MOST_STEPS]:
                put, spent = await _walk(database, client, reach, failing, at, name, right, source)
                tried.append(put)
                cents += spent
                if put.passes:
                    break
    finally:
        limits.close()
        reach.close()
    return Blame(tried, next((each.at for each in tried if each.passes), None), cents)


async def _walk(
    database: Database,
    client: ModelClient,
    reach: Reaching,
    failing: _Failing,
    at: str,
    name: str,
    right: Mapping[str, Any],
    source: str,
) -> tuple[PutRight, float]:
    speakers = speakers_of(failing.others.models.values())
    changes = Changes(instead={at: right})
    case = failing.case
    chain, inputs = asked_of(failing.chain, case, failing.arm.aliases)
    opening = opening_words(chain, inputs, case)
    person = Person(case, opening, failing.others.asked).says if is_talk(case) else None
    walk = Walk(chain, speakers, failing.seed, "trial", case.tool_answers, changes, person=person)
    driven = Driven(Run.resumed(lambda: walk.program(inputs), dict(failing.record)))
    assert failing.arm.entry is not None
    came = await carry_out(
        client,
        Endpoint.of(failing.arm.entry),
        driven,
        aside=failing.others,
        look_up=finder(database),
        reach=reach,
    )
    cents = sum(
        failing.others.models[made.need.model].cost_cents(
            made.usage.input_tokens, made.usage.output_tokens
        )
        for made in driven.made
    )
    if came.ended != "done":
        await asyncio.to_thread(_keep, database, failing, at, driven, None)
        return PutRight(at, name, dict(right), source, False, "", came.why), cents
    said = [each.says for each in came.talk] or [answer_text(came.outputs)]
    steps = texts_of_steps([each._asdict() for each in came.steps])
    answers = [Answered(Reply(text, "stop", Usage(), "")) for text in said]
    answer = replace(answer_to(answers, case), steps=steps)
    bench = Bench(failing.trial.checks, failing.chain.reply)
    ground = ground_of(failing.chain, case, failing.arm.aliases)
    found, judging = bench.judge(answer, ground), None
    if bench.deliberates:
        judging = Driven(Run(bench.deliberate(answer, ground, failing.judges.asked)))
        endpoint = Endpoint.of(failing.arm.entry)
        await carry_out(client, endpoint, judging, aside=failing.judges, reach=reach)
        found += judging.result
        cents += sum(judging_call(made, failing.judges).cents for made in judging.made)
    await asyncio.to_thread(_keep, database, failing, at, driven, judging)
    required = set(failing.trial.required)
    passes = not any(each.finding.failed for each in found if each.measure in required)
    return PutRight(at, name, dict(right), source, passes, answer.text, ""), cents


def _keep(
    database: Database,
    failing: _Failing,
    at: str,
    driven: Driven[Any],
    judging: Driven[Any] | None,
) -> None:
    """The calls that it took, with those of the reading: which is as it was."""
    others = failing.others
    new = [call_of(each, others.models[each.need.model], others) for each in driven.made]
    new += [tool_call(each) for each in driven.called]
    if judging is not None:
        new += [judging_call(each, failing.judges) for each in judging.made]
    placed = [call._replace(purpose=BLAME, path=f"blame.{at}/{call.path}"[:300]) for call in new]
    if not placed:
        return
    sent = [call.body for call in placed if call.body is not None]
    with database.transaction() as tx:
        known = bodies.keep(tx, sent)
        calls.insert(tx, "cell", [(failing.reading.id, None, call) for call in placed], known)


def _failing(tx: Transaction, database: Database, reading_id: int) -> _Failing:
    reading = readings.get(tx, reading_id)
    trial = trials.get(tx, reading.trial_id)
    arm = next(each for each in trials.arms_of(tx, trial.id) if each.position == reading.arm)
    if not isinstance(arm.content, Chain):
        raise InvalidInput("That arm is a prompt: it has no steps to blame.", field="reading")
    if trial.answers_of is not None:
        raise Conflict(f"It is an answer of T{trial.answers_of}: look for the blame there.")
    if _passes(trial, reading):
        raise Conflict("That answer passes all that it must, so nothing is to blame.")
    took = walked.of_reading(tx, trial, reading_id)
    if took is None:
        raise NotFound("The walk of that answer is not kept.", field="reading")
    [case] = trial_cases.cases_of(tx, trial.id, {reading.case_at})
    known, ids = trials.judges_of(tx, trial.id)
    now = {name: models.reached_today(each, models.all_of(tx)) for name, each in known.items()}
    others = Speakers(database, now, ids)
    paid = calls.paid_of_cells(tx, [reading_id]).get(reading_id, [])
    wire = arm.entry.format if arm.entry else next(iter(others.wires.values()))
    right = _right(tx, trial, reading, case.content, took.told)
    if not right:
        raise Conflict(
            "Nobody says what a step should have written: no other walk of this case passes, and the case says "
            "nothing of steps. Write it into the case, by the step’s name."
        )
    seed = cells.seed_of(tx, reading_id)
    record = record_of(wire, paid, others.wires)
    judges = Judges(database, now, ids, hurried=True)
    return _Failing(
        trial,
        arm,
        arm.content,
        case.content,
        seed,
        took.told,
        record,
        right,
        others,
        judges,
        reading,
    )


def _right(
    tx: Transaction, trial: Trial, reading: Reading, case: Case, steps: list[dict[str, Any]]
) -> list[tuple[str, str, dict[str, Any], str]]:
    """(place, name, what it should have written, who says so) of each step that wrote something else, in order: as the
    case says, else as in a walk of the same case that passes, of this arm before others."""
    passing = _passing_walk(tx, trial, reading)
    found = []
    for step in steps:
        wrote = step["wrote"]
        if not wrote or step["passed_over"] or step["kind"] in ("each",):
            continue
        told, source = case.expect.steps.get(step["name"]), "the case"
        if told is not None and (len(wrote) == 1 or not isinstance(told, dict)):
            told = {next(iter(wrote)): told}
        if told is None and passing is not None:
            name, others = passing
            told, source = others.get(step["name"]), name
        if told and told != wrote:
            found.append((step["at"], step["name"], dict(told), source))
    return found


def _passing_walk(
    tx: Transaction, trial: Trial, reading: Reading
) -> tuple[str, dict[str, dict[str, Any]]] | None:
    """What each step wrote last in a walk of the same case that passes, by its name."""
    arms = [arm for arm in trials.arms_of(tx, trial.id) if arm.is_chain]
    arms.sort(key=lambda arm: arm.position != reading.arm)
    for arm in arms:
        for other in readings.at(tx, trial.id, arm.position, reading.case_at):
            if other.id == reading.id or not _passes(trial, other):
                continue
            took = walked.of_reading(tx, trial, other.id)
            if took is None:
                continue
            wrote = {step["name"]: step["wrote"] for step in took.told if step["wrote"]}
            same = "" if arm.position == reading.arm else f", v{arm.version}"
            return f"repeat {other.repeat_no + 1}{same}, which passes", wrote
    return None


def _passes(trial: Trial, reading: Reading) -> bool:
    required = set(trial.required)
    return reading.error is None and not any(
        found.finding.failed for found in reading.findings if found.measure in required
    )
