"""Trials: a plan spelt out into arms, cases and cells, before any call is made."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from datetime import datetime
from itertools import islice
from typing import Any, NamedTuple

from epistem.core.cases.content import Case
from epistem.core.checks.registry import CheckUse, Measure, check_uses, measures_of
from epistem.core.errors import Conflict, InvalidInput, NotFound
from epistem.core.prompts.content import Prompt
from epistem.core.prompts.settings import Settings
from epistem.core.trials.estimate import Estimate, PlannedArm, estimate
from epistem.core.trials.judging import Bench
from epistem.core.trials.plan import TrialPlan, cells_of, check_plan, check_question
from epistem.core.trials.showing import cases_asked
from epistem.store import cases, models, versions
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.subjects import Subject

CELLS_A_STATEMENT = 2_000
MOST_BROKEN = 3
MAX_MEASURES = 60
"""Failed measures are kept as bits of one 64-bit number beside each reading."""


@dataclass(frozen=True)
class Trial:
    """`recorded` counts readings, `unanswered` those of them that got no answer. `measures` are the
    rows of evidence as they were when the trial was made, with the signatures of that day. `failure`
    says why a failed one ended."""

    id: int
    subject_id: int
    subject: str
    status: str
    plan: TrialPlan
    total: int
    recorded: int
    unanswered: int
    created_at: datetime
    started_at: datetime | None
    finished_at: datetime | None
    measures: list[Measure]
    failure: str = ""

    @property
    def checks(self) -> list[CheckUse]:
        assert self.plan.checks is not None, "a kept plan has its checks spelt out"
        return self.plan.checks

    @property
    def over(self) -> bool:
        return self.status in ("finished", "stopped", "failed")


@dataclass(frozen=True)
class Arm:
    position: int
    version: int
    model: str
    settings: Settings
    content: Prompt


@dataclass(frozen=True)
class TrialCase:
    position: int
    number: int
    content: Case


_SELECT = """
SELECT t.id, t.subject_id, s.name, t.status, t.plan, t.total, t.recorded, t.unanswered,
       t.created_at, t.started_at, t.finished_at, t.measures, t.failure
  FROM trials t JOIN subjects s ON s.id = t.subject_id
"""


class Outlook(NamedTuple):
    """The measures of a plan, and how many of its cases each has something to say of."""

    measures: list[Measure]
    counts: list[int]


def estimate_of(
    tx: Transaction, subject: Subject, plan: TrialPlan, in_flight: int
) -> tuple[Estimate, Outlook]:
    """What the plan will take, and what is needed to say what it can show. Raises as `create`."""
    chosen = cases.picked(tx, subject, plan.cases)
    check_plan(plan, len(chosen))
    known, past = models.all_of(tx), _past_answers(tx, subject)
    arms = []
    for arm, version in zip(plan.arms, _versions(tx, subject, plan, known), strict=True):
        model = models.pick(known, arm.model)
        settings = arm.settings.over(version.content.settings)
        prices = (model.context_window, model.input_cents, model.output_cents)
        length, ms = past.get(arm.model, (None, None))
        arms.append(PlannedArm(version.content, settings, *prices, length, ms))
    first = arms[0].prompt.reply
    checks = subject.checks_for(first) if plan.checks is None else plan.checks
    check_uses(checks)
    measures = measures_of(checks, *(arm.prompt.reply for arm in arms))
    check_question(plan, [measure.key for measure in measures])
    counts = cases_asked(checks, first, [c.content for c in chosen])
    told = estimate(arms, [c.content.inputs for c in chosen], plan.repeats, in_flight)
    return told, Outlook(measures, counts)


def _past_answers(tx: Transaction, subject: Subject) -> dict[str, tuple[float, float]]:
    """Mean output tokens and ms of each model's answers, in the latest trial where it gave any."""
    rows = tx.rows(
        "SELECT a.model, t.id, AVG(r.output_tokens), AVG(r.total_ms) FROM trials t "
        "JOIN arms a ON a.trial_id = t.id JOIN readings r ON r.trial_id = t.id AND r.arm = a.position "
        "WHERE t.id IN (SELECT id FROM (SELECT id FROM trials WHERE subject_id = %s AND recorded > 0 "
        "ORDER BY id DESC LIMIT 3) latest) AND r.error IS NULL "
        "GROUP BY a.model, t.id ORDER BY t.id",
        [subject.id],
    )
    return {model: (float(length), float(ms)) for model, _, length, ms in rows}


