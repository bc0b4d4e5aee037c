"""One answer in the making, and the kinds of work that it can be.

A kind of work registers itself with what tells it apart, how it writes plain text, and which values it
knows for the keys of a JSON answer. Kinds are asked in the order of KINDS; the first that fits works.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import Any, NamedTuple

from epistem.standin.directives import Plan
from epistem.standin.mind import Mind
from epistem.standin.profiles import Profile
from epistem.standin.request import Request
from epistem.standin.rule import Rule
from epistem.standin.sampler import Sampler
from epistem.standin.writing import Sentence, write

KINDS = (
    "person",
    "judge",
    "noting",
    "chainwright",
    "critic",
    "restating",
    "rewrite",
    "sql",
    "collect",
    "reckon",
    "labels",
    "planner",
    "digest",
    "passages",
    "compose",
    "aspects",
    "chat",
)


@dataclass(frozen=True)
class Job:
    """A request, how its rules were heard, and the draws of the answer."""

    request: Request
    rules: tuple[Rule, ...]
    plan: Plan
    mind: Mind
    out: Sampler

    @property
    def text(self) -> str:
        return self.request.text

    @property
    def instructions(self) -> str:
        return self.request.instructions

    @property
    def model(self) -> Profile:
        return self.mind.model

    def write(self, content: Iterable[Sentence]) -> None:
        write(content, self.plan, self.mind, self.out)


Ways = Mapping[Any, float]
"""Values with logits, one of which is drawn where it is written."""


class Kind(NamedTuple):
    """`value` of a key (by its name and JSON Schema) is Ways, a fixed value, or None when it knows none."""

    fits: Callable[[Job], bool]
    write: Callable[[Job], None]
    value: Callable[[Job, str, Mapping[str, Any]], Any]


REGISTRY: dict[str, Kind] = {}


def register(
    name: str,
    fits: Callable[[Job], bool],
    write: Callable[[Job], None],
    value: Callable[[Job, str, Mapping[str, Any]], Any] = lambda job, name, rule: None,
) -> None:
    REGISTRY[name] = Kind(fits, write, value)


def kind_of(job: Job) -> Kind:
    for name in KINDS:
        if name not in REGISTRY:
            import_module(f"epistem.standin.work.{name}")
        if REGISTRY[name].fits(job):
            return REGISTRY[name]
    raise AssertionError("chat fits everything")
