"""What each step reads and writes, as far as it says so: the ledger of a chain."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from epistem.core.chains.content import (
    AnyStep,
    Both,
    CallStep,
    Chain,
    Each,
    Path,
    Repeat,
    Route,
    placed,
)
from epistem.core.chains.kinds import (
    Ask,
    CheckStep,
    Collect,
    LookUpStep,
    Pause,
    Send,
    SetStep,
    UseToolStep,
    Vote,
)
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.inputs import inputs_of

_TEXT = re.compile(r"'(?:[^'\\\n]|\\.)*'|\"(?:[^\"\\\n]|\\.)*\"")
_NAME = re.compile(r"(?<![\w.])([A-Za-z_]\w*)\b(?!\s*\()")
_OF_MACROS = re.compile(r"\.\s*(?:map|filter|all|exists|exists_one)\s*\(\s*([A-Za-z_]\w*)\s*,")
_WORDS = frozenset({"true", "false", "null", "in"})
ANSWERS = "answers"
"""What the answers are called where one is made of them."""
REPLY = ("text", "json", "reasoning")
"""What an expression may be over that tells what is taken of an answer."""


class Row(NamedTuple):
    """One step of the ledger."""

    at: str
    deep: int
    step: AnyStep
    reads: tuple[str, ...]
    writes: tuple[str, ...]
    path: Path = ()


def ledger(chain: Chain) -> list[Row]:
    """A row for each step, in order."""
    return [
        Row(
            each.at,
            each.deep,
            each.step,
            tuple(reads_of(each.step)),
            tuple(writes_of(each.step)),
            each.path,
        )
        for each in placed(chain.steps)
    ]


def names_in(expression: str) -> list[str]:
    """The names that an expression is over, each once: not those of fields, functions or inside texts."""
    bare = _TEXT.sub("''", expression)
    own = _WORDS.union(_OF_MACROS.findall(bare))
    return list(dict.fromkeys(name for name in _NAME.findall(bare) if name not in own))


def expressions_of(step: AnyStep) -> list[tuple[str, str, tuple[str, ...]]]:
    """(field, expression, names that it may be over besides the state) of what the step itself works out."""
    found: list[tuple[str, str, tuple[str, ...]]] = []
    if step.only_if:
        found.append(("only_if", step.only_if, ()))
    if isinstance(step, Ask | Vote | CallStep):
        found += [(f"given.{name}", told, ()) for name, told in step.given.items()]
    if isinstance(step, CallStep) and isinstance(step.writes, dict):
        outputs = tuple(step.chain.outputs)
        found += [(f"writes.{name}", told, outputs) for name, told in step.writes.items()]
    if isinstance(step, Pause):
        found += [(f"shows.{name}", told, ()) for name, told in step.shows.items()]
    if isinstance(step, Ask) and isinstance(step.writes, dict):
        found += [(f"writes.{name}", told, REPLY) for name, told in step.writes.items()]
    if isinstance(step, Vote) and step.over:
        found.append(("over", step.over, REPLY))
    if isinstance(step, Vote) and step.merge:
        told_to = step.merge.given.items()
        found += [(f"merge.given.{name}", told, (ANSWERS,)) for name, told in told_to]
    if isinstance(step, LookUpStep):
        found.append(("question", step.question, ()))
    if isinstance(step, UseToolStep):
        found += [(f"arguments.{name}", told, ()) for name, told in step.arguments.items()]
    if isinstance(step, SetStep):
        found += [(f"writes.{name}", told, ()) for name, told in step.writes.items()]
    if isinstance(step, CheckStep):
        found.append(("of", step.of, ()))
    if isinstance(step, Collect) and step.begins:
        found.append(("begins", step.begins, ()))
    if isinstance(step, Send):
        found += [(f"body.{name}", told, ()) for name, told in step.body.items()]
    if isinstance(step, Route) and step.chooser:
        found.append(("chooser.of", step.chooser.of, ()))
    elif isinstance(step, Route):
        found += [(f"ways.{at}.when", way.when, ()) for at, way in enumerate(step.ways)]
    if isinstance(step, Repeat):
        found.append(("until", step.until, ()))
        if step.best:
            found.append(("best", step.best, ()))
    if isinstance(step, Each):
        found += [("over", step.over, ()), ("gives", step.gives, (step.item,))]
    return found


def reads_of(step: AnyStep) -> list[str]:
    """Names of the state and the inputs that the step itself reads, each once."""
    found = [
        name for _, told, own in expressions_of(step) for name in names_in(told) if name not in own
    ]
    if isinstance(step, Ask | Vote):
        found += [name for name in asked_of(step.prompt) if name not in step.given]
    if isinstance(step, Vote) and step.merge:
        merge = step.merge
        found += [n for n in asked_of(merge.prompt) if n not in merge.given and n != ANSWERS]
    if isinstance(step, CallStep):
        needs = (each.name for each in step.chain.inputs if each.default is None)
        found += [name for name in needs if name not in step.given]
    if isinstance(step, Pause) and step.edits:
        found.append(step.edits)
    return list(dict.fromkeys(found))


def asked_of(prompt: Prompt) -> Iterable[str]:
    return inputs_of(prompt)


def asked_in(step: AnyStep) -> list[str]:
    """The inputs of the prompt that it asks, or of the chain that it calls."""
    if isinstance(step, Ask | Vote):
        return list(asked_of(step.prompt))
    return [each.name for each in step.chain.inputs] if isinstance(step, CallStep) else []


def changed_by_checks(step: CheckStep) -> str:
    """The value that its checks may change: the one they judge, where any of them says so; "" for none."""
    changes = any(use.on_failure in ("repair", "decline", "drop") for use in step.checks)
    return step.of.strip() if changes else ""


def writes_of(step: AnyStep) -> list[str]:
    """Names of the state that the step itself writes."""
    if isinstance(step, Route | Repeat | Both):
        return []
    writes: str | Mapping[str, str] = step.writes
    named = ([writes] if writes else []) if isinstance(writes, str) else list(writes)
    if isinstance(step, Pause) and step.edits:
        named.append(step.edits)
    if isinstance(step, CheckStep) and (changed := changed_by_checks(step)):
        named.append(changed)
    return list(dict.fromkeys(named))
