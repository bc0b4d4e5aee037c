"""What comes of a try, as the API tells it."""

from __future__ import annotations

from typing import Any

from pydantic import Field

from epistem.core.engine.answers import ToolUsed
from epistem.core.prompts.content import Prompt
from epistem.web.findings import FindingShape, finding_shape
from epistem.web.found import FoundShape, found_shape
from epistem.web.replies import Shape
from epistem.work.tries import Asked, Tried
from epistem.work.tries import ExactRequest as Exact


class TryOut(Asked):
    """`content` is the draft as typed, or a version."""

    content: Prompt

    @property
    def asked(self) -> Asked:
        return Asked.from_json(self.model_dump(exclude={"content"}))


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
    found: list[FoundShape] = Field(
        default_factory=list, description="What was looked up for its inputs."
    )


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
    estimated: bool = Field(
        False, description="The server did not tell the tokens: they and the cost are estimates."
    )
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


def tool_use(used: ToolUsed) -> ToolUse:
    return ToolUse(
        name=used.call.name,
        arguments=used.call.arguments,
        answer=used.result.answer,
        fault=used.result.fault,
    )


def request_shape(request: Exact) -> ExactRequest:
    told = {name: getattr(request, name) for name in ExactRequest.model_fields if name != "found"}
    return ExactRequest.model_validate(
        {**told, "found": [found_shape(each) for each in request.found]}
    )


def tried_answer(request: Exact, tried: Tried) -> TriedAnswer:
    answered, usage = tried.answered, tried.usage
    reply = answered.reply
    return TriedAnswer(
        request=request_shape(request),
        answer=reply.text,
        reasoning=reply.reasoning,
        finish_reason=reply.finish_reason,
        model=reply.model,
        input_tokens=usage.input_tokens,
        output_tokens=usage.output_tokens,
        reasoning_tokens=usage.reasoning_tokens,
        estimated=not usage.told,
        cents=tried.cents,
        first_ms=tried.first_ms,
        total_ms=sum(each.total_ms for each in tried.made),
        attempts=sum(each.attempts for each in tried.made),
        findings=[finding_shape(each.measure, each.finding) for each in tried.findings],
        not_checked=tried.not_checked,
        tool_uses=[tool_use(used) for used in answered.tools],
        rounds=answered.rounds,
        value=tried.value,
        shape_faults=[ShapeFault(path=path, message=why) for path, why in tried.shape_faults],
    )
