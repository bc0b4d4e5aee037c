"""Renaming an input: in the text of a prompt, in what describes it, in examples and cases."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jinja2 import TemplateSyntaxError

from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt, parts_of
from epistem.core.prompts.fragments import pinned_in
from epistem.core.prompts.inputs import inputs_of, name_fault
from epistem.core.templates.language import inputs_in, tokens_of


@dataclass(frozen=True)
class TextChange:
    """A line of a part, as it reads and as it would read."""

    part: str
    line: int
    before: str
    after: str


@dataclass(frozen=True)
class Renaming:
    content: Prompt
    changes: list[TextChange]


def rename_input(prompt: Prompt, old: str, new: str) -> Renaming:
    """The prompt with `old` called `new` wherever it means the input, and the lines that change.

    Raises InvalidInput for a name that can't be, that is taken, or an input that is not there; and
    where the name would mean something else: a loop's own variable, or a text of a fragment.
    """
    if wrong := name_fault(new):
        raise InvalidInput(wrong, field="new")
    described = {each.name for each in prompt.inputs}
    names = {*inputs_of(prompt), *described, *(n for e in prompt.examples for n in e.inputs)}
    if old not in names:
        raise InvalidInput(f"The draft has no input “{old}”.", field="old")
    if new in names and new != old:
        raise InvalidInput(
            f"There is an input “{new}” already. Choose another name, or rename that one first.",
            field="new",
        )
    for fragment in pinned_in(prompt):
        if old in inputs_in(prompt.fragments.get(fragment, "")):
            raise InvalidInput(
                f"The fragment “{fragment}” asks for “{old}” too, and its text is shared. "
                "Keep the name, or write the fragment's text into the part.",
                field="old",
            )
    content = prompt.model_copy(deep=True)
    changes = []
    for _, _, part in parts_of(content):
        if old in inputs_in(part.text):
            after = in_text(part.text, old, new, part.name)
            changes += _lines(part.name, part.text, after)
            part.text = after
    for each in content.inputs:
        if each.name == old:
            each.name = new
        if each.look_up is not None and each.look_up.question == old:
            each.look_up = each.look_up.model_copy(update={"question": new})
    for example in content.examples:
        example.inputs = rename_key(example.inputs, old, new)
    return Renaming(content, changes)


def in_text(text: str, old: str, new: str, part: str) -> str:
    """The template with the input renamed. Raises InvalidInput if the name is also set in it."""
    try:
        tokens = tokens_of(text)
    except TemplateSyntaxError as error:
        raise InvalidInput(
            f"The part “{part}” does not parse; put it right first.", field="old"
        ) from error
    if _is_set(tokens, old) or _is_set(tokens, new):
        taken = old if _is_set(tokens, old) else new
        raise InvalidInput(
            f"The part “{part}” sets “{taken}” itself, so the two can't be told apart.", field="old"
        )
    out = []
    for at, (_, kind, value) in enumerate(tokens):
        if kind == "name" and value == old and _means_the_input(tokens, at):
            value = new
        out.append(value)
    return "".join(out)


def rename_key(record: dict[str, Any], old: str, new: str) -> dict[str, Any]:
    """The same record, in the same order, with one key called otherwise."""
    return {(new if key == old else key): value for key, value in record.items()}


def _means_the_input(tokens: list[tuple[int, str, str]], at: int) -> bool:
    """Not a field after a dot, a filter or test, nor the name of an argument."""
    before, after = _beside(tokens, at, -1), _beside(tokens, at, 1)
    if before in (("operator", "."), ("operator", "|"), ("name", "is")):
        return False
    return not (after == ("operator", "=") and before in (("operator", "("), ("operator", ",")))


def _beside(tokens: list[tuple[int, str, str]], at: int, step: int) -> tuple[str, str]:
    at += step
    while 0 <= at < len(tokens) and tokens[at][1] == "whitespace":
        at += step
    return tokens[at][1:] if 0 <= at < len(tokens) else ("", "")


def _is_set(tokens: list[tuple[int, str, str]], name: str) -> bool:
    """Whether the template gives the name a meaning of its own: `for name in`, `set name =`."""
    plain = [(kind, value) for _, kind, value in tokens if kind != "whitespace"]
    for at, (kind, value) in enumerate(plain):
        if kind == "name" and value in ("for", "set", "macro", "with"):
            for kind_there, there in plain[at + 1 :]:
                if kind_there == "block_end" or there in ("in", "="):
                    break
                if kind_there == "name" and there == name:
                    return True
    return False


def _lines(part: str, before: str, after: str) -> list[TextChange]:
    pairs = zip(before.splitlines(), after.splitlines(), strict=True)
    return [TextChange(part, at, b, a) for at, (b, a) in enumerate(pairs, start=1) if b != a]


def todays_names(asked: Iterable[str], renames: Sequence[tuple[str, str]]) -> dict[str, str]:
    """What the inputs that an older version asks for are called today, by (old, new) in their order;
    those that are called so still are left out."""
    found = {}
    for name in asked:
        today = name
        for old, new in renames:
            if old == today:
                today = new
        if today != name:
            found[name] = today
    return found


def with_old_names(inputs: Mapping[str, Any], aliases: Mapping[str, str]) -> dict[str, Any]:
    """The inputs, and those that are missing under the name that they had."""
    missing = {
        old: inputs[today]
        for old, today in aliases.items()
        if old not in inputs and today in inputs
    }
    return {**inputs, **missing}
