"""The answer moves as it must when the case changes, and stays when only what is irrelevant changes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

from pydantic import Field

from epistem.core.cases.pair import Move, Pair, move_told
from epistem.core.checks.base import Answer, Aspect, Check, Example, Finding, Ground, Options
from epistem.core.checks.grounding.reference import LONGEST, chrf
from epistem.core.checks.outcome.pairs.comparing import NotThere, Reader, Two, equal, rises, shown
from epistem.core.pointers import MISSING, at_pointer
from epistem.core.prompts.content import ReplyShape

MOST_TOLD = 3
FREE_WORDS = 4
"""A text of a JSON field with so many words is prose, which may be worded in many ways."""


def pair(
    was: str, now: str, *moves: tuple[str, str] | tuple[str, str, str], **more: Any
) -> Example:
    """The answers to the original and to the changed case."""
    told = [dict(zip(("what", "must", "value"), move, strict=False)) for move in moves]
    kind = "changed" if moves else "upper case"
    return Example(now, original=was, pair={"of": 1, "kind": kind, "moves": told}, **more)


_JSON = {"kind": "json"}
_URGENCY = {
    "kind": "json",
    "json_schema": {
        "properties": {"size": {"enum": ["S", "M", "L"]}, "label": {"enum": ["a", "b"]}}
    },
}


class MovesOptions(Options):
    """None: how an answer must move stands in the case."""


class MovesAsItMust(Check):
    key = "outcome.moves"
    version = 1
    kind = "outcome"
    summary = (
        "When a paired case changes one thing, the answer moves as the case says against that to its "
        "original: up, down, the same, another."
    )
    also_called = (
        "paired cases",
        "counterfactual",
        "metamorphic",
        "contrast",
        "what if",
        "sensitivity",
    )
    aspects = (Aspect("", "moves as it must"),)
    reads = frozenset({"pair"})
    Options: ClassVar[type[Options]] = MovesOptions
    good: ClassVar = (
        pair('{"fare": 10}', '{"fare": 12.5}', ("fare", "up"), reply=_JSON),
        pair('{"fare": 10}', '{"fare": 10.0}', ("fare", "same"), reply=_JSON),
        pair('{"u": "low"}', '{"u": "High"}', ("u", "up"), reply=_JSON),
        pair('{"size": "L"}', 'So: {"size": "S"}', ("/size", "down"), reply=_URGENCY),
        pair('{"a": {"b": true}}', '{"a": {"b": false}}', ("/a/b", "down"), reply=_JSON),
        pair("refund", "delay", ("", "other")),
        pair("refund", "Refund ", ("", "same")),
        pair('{"ok": "no"}', '{"ok": "yes"}', ("ok", "is", "Yes"), reply=_JSON),
        pair('{"n": [1]}', '{"n": [1, 2]}', ("n", "up"), ("n", "other"), reply=_JSON),
        Example("An answer without an original"),
    )
    bad: ClassVar = (
        pair('{"fare": 10}', '{"fare": 10}', ("fare", "up"), reply=_JSON),
        pair('{"fare": 10}', '{"fare": 12}', ("fare", "down"), reply=_JSON),
        pair(
            '{"fare": 10, "k": 1}',
            '{"fare": 12, "k": 2}',
            ("fare", "up"),
            ("k", "same"),
            reply=_JSON,
        ),
        pair('{"u": "high"}', '{"u": "normal"}', ("u", "up"), reply=_JSON),
        pair('{"size": "S"}', '{"size": "S"}', ("size", "other"), reply=_URGENCY),
        pair('{"fare": 10}', "no JSON", ("fare", "up"), reply=_JSON),
        pair('{"fare": 10}', '{"price": 12}', ("fare", "up"), reply=_JSON),
        pair("refund", "refund", ("", "other")),
        pair('{"fare": 10}', '{"fare": "12"}', ("fare", "is", "13"), reply=_JSON),
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if ground.pair is not None and ground.pair.moves else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if ground.pair is None or not ground.pair.moves or answer.original is None:
            return []
        if answer.original.text is None:
            return [Finding("", None, _no_original(ground.pair))]
        reader = Reader(ground.reply)
        told: list[str] = []
        wrong: list[str] = []
        pointers: list[str] = []
        for move in ground.pair.moves:
            try:
                was = reader.read(answer.original.text, move.what) if move.must != "is" else None
            except (NotThere, RecursionError) as error:
                return [Finding("", None, f"Of the answer to the original: {error}.")]
            try:
                fault = _fault(move, Two(was, reader.read(answer.text, move.what)), reader)
            except (NotThere, RecursionError) as error:
                fault = f"{move_told(move)}: {error}"
            if fault is None:
                return [
                    Finding(
                        "", None, f"It can't be told whether {move_told(move)}: neither is more."
                    )
                ]
            (wrong if fault else told).append(fault or move_told(move))
            if fault and ground.reply.kind == "json" and move.what:
                pointers.append(move.what if move.what.startswith("/") else f"/{move.what}")
        original = f"original case {ground.pair.of}"
        if not wrong:
            return [
                Finding("", True, f"As it must against {original}: {'; '.join(told[:MOST_TOLD])}.")
            ]
        more = f"; and {len(wrong) - MOST_TOLD} more" if len(wrong) > MOST_TOLD else ""
        message = f"Against {original} it must be that {'; '.join(wrong[:MOST_TOLD])}{more}."
        return [Finding("", False, message, pointers=tuple(pointers))]


def _fault(move: Move, two: Two, reader: Reader) -> str | None:
    """ "" for none; None where it can't be told."""
    both = f"it was {shown(two.was)} and is {shown(two.now)}"
    match move.must:
        case "is":
            given = two.now if isinstance(two.now, str) else shown(two.now)
            return "" if equal(given, move.value) else f"{move_told(move)}: it is {shown(two.now)}"
        case "same":
            return "" if equal(two.was, two.now) else f"{move_told(move)}: {both}"
        case "other":
            return f"{move_told(move)}: {both}" if equal(two.was, two.now) else ""
    rising = rises(two, reader.ladder(two, move.what))
    if rising is None:
        return None
    return "" if rising == (1 if move.must == "up" else -1) else f"{move_told(move)}: {both}"


