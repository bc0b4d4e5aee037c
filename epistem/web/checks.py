"""The library of checks, and a bench where they are tried on answers that are there."""

from __future__ import annotations

from threading import BoundedSemaphore
from typing import Any

from flask import Response
from pydantic import BaseModel, Field

from epistem.core.checks.measures import measures_of
from epistem.core.checks.registry import check_class, check_keys
from epistem.core.checks.uses import CheckUse
from epistem.store import subjects
from epistem.web.findings import FindingShape, TrustShape, finding_shape, trust_shape
from epistem.web.permits import held
from epistem.web.problems import Problem
from epistem.web.replies import Shape, SubjectPath, blueprint, database, reply, transaction
from epistem.web.subjects import Measure
from epistem.work.checking import on_the_bench, rules_in_draft
from epistem.work.probation import ask, put_to_the_test, trust_today
from epistem.work.tools.querying import Queries

bp = blueprint("checks")

MOST_TEXT = 200_000
JUDGES_AT_ONCE = 2
FULL = "Judges are being asked already. Ask again in a moment."
_asking = BoundedSemaphore(JUDGES_AT_ONCE)
MOST_TRIES = 20


class CheckExample(Shape):
    """An answer that a check lets through or objects to, under these options."""

    text: str
    options: dict[str, Any]


class CheckKind(Shape):
    """A check there is. `summary` is what it promises, `also_called` are words to find it by besides, and
    `good` and `bad` answers that pass and that don't."""

    key: str
    kind: str
    summary: str
    aspects: list[str]
    also_called: list[str]
    good: list[CheckExample]
    bad: list[CheckExample]
    options: dict[str, Any] = Field(
        description="JSON Schema of its options: title, description and default of each."
    )
    asks: bool = Field(description="Whether it asks a model.")
    repairs: bool = Field(description="Whether it can mend what it objects to.")
    scored: bool = Field(description="Whether it tells a score with its usual options.")


class CheckKinds(Shape):
    kinds: list[CheckKind]


class BenchIn(BaseModel):
    """Checks as they stand on the screen, a text of one's own, and how many of the latest tries."""

    checks: list[CheckUse] = Field(max_length=100)
    text: str | None = Field(None, max_length=MOST_TEXT)
    tries: int = Field(5, ge=0, le=MOST_TRIES)


class BenchAnswer(Shape):
    """`asked` are the first words that it was an answer to; `ms` is what all checks took together."""

    source: str
    asked: str
    try_id: int | None = Field(
        description="The try that it is the answer of; null for a pasted text."
    )
    text: str
    findings: list[FindingShape]
    ms: float
    mended: str | None = Field(
        description="Its text as the checks that mend would leave it; null where that is the same."
    )


class BenchPage(Shape):
    """`measures` are what every answer must be, in words; `of[measure]` is the use that it belongs to, and
    `faults[use]` is why one can't be had, "" for one that can."""

    measures: list[Measure]
    of: list[int]
    faults: list[str]
    answers: list[BenchAnswer]
    trust: list[TrustShape | None] = Field(
        description="Of each measure: of the model that judges it; null for a plain check."
    )


@bp.get(
    "/checks",
    responses={200: CheckKinds},
    operation_id="listChecks",
    summary="The checks there are",
)
def list_checks() -> Response:
    kinds = []
    for key in check_keys():
        cls = check_class(key)
        good, bad = (
            [CheckExample(text=e.text, options=dict(e.options)) for e in cls.examples(passing)]
            for passing in (True, False)
        )
        kinds.append(
            CheckKind(
                key=key,
                kind=cls.kind,
                summary=cls.summary,
                aspects=[aspect.title for aspect in cls.aspects],
                also_called=list(cls.also_called),
                good=good,
                bad=bad,
                options=cls.Options.described(),
                asks=cls.asks,
                repairs=cls.repairs,
                scored=bool(cls.unit_of(cls.Options())),
            )
        )
    return reply(CheckKinds(kinds=kinds))