def _versions(
    tx: Transaction, subject: Subject, plan: TrialPlan, known: list[models.Model]
) -> list[versions.Version]:
    """The arms' versions. Raises InvalidInput naming the arm whose version or model is not there."""
    saved = []
    for position, arm in enumerate(plan.arms):
        try:
            saved.append(versions.get(tx, subject, arm.version))
        except NotFound as error:
            raise InvalidInput(error.message, field=f"arms.{position}.version") from error
        models.pick(known, arm.model, field=f"arms.{position}.model")
    return saved


def create(tx: Transaction, subject: Subject, plan: TrialPlan) -> Trial:
    """Keep the trial with all its cells, waiting. Raises InvalidInput or NotFound by field."""
    chosen = cases.picked(tx, subject, plan.cases)
    check_plan(plan, len(chosen))
    saved = _versions(tx, subject, plan, models.all_of(tx))
    checks = subject.checks_for(saved[0].content.reply) if plan.checks is None else plan.checks
    check_uses(checks)
    measures = measures_of(checks, *(version.content.reply for version in saved))
    if len(measures) > MAX_MEASURES:
        raise InvalidInput(f"A trial can have {MAX_MEASURES} measures at most.", field="checks")
    check_question(plan, [measure.key for measure in measures])
    arms = []
    for arm, version in zip(plan.arms, saved, strict=True):
        Bench(checks, version.content.reply)  # raises for a check that this version can't have
        arms.append((version, arm.model, arm.settings.over(version.content.settings)))

    kept = plan.model_copy(update={"cases": [c.number for c in chosen], "checks": checks})
    trial_id = tx.insert(
        "INSERT INTO trials (subject_id, plan, total, measures) VALUES (%s, %s, %s, %s)",
        (
            subject.id,
            dumps(kept.to_json()),
            len(arms) * len(chosen) * plan.repeats,
            dumps([asdict(measure) for measure in measures]),
        ),
    )
    tx.run_many(
        "INSERT INTO trial_cases (trial_id, position, number, content) VALUES (%s, %s, %s, %s)",
        [(trial_id, p, c.number, dumps(c.content.to_json())) for p, c in enumerate(chosen)],
    )
    tx.run_many(
        "INSERT INTO arms (trial_id, position, version_id, model, settings) VALUES (%s, %s, %s, %s, %s)",
        [(trial_id, p, v.id, m, dumps(s.to_json())) for p, (v, m, s) in enumerate(arms)],
    )
    cells = cells_of(plan, len(chosen))
    while rows := [(trial_id, *cell) for cell in islice(cells, CELLS_A_STATEMENT)]:
        tx.run_many(
            "INSERT INTO cells (trial_id, arm, case_at, repeat_no, seed) VALUES (%s, %s, %s, %s, %s)",
            rows,
        )
    return get(tx, trial_id)


def get(tx: Transaction, trial_id: int) -> Trial:
    row = tx.first(f"{_SELECT} WHERE t.id = %s", [trial_id])
    if row is None:
        raise NotFound(f"There is no trial T{trial_id}.", field="trial")
    return _from_row(row)


def all_of(tx: Transaction, subject: Subject, *, most: int = 200) -> list[Trial]:
    """Newest first."""
    rows = tx.rows(
        f"{_SELECT} WHERE t.subject_id = %s ORDER BY t.id DESC LIMIT %s", (subject.id, most)
    )
    return [_from_row(row) for row in rows]


def arms_of(tx: Transaction, trial_id: int) -> list[Arm]:
    rows = tx.rows(
        "SELECT a.position, v.number, a.model, a.settings, v.content FROM arms a "
        "JOIN versions v ON v.id = a.version_id WHERE a.trial_id = %s ORDER BY a.position",
        [trial_id],
    )
    return [
        Arm(
            position,
            number,
            model,
            Settings.from_json(json.loads(settings)),
            Prompt.from_json(json.loads(content)),
        )
        for position, number, model, settings, content in rows
    ]


