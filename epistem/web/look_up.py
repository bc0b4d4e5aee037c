"""The bench of look-ups: a question and what it finds, vectors, look-up cases, and what they measure."""

from __future__ import annotations

from collections.abc import Sequence
from threading import BoundedSemaphore

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.engine.needs import FoundPassage
from epistem.core.evidence.scores import Mean, ScoreDifference
from epistem.core.knowledge.terms import asked, matched
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.shapes import Document
from epistem.store import jobs
from epistem.store.knowledge import collections, questions
from epistem.web.collections import CollectionPath, bp
from epistem.web.found import PassageFound, passage_shape
from epistem.web.jobs import JobLine
from epistem.web.pages import fitting
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import Shape, database, reply, transaction
from epistem.work.jobs import VECTORS, begin_vectors
from epistem.work.knowledge import embedding, measuring
from epistem.work.knowledge.looking_up import find

MOST_SHOWN = 2_500
"""Characters of a passage that is found."""
MOST_CASES = 300
"""Look-up cases in one answer."""
AT_ONCE = 2
FULL = "Others are measured at the moment. Try again in a little while."
_measuring = BoundedSemaphore(AT_ONCE)


class AskPassages(Document):
    """`looking.collection` is the one of the address, whatever it says."""

    question: str = Field(max_length=4_000)
    looking: LookingUp


class PassageHit(PassageFound):
    """`words` are the places in the text that a word of the question stands at: start and end."""

    words: list[list[int]]


class LookedUp(Shape):
    version: int
    passages: list[PassageHit]


class VectorsShape(Shape):
    """Passages that have a vector, of all; `cents` is what the rest will cost, about. `job` is what makes the rest
    behind the pages, if it is asked for and not done."""

    done: int
    total: int
    cents: float
    job: JobLine | None


class LookUpCaseIn(Document):
    question: str = Field(min_length=1, max_length=4_000)
    wanted: list[str] = Field(default_factory=list, max_length=50)


class LookUpCaseShape(Shape):
    id: int
    question: str
    wanted: list[str]


class LookUpCases(Shape):
    """The latest, in the order in which they were kept; `kept` counts all."""

    cases: list[LookUpCaseShape]
    kept: int


class LookUpCasePath(CollectionPath):
    number: int = Field(ge=1)


class Away(Document):
    away: bool


class ToMeasure(Document):
    """The first setting is what others are compared with. `besides`: subjects whose cases' first words are asked,
    too, to see what nothing reaches."""

    settings: list[LookingUp] = Field(min_length=1, max_length=measuring.MOST_SETTINGS)
    besides: list[str] = Field(default_factory=list, max_length=10)


class LookUpMean(Shape):
    value: float
    low: float
    high: float


class LookUpDifference(Shape):
    """`word` is better, worse, same or unsettled, against the first setting."""

    value: float | None
    low: float | None
    high: float | None
    word: str


class OfSetting(Shape):
    mean: LookUpMean | None
    difference: LookUpDifference | None


class MeasureRow(Shape):
    name: str
    settings: list[OfSetting]


class QuestionLine(Shape):
    """`ranks` are the places of the first passage that is wanted, one for each setting; null: not found."""

    id: int
    question: str
    wanted: list[str]
    lost: list[str]
    ranks: list[int | None]
    recalls: list[float]


class MeasuredPage(Shape):
    """`unreached` are the first of passages that no question reaches; `unanswered` find nothing."""

    rows: list[MeasureRow]
    questions: list[QuestionLine]
    asked: int
    passages: int
    unreached: list[str]
    unreached_count: int
    unanswered: list[str]


class Batches(BaseModel):
    batches: int = Field(4, ge=1, le=50, description="Requests to the model.")


@bp.post(
    "/collections/<collection>/look-ups", responses={200: LookedUp, 502: Problem},
    operation_id="lookUp", summary="Look a question up",
)  # fmt: skip
def look_up(path: CollectionPath, body: AskPassages) -> Response:
    looking = body.looking.model_copy(update={"collection": path.collection})
    found = find(database(), looking, body.question)
    wanted = asked(body.question)
    passages = [_hit(each, wanted) for each in found.passages]
    return reply(LookedUp(version=found.version, passages=passages))


@bp.get(
    "/collections/<collection>/vectors", responses={200: VectorsShape}, operation_id="getVectors",
    summary="How many passages have a vector",
)  # fmt: skip
def get_vectors(path: CollectionPath) -> Response:
    return _vectors(path.collection, embedding.progress(database(), path.collection))


@bp.post(
    "/collections/<collection>/vectors/all", responses={200: VectorsShape},
    operation_id="makeAllVectors", summary="Have all vectors made behind the pages",
)  # fmt: skip
def make_all_vectors(path: CollectionPath) -> Response:
    """It goes on by itself, and over a start anew."""
    come = embedding.progress(database(), path.collection)
    with transaction() as tx:
        begin_vectors(tx, path.collection)
    return _vectors(path.collection, come)


