"""What a try is asked with, and what comes of it."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from epistem.core.cases.content import Expectation
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.dialogue import Turn
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document
from epistem.web.findings import FindingShape
from epistem.web.replies import Shape


class Asked(Document):
    """What a draft is tried with. `settings` stand over its own. No seed: one is drawn. `turns` are
    what was said after the first words and the answer to them, beginning with that answer."""

    inputs: dict[str, Any] = Field(default_factory=dict)
    model: str = Field(max_length=80)
    settings: Settings = Field(default_factory=Settings)
    expect: Expectation = Field(default_factory=Expectation)
    seed: int | None = Field(None, ge=0, lt=2**31)
    turns: list[Turn] = Field(default_factory=list, max_length=400)
    case: int | None = Field(None, ge=1, description="The case that the inputs came from.")
    version: int | None = Field(
        None, ge=1, description="The version that `content` is, if it is one."
    )


class TryOut(Asked):
    """`content` is the draft as typed, or a version."""

    content: Prompt


class RenderedPart(Shape):
    """Its words stand in the body."""

    role: str
    name: str
    tokens: int


class ExactRequest(Shape):
    """`address` is where `body` would be posted. Tokens are counted by our own vocabulary: exact for
    the stand-in's models, an estimate for others. `answer_tokens` is the most the answer may have."""

    address: str
    wire_format: str
    key_reference: str | None
    body: dict[str, Any]
    parts: list[RenderedPart]
    tokens: int = Field(description="All messages, with what each one adds to its parts.")
    window: int
    answer_tokens: int | None


class ToolUse(Shape):
    """A call of a tool and what it answered. `fault` says what was wrong with the call."""

    name: str
    arguments: str
    answer: str
    fault: str | None


class ShapeFault(Shape):
    """What is wrong at `path`, a JSON pointer into the reply's JSON."""

    path: str
    message: str


class TriedAnswer(Shape):
    """`first_ms` is the time to the first piece of a streamed answer, reasoning or not. Tokens, cost
    and time are those of all rounds, where the model called tools in between."""

    request: ExactRequest
    answer: str
    reasoning: str
    finish_reason: str
    model: str
    input_tokens: int
    output_tokens: int
    reasoning_tokens: int
    cents: float
    first_ms: float | None
    total_ms: float
    attempts: int
    findings: list[FindingShape]
    not_checked: list[str] = Field(description="Checks that this draft can't be held to, and why.")
    tool_uses: list[ToolUse] = Field(default_factory=list)
    rounds: int = 1
    value: Any = Field(None, description="The JSON of the answer, where it has some.")
    shape_faults: list[ShapeFault] = Field(default_factory=list)
    try_id: int | None = Field(None, description="Its place in the history.")
