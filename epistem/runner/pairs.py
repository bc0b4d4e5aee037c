"""Pairs of a trial, for the writer: what is found of an answer against that to the case's original."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from epistem.core.checks.base import Answer, Original
from epistem.core.checks.bench import Judged
from epistem.runner.arms import ArmAtWork
from epistem.store.database import Transaction
from epistem.store.pairs import Side
from epistem.store.trial_cases import TrialCase, cases_of


class Pairs:
    """A `store.pairs.Pairing`. Used by the writer's thread alone, apart from `cases`, which only grows."""

    def __init__(
        self,
        trial_id: int,
        originals: Mapping[int, int],
        arms: Mapping[int, ArmAtWork],
        cases: dict[int, TrialCase],
    ) -> None:
        self._trial_id, self._arms, self._cases = trial_id, arms, cases
        self.originals = originals
        self.paired_with: Mapping[int, Sequence[int]]
        told: dict[int, list[int]] = {}
        for paired, original in originals.items():
            told.setdefault(original, []).append(paired)
        self.paired_with = told

    def judge(self, tx: Transaction, side: Side, original: str | None) -> list[Judged]:
        if side.case_at not in self._cases:  # another shard asked it
            for case in cases_of(tx, self._trial_id, {side.case_at}):
                self._cases[case.position] = case
        at_work = self._arms[side.arm]
        answer = Answer(side.answer or "", side.finish_reason or "stop")
        ground = at_work.ground(side.case_at)
        return at_work.bench.judge_pair(replace(answer, original=Original(original)), ground)
