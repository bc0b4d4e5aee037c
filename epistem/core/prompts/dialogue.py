"""Talk that goes on: the prompt's messages, then turn by turn what was said."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import Field

from epistem.core.prompts.content import MAX_PART_CHARACTERS, Prompt
from epistem.core.prompts.fragments import asked_by
from epistem.core.prompts.render import RenderedMessage, render
from epistem.core.shapes import Document
from epistem.core.templates.budget import Budget


class Turn(Document):
    role: Literal["user", "assistant"]
    text: str = Field(max_length=MAX_PART_CHARACTERS)


def render_talk(
    prompt: Prompt,
    inputs: Mapping[str, Any],
    turns: Sequence[Turn] = (),
    budget: Budget | None = None,
) -> list[RenderedMessage]:
    """The messages that ask for the next answer, after these turns. Raises as `render` does.

    The person's first words are an input. Turns follow as messages of their own; but where an input
    is the dialogue so far, the prompt is filled in anew: the newest turn takes the place of the first
    words, and all before it are that input.
    """
    talk = next((each.name for each in prompt.inputs if each.kind == "dialogue"), None)
    if talk is None:
        said = [
            RenderedMessage(t.role, t.text, ((f"Turn {n}", t.text),)) for n, t in _numbered(turns)
        ]
        return [*render(prompt, inputs, budget), *said]
    words = first_words(prompt)
    if not turns or words is None:
        return render(prompt, {talk: [], **inputs}, budget)
    begun = [{"role": "user", "text": str(inputs.get(words, ""))}]
    before = [*begun, *(turn.to_json() for turn in turns[:-1])]
    return render(prompt, {**inputs, talk: before, words: turns[-1].text}, budget)


def first_words(prompt: Prompt) -> str | None:
    """The input that the person's first words are: the first text of the last user message."""
    kinds = {each.name: each.kind for each in prompt.inputs}
    for message in reversed(prompt.messages):
        if message.role == "user":
            for part in message.parts:
                for name in asked_by(part.text, prompt.fragments):
                    if kinds.get(name, "text") == "text":
                        return name
    return None


def _numbered(turns: Sequence[Turn]) -> list[tuple[int, Turn]]:
    """The first words and the answer to them are turns 1 and 2 of the talk."""
    return list(enumerate(turns, start=2))