class SteadyOptions(Options):
    fields: list[str] = Field(
        default_factory=list,
        max_length=100,
        title="Fields that must stay",
        description="Of a JSON reply, by name or pointer; empty for all that are no prose.",
    )
    least_alike: float = Field(
        40,
        ge=0,
        le=100,
        title="Prose at least so alike",
        description="chrF of the two answers, 0 to 100; labels and JSON must be equal.",
    )


class Steady(Check):
    key = "outcome.steady"
    version = 1
    kind = "outcome"
    summary = (
        "The answer stays the same where only what is irrelevant changes, as capitals or a name. Asked in "
        "trials with such variations."
    )
    also_called = (
        "steadiness",
        "robust",
        "invariance",
        "consistency",
        "perturbation",
        "bias",
        "fairness",
        "typos",
    )
    aspects = (Aspect("", "stays steady"),)
    reads = frozenset({"pair"})
    Options: ClassVar[type[Options]] = SteadyOptions
    good: ClassVar = (
        pair("refund", "Refund"),
        pair(
            '{"label": "a", "why": "He asks for it back."}',
            '{"label": "a", "why": "She wants it so much."}',
            reply=_JSON,
        ),
        pair('{"label": "a"}', 'Here: {"label": "A"}', reply=_JSON),
        pair('{"n": 3, "k": 1}', '{"n": 3.0, "k": 2}', options={"fields": ["n"]}, reply=_JSON),
        pair(
            "The boat leaves at nine from pier two.",
            "It leaves at nine from pier two.",
            reply={"kind": "text"},
        ),
        pair("", ""),
        pair(
            "The boat leaves at nine.",
            "No boat today.",
            options={"least_alike": 0},
            reply={"kind": "text"},
        ),
        Example("An answer without an original"),
    )
    bad: ClassVar = (
        pair("refund", "delay", reply={"kind": "label", "labels": ["refund", "delay"]}),
        pair('{"label": "a"}', '{"label": "b"}', reply=_JSON),
        pair('{"label": "a"}', "no JSON", reply=_JSON),
        pair('{"n": 3}', '{"n": 4}', reply=_JSON),
        pair('{"n": 3}', '{"m": 3}', reply=_JSON),
        pair(
            "The boat leaves at nine from pier two.",
            "Sorry, I do not know.",
            reply={"kind": "text"},
        ),
        pair("The boat leaves at nine from pier two.", "", reply={"kind": "text"}),
        pair('{"tags": ["x", "y"]}', '{"tags": ["x"]}', reply=_JSON),
    )

    def asked(self, ground: Ground) -> list[str]:
        return [""] if ground.pair is not None and ground.pair.is_variation else []

    def judge(self, answer: Answer, ground: Ground) -> list[Finding]:
        if ground.pair is None or not ground.pair.is_variation or answer.original is None:
            return []
        was = answer.original.text
        if was is None:
            return [Finding("", None, _no_original(ground.pair))]
        if ground.reply.kind != "json":
            return [self._of_text(was, answer.text, ground)]
        try:
            return [self._of_json(was, answer.text, ground.reply)]
        except RecursionError:
            return [Finding("", None, "It is nested too deeply to be compared.")]

    def _of_text(self, was: str, now: str, ground: Ground) -> Finding:
        if equal(was, now):
            return Finding(
                "",
                True,
                f"The answer is the same as to case {ground.pair.of if ground.pair else ''}.",
            )
        if ground.reply.kind == "label":
            return Finding("", False, f"It was “{shown(was)}” and is “{shown(now)}”.")
        alike = min(chrf(now[:LONGEST], was[:LONGEST]), chrf(was[:LONGEST], now[:LONGEST]))
        told = f"The two answers are alike by {alike:.0f} of 100"
        if alike >= self.options.least_alike:
            return Finding("", True, f"{told}.")
        return Finding(
            "",
            False,
            f"{told}; at least {self.options.least_alike:g} is wanted. It was: “{shown(was)}”",
        )

    def _of_json(self, was: str, now: str, reply: ReplyShape) -> Finding:
        reader = Reader(reply)
        try:
            before = reader.read(was, "")
        except NotThere as why:
            return Finding("", None, f"Of the answer to the original: {why}.")
        try:
            after = reader.read(now, "")
        except NotThere as why:
            return Finding("", False, f"There was JSON in the answer to the original; now {why}.")
        if self.options.fields:
            faults = [
                name for name in self.options.fields if not _as_before(reader, was, now, name)
            ]
        else:
            faults = list(_differing(before, after))
        if not faults:
            return Finding("", True, "Its fields are the same.")
        pointers = tuple(each if each.startswith("/") else f"/{each}" for each in faults)
        return Finding("", False, f"Changed: {_told(faults, before, after)}.", pointers=pointers)


