"""What is wrong with one step of a chain, as far as its own kind tells."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from epistem.core.chains.content import AnyStep, Both, Chain, Route
from epistem.core.chains.depends import ANSWERS, REPLY, asked_of, changed_by_checks, names_in
from epistem.core.chains.kinds import (
    Ask,
    CheckStep,
    Collect,
    LookUpStep,
    Merge,
    Pause,
    Send,
    UseToolStep,
    Vote,
)
from epistem.core.checks.base import Check
from epistem.core.checks.judge.rubrics import Judge
from epistem.core.checks.outcome.queries import Running
from epistem.core.checks.registry import build, check_class
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import EpistemError, InvalidInput
from epistem.core.expressions import compiled_expression
from epistem.core.prompts.content import ReplyShape
from epistem.core.prompts.inputs import name_fault
from epistem.core.prompts.problems import problems_of
from epistem.core.prompts.tools import does_nothing_in_trials
from epistem.core.shapes import listed
from epistem.core.tools.addresses import address_fault

_AS_ROUND = re.compile(r"[rit]\d+")
_NOTED = frozenset({"refused", "asks_why", "right"})
"""Keys of what a model notes besides the facts."""
RESERVED = frozenset({
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


def of_expression(at: str, field: str, told: str, known: set[str]) -> Iterator[Fault]:
    if unknown := [name for name in names_in(told) if name not in known]:
        yield Fault(at, field, f"It reads {listed(unknown, 'and')}, which there is not.")
        return
    try:
        compiled_expression(told, dict.fromkeys(sorted(known), "any"))
    except InvalidInput as error:
        yield Fault(at, field, error.message.split(" It may use ")[0])


def may_be_tried_again(step: AnyStep) -> bool:
    chosen = isinstance(step, Route) and step.chooser is not None
    return chosen or isinstance(step, Ask | Vote | Collect | UseToolStep | LookUpStep | Send)


def of_step(at: str, step: AnyStep, known: set[str], chain: Chain) -> Iterator[Fault]:
    """`known` are the names that it may read."""
    if isinstance(step, Ask | Vote):
        yield from _of_prompt(at, step, known)
    if isinstance(step, Vote):
        yield from _of_vote(at, step, known)
    if isinstance(step, CheckStep):
        yield from _of_checks(at, step.checks)
        yield from _of_failing(at, step, chain)
    if isinstance(step, Route):
        yield from _of_route(at, step)
    if isinstance(step, Both):
        yield from _of_branches(at, step)
    if isinstance(step, UseToolStep):
        yield from _of_tool(at, step)
    if isinstance(step, Pause):
        yield from _of_pause(at, step, chain)
    if isinstance(step, Collect):
        yield from _of_collect(at, step)
    if isinstance(step, Send):
        yield from _of_send(at, step)


def _of_prompt(
    at: str, step: Ask | Vote | Merge, known: set[str], within: str = ""
) -> Iterator[Fault]:
    for problem in problems_of(step.prompt):
        yield Fault(at, f"{within}prompt.{problem.field}", problem.message)
    asked = list(asked_of(step.prompt))
    if lost := [name for name in asked if name not in step.given and name not in known]:
        told = listed(lost, "and")
        yield Fault(at, f"{within}given", f"Its prompt asks for {told}, which nothing gives it.")
    if extra := [name for name in step.given if name not in asked]:
        told = f"Its prompt does not ask for {listed(extra, 'and')}."
        yield Fault(at, f"{within}given", told, stops=False)
    if isinstance(step, Ask) and not step.prompt.tools and not _takes_its_answer(step):
        message = "Nothing that it writes comes of its answer: it is asked for nothing."
        yield Fault(at, "writes", message, stops=False)
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


def _takes_its_answer(step: Ask) -> bool:
    if isinstance(step.writes, str):
        return bool(step.writes)
    return any(set(REPLY) & set(names_in(told)) for told in step.writes.values())


def _fields_of_reply(told: str) -> list[str]:
    return re.findall(r"\bjson\.([A-Za-z_]\w*)", told)


def _of_checks(at: str, checks: Sequence[CheckUse]) -> Iterator[Fault]:
    for number, use in enumerate(checks):
        try:
            build(use, ReplyShape(), at=f"checks.{number}")
        except EpistemError as error:
            yield Fault(at, f"checks.{number}", error.message)
        if use.step:
            message = "It looks at the value of this step. Leave out which step it looks at."
            yield Fault(at, f"checks.{number}", message)


def _class_of(use: CheckUse) -> type[Check]:
    """That of any check, for one that there is not: which is told elsewhere."""
    try:
        return check_class(use.check)
    except EpistemError:
        return Check


def _of_failing(at: str, step: CheckStep, chain: Chain) -> Iterator[Fault]:
    """What is done where a check fails."""
    how = {each.name: each.how for each in chain.state}
    if (name := changed_by_checks(step)) and how.get(name) != "replace":
        message = "Its checks change what they judge, so that has to be a value of the state that is replaced."
        yield Fault(at, "of", message)
    for number, use in enumerate(step.checks):
        if use.on_failure == "ask_again":
            message = "Ask again by a loop: repeat the step that asks until this finds nothing."
            yield Fault(at, f"checks.{number}", message)
        elif use.on_failure == "decline" and not use.decline_with.strip():
            yield Fault(at, f"checks.{number}", "Say what stands in its place where it fails.")
        elif use.on_failure == "repair" and not _class_of(use).repairs:
            yield Fault(at, f"checks.{number}", "This check has no way to mend what it judges.")


def _of_vote(at: str, step: Vote, known: set[str]) -> Iterator[Fault]:
    yield from _of_checks(at, step.checks)
    for number, use in enumerate(step.checks):
        if issubclass(_class_of(use), (Judge, Running)):
            message = "Votes are settled by plain checks: this one asks a model, or runs a query."
            yield Fault(at, f"checks.{number}", message)
    if step.merge is None:
        return
    if step.checks or step.over:
        message = "Either one answer is chosen, or all are merged into one."
        yield Fault(at, "merge", message)
    if ANSWERS not in asked_of(step.merge.prompt):
        message = f"Its prompt does not ask for “{ANSWERS}”, so it would not see them."
        yield Fault(at, "merge.prompt", message, stops=False)
    yield from _of_prompt(at, step.merge, known | {ANSWERS}, "merge.")


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


def _of_collect(at: str, step: Collect) -> Iterator[Fault]:
    for name, times in Counter(field.name for field in step.fields).items():
        if times > 1:
            yield Fault(at, "fields", f"Two facts are called “{name}”.")
    for number, field in enumerate(step.fields):
        where = f"fields.{number}"
        if wrong := name_fault(field.name):
            yield Fault(at, f"{where}.name", wrong)
        elif field.name in _NOTED:
            yield Fault(
                at, f"{where}.name", f"“{field.name}” is noted by itself. Call it otherwise."
            )
        if field.kind == "choice" and not field.choices:
            yield Fault(at, f"{where}.choices", f"“{field.name}” has no choices.")
        if field.least is not None and field.most is not None and field.least > field.most:
            yield Fault(at, f"{where}.least", f"No “{field.name}” is within its range.")
    if step.seconds is not None:
        message = "It waits for a person as long as its hours say. Take the seconds away."
        yield Fault(at, "seconds", message)


def _of_send(at: str, step: Send) -> Iterator[Fault]:
    if wrong := address_fault(step.address):
        yield Fault(at, "address", wrong)
    if not step.body:
        yield Fault(at, "body", "It sends nothing.", stops=False)


def _of_branches(at: str, step: Both) -> Iterator[Fault]:
    names = [branch.name for branch in step.branches]
    if len(set(names)) < len(names):
        yield Fault(at, "branches", "Each branch has a name of its own.")
    yield from _of_places(at, "branches", names)


def _of_route(at: str, step: Route) -> Iterator[Fault]:
    names = [way.name for way in step.ways]
    if len(set(names)) < len(names) or "otherwise" in names:
        yield Fault(at, "ways", "Each way of a route has a name of its own.")
    yield from _of_places(at, "ways", names)
    for number, way in enumerate(step.ways):
        if step.chooser is not None:
            if not way.about.strip():
                message = f"Say when “{way.name}” is right: the model chooses by that."
                yield Fault(at, f"ways.{number}.about", message)
        elif not way.when.strip():
            yield Fault(at, f"ways.{number}.when", f"Say when “{way.name}” is taken.")
        elif way.when.strip() == "true" and number < len(step.ways) - 1:
            told = "It is never taken: a way before it always is."
            yield Fault(at, f"ways.{number + 1}", told)


def _of_places(at: str, field: str, names: Iterable[str]) -> Iterator[Fault]:
    for name in names:
        if _AS_ROUND.fullmatch(name):
            message = f"Rounds, items and turns are called as “{name}” is. Take another name."
            yield Fault(at, field, message)
