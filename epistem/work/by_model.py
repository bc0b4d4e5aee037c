"""With two versions on several models: what the trial says on each model, and whose repeats are all alike."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from epistem.core.evidence.intervals import LEVEL
from epistem.core.evidence.sentence import Segment, verdict_sentence
from epistem.core.evidence.verdict import Missing
from epistem.store import trials
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.store.trials import Arm, Trial
from epistem.work.evidence import LOOKED_BACK, Evidence, evidence_of
from epistem.work.trials import Outlook


class OnModel(NamedTuple):
    """One sentence: `arm` against `baseline`, which ask the same model with the same settings."""

    model: str
    arm: int
    baseline: int
    sentence: list[Segment]


def on_each_model(
    tx: Transaction, trial: Trial, missing: Missing = "failed", *, looking: bool = False
) -> list[OnModel]:
    """The main comparison's two versions held against each other on every model that has both with
    settings alike, in the order of the arms. Empty unless there are two models that do."""
    found = evidence_of(tx, trial, missing, looking=looking)
    if found.lead is None:
        return []
    newer, older = found.arms[found.lead].version, found.arms[0].version
    pairs = [
        (arm, base)
        for arm in found.arms
        if arm.version == newer != older
        and (base := _same_but_for_version(found.arms, arm, older)) is not None
    ]
    if len({arm.model for arm, _ in pairs}) < 2:
        return []
    told = []
    for arm, base in pairs:
        there = (
            found
            if base.position == 0
            else evidence_of(tx, trial, missing, base.position, looking=looking)
        )
        told.append(OnModel(arm.model, arm.position, base.position, _brief(there, arm.position)))
    return told


def _brief(found: Evidence, arm: int) -> list[Segment]:
    """What would settle it is told once, in the main sentence."""
    verdict = found.verdict
    return verdict_sentence(
        found.names[arm],
        found.names[found.baseline],
        [c for c in verdict.comparisons if c.arm == arm],
        [measure.title for measure in found.measures],
        [measure.margin for measure in found.measures],
        found.efforts[arm],
        found.efforts[found.baseline],
        missing=verdict.missing,
        early=verdict.level > LEVEL,
        brief=True,
    )


def _same_but_for_version(arms: list[Arm], like: Arm, version: int) -> Arm | None:
    wanted = (version, like.model, like.settings)
    return next((a for a in arms if (a.version, a.model, a.settings) == wanted), None)


def steady_arms(tx: Transaction, subject: Subject, outlook: Outlook, repeats: int) -> list[int]:
    """Arms of a plan whose repeats will hardly tell more than one: at temperature 0 all repeats of
    their model came out alike, in every check, in the newest of the latest trials that repeated it so."""
    if repeats < 2 or not any(settings.temperature == 0 for _, settings in outlook.asked):
        return []
    alike: dict[str, bool] = {}
    for trial in trials.all_of(tx, subject, most=LOOKED_BACK):
        if trial.recorded and trial.plan.repeats > 1:
            for model, every in _repeats_alike(evidence_of(tx, trial)):
                alike.setdefault(model, every)
    return [
        at
        for at, (model, settings) in enumerate(outlook.asked)
        if settings.temperature == 0 and alike.get(model)
    ]


def _repeats_alike(found: Evidence) -> Iterator[tuple[str, bool]]:
    """Models that were asked at temperature 0, and whether all repeats came out alike."""
    for arm, shares in zip(found.arms, found.verdict.agreements, strict=True):
        known = [share for share in shares if share is not None]
        if arm.settings.temperature == 0 and known:
            yield arm.model, all(share == 1 for share in known)
