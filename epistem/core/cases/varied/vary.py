"""A case in one variation: asked beside it, its answer must be the same."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from epistem.core.cases.content import Case, Expectation, is_picture
from epistem.core.cases.identity import asked_hash
from epistem.core.cases.pair import Pair, Variation
from epistem.core.cases.talk import is_talk
from epistem.core.cases.varied.rules import TEXT_RULES, other_order
from epistem.core.prompts.content import Input

LONGEST = 20_000
"""Characters of a text that is varied; a longer one is left as it is."""
_WITHIN = ("other name", "other gender")
"""These go into records and passages, too: a name must be another one everywhere, or nowhere."""


def varied(case: Case, number: int, kind: Variation, inputs: Sequence[Input] = ()) -> Case | None:
    """None where the rule finds nothing to change, for a talk, and for what is a variation already. Choices
    and numbers stay as they are, which is what `inputs` tells; the same case always comes out the same."""
    if is_talk(case) or (case.pair is not None and case.pair.is_variation):
        return None
    seed = asked_hash(case) + kind.encode()
    kinds = {each.name: each.kind for each in inputs}
    told: dict[str, Any] = {}
    done = False
    for name, value in case.inputs.items():
        if kind == "irrelevant" and done:
            told[name] = value  # once is enough
            continue
        told[name] = _varied(value, kinds.get(name, ""), kind, seed)
        done = done or told[name] != value
    if not done:
        return None
    pair = Pair(of=number, kind=kind)
    return case.model_copy(
        update={"inputs": told, "expect": Expectation(), "tags": [kind], "pair": pair, "key": ""}
    )


def all_varied(
    cases: Sequence[tuple[int, Case]], kinds: Sequence[Variation], inputs: Sequence[Input]
) -> Iterator[tuple[int, Case]]:
    """With the numbers of the originals, kind by kind."""
    for kind in kinds:
        for number, case in cases:
            found = varied(case, number, kind, inputs)
            if found is not None:
                yield number, found


def _varied(value: Any, input_kind: str, kind: Variation, seed: bytes) -> Any:
    if input_kind in ("choice", "number", "image") or is_picture(value):
        return value
    if kind == "other order":
        return value if input_kind == "dialogue" else other_order(value)
    rule = TEXT_RULES[kind]

    def within(part: Any) -> Any:
        match part:
            case str() if len(part) <= LONGEST:
                return rule(part, seed)
            case Mapping():
                return {name: within(each) for name, each in part.items()}
            case list():
                return [within(each) for each in part]
        return part

    if isinstance(value, str) or kind in _WITHIN:
        return within(value)
    return value
