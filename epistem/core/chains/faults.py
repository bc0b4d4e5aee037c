"""What is wrong with a chain before it is walked, each at its place."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from epistem.core.chains.content import (
    AnyStep,
    Ask,
    Both,
    CallStep,
    Chain,
    CheckStep,
    Each,
    LookUpStep,
    Pause,
    Repeat,
    Route,
    UseToolStep,
    Vote,
    inside,
    placed,
)  # fmt: skip
from epistem.core.chains.depends import (
    asked_of,
    expressions_of,
    ledger,
    names_in,
    reads_of,
    writes_of,
)
from epistem.core.checks.registry import build
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.expressions import compiled_expression
from epistem.core.prompts.content import ReplyShape
from epistem.core.prompts.inputs import name_fault
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.tools import does_nothing_in_trials
from epistem.core.shapes import listed

DEEPEST = 6
_RESERVED = frozenset({
    "list", "map", "int", "uint", "double", "string", "bool", "bytes", "type", "dyn", "null_type", "text", "json",
    "reasoning", "in", "as", "if", "else", "for", "true", "false", "null",
})  # fmt: skip
"""Names that an expression has already."""


class Fault(NamedTuple):
    """`at` is the step's place, "" for the chain as a whole. `stops`: it can't be walked so; else it is a doubt.
    `names` are the values that it is about."""

    at: str
    field: str
    message: str
    stops: bool = True
    names: tuple[str, ...] = ()


def faults_of(chain: Chain) -> list[Fault]:
    """Those that stop it first, then doubts; each in the order of the steps."""
    found = [*_of_names(chain), *_of_steps(chain), *_of_flow(chain), *_of_outputs(chain)]
    found += _of_personal(chain)
    found += _never_read(chain)
    return sorted(dict.fromkeys(found), key=lambda fault: not fault.stops)


def _known(chain: Chain) -> list[str]:
    return [*(each.name for each in chain.inputs), *(each.name for each in chain.state)]


def _of_names(chain: Chain) -> Iterator[Fault]:
    names = _known(chain)
    for name, times in Counter(names).items():
        if times > 1:
            yield Fault("", "state", f"The name “{name}” is given twice, among inputs and state.")
        elif name in _RESERVED:
            message = f"“{name}” is a word of the expressions. Take another name."
            yield Fault("", "state", message)
        elif wrong := name_fault(name):
            yield Fault("", "state", wrong)
    for name, times in Counter(each.step.name for each in placed(chain.steps)).items():
        if times > 1:
            yield Fault("", "steps", f"Two steps are called “{name}”.")


def _of_steps(chain: Chain) -> Iterator[Fault]:
    state = {each.name for each in chain.state}
    known = state | {each.name for each in chain.inputs}
    items: dict[str, set[str]] = {}
    for each in placed(chain.steps):
        step, at = each.step, each.at
        within = {
            name for place, names in items.items() if at.startswith(f"{place}.") for name in names
        }
        if isinstance(step, Each):
            items[at] = {step.item}
            if step.item in known | within | _RESERVED:
                yield Fault(
                    at, "item", f"“{step.item}” is another thing already. Call the item otherwise."
                )
        if step.retries and not isinstance(step, Ask | Vote | UseToolStep | LookUpStep):
            message = "Only a step that asks, looks up or calls a tool is tried again."
            yield Fault(at, "retries", message)
        if each.deep > DEEPEST:
            yield Fault(at, "steps", f"Steps stand in each other more than {DEEPEST} deep.")
        for field, told, own in expressions_of(step):
            yield from _of_expression(at, field, told, known | within | set(own))
        for name in writes_of(step):
            if name not in state:
                yield Fault(at, "writes", f"It writes “{name}”, which is no value of the state.")
        if isinstance(step, Ask | Vote):
            yield from _of_prompt(at, step, known | within)
        if isinstance(step, CheckStep):
            yield from _of_checks(at, step)
        if isinstance(step, Route):
            yield from _of_route(at, step)
        if isinstance(step, Both):
            yield from _of_branches(at, step)
        if isinstance(step, UseToolStep):
            yield from _of_tool(at, step)
        if isinstance(step, Pause):
            yield from _of_pause(at, step, chain)
        if isinstance(step, CallStep):
            yield from _of_call(at, step, known | within)


def _of_expression(at: str, field: str, told: str, known: set[str]) -> Iterator[Fault]:
    if unknown := [name for name in names_in(told) if name not in known]:
        yield Fault(at, field, f"It reads {listed(unknown, 'and')}, which there is not.")
        return
    try:
        compiled_expression(told, dict.fromkeys(sorted(known), "any"))
    except InvalidInput as error:
        yield Fault(at, field, error.message.split(" It may use ")[0])


def _of_prompt(at: str, step: Ask | Vote, known: set[str]) -> Iterator[Fault]:
    for problem in problems_of(step.prompt):
        yield Fault(at, f"prompt.{problem.field}", problem.message)
    asked = list(asked_of(step.prompt))
    if lost := [name for name in asked if name not in step.given and name not in known]:
        yield Fault(
            at, "given", f"Its prompt asks for {listed(lost, 'and')}, which nothing gives it."
        )
    if extra := [name for name in step.given if name not in asked]:
        yield Fault(
            at, "given", f"Its prompt does not ask for {listed(extra, 'and')}.", stops=False
        )
    reply = step.prompt.reply
    schema = reply.json_schema if reply.kind == "json" else None
    fields = schema.get("properties") if isinstance(schema, dict) else None
    if isinstance(step, Ask) and isinstance(step.writes, dict) and isinstance(fields, dict):
        for name, told in step.writes.items():
            for field in _fields_of_reply(told):
                if field not in fields:
                    yield Fault(
                        at, f"writes.{name}", f"The shape of the reply has no field “{field}”."
                    )


def _fields_of_reply(told: str) -> list[str]:
    return re.findall(r"\bjson\.([A-Za-z_]\w*)", told)


def _of_checks(at: str, step: CheckStep) -> Iterator[Fault]:
    for number, use in enumerate(step.checks):
        try:
            build(use, ReplyShape(), at=f"checks.{number}")
        except EpistemError as error:
            yield Fault(at, f"checks.{number}", error.message)


def _of_tool(at: str, step: UseToolStep) -> Iterator[Fault]:
    tool = step.tool
    if does_nothing_in_trials(tool):
        message = "In trials it is not called, and nothing is recorded: cases without an answer for it fail there."
        yield Fault(at, "tool.in_trials", message, stops=False)


def _of_pause(at: str, step: Pause, chain: Chain) -> Iterator[Fault]:
    how = {each.name: each.how for each in chain.state}
    if step.edits and how.get(step.edits, "replace") != "replace":
        message = f"“{step.edits}” is not replaced as a whole, so a person can't edit it."
        yield Fault(at, "edits", message)
    if not step.shows and not step.edits:
        message = "It shows nothing: who is asked can't see what is about to happen."
        yield Fault(at, "shows", message, stops=False)


def _of_call(at: str, step: CallStep, known: set[str]) -> Iterator[Fault]:
    for fault in faults_of(step.chain):
        if fault.stops:
            where = f"step {fault.at}: " if fault.at else ""
            yield Fault(at, "chain", f"In the chain that it calls, {where}{fault.message}")
            return
    inputs = {each.name: each for each in step.chain.inputs}
    needs = [name for name, each in inputs.items() if each.default is None]
    if lost := [name for name in needs if name not in step.given and name not in known]:
        yield Fault(
            at, "given", f"The chain asks for {listed(lost, 'and')}, which nothing gives it."
        )
    if extra := [name for name in step.given if name not in inputs]:
        yield Fault(at, "given", f"The chain has no input {listed(extra)}.")


def _of_branches(at: str, step: Both) -> Iterator[Fault]:
    names = [branch.name for branch in step.branches]
    if len(set(names)) < len(names):
        yield Fault(at, "branches", "Each branch has a name of its own.")


def _of_route(at: str, step: Route) -> Iterator[Fault]:
    names = [way.name for way in step.ways]
    if len(set(names)) < len(names) or "otherwise" in names:
        yield Fault(at, "ways", "Each way of a route has a name of its own.")
    for number, way in enumerate(step.ways[:-1]):
        if way.when.strip() == "true":
            yield Fault(at, f"ways.{number + 1}", "It is never taken: a way before it always is.")


def _of_flow(chain: Chain) -> list[Fault]:
    """Values that are read where, on some way, nothing was written before."""
    begin = {each.name for each in chain.inputs}
    begin |= {each.name for each in chain.state if each.start is not None or each.how != "replace"}
    state = {each.name for each in chain.state}
    found: list[Fault] = []
    _flow(chain.steps, "", begin, state, found)
    return found


def _flow(
    steps: list[AnyStep], before: str, written: set[str], state: set[str], found: list[Fault]
) -> set[str]:
    """The names that are written for certain after the steps."""
    written = set(written)
    for number, step in enumerate(steps, start=1):
        at = f"{before}{number}"
        late = {"until", "best", "gives"}
        now = {
            n
            for field, told, own in expressions_of(step)
            if field not in late
            for n in names_in(told)
        }
        if isinstance(step, Ask | Vote):
            now = set(reads_of(step))
        _missing(at, now & state, written, found)
        after: list[set[str]] = []
        for name, inner in inside(step):
            own = written | ({step.item} if isinstance(step, Each) else set())
            after.append(_flow(inner, f"{at}.{name}." if name else f"{at}.", own, state, found))
        then = set(written)
        if isinstance(step, Repeat):
            then = after[0]
            then_reads = {n for told in (step.until, step.best) for n in names_in(told)} & state
            _missing(at, then_reads, then, found)
        elif isinstance(step, Each):
            _missing(at, set(names_in(step.gives)) & state, after[0], found)
        elif isinstance(step, Route):
            then = set.intersection(*after)
        elif isinstance(step, Both):
            then = set.union(*after)
        then |= set(writes_of(step))
        if not step.only_if:
            written = then
    return written


def _missing(at: str, reads: Iterable[str], written: set[str], found: list[Fault]) -> None:
    if lost := sorted(set(reads) - written):
        told = listed(lost, "and")
        found.append(
            Fault(
                at,
                "reads",
                f"It reads {told} where nothing may have been written yet. Give a start.",
                names=tuple(lost),
            )
        )


def _of_personal(chain: Chain) -> Iterator[Fault]:
    for name in chain.personal:
        if name not in _known(chain):
            yield Fault("", "personal", f"“{name}” is no input and no value of the state.")


def _of_outputs(chain: Chain) -> Iterator[Fault]:
    known = set(_known(chain))
    if not chain.outputs:
        yield Fault("", "outputs", "It gives nothing: name an output.", stops=False)
    for name, told in chain.outputs.items():
        yield from _of_expression("", f"outputs.{name}", told, known)


def _never_read(chain: Chain) -> Iterator[Fault]:
    read = {name for row in ledger(chain) for name in row.reads}
    read |= {name for told in chain.outputs.values() for name in names_in(told)}
    for row in ledger(chain):
        for name in row.writes:
            if name not in read:
                message = f"Nothing reads “{name}”."
                yield Fault(row.at, "writes", message, stops=False, names=(name,))
