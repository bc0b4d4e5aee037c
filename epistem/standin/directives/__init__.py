"""Instructions, read from a request: what is asked, in which words, and what following it changes.

Each directive registers itself with a reader (what in the text asks for it), an effect (what it does
to the `Plan` of the answer) and, where that can be told from a text, a measure of whether a text keeps
to it, by which worked examples are looked at.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import import_module, resources
from typing import Any, NamedTuple

from epistem.standin.mind import Mind
from epistem.standin.request import Request
from epistem.standin.rule import Rule

FAMILIES = ("form", "length", "voice", "talk", "ground", "told")

Found = tuple[Any, int, int]
"""A value, and where in the text the words that ask for it begin and end."""


@dataclass
class Plan:
    """How the answer is to be written: what has been heard of the instructions."""

    persona: str = ""
    alone: bool = False
    listed: bool = False
    fenced: bool = False
    json: bool = False
    bare: bool = False
    max_words: int | None = None
    sentences: int | None = None
    short: bool = False
    long: bool = False
    plain: bool = False
    forbidden: list[str] = field(default_factory=list)
    unstocked: bool = False
    emoji: bool | None = None
    vary_emoji: bool = False
    formal: bool | None = None
    mirror: bool = False
    language: str = ""
    one_question: bool = False
    collect: tuple[str, ...] = ()
    in_order: bool = False
    first: bool = False
    ask_why: bool = False
    let_go: bool = False
    no_repeat: bool = False
    follow_up: bool = False
    goodbye: bool = False
    grounded: bool = False
    cite: bool = False
    unknown: str = ""
    on_job: bool = False
    promises: list[str] = field(default_factory=list)
    told: list[tuple[str, str]] = field(default_factory=list)
    """Conditions (empty: always) and the words to say then."""
    begins: str = ""
    ends: str = ""
    think: bool = False
    secret: bool = False


class Directive(NamedTuple):
    read: Callable[[str], Iterable[Found]]
    effect: Callable[[Plan, Any], None]
    kept: Callable[[str, Any], bool] | None
    against: tuple[str, ...]
    ease: float


REGISTRY: dict[str, Directive] = {}


def register(
    name: str,
    read: Callable[[str], Iterable[Found]],
    effect: Callable[[Plan, Any], None] | None = None,
    *,
    kept: Callable[[str, Any], bool] | None = None,
    against: tuple[str, ...] = (),
    ease: float = 0.0,
) -> None:
    """`effect` when left out sets the plan's field of that name. `against` are directives that this one
    contradicts. `ease` makes it likelier to be followed: below 0 for what is vague."""

    def sets(plan: Plan, value: Any) -> None:
        setattr(plan, name, value)

    REGISTRY[name] = Directive(read, effect or sets, kept, against, ease)


@lru_cache(maxsize=1)
def _patterns() -> dict[str, Any]:
    return tomllib.loads((resources.files(__name__) / "asks.toml").read_text("utf-8"))


def asks(
    name: str, value: Callable[[re.Match[str]], Any] = lambda match: True
) -> Callable[[str], Iterator[Found]]:
    """A reader: wherever a pattern of that name stands, the value of the match (None: asks nothing)."""
    whole = "|".join(_patterns()[name])
    for piece, pattern in _patterns()["pieces"].items():
        whole = whole.replace("{" + piece + "}", pattern)
    compiled = re.compile(whole, re.I)

    def read(text: str) -> Iterator[Found]:
        for match in compiled.finditer(text):
            if (found := value(match)) is not None:
                yield found, match.start(), match.end()

    return read


def rules_of(request: Request) -> tuple[Rule, ...]:
    """All that the request asks, in the order of its words; of one directive the last that was said."""
    shown = tuple(example.answer for example in request.examples)
    after = len(request.text) + sum(len(turn.text) for turn in request.turns[:-1])
    return _rules_in(request.instructions, request.rest[:4_000], shown, after // 400)


@lru_cache(maxsize=2_000)
def _rules_in(
    instructions: str, own: str, shown: tuple[str, ...], hundreds: int
) -> tuple[Rule, ...]:
    for family in FAMILIES:
        import_module(f"{__name__}.{family}")
    found: dict[tuple[str, str], Rule] = {}
    for text, after in ((instructions, hundreds * 400), (own if own != instructions else "", 0)):
        for name, directive in REGISTRY.items():
            for value, start, end in directive.read(text):
                distance = (len(text) - end + after) / 4
                rule = Rule(name, value, text[start:end].strip(), distance, directive.ease)
                several = isinstance(value, str) and name in ("forbidden", "promises", "said")
                found[name, str(value) if several else ""] = rule
    names = {rule.name for rule in found.values()}
    return tuple(_weighed(rule, names, shown) for rule in found.values())


def _weighed(rule: Rule, names: set[str], shown: tuple[str, ...]) -> Rule:
    directive = REGISTRY[rule.name]
    against = any(other in names for other in directive.against)
    share = 0.0
    if shown and directive.kept is not None:
        share = sum(directive.kept(text, rule.value) for text in shown) / len(shown)
        against = against or share == 0
    return Rule(rule.name, rule.value, rule.words, rule.distance, rule.ease, against, share)


def plan_for(rules: Sequence[Rule], mind: Mind) -> Plan:
    """What the model hears of the rules."""
    from epistem.standin.directives.voice import mood

    plan = Plan()
    for rule in rules:
        if mind.hears(rule, len(rules)):
            REGISTRY[rule.name].effect(plan, rule.value)
    if plan.mirror and (found := mood(mind.request.text)):
        plan.formal = found == "formal"
    return plan
