"""A person in a talk who is played by a model: told who they are, and never what is being tested."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from epistem.core.cases.silence import spoken
from epistem.core.shapes import Document, said

USUAL_PATIENCE = 3
LONGEST_REPLY = 1_000
"""Tokens that the model may take for what they say, and to think of it."""
MOST_SAID = 4_000
Left = Literal["done", "gave up", ""]


class PersonFact(Document):
    """What they know. `freely`: they tell it without being asked."""

    what: str = Field(max_length=80)
    value: str = Field(max_length=400)
    freely: bool = said(False)


class Persona(Document):
    """`model` is the one of the list that plays them. After `patience` answers that bring them no nearer to
    their goal they leave. The seed is sent with every request, so that they say the same to the same."""

    model: str = Field(max_length=80)
    about: str = Field("", max_length=2_000, description="Who they are.")
    goal: str = Field("", max_length=1_000, description="What they want.")
    facts: list[PersonFact] = said(max_length=50)
    withholds: list[str] = said(max_length=50, description="What they will not tell.")
    manner: str = said("", max_length=1_000, description="How they write.")
    patience: int = said(USUAL_PATIENCE, ge=1, le=20)
    seed: int = said(1, ge=0, lt=2**31)


def instructions(persona: Persona, first_words: str) -> str:
    """What the model is told."""
    asked = [fact for fact in persona.facts if not fact.freely]
    freely = [fact for fact in persona.facts if fact.freely]
    lines = [
        "You play a person who writes to a service. Write only what this person writes next, in their own "
        "words: no names of speakers, no explanations.",
    ]
    lines += _block("Who you are", [persona.about])
    lines += _block("What you want", [persona.goal])
    lines += _block("What you tell by yourself", _told(freely))
    lines += _block("What you tell only when asked", _told(asked))
    lines += _block("What you never tell", [f"- {each}" for each in persona.withholds])
    lines += _block("How you write", [persona.manner])
    lines += [
        "",
        f"After {persona.patience} answers that bring you no nearer to what you want you leave.",
        "When you have what you want, or are told that nothing more is needed, write DONE and nothing else. "
        "When you leave, write LEAVING. When you would say nothing for a while, write SILENCE.",
        "",
        f"You began by writing: “{first_words}”",
    ]
    return "\n".join(lines)


def talk_for(
    persona: Persona, first_words: str, answers: Sequence[str], said_: Sequence[str]
) -> list[tuple[str, str]]:
    """Messages, as (role, text): to them the service is who they talk with."""
    told = [("system", instructions(persona, first_words))]
    for at, answer in enumerate(answers):
        told.append(("user", answer or "(nothing)"))
        if at < len(said_):
            told.append(("assistant", said_[at]))
    return told


def heard(reply: str) -> tuple[str, Left]:
    """What the person says by a model's reply, and whether they end the talk by it. Nothing at all is a
    silence."""
    text = re.sub(r"^\s*(?:me|person|you)\s*:\s*", "", reply.strip(), flags=re.I).strip()[
        :MOST_SAID
    ]
    head, _, last = text.rpartition("\n")
    match re.sub(r"[\W_]+", "", last):  # in capitals: “Done” may be what they say
        case "DONE":
            return head.strip(), "done"
        case "LEAVING":
            return head.strip(), "gave up"
        case "SILENCE" | "":
            return head.strip() or spoken("(silence)"), ""
    return text, ""


def _told(facts: Sequence[PersonFact]) -> list[str]:
    return [f"- {fact.what}: {fact.value}" for fact in facts]


def _block(head: str, lines: Sequence[str]) -> list[str]:
    there = [line for line in lines if line.strip()]
    return ["", f"{head}:", *there] if there else []
