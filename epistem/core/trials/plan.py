"""What a trial asks: its arms, cases, repeats and checks, and the cells they make."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterator, Mapping, Sequence
from types import MappingProxyType
from typing import Annotated, NamedTuple

from pydantic import Field

from epistem.core.cases.pair import VARIATIONS, Variation
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import InvalidInput
from epistem.core.prompts.looking_up import MOST_PASSAGES, LookUpMethod
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import Document, Tag, listed, said

MAX_REPEATS = 100
MAX_CELLS = 200_000
NO_SEEDS: Mapping[tuple[int, int], int] = MappingProxyType({})
IN_FLIGHT = 64
"""Calls that a runner makes at once, unless it is told otherwise."""


class LookUpChange(Document):
    """What stands over the version's own way to look passages up, for all of its inputs that do."""

    version: int | None = Field(None, ge=1, description="Of the collection.")
    most: int | None = Field(None, ge=1, le=MOST_PASSAGES)
    method: LookUpMethod | None = None


class ArmPlan(Document):
    """One thing compared. `settings` stand over those of the version, and so does `look_up`. The first arm is
    the baseline.

    A chain has models and settings at its steps: those given here, and `prompt`, are for the one named `step`."""

    version: int = Field(ge=1)
    subject: str = said(
        "", max_length=63, description="Whose version it is, where it is another subject's."
    )
    model: str = Field("", max_length=80, description="Left out only for a chain as it is.")
    settings: Settings = Field(default_factory=Settings)
    look_up: LookUpChange | None = said(None)
    step: str = said("", max_length=80, description="Of a chain: the step that is varied.")
    prompt: str = said(
        "", max_length=80, description="The version of a prompt for that step, as in desk-reply@3."
    )


class MainQuestion(Document):
    """Does this arm (by its place) differ from the baseline in this measure (by its key)?"""

    arm: int = Field(ge=0)
    measure: str = Field(max_length=200)


class TrialPlan(Document):
    """`cases` are case numbers of the subject; None means all that are kept. `tags` and `sets` leave those
    with any of the tags or in any of the named sets, `like` those that the trial of this number asked. With `alone`
    the step of that name is walked by itself, on the cases that are of it; without, those are left out.
    `steadiness` asks each also in these variations, wherever they change something: `varied` cases more,
    once the plan is spelt out, as are the places of the cases that are `held_out`. The main question is
    named before the trial starts, or never."""

    arms: list[ArmPlan] = Field(default_factory=list, max_length=40)
    cases: list[int] | None = None
    tags: list[Tag] = said(max_length=50)
    sets: list[Annotated[str, Field(max_length=80)]] = said(max_length=50)
    like: int | None = said(None, ge=1)
    alone: str = said("", max_length=80, description="Of a chain: the one step that is tried.")
    as_recorded: int | None = said(
        None,
        ge=1,
        description="Of chains: the trial that answers what it was asked exactly the same, seed included.",
    )
    steadiness: list[Variation] = said(max_length=len(VARIATIONS))
    varied: int = said(0, ge=0)
    held_out: list[int] = said(description="Places of cases whose results stay out of sight.")
    repeats: int = 5
    checks: list[CheckUse] | None = None
    seed: int = Field(1, ge=0, lt=2**31)
    question: MainQuestion | None = said(None)


class Cell(NamedTuple):
    """One call to make: positions of its arm and case in the plan, and its own seed."""

    arm: int
    case: int
    repeat: int
    seed: int


def check_plan(plan: TrialPlan, cases: int) -> None:
    """Raise InvalidInput, naming the field, for a plan that can't be carried out."""
    if not plan.arms:
        raise InvalidInput(
            "The trial has no arms. Add at least one version and model.", field="arms"
        )
    seen: dict[str, int] = {}
    for position, arm in enumerate(plan.arms):
        same = seen.setdefault(arm.model_dump_json(), position)
        if same != position:
            raise InvalidInput(
                f"Arms {same + 1} and {position + 1} are the same. Change the version, the model "
                "or a setting of one, or remove it.",
                field=f"arms.{position}",
            )
    if cases == 0 and plan.alone:
        raise InvalidInput(
            f"No case that is chosen is of the step “{plan.alone}”. Keep some from walks: what the step was "
            "given there becomes a case of it.",
            field="cases",
        )
    if cases == 0 and (plan.tags or plan.sets or plan.like):
        raise InvalidInput(
            "None of the cases that are kept are of that choice. Choose others.", field="cases"
        )
    if cases == 0:
        raise InvalidInput(
            "The trial has no cases. Keep some from Draft, or add them under Cases.", field="cases"
        )
    if plan.repeats < 1:
        raise InvalidInput(f"repeats={plan.repeats} must be at least 1.", field="repeats")
    if plan.repeats > MAX_REPEATS:
        raise InvalidInput(
            f"repeats={plan.repeats:,} is more than {MAX_REPEATS}. More cases tell more than more "
            "repeats do.",
            field="repeats",
        )
    if plan.question is not None and not 0 < plan.question.arm < len(plan.arms):
        raise InvalidInput(
            f"The main question is of arm {plan.question.arm}. It has to be one that is compared with "
            "the first, which is the baseline: 1 for the second arm, and so on.",
            field="question.arm",
        )
    cells = len(plan.arms) * cases * plan.repeats
    if cells > MAX_CELLS:
        raise InvalidInput(
            f"{len(plan.arms)} arms × {cases:,} cases × {plan.repeats} repeats are {cells:,} calls; "
            f"the limit is {MAX_CELLS:,}. Take fewer cases or repeats.",
            field="repeats",
        )


def check_question(plan: TrialPlan, measures: Sequence[str]) -> None:
    """Raise InvalidInput if the main question is of a measure that the trial's checks do not give."""
    if plan.question is not None and plan.question.measure not in measures:
        raise InvalidInput(
            f"The main question is of “{plan.question.measure}”, which no check of this trial "
            f"measures. There {'is' if len(measures) == 1 else 'are'} {listed(measures, 'and') or 'none'}.",
            field="question.measure",
        )


def cells_of(
    plan: TrialPlan,
    cases: int,
    alike: Collection[int] = (),
    seeds: Mapping[tuple[int, int], int] = NO_SEEDS,
) -> Iterator[Cell]:
    """Every cell: first repeats of all cases and arms first, so that a stop leaves a fair part. The arms `alike` share
    their seeds, so that they ask the same where they are the same; they are held against each other case by case, which
    such pairs only make steadier. `seeds` are those of them that are given, by the place of the case and the repeat."""
    first = min(alike, default=0)
    for repeat in range(plan.repeats):
        for case in range(cases):
            for arm in range(len(plan.arms)):
                given = seeds.get((case, repeat)) if arm in alike else None
                drawn = cell_seed(plan.seed, first if arm in alike else arm, case, repeat)
                yield Cell(arm, case, repeat, drawn if given is None else given)


def cell_seed(trial_seed: int, arm: int, case: int, repeat: int) -> int:
    """A seed of its own for every cell (31 bits), so that arms and repeats are independent."""
    digest = hashlib.sha256(f"{trial_seed}/{arm}/{case}/{repeat}".encode()).digest()
    return int.from_bytes(digest[:4], "big") >> 1
