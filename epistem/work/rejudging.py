"""What a check would have said of the answers of a past trial, without asking a model."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from time import monotonic

from epistem.core.cases.content import Case
from epistem.core.chains.content import Chain
from epistem.core.chains.drawn import texts_of_steps
from epistem.core.checks.base import Answer, Finding, Spent, ToolUse
from epistem.core.checks.bench import Bench
from epistem.core.checks.measures import measures_of
from epistem.core.checks.uses import CheckUse
from epistem.core.engine.answers import Answered
from epistem.core.errors import WireError
from epistem.core.trials.grounds import answer_to, ground_of
from epistem.core.trials.names import arm_names
from epistem.core.trials.talking import replies_in
from epistem.core.wire.formats import FORMATS, USUAL
from epistem.core.wire.reply import Reply, Usage
from epistem.store import calls, readings, trial_cases, trials
from epistem.store.database import Transaction
from epistem.store.knowledge import found as found_rows
from epistem.store.trials import Trial
from epistem.store.walks.readings import NO_WALK, PastWalk, past_of
from epistem.work.calls import ANSWERING, PERSON, TOOL
from epistem.work.tools.querying import Queries

A_PAGE = 500
MOST_S = 8.0
"""Seconds after which it stops, and says how far it came."""
MOST_CHANGED = 50


@dataclass
class OfArm:
    """Of an arm's answers that the check says something of: how many pass all of it, and how many passed
    when the trial judged them; that is None where it did not have the check."""

    name: str
    judged: int = 0
    passed: int = 0
    passed_then: int | None = None


@dataclass(frozen=True)
class Changed:
    """An answer of which the check says otherwise than the trial found, or that fails where it had none."""

    reading: int
    arm: int
    case: int
    repeat: int
    text: str
    passes: bool
    finding: Finding


@dataclass
class Rejudged:
    """`had` tells whether the trial had this check. `seen` of its `answers` were judged. The first of the
    changed ones are told, and how many there are."""

    trial: int
    had: bool
    answers: int
    seen: int = 0
    arms: list[OfArm] = field(default_factory=list)
    changes: int = 0
    changed: list[Changed] = field(default_factory=list)


def rejudge(
    tx: Transaction, trial: Trial, use: CheckUse, queries: Queries, most_s: float = MOST_S
) -> Rejudged:
    """Judge a trial's answers by one check. A check that the trial had is held against its findings of
    then; answers to cases held out are passed over. Raises InvalidInput for options that can't be used
    with an arm's reply shape."""
    arms = trials.arms_of(tx, trial.id)
    keys = {row.key for row in measures_of([use], *(arm.content.reply for arm in arms))}
    benches = [Bench([use], arm.content.reply) for arm in arms]
    before = {row.index for row in trial.measures if row.key in keys}
    cases = {each.position: each for each in trial_cases.cases_of(tx, trial.id)}
    told = Rejudged(trial.id, bool(before), trial.recorded - trial.unanswered)
    told.arms = [OfArm(name, passed_then=0 if before else None) for name in arm_names(arms)]
    sight, source = trial.sight(), trial.answers_of or trial.id
    after, until = 0, monotonic() + most_s
    wants_calls = any(bench.reads & {"turns", "tools", "spent", "steps"} for bench in benches)
    while page := readings.answers_of(tx, trial.id, after, A_PAGE):
        made = _calls(tx, trial, [each.id for each in page]) if wants_calls else {}
        ids = [each.id for each in page]
        took = past_of(tx, source, ids, with_steps=True) if wants_calls else {}
        looks = any(arm.look_ups for arm in arms)
        looked = found_rows.of_cells(tx, [each.id for each in page]) if looks else {}
        for each in page:
            if monotonic() > until:
                return told
            told.seen += 1
            if sight.hides(each.case_at):
                continue
            case = cases[each.case_at]
            arm = arms[each.arm]
            its_found = [row.found for row in looked.get(each.id, [])]
            ground = ground_of(arm.content, case.content, arm.aliases, its_found)
            its_calls = made.get(each.id, [])
            walk = took.get(each.id, NO_WALK)
            answer = as_answered(each.text, each.finish_reason, arm, case.content, its_calls, walk)
            bench = benches[each.arm]
            says = bench.judge(answer, ground) + queries.found_by(bench, answer, ground)
            found = [judged.finding for judged in says]
            _count(told, each, case.number, found, before)
        after = page[-1].id
    return told


