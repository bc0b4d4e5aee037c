"""What a check is given and what it gives back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

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
    """What one aspect of a check says of one answer."""

    aspect: str
    passed: bool
    message: str
    spans: tuple[Span, ...] = ()


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


class Options(Document):
    """Base of a check's options. Every option has a default, and all are in the signature."""


class Check:
    """Base of a check. One instance judges many answers, so costly work belongs in __init__."""

    key: ClassVar[str]
    version: ClassVar[int]
    kind: ClassVar[str]
    summary: ClassVar[str]
    aspects: ClassVar[tuple[Aspect, ...]]
    Options: ClassVar[type[Options]] = Options
    libraries: ClassVar[tuple[str, ...]] = ()

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

    def asked(self, ground: Ground) -> list[str]:
        """The aspects that this case asks about, whatever the answer is; all, unless overridden."""
        return [aspect.key for aspect in self.aspects]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        """One finding an aspect at most. An aspect that has nothing to say is left out."""
        raise NotImplementedError
