"""What a check is given and what it gives back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, ClassVar, NamedTuple

from epistem.core.cases.content import Expectation
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import Document


@dataclass(frozen=True)
class Span:
    """Words of the answer that a check objects to: offsets in code points, end excluded."""

    start: int
    end: int
    note: str


@dataclass(frozen=True)
class Finding:
    """What one aspect of a check says of one answer; `score` in `unit` where a number is natural."""

    aspect: str
    passed: bool
    message: str
    spans: tuple[Span, ...] = ()
    score: float | None = None
    unit: str = ""


@dataclass(frozen=True)
class Aspect:
    """One thing that a check tells apart; `key` is "" for its main point."""

    key: str
    title: str


@dataclass(frozen=True)
class Answer:
    text: str
    finish_reason: str = "stop"


@dataclass(frozen=True)
class Ground:
    """What a check may know besides the answer: the version's reply shape, and the case."""

    reply: ReplyShape
    expect: Expectation = field(default_factory=Expectation)
    inputs: Mapping[str, Any] = field(default_factory=dict)


class Example(NamedTuple):
    """An answer that shows what a check lets through or objects to, under these options."""

    text: str
    options: Mapping[str, Any] = MappingProxyType({})
    inputs: Mapping[str, Any] = MappingProxyType({})
    expect: Mapping[str, Any] = MappingProxyType({})
    reply: Mapping[str, Any] = MappingProxyType({})
    finish_reason: str = "stop"


class Options(Document):
    """Base of a check's options. Every option has a default, and all are in the signature."""


class Check:
    """Base of a check. One instance judges many answers, so costly work belongs in __init__.

    `good` and `bad` are answers that pass and that don't: they are its tests, and are shown to people. A
    plain text stands for an example with the options of `shown_with`.
    """

    key: ClassVar[str]
    version: ClassVar[int]
    kind: ClassVar[str]
    summary: ClassVar[str]
    aspects: ClassVar[tuple[Aspect, ...]]
    Options: ClassVar[type[Options]] = Options
    libraries: ClassVar[tuple[str, ...]] = ()
    also_called: ClassVar[tuple[str, ...]] = ()
    """Words that one may look for it by, besides those of its titles and summary."""
    shown_with: ClassVar[Mapping[str, Any]] = MappingProxyType({})
    good: ClassVar[tuple[str | Example, ...]] = ()
    bad: ClassVar[tuple[str | Example, ...]] = ()

    def __init__(self, options: Any, reply: ReplyShape) -> None:
        """Raises InvalidInput if the options can't be used with this reply shape."""
        self.options = options

    @classmethod
    def resolved(cls, options: Any, reply: ReplyShape) -> dict[str, Any]:
        """All that a finding depends on besides answer, case and version: for the signature.

        What an option leaves to the reply shape, or to a list that comes with the check, is told.
        """
        told: dict[str, Any] = options.model_dump(mode="json")
        return told

    @classmethod
    def sentence(cls, options: Any, aspect: Aspect) -> str:
        """What every answer must be, in a few words with the numbers in them: the title of its row."""
        return aspect.title

    @classmethod
    def examples(cls, passing: bool) -> list[Example]:
        """`good` or `bad`, each with its options."""
        return [
            Example(each, cls.shown_with) if isinstance(each, str) else each
            for each in (cls.good if passing else cls.bad)
        ]

    def asked(self, ground: Ground) -> list[str]:
        """The aspects that this case asks about, whatever the answer is; all, unless overridden."""
        return [aspect.key for aspect in self.aspects]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        """One finding an aspect at most. An aspect that has nothing to say is left out."""
        raise NotImplementedError