def _as_before(reader: Reader, was: str, now: str, name: str) -> bool:
    try:
        before = reader.read(was, name)
    except NotThere:
        return True  # nothing to keep to
    try:
        return equal(before, reader.read(now, name))
    except NotThere:
        return False


def _differing(was: Any, now: Any, at: str = "") -> Sequence[str]:
    """Pointers of what differs, prose apart."""
    if isinstance(was, dict) and isinstance(now, dict):
        told: list[str] = []
        for name in {**was, **now}:
            place = f"{at}/{name.replace('~', '~0').replace('/', '~1')}"
            if name not in was or name not in now:
                told.append(place)
            else:
                told += _differing(was[name], now[name], place)
        return told
    if (
        isinstance(was, str)
        and isinstance(now, str)
        and min(len(was.split()), len(now.split())) >= FREE_WORDS
    ):
        return []
    return [] if equal(was, now) else [at]


def _told(pointers: Sequence[str], was: Any, now: Any) -> str:
    told = []
    for pointer in pointers[:MOST_TOLD]:
        reads = pointer if pointer.startswith("/") or not pointer else f"/{pointer}"
        one, other = (at_pointer(value, reads) for value in (was, now))
        told.append(
            f"{pointer.removeprefix('/') or 'all of it'} from {_or_none(one)} to {_or_none(other)}"
        )
    more = f" and {len(pointers) - MOST_TOLD} more" if len(pointers) > MOST_TOLD else ""
    return ", ".join(told) + more


def _or_none(value: Any) -> str:
    return "nothing" if value is MISSING else shown(value)


def _no_original(pair: Pair) -> str:
    return f"The original, case {pair.of}, got no answer."