def _vectors(name: str, come: embedding.Progress) -> Response:
    with transaction() as tx:
        job = jobs.find(tx, VECTORS, name)
    shown = job is not None and (job.going or job.status == "failed")
    line = JobLine.model_validate(job) if shown else None
    return reply(VectorsShape(**come._asdict(), job=line))


@bp.post(
    "/collections/<collection>/vectors", responses={200: VectorsShape, 502: Problem},
    operation_id="makeVectors", summary="Make some more vectors",
)  # fmt: skip
def make_vectors(path: CollectionPath, query: Batches) -> Response:
    """What is made is kept at once. Ask again until none is missing."""
    return _vectors(path.collection, embedding.go_on(database(), path.collection, query.batches))


@bp.get(
    "/collections/<collection>/look-up-cases", responses={200: LookUpCases},
    operation_id="listLookUpCases", summary="Questions with the passages that they should find",
)  # fmt: skip
def list_look_up_cases(path: CollectionPath) -> Response:
    with transaction() as tx:
        found = questions.all_of(tx, collections.get(tx, path.collection))
    lines, _ = fitting([LookUpCaseShape.model_validate(each) for each in found[::-1]], MOST_CASES)
    return reply(LookUpCases(cases=lines[::-1], kept=len(found)))


@bp.post(
    "/collections/<collection>/look-up-cases", responses={201: LookUpCaseShape},
    operation_id="keepLookUpCase", summary="Keep a question with the passages that it should find",
)  # fmt: skip
def keep_look_up_case(path: CollectionPath, body: LookUpCaseIn) -> Response:
    with transaction() as tx:
        collection = collections.get(tx, path.collection)
        number = questions.keep(tx, collection, body.question, body.wanted)
    return reply(LookUpCaseShape(id=number, **body.model_dump()), 201)


@bp.put(
    "/collections/<collection>/look-up-cases/<int:number>", responses={200: LookUpCaseShape},
    operation_id="changeLookUpCase", summary="Change a look-up case",
)  # fmt: skip
def change_look_up_case(path: LookUpCasePath, body: LookUpCaseIn) -> Response:
    with transaction() as tx:
        collection = collections.get(tx, path.collection)
        questions.change(tx, collection, path.number, body.question, body.wanted)
    return reply(LookUpCaseShape(id=path.number, **body.model_dump()))


@bp.put(
    "/collections/<collection>/look-up-cases/<int:number>/away", responses={200: Away},
    operation_id="putLookUpCaseAway", summary="Put a look-up case away, or bring it back",
)  # fmt: skip
def put_look_up_case_away(path: LookUpCasePath, body: Away) -> Response:
    with transaction() as tx:
        questions.set_away(tx, collections.get(tx, path.collection), path.number, body.away)
    return reply(body)


@bp.post(
    "/collections/<collection>/measured", responses={200: MeasuredPage, 502: Problem},
    operation_id="measureLookUps", summary="Ask the look-up cases with several settings",
)  # fmt: skip
def measure(path: CollectionPath, body: ToMeasure) -> Response:
    """Recall and nDCG of as many passages as the setting takes, and the reciprocal rank: means with intervals,
    differences from the first setting paired by question."""
    settings = [each.model_copy(update={"collection": path.collection}) for each in body.settings]
    with held(_measuring, FULL):
        found = measuring.measure(database(), path.collection, settings, body.besides)
    rows = [
        MeasureRow(name=name, settings=[_setting(each.mean, each.difference) for each in told])
        for name, told in zip(measuring.MEASURES, found.told, strict=True)
    ]
    return reply(
        MeasuredPage(
            rows=rows,
            questions=[_question(each) for each in found.questions[-MOST_CASES:]],
            **{
                name: getattr(found, name)
                for name in set(MeasuredPage.model_fields) - {"rows", "questions"}
            },
        )
    )


def _hit(passage: FoundPassage, wanted: Sequence[str]) -> PassageHit:
    told = passage_shape(passage, MOST_SHOWN)
    words = [list(place) for place in matched(told.text, wanted)]
    return PassageHit(**told.model_dump(), words=words)


def _question(each: measuring.OfQuestion) -> QuestionLine:
    line = QuestionLine.model_validate(each)
    return line.model_copy(update={"question": line.question[:200]})


def _setting(mean: Mean | None, difference: ScoreDifference | None) -> OfSetting:
    told = None
    if mean is not None:
        told = LookUpMean(value=mean.value, low=mean.interval.low, high=mean.interval.high)
    against = None
    if difference is not None:
        at = difference.interval
        against = LookUpDifference(
            value=difference.difference,
            low=at.low if at else None,
            high=at.high if at else None,
            word=difference.word,
        )
    return OfSetting(mean=told, difference=against)