def cases_of(tx: Transaction, trial_id: int) -> list[TrialCase]:
    """The cases as they were when the trial was made."""
    rows = tx.rows(
        "SELECT position, number, content FROM trial_cases WHERE trial_id = %s ORDER BY position",
        [trial_id],
    )
    return [TrialCase(p, n, Case.from_json(json.loads(content))) for p, n, content in rows]


def stop(tx: Transaction, trial_id: int) -> Trial:
    """No new call is started, and none tried again; those in flight have a moment to land, and are
    recorded if they do. Raises Conflict if it is over."""
    changed = tx.run(
        "UPDATE trials SET status = 'stopped', finished_at = NOW(3) "
        "WHERE id = %s AND status IN ('waiting', 'running')",
        [trial_id],
    )
    trial = get(tx, trial_id)
    if not changed:
        raise Conflict(f"T{trial_id} is {trial.status} already.", field="trial")
    return trial


def note_broken_shard(tx: Transaction, trial_id: int, why: str) -> bool:
    """A shard ended without having done its work. After MOST_BROKEN of them since the last reading
    the trial ends as failed, with the reason; whether it did."""
    tx.run(
        "UPDATE trials SET attempts = attempts + 1 WHERE id = %s AND status IN ('waiting', 'running')",
        [trial_id],
    )
    return bool(
        tx.run(
            "UPDATE trials SET status = 'failed', failure = %s, finished_at = NOW(3) "
            "WHERE id = %s AND status IN ('waiting', 'running') AND attempts >= %s",
            (why.encode("utf-8", "replace").decode()[:600], trial_id, MOST_BROKEN),
        )
    )


def ask_again(tx: Transaction, trial_id: int) -> Trial:
    """Let the calls that got no answer be made anew; what is answered stays.

    Raises Conflict while the trial is going on, or without any such call, and InvalidInput if a model
    that it asks is no longer in the list.
    """
    tx.first("SELECT id FROM trials WHERE id = %s FOR UPDATE", [trial_id])
    trial = get(tx, trial_id)
    if not trial.over:
        raise Conflict(
            f"T{trial_id} is {trial.status}. Stop it, or wait for its end.", field="trial"
        )
    if trial.unanswered == 0:
        raise Conflict(f"Every call of T{trial_id} that was made got its answer.", field="trial")
    known = models.all_of(tx)
    for arm in arms_of(tx, trial_id):
        models.pick(known, arm.model)
    tx.run(
        "UPDATE cells c JOIN readings r ON r.cell_id = c.id SET c.state = 'waiting', c.owner = NULL "
        "WHERE r.trial_id = %s AND r.error IS NOT NULL",
        [trial_id],
    )
    lost = tx.run("DELETE FROM readings WHERE trial_id = %s AND error IS NOT NULL", [trial_id])
    tx.run(
        "UPDATE trials SET status = 'waiting', finished_at = NULL, failure = '', attempts = 0, "
        "recorded = recorded - %s, unanswered = 0 WHERE id = %s",
        (lost, trial_id),
    )
    return get(tx, trial_id)


def go_on(tx: Transaction, trial_id: int) -> Trial:
    """Let a stopped or failed trial make its remaining calls. Raises Conflict if it is neither, and
    InvalidInput if a model that it asks is no longer in the list."""
    known = models.all_of(tx)
    for arm in arms_of(tx, trial_id):
        models.pick(known, arm.model)
    changed = tx.run(
        "UPDATE trials SET status = 'waiting', finished_at = NULL, failure = '', attempts = 0 "
        "WHERE id = %s AND status IN ('stopped', 'failed') AND recorded < total",
        [trial_id],
    )
    trial = get(tx, trial_id)
    if not changed:
        raise Conflict(
            f"T{trial_id} is {trial.status}; only a stopped or failed trial can go on.",
            field="trial",
        )
    return trial


def _from_row(row: tuple[Any, ...]) -> Trial:
    plan = TrialPlan.from_json(json.loads(row[4]))
    if row[11] is None:
        measures = measures_of(plan.checks or [])
    else:
        measures = [Measure(**each) for each in json.loads(row[11])]
    return Trial(*(*row[:4], plan, *row[5:11], measures, row[12]))
