"""How cases have fared: strips for a list, and all that met one case."""

from __future__ import annotations

from threading import BoundedSemaphore

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.errors import InvalidInput
from epistem.store import subjects
from epistem.web.arms import arms_named
from epistem.web.cases import CasePath
from epistem.web.permits import held
from epistem.web.replies import Moment, Shape, SubjectPath, blueprint, reply, transaction
from epistem.work import fared
from epistem.work.case_review import review

bp = blueprint("fared")

MOST_ARMS = 3
MOST_CASES = 200
MOST_FEW = 50
FULL = "Cases are being looked through already. Try again in a moment."
_reviewing = BoundedSemaphore(2)
"""Ten thousand cases take seconds."""


class StripsQuery(BaseModel):
    of: str = Field(max_length=100, description="Arms, as trial.position: `12.0,12.1`.")
    numbers: str = Field(max_length=2_000, description="Numbers of cases: `1,2,5`.")


class StripShape(Shape):
    """`letters[i]` goes with the i-th number: a letter for each repeat, p passed, f failed, u no answer, n
    nothing found, . not yet; empty where the arm did not ask the case."""

    trial: int
    arm: int
    letters: list[str]


class Strips(Shape):
    numbers: list[int]
    strips: list[StripShape]


class ArmOfTrial(Shape):
    trial: int
    arm: int
    name: str
    over: bool = Field(description="Whether its trial has ended.")
    created_at: Moment


class ArmsPage(Shape):
    """Of the latest trials, newest first."""

    arms: list[ArmOfTrial]


class DoubleShape(Shape):
    """Two cases that ask nearly the same. `contradict`: no answer has a label that is right for both."""

    one: int
    other: int
    likeness: float
    one_title: str
    other_title: str
    one_labels: list[str]
    other_labels: list[str]
    contradict: bool


class FewShape(Shape):
    word: str
    cases: int


class ReviewPage(Shape):
    """`doubles` are the first of `doubles_found`, contradictions before others. Labels and tags are those
    of fewer cases than can settle anything. `unlabelled` expect none where others do."""

    cases: int
    doubles: list[DoubleShape]
    doubles_found: int
    contradictions: int
    passes_all: int
    passes_none: int
    few_labels: list[FewShape]
    few_tags: list[FewShape]
    unlabelled: int
    disputed: int = Field(description="Cases that people gave different labels.")


class MetShape(Shape):
    """One arm of one trial that asked the case; `failed` are the measures that some answer failed. `as_now`:
    the case was then as it is now."""

    trial: int
    position: int
    arm: int
    name: str
    version: int
    model: str
    created_at: Moment
    letters: str
    failed: list[str]
    as_now: bool
    answer: str = Field(
        description="How an answer of the newest trial begins, one that failed first."
    )


class FaredPage(Shape):
    """The newest trial first."""

    met: list[MetShape]


@bp.get(
    "/subjects/<name>/cases/strips", responses={200: Strips}, operation_id="listStrips",
    summary="How some cases fared in up to three arms",
)  # fmt: skip
def list_strips(path: SubjectPath, query: StripsQuery) -> Response:
    arms = arms_named(query.of, MOST_ARMS)
    numbers = _numbers(query.numbers)
    with transaction() as tx:
        found = fared.strips_of(tx, subjects.get(tx, path.name), arms, numbers)
    strips = [
        StripShape(trial=s.trial, arm=s.arm, letters=[s.letters.get(n, "") for n in numbers])
        for s in found
    ]
    return reply(Strips(numbers=numbers, strips=strips))


@bp.get(
    "/subjects/<name>/cases/arms", responses={200: ArmsPage}, operation_id="listCaseArms",
    summary="Arms of the latest trials, whose strips a list of cases can show",
)  # fmt: skip
def list_case_arms(path: SubjectPath) -> Response:
    with transaction() as tx:
        found = fared.latest_arms(tx, subjects.get(tx, path.name))
    return reply(ArmsPage(arms=[ArmOfTrial.model_validate(each) for each in found]))


@bp.get(
    "/subjects/<name>/cases/review", responses={200: ReviewPage}, operation_id="reviewCases",
    summary="What is worth a look in the cases: doubles, contradictions, what tells nothing, what is missing",
)  # fmt: skip
def review_cases(path: SubjectPath) -> Response:
    with held(_reviewing, FULL), transaction() as tx:
        found = review(tx, subjects.get(tx, path.name))
    told = {name: getattr(found, name) for name in ReviewPage.model_fields if "few_" not in name}
    few = {
        name: [FewShape(word=word, cases=cases) for word, cases in getattr(found, name)[:MOST_FEW]]
        for name in ("few_labels", "few_tags")
    }
    told["doubles"] = [DoubleShape.model_validate(each) for each in found.doubles]
    return reply(ReviewPage(**told, **few))


@bp.get(
    "/subjects/<name>/cases/<int:number>/fared", responses={200: FaredPage},
    operation_id="getFared", summary="Every arm that asked a case, and what came of it",
)  # fmt: skip
def get_fared(path: CasePath) -> Response:
    with transaction() as tx:
        found = fared.fared_of(tx, subjects.get(tx, path.name), path.number)
    return reply(FaredPage(met=[MetShape.model_validate(each) for each in found]))


def _numbers(text: str) -> list[int]:
    told = [each for each in text.split(",") if each]
    if not all(each.isascii() and each.isdecimal() and len(each) < 10 for each in told):
        raise InvalidInput("`numbers` should be like 1,2,5.", field="numbers")
    if len(told) > MOST_CASES:
        raise InvalidInput(
            f"`numbers` has {len(told)}; the limit is {MOST_CASES}.", field="numbers"
        )
    return [int(each) for each in told]