@bp.post(
    "/subjects/<name>/checks/bench", responses={200: BenchPage}, operation_id="benchChecks",
    summary="What checks say of a text and of the latest tries, without asking a model",
)  # fmt: skip
def bench_checks(path: SubjectPath, body: BenchIn) -> Response:
    """Nothing is kept. A check that can't be had with its options says why, and the others judge."""
    with transaction() as tx:
        subject = subjects.get(tx, path.name)
        found = on_the_bench(tx, subject, body.checks, body.text, body.tries, Queries(database()))
        trust = trust_today(tx, body.checks)
    of = [at for at, use in enumerate(body.checks) for _ in check_class(use.check).aspects]
    return reply(
        BenchPage(
            measures=[Measure.model_validate(m) for m in found.measures],
            of=of,
            faults=found.faults,
            trust=[None if t is None else trust_shape(t) for t in trust],
            answers=[
                BenchAnswer(
                    source=each.source,
                    asked=each.asked,
                    try_id=each.try_id,
                    text=each.text[:MOST_TEXT],
                    findings=[
                        finding_shape(found.measures[j.measure], j.finding) for j in each.findings
                    ],
                    ms=each.ms,
                    mended=each.mended and each.mended[:MOST_TEXT],
                )
                for each in found.answers
            ],
        )
    )


class KnownShape(Shape):
    """An answer whose score is known, and what the judge gave it: null for no score, `reason` says why."""

    answer: str
    known: int
    given: float | None
    reason: str


class TestedPage(Shape):
    """`cents` is what the test cost: nothing where the same was asked before."""

    trust: TrustShape
    known: list[KnownShape]
    cents: float


class OfferShape(Shape):
    """A check with its options filled in; `title` is what its row would say."""

    check: str
    options: dict[str, Any]
    title: str


class RuleShape(Shape):
    """A rule in the words of a part, at start–end of its text (in code points). `guards` are the uses that
    watch over it, by their place; without one there are `offers`, the last of which asks a model."""

    path: str
    part: str
    start: int
    end: int
    words: str
    guards: list[int]
    offers: list[OfferShape]


class RuleList(Shape):
    rules: list[RuleShape]


@bp.get(
    "/subjects/<name>/checks/rules", responses={200: RuleList}, operation_id="listRules",
    summary="The rules in the draft's own words, and what guards each of them or could",
)  # fmt: skip
def list_rules(path: SubjectPath) -> Response:
    with transaction() as tx:
        found = rules_in_draft(tx, subjects.get(tx, path.name))
    told = [
        RuleShape(
            **{
                name: value
                for name, value in vars(rule).items()
                if name not in ("guards", "offers")
            },
            guards=list(rule.guards),
            offers=[
                OfferShape(
                    check=offer.use.check, options=dict(offer.use.options), title=offer.title
                )
                for offer in rule.offers
            ],
        )
        for rule in found
    ]
    return reply(RuleList(rules=told))


@bp.post(
    "/judges/test", responses={200: TestedPage, 502: Problem}, operation_id="testJudge",
    summary="Put a judge to the test with answers whose scores are known",
)  # fmt: skip
def test_judge(body: CheckUse) -> Response:
    """Asks the model once for each of them, whatever it said before, and keeps it: verdicts say whether it
    was right."""
    with held(_asking, FULL):
        criterion, trust, cents = put_to_the_test(database(), body)
    told = [
        KnownShape(answer=known.answer, known=said.known, given=said.given, reason=said.reason)
        for known, said in zip(criterion.known, trust.said, strict=True)
    ]
    return reply(TestedPage(trust=trust_shape(trust), known=told, cents=cents))


class ToJudge(BaseModel):
    """An answer for a judge: a text, or that of a try, with all that it was an answer to."""

    check: CheckUse
    text: str = Field("", max_length=MOST_TEXT)
    try_id: int | None = Field(None, ge=1)


class JudgedAnswer(Shape):
    findings: list[FindingShape]
    cents: float


@bp.post(
    "/subjects/<name>/checks/judged", responses={200: JudgedAnswer, 502: Problem},
    operation_id="judgeAnswer", summary="Ask a judge about one answer",
)  # fmt: skip
def judge_answer(path: SubjectPath, body: ToJudge) -> Response:
    with held(_asking, FULL):
        found = ask(database(), path.name, body.check, body.text, body.try_id)
    [measure] = measures_of([body.check])
    findings = [finding_shape(measure, each) for each in found.findings]
    return reply(JudgedAnswer(findings=findings, cents=found.cents))
