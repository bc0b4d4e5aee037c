"""What a check is given and what it gives back."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, ClassVar, Literal, NamedTuple

from epistem.core.cases.content import Expectation
from epistem.core.cases.pair import Pair
from epistem.core.cases.person import Ended
from epistem.core.prompts.content import ReplyShape
from epistem.core.prompts.dialogue import Turn
from epistem.core.shapes import Document


@dataclass(frozen=True)
class Span:
    """Words of the answer that a check objects to: offsets in code points, end excluded."""

    start: int
    end: int
    note: str


@dataclass(frozen=True)
class Finding:
    """What one aspect of a check says of one answer; `score` in `unit` where a number is natural.

    `passed` is None where it can't tell, and `message` says why: that is no pass and no failure, and
    is counted apart. `pointers` are JSON pointers into a JSON reply, `sources` the inputs (as
    `notices[2]`) that it rests on.
    """

    aspect: str
    passed: bool | None
    message: str
    spans: tuple[Span, ...] = ()
    score: float | None = None
    unit: str = ""
    pointers: tuple[str, ...] = ()
    sources: tuple[str, ...] = ()

    @property
    def failed(self) -> bool:
        return self.passed is False


@dataclass(frozen=True)
class Aspect:
    """One thing that a check tells apart; `key` is "" for its main point."""

    key: str
    title: str


class ToolUse(NamedTuple):
    """`arguments` as the model wrote them."""

    name: str
    arguments: str


class Spent(NamedTuple):
    """What an answer took, all its calls together."""

    input_tokens: int
    output_tokens: int
    ms: float
    cents: float


class Original(NamedTuple):
    """The answer to the case that this one's is paired with; None where none came."""

    text: str | None


@dataclass(frozen=True)
class Answer:
    """`before` are the turns of the talk between the person's first words and this answer, `ended` how that
    talk ended ("" for one that was not played to its end); `spent` is None where it is not known, as of a
    pasted text. `original` is what was answered to the original of a paired case, where it is known yet."""

    text: str
    finish_reason: str = "stop"
    before: tuple[Turn, ...] = ()
    tools: tuple[ToolUse, ...] = ()
    spent: Spent | None = None
    ended: Ended | Literal[""] = ""
    original: Original | None = None
    steps: Mapping[str, str] = field(default_factory=dict)
    """What the steps of a chain wrote last, by their names, as far as it is known."""


class Said(NamedTuple):
    """A message of the request, filled in."""

    role: str
    text: str


def _nothing() -> tuple[Said, ...]:
    return ()


@dataclass(frozen=True)
class Ground:
    """What a check may know besides the answer: the version's reply shape, the case, and what was asked.

    `asked` fills in the prompt when it is called, which may raise as `render` does.
    """

    reply: ReplyShape
    expect: Expectation = field(default_factory=Expectation)
    inputs: Mapping[str, Any] = field(default_factory=dict)
    asked: Callable[[], Sequence[Said]] = _nothing
    pair: Pair | None = None


class Example(NamedTuple):
    """An answer that shows what a check lets through or objects to, under these options."""

    text: str
    options: Mapping[str, Any] = MappingProxyType({})
    inputs: Mapping[str, Any] = MappingProxyType({})
    expect: Mapping[str, Any] = MappingProxyType({})
    reply: Mapping[str, Any] = MappingProxyType({})
    finish_reason: str = "stop"
    before: tuple[tuple[str, str], ...] = ()
    """Turns before it, as (role, text)."""
    tools: tuple[tuple[str, str], ...] = ()
    """Uses of tools, as (name, arguments)."""
    spent: Spent | None = None
    system: str = ""
    """The system text of the request."""
    ended: Ended | Literal[""] = ""
    pair: Mapping[str, Any] | None = None
    original: str | None = None
    """The answer to the original of the pair."""
    source: str = ""
    """Statements that make the source of the case, for a check that runs queries."""

    @property
    def answer(self) -> Answer:
        before = tuple(Turn.model_validate({"role": r, "text": t}) for r, t in self.before)
        tools = tuple(ToolUse(*each) for each in self.tools)
        original = None if self.original is None else Original(self.original)
        told = (before, tools, self.spent, self.ended, original)
        return Answer(self.text, self.finish_reason, *told)

    @property
    def ground(self) -> Ground:
        told = (Said("system", self.system),) if self.system else ()
        shape = ReplyShape.from_json(dict(self.reply))
        expect = Expectation.from_json(dict(self.expect))
        pair = None if self.pair is None else Pair.from_json(dict(self.pair))
        return Ground(shape, expect, self.inputs, lambda: told, pair)


Reads = Literal["turns", "tools", "spent", "request", "pair", "steps"]
"""What a check wants to know besides answer and case: it is had for those that want it alone."""


class Options(Document):
    """Base of a check's options. Every option has a default, and all are in the signature."""

    @classmethod
    def described(cls) -> dict[str, Any]:
        """JSON Schema of the options, each with its default: also those that are made anew each time."""
        schema = cls.model_json_schema()
        usual = cls().model_dump(mode="json")
        for name, told in schema.get("properties", {}).items():
            told.setdefault("default", usual[name])
        return schema


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
    unit: ClassVar[str] = ""
    """Of the scores of its findings; "" where it tells none."""
    aim: ClassVar[Literal["more", "less", ""]] = ""
    """Which way of its scores is better; "" where neither is in itself."""
    score_margin: ClassVar[float] = 0.5
    """The difference of scores that does not matter, unless somebody says otherwise."""
    reads: ClassVar[frozenset[Reads]] = frozenset()
    asks: ClassVar[bool] = False
    """Whether it asks a model: then it is a `judge.rubrics.Judge`."""
    at_the_end: ClassVar[bool] = False
    """Whether it can be told only once a talk is over."""
    repairs: ClassVar[bool] = False
    """Whether it can mend what it objects to, by rule (`repair`)."""
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
    def unit_of(cls, options: Any) -> str:
        """The unit of the scores of its findings with these options; "" where it tells none."""
        return cls.unit

    @classmethod
    def judge_of(cls, options: Any) -> str:
        """The model that it asks; "" for a plain check, which asks none."""
        return ""

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

    def repair(self, text: str, ground: Ground) -> str:
        """The text of an answer, mended so that it passes; as it is where that can't be done by rule."""
        return text

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        """One finding an aspect at most. An aspect that has nothing to say is left out."""
        raise NotImplementedError
