"""Judges put to the test, and what is known of those that judged a trial or are chosen for a subject."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from typing import NamedTuple

from epistem.core.cases.content import Case
from epistem.core.checks.base import Answer, Finding
from epistem.core.checks.bench import NO_ANSWER, Bench
from epistem.core.checks.judge.criteria import Criterion
from epistem.core.checks.judge.probation import Said, probation, trust_in
from epistem.core.checks.judge.rubrics import Judge
from epistem.core.checks.measures import key_of
from epistem.core.checks.registry import check_class
from epistem.core.checks.uses import CheckUse, numbered
from epistem.core.engine.needs import Result
from epistem.core.engine.run import Run
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import ReplyShape
from epistem.core.trials.grounds import ground_of
from epistem.models.client import ModelClient
from epistem.models.driving import Driven, carry_out
from epistem.models.endpoint import Endpoint
from epistem.models.retry import QUICK, Retry
from epistem.models.trouble import CallFailed, CallTrace
from epistem.store import drafts, entries, jobs, judgements, models, subjects, trials, tries
from epistem.store.database import Database, Transaction
from epistem.store.models import Model
from epistem.store.trials import Trial
from epistem.work.calls import judging_call
from epistem.work.checking import of_try
from epistem.work.judging import Judges, judges_of
from epistem.work.limits import SharedLimits

NOT_TESTED = "Nobody has put it to the test with this criterion yet."
IS_TESTED = "It is being put to the test; this says how it did as soon as that is over."
JUDGE_TEST = "judge test"
"""The kind of job that puts a judge to the test behind the pages."""


class Trust(NamedTuple):
    """Whether a judge may be believed by a criterion. `said` are known scores and those it gave."""

    tested: bool
    trusted: bool
    why: str
    said: list[Said]


class Asked(NamedTuple):
    """What a judge found, and what that cost."""

    findings: list[Finding]
    cents: float


def trust_of(tx: Transaction, trial: Trial) -> list[Trust | None]:
    """Of each measure of the trial; None for those of plain checks, which need not be there any more."""
    if not any(measure.judge for measure in trial.measures):
        return [None for _ in trial.measures]
    judges, _ = trials.judges_of(tx, trial.id)
    uses = {key_of(use): use for use in numbered(trial.checks)}
    return [
        _trust(tx, uses[measure.key], judges.get(measure.judge)) if measure.judge else None
        for measure in trial.measures
    ]


def trust_today(tx: Transaction, uses: Sequence[CheckUse]) -> list[Trust | None]:
    """Of each measure of these uses, of the models as they are in the list now."""
    named = {str(use.options.get("model") or "") for use in uses if check_class(use.check).asks}
    listed = models.all_of(tx) if named else []
    known = {model.name: model for model in listed if model.name in named}
    found: list[Trust | None] = []
    for use in uses:
        cls = check_class(use.check)
        name = str(use.options.get("model") or "")
        told = _trust(tx, use, known.get(name)) if cls.asks else None
        found += [told] * len(cls.aspects)
    return found


def _trust(tx: Transaction, use: CheckUse, model: Model | None) -> Trust:
    try:
        criterion = _judge(use).criterion
    except InvalidInput as error:
        return Trust(False, False, error.message, [])
    if model is None:
        return Trust(False, False, NOT_TESTED, [])
    known_as = entries.identity(tx, model)
    kept = known_as and judgements.probation_of(tx, criterion.digest, known_as)
    if not kept:
        return Trust(False, False, _why_not_tested(tx, criterion, model.name), [])
    return Trust(True, *trust_in(kept.said, criterion), kept.said)


def _why_not_tested(tx: Transaction, criterion: Criterion, model: str) -> str:
    job = jobs.find(tx, JUDGE_TEST, _key(criterion, model))
    if job is None or job.status in ("done", "left"):
        return NOT_TESTED
    if not job.why:
        return IS_TESTED
    again = "It is tried again by itself." if job.going else "It was tried for long and given up."
    return f"It could not be put to the test yet: {job.why} {again}"


def begin_test(tx: Transaction, use: CheckUse, *, once: bool = False) -> None:
    """Have the judge put to the test behind the pages; `once`: not where that was asked for before. Raises
    InvalidInput as `put_to_the_test`."""
    judge = _judge(use)
    name, criterion = judge.options.model, judge.criterion
    about = {"check": use.check, "options": dict(use.options)}
    title = f"Put {name} to the test: {criterion.name}"
    jobs.begin(tx, JUDGE_TEST, _key(criterion, name), about, title, once=once)


def _key(criterion: Criterion, model: str) -> str:
    return f"{criterion.digest} {model}"


def put_to_the_test(
    database: Database, use: CheckUse, *, patient: bool = False
) -> tuple[Criterion, Trust, float]:
    """Ask the judge for the scores of its criterion's known answers, and keep what it said. Also the cents
    that it cost. `patient` where nobody waits for it. Raises InvalidInput for a check that is no judge, or has
    nothing to be tested with, and CallFailed where a call came to nothing: that is no score, so what is known of it
    stays. Where it refused one of the answers and would do so again, that is what it said of it."""
    judge = _judge(use)
    criterion = judge.criterion
    if not criterion.known:
        raise InvalidInput(
            "There are no answers with known scores to test it with. Add some to its options.",
            field="options.known",
        )
    judges = _open(database, judge, anew=True, patient=patient)
    driven = Driven(Run(probation(criterion, judges.asked[judge.options.model])))
    asyncio.run(_drive(database, judges, driven, Retry() if patient else QUICK))
    failed = [made for made in driven.made if made.reply is None]
    outages = [made for made in failed if not made.refused]
    if outages or len(failed) == len(driven.made):
        first = (outages or failed)[0]
        trace = CallTrace(first.started_at, first.total_ms, first.attempts)
        raise CallFailed(first.error or NO_ANSWER, raw=first.raw, trace=trace)
    said = driven.result
    with database.transaction() as tx:
        identity = entries.keep_identity(tx, judges.models[judge.options.model])
        judgements.keep_probation(tx, criterion.digest, identity, said)
    return criterion, Trust(True, *trust_in(said, criterion), said), _cents(judges, driven)


def ask(database: Database, name: str, use: CheckUse, text: str, try_id: int | None) -> Asked:
    """What a judge says of a text, or of the answer of a try with all that it was an answer to."""
    judge = _judge(use)
    answer, case = Answer(text), Case()
    with database.transaction() as tx:
        subject = subjects.get(tx, name)
        prompt = drafts.get(tx, subject).content
        if try_id is not None:
            answer, case = of_try(tries.get(tx, subject, try_id))
    judges = _open(database, judge)
    bench = Bench([use], prompt.reply)
    driven = Driven(Run(bench.deliberate(answer, ground_of(prompt, case), judges.asked)))
    asyncio.run(_drive(database, judges, driven))
    return Asked([each.finding for each in driven.result], _cents(judges, driven))


def _judge(use: CheckUse) -> Judge:
    cls = check_class(use.check)
    if not issubclass(cls, Judge):
        raise InvalidInput(f"“{use.check}” asks no model.", field="check")
    return cls(cls.Options.from_json(use.options, at="options"), ReplyShape())


def _open(database: Database, judge: Judge, *, anew: bool = False, patient: bool = False) -> Judges:
    name = judge.options.model
    with database.transaction() as tx:
        listed = models.all_of(tx)
        judges = judges_of(tx, database, [name], listed, anew=anew, hurried=not patient)
    if name not in judges.asked:
        raise InvalidInput(f"“{name}” is not in the list of models.", field="options.model")
    return judges


async def _drive(
    database: Database, judges: Judges, driven: Driven[Result], retry: Retry = QUICK
) -> None:
    limits = SharedLimits(database)
    try:
        async with ModelClient(in_flight=1, retry=retry, limits=limits) as client:
            await carry_out(client, NOBODY, driven, aside=judges)
    finally:
        limits.close()


NOBODY = Endpoint("", "")
"""These programs are about no model of their own."""


def _cents(judges: Judges, driven: Driven[Result]) -> float:
    return sum(judging_call(made, judges).cents for made in driven.made)
