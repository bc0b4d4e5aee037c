"""Small prompts and checks for the tests of the core."""

from __future__ import annotations

from typing import Any

from epistem.core.cases.content import Expectation
from epistem.core.checks.base import Answer, Finding, Ground
from epistem.core.checks.registry import build
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Message, Part, Prompt, ReplyShape


def prompt(*texts: str, **fields: Any) -> Prompt:
    """A user message a text, each of one part named after its place."""
    messages = [
        Message(role="user", parts=[Part(name=f"P{number}", text=text)])
        for number, text in enumerate(texts, start=1)
    ]
    return Prompt(messages=messages, **fields)


def judge(
    check: str,
    text: str,
    *,
    reply: ReplyShape | None = None,
    label: str | None = None,
    finish_reason: str = "stop",
    **options: Any,
) -> dict[str, Finding]:
    """Findings by aspect, of one check on one answer."""
    shape = reply or ReplyShape()
    built = build(CheckUse(check=check, options=options), shape)
    ground = Ground(shape, Expectation(label=label))
    return {f.aspect: f for f in built.judge(Answer(text, finish_reason), ground)}


def spanned(text: str, finding: Finding) -> list[str]:
    """The words that a finding's spans mark."""
    return [text[span.start : span.end] for span in finding.spans]
