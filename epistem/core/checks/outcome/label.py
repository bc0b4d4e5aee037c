"""The answer's label is the one the case expects, spelt exactly so."""

from __future__ import annotations

import json
import re
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options, Span
from epistem.core.checks.structure.find_json import find_json
from epistem.core.prompts.content import ReplyShape
from epistem.core.shapes import listed
from epistem.core.words import folded


class LabelOptions(Options):
    """`at`: the field of a JSON reply that holds the label."""

    at: str = Field(
        "label",
        max_length=80,
        title="Field of the label",
        description="The field of a JSON reply that holds the label.",
    )


MOST_LABEL = 500
"""Characters; what is longer is no label, and is not looked at closely."""


class LabelIsRight(Check):
    key = "outcome.label"
    version = 1
    kind = "outcome"
    summary = "The label is the one that the case expects, or one of several. Cases that expect none are passed over."
    aspects = (Aspect("", "label is right"),)
    Options: ClassVar[type[Options]] = LabelOptions

    good: ClassVar = (
        Example("lost item", expect={"label": "lost item"}),
        Example(" lost item\n", expect={"label": "lost item"}),
        Example("ÄRGER", expect={"label": "ÄRGER"}),
        Example("5", expect={"label": "5"}),
        Example("delay", expect={"label": "refund", "labels": ["delay"]}),
        Example('{"label": "delay"}', expect={"label": "delay"}, reply={"kind": "json"}),
        Example(
            'So: {"label": "delay", "urgency": 2}',
            expect={"label": "delay"},
            reply={"kind": "json"},
        ),
        Example('{"kind": "a"}', {"at": "kind"}, expect={"label": "a"}, reply={"kind": "json"}),
        Example('{"label": 5}', expect={"label": "5"}, reply={"kind": "json"}),
    )
    bad: ClassVar = (
        Example("", expect={"label": "delay"}),
        Example("late", expect={"label": "refund", "labels": ["delay"]}),
        Example("refund", expect={"label": "delay"}),
        Example("Delay", expect={"label": "delay"}),
        Example("lost_item", expect={"label": "lost item"}),
        Example("The label is delay.", expect={"label": "delay"}),
        Example("delay", expect={"label": "delay"}, reply={"kind": "json"}),
        Example('{"label": "late"}', expect={"label": "delay"}, reply={"kind": "json"}),
        Example('{"kind": "delay"}', expect={"label": "delay"}, reply={"kind": "json"}),
        Example('{"label": ["delay"]}', expect={"label": "delay"}, reply={"kind": "json"}),
    )

    @classmethod
    def resolved(cls, options: LabelOptions, reply: ReplyShape) -> dict[str, Any]:
        """Only a JSON reply has fields for a label to stand in."""
        at = {"at": options.at} if reply.kind == "json" else {}
        return {"label_of": "json" if reply.kind == "json" else "text", **at}

    def asked(self, ground: Ground) -> list[str]:
        return [] if ground.expect.label is None else [""]

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        wanted = ground.expect.label
        if wanted is None:
            return []
        given = label_in(answer.text, ground, self.options.at)
        if given is None:
            return [Finding("", False, f"No label found; {_told(ground)} is expected.")]
        if given == wanted:
            return [Finding("", True, f"The label is “{wanted}”, as expected.")]
        if given in ground.expect.labels:
            return [Finding("", True, f"The label is “{given}”, which is right, too.")]
        shown = given if len(given) <= MOST_LABEL else f"{given[:MOST_LABEL]}…"
        if len(given) <= MOST_LABEL and folded(given) == folded(wanted):
            message = f"The label “{given}” is spelt differently from “{wanted}”."
        else:
            message = f"The label is “{shown}”; {_told(ground)} is expected."
        if len(given) > MOST_LABEL:
            return [Finding("", False, message)]
        span = _place_of(given, answer.text, ground, self.options.at)
        return [Finding("", False, message, (span,) if span else ())]


def _told(ground: Ground) -> str:
    """`“refund” or “delay”`."""
    return listed([f"“{each}”" for each in (ground.expect.label, *ground.expect.labels) if each])


def label_in(text: str, ground: Ground, at: str) -> str | None:
    """The label that an answer gives: a field of its JSON, or all of it; None if it gives none."""
    if ground.reply.kind != "json":
        return text.strip() or None
    found = find_json(text)
    if found is None or not isinstance(found.value, dict) or at not in found.value:
        return None
    value = found.value[at]
    return value if isinstance(value, str) else json.dumps(value)


def _place_of(given: str, text: str, ground: Ground, at: str) -> Span | None:
    """Where the label stands, or None where it is written otherwise than it reads (escapes)."""
    if ground.reply.kind != "json":
        start = text.index(given)
        return Span(start, start + len(given), "the label given")
    found = find_json(text)
    assert found is not None, "it has given a label"
    key = re.escape(json.dumps(at)) + r"\s*:\s*\"?" + re.escape(given)
    place = re.search(key, text[found.start :])
    if place is None:
        return None
    end = found.start + place.end()
    return Span(end - len(given), end, "the label given")
