"""Chains to begin with, by kind of work; each is whole, with cases to try it on."""

from __future__ import annotations

import json
from functools import cache
from importlib import resources
from typing import Any, NamedTuple

import yaml

from epistem.core.cases.content import Case
from epistem.core.chains.content import Chain
from epistem.core.errors import NotFound

ORDER = (
    "classify-answer", "draft-review-rewrite", "query-answer", "triage-helpers", "map-merge", "several-combine",
    "think-criticise", "rewrite-plan-act", "collect-do", "talk-memory",
)  # fmt: skip
CHEAP, DEAR, SOURCE = "CHEAP", "DEAR", "SOURCE"
"""Stand for the cheapest and the dearest model, and the first source, of whoever begins with it."""


class Pattern(NamedTuple):
    """`when` says when to use it."""

    key: str
    title: str
    when: str
    chain: Chain
    cases: tuple[Case, ...]

    def with_names(self, cheap: str, dear: str, source: str) -> Chain:
        """With models and a source that there are."""
        names = {CHEAP: cheap, DEAR: dear, SOURCE: source}
        return Chain.from_json(_named(self.chain.to_json(), names))


def _named(told: Any, names: dict[str, str]) -> Any:
    if isinstance(told, list):
        return [_named(each, names) for each in told]
    if isinstance(told, dict):
        return {
            key: names.get(each, each)
            if key in ("model", "source") and isinstance(each, str)
            else _named(each, names)
            for key, each in told.items()
        }
    return told


@cache
def all_of() -> tuple[Pattern, ...]:
    folder = resources.files("epistem.starters") / "chains"
    return tuple(_read(key, (folder / f"{key}.yaml").read_text("utf-8")) for key in ORDER)


def get(key: str) -> Pattern:
    """Raises NotFound."""
    for each in all_of():
        if each.key == key:
            return each
    raise NotFound(f"There is no pattern called “{key[:60]}”.", field="pattern")


def _read(key: str, text: str) -> Pattern:
    told = yaml.safe_load(text)
    cases = [Case.from_json(json.loads(json.dumps(each))) for each in told["cases"]]
    return Pattern(
        key, told["title"], told["when"], Chain.from_json(told["chain"], at=key), tuple(cases)
    )
