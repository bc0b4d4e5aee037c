"""What is kept of a walk that is over."""

from __future__ import annotations

import re
from collections.abc import Mapping

from epistem.core.chains.drawn import failed_at, own_ms, step_of_place, told_step
from epistem.core.chains.walked import Walked
from epistem.store.walks.readings import WalkTook

_ROUND = re.compile(r"(?<=\.)r\d+(?=\.)")


def walk_took(walked: Walked, took: Mapping[str, float]) -> WalkTook:
    """`took` are the ms of what it needed, by path."""
    own = own_ms(walked.steps, took)
    failed = failed_at(walked.steps) if walked.ended != "done" else None
    rounds = {step.at[: found.end()] for step in walked.steps for found in _ROUND.finditer(step.at)}
    return WalkTook(
        walked.ended,
        step_of_place(failed.at) if failed else "",
        failed.name if failed else "",
        sum(not step.passed_over for step in walked.steps),
        len(rounds),
        sum(step.calls for step in walked.steps),
        [told_step(step, own[step.at]) for step in walked.steps],
        [(each.says, each.heard) for each in walked.talk],
    )