def _calls(tx: Transaction, trial: Trial, ids: Sequence[int]) -> dict[int, list[calls.Call]]:
    if trial.answers_of is not None:
        return calls.in_place_of(tx, trial.answers_of, ids)
    return calls.of(tx, "cell", ids)


def as_answered(
    text: str,
    finish_reason: str,
    arm: trials.Arm,
    case: Case,
    made: Sequence[calls.Call],
    walk: PastWalk = NO_WALK,
) -> Answer:
    """A recorded answer, with what its calls tell of it as far as they were fetched; of a chain, its `walk`."""
    answering = [call for call in made if call.purpose == ANSWERING and call.reply is not None]
    plain = Answer(text, finish_reason)
    if isinstance(arm.content, Chain):
        spent = _spent(answering, [call for call in made if call.purpose in calls.TAKE_TIME])
        if walk.talk:
            said = [Answered(Reply(says, "stop", Usage(), "")) for says, _ in walk.talk]
            plain = answer_to(said, case, spent, _replies(made))
        steps = texts_of_steps(walk.told)
        return replace(plain, tools=_tools_of_walk(made), spent=spent, steps=steps)
    wire = arm.entry.format if arm.entry else FORMATS[USUAL]
    turns: dict[int, Reply] = {}
    tools: list[ToolUse] = []
    for call in answering:
        try:
            reply = wire.parse_reply(call.reply or b"")
        except WireError:
            continue
        turns[int(call.path.split(".")[0])] = reply
        tools += [ToolUse(used.name, used.arguments) for used in reply.tool_calls]
    if not turns:
        return plain
    spent = _spent(answering, answering)
    told = answer_to([Answered(turns[at]) for at in sorted(turns)], case, spent, _replies(made))
    return replace(told, text=text, finish_reason=finish_reason, tools=tuple(tools))


def _replies(made: Sequence[calls.Call]) -> dict[int, str]:
    """Of the model that played the person."""
    return replies_in((call.path, _text_of(call)) for call in made if call.purpose == PERSON)


def _spent(answering: Sequence[calls.Call], timed: Sequence[calls.Call]) -> Spent:
    return Spent(
        sum(call.input_tokens for call in answering),
        sum(call.output_tokens for call in answering),
        sum(call.total_ms for call in timed),
        sum(call.cents for call in answering),
    )


def _tools_of_walk(made: Sequence[calls.Call]) -> tuple[ToolUse, ...]:
    """In the order in which they were called."""
    told = [json.loads(call.request) for call in made if call.purpose == TOOL]
    return tuple(ToolUse(each["tool"], each["arguments"]) for each in told)


def _text_of(call: calls.Call) -> str:
    wire = call.model.format if call.model else FORMATS[USUAL]
    try:
        return wire.parse_reply(call.reply or b"").text
    except WireError:
        return ""


def _count(
    told: Rejudged, each: readings.Answered, case: int, found: list[Finding], before: set[int]
) -> None:
    arm = told.arms[each.arm]
    judged_then = [j.finding for j in each.findings if j.measure in before]
    then = [finding.passed for finding in judged_then if finding.passed is not None]
    if arm.passed_then is not None and then:
        arm.passed_then += all(then)
    found = [finding for finding in found if finding.passed is not None]
    if not found:
        return
    passes = all(finding.passed for finding in found)
    arm.judged += 1
    arm.passed += passes
    if (passes != all(then)) if before else not passes:
        told.changes += 1
        if len(told.changed) < MOST_CHANGED:
            shown = next((f for f in found if not f.passed), found[0])
            place = (each.id, each.arm, case, each.repeat_no)
            told.changed.append(Changed(*place, each.text[:2_000], passes, shown))
