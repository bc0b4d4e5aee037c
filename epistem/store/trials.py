"""Trials as rows: a plan spelt out into arms, cases and cells."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from itertools import islice
from types import MappingProxyType
from typing import Any, NamedTuple

from epistem.core.cases.content import Case
from epistem.core.chains.varied import VariedStep
from epistem.core.checks.measures import Measure, measures_of
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import NotFound
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.subjects.content import Content, content_from_json
from epistem.core.trials.arms import content_of_arm
from epistem.core.trials.marks import Sight
from epistem.core.trials.plan import Cell, TrialPlan
from epistem.store import cells, entries, models
from epistem.store.database import Transaction
from epistem.store.documents import dumps
from epistem.store.marks import Columns
from epistem.store.models import Model
from epistem.store.subjects import Subject

CELLS_A_STATEMENT = 2_000
MOST_BROKEN = 3
OVER = ("finished", "stopped", "failed")


class Paused(NamedTuple):
    """`until` is when it is tried again; `times` in a row that it was paused."""

    arm: int
    why: str
    until: datetime
    times: int


@dataclass(frozen=True)
class Trial:
    """`recorded` counts readings, `unanswered` those of them that got no answer. `measures` are the
    rows of evidence as they were when the trial was made, with the signatures of that day. `failure`
    says why a failed one ended; `changed_by` stopped it or let it go on. Money and tokens are those
    of all calls so far. `answers_of` is the trial whose answers it judges anew, None where it asks for
    its own."""

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
    failure: str
    landed: int
    started_by: str
    changed_by: str
    calls: int
    cents: float
    input_tokens: int
    output_tokens: int
    estimated: int
    answers_of: int | None

    @property
    def checks(self) -> list[CheckUse]:
        assert self.plan.checks is not None, "a kept plan has its checks spelt out"
        return self.plan.checks

    @property
    def cases(self) -> int:
        return len(self.plan.cases or [])

    @property
    def asked(self) -> int:
        """Its cases, with the variations of them that are asked beside."""
        return self.cases + self.plan.varied

    def sight(self, *, looking: bool = False) -> Sight:
        """What of its results may be seen: not those of cases held out, unless one is looking at them."""
        return Sight(frozenset(self.plan.held_out), looking)

    @property
    def scored(self) -> list[int]:
        """The measures that tell a score, in their order."""
        return [measure.index for measure in self.measures if measure.unit]

    @property
    def columns(self) -> Columns:
        """Of its marks."""
        return Columns(len(self.measures), len(self.scored))

    @property
    def required(self) -> list[int]:
        """The measures without which an answer fails as a whole."""
        return [measure.index for measure in self.measures if measure.required]

    @property
    def over(self) -> bool:
        return self.status in OVER


class Standing(NamedTuple):
    """What changes as a trial goes on: two that are equal say that nothing happened between."""

    id: int
    status: str
    landed: int
    recorded: int
    paused: str | None

    @property
    def over(self) -> bool:
        return self.status in OVER


@dataclass(frozen=True)
class Arm:
    """`model` is the name of its model; `entry` is the entry as it was when the trial was made, None
    for a trial that is older than that. `aliases` are inputs that its version asks for, and what they
    are called in the cases."""

    position: int
    version: int
    model: str
    settings: Settings
    content: Content
    entry_id: int | None
    entry: Model | None
    aliases: Mapping[str, str]
    look_ups: Mapping[str, LookingUp]
    """How its inputs are looked up, with the versions that were the newest then: `content` has them, too."""
    of: str = ""
    """The subject whose version it is, where it is another than the trial's."""
    step: VariedStep | None = None
    """Of a chain: the step at which it has something else than its version; `content` has that, too."""

    @property
    def is_chain(self) -> bool:
        return self.content.kind == "chain"


class NewArm(NamedTuple):
    version_id: int
    model: str
    settings: Settings
    entry_id: int
    aliases: Mapping[str, str]
    look_ups: Mapping[str, LookingUp] = MappingProxyType({})
    step: VariedStep | None = None


_SUMS = ("calls", "cents", "input_tokens", "output_tokens", "estimated")
_SELECT = f"""
SELECT t.id, t.subject_id, s.name, t.status, t.plan, t.total, t.recorded, t.unanswered,
       t.created_at, t.started_at, t.finished_at, t.measures, t.failure, t.landed,
       t.started_by, t.changed_by,
       {", ".join(f"(SELECT COALESCE(SUM({each}), 0) FROM arm_sums a WHERE a.trial_id = t.id)" for each in _SUMS)},
       t.answers_of
  FROM trials t JOIN subjects s ON s.id = t.subject_id
"""


def insert(
    tx: Transaction,
    subject: Subject,
    plan: TrialPlan,
    measures: Sequence[Measure],
    arms: Sequence[NewArm],
    cases: Sequence[tuple[int, Case]],
    cells: Iterator[Cell],
    judges: Mapping[str, int] = MappingProxyType({}),
) -> int:
    """Its id. `cases` are (number, content); `plan` has its cases and checks spelt out; `judges` are the
    entries of models that judge, by name."""
    trial_id = tx.insert(
        "INSERT INTO trials (subject_id, plan, total, measures, started_by, judges) "
        "VALUES (%s, %s, %s, %s, %s, %s)",
        (
            subject.id,
            dumps(plan.to_json()),
            len(arms) * len(cases) * plan.repeats,
            dumps([asdict(measure) for measure in measures]),
            tx.by,
            dumps(dict(judges)) if judges else None,
        ),
    )
    tx.run_many(
        "INSERT INTO trial_cases (trial_id, position, number, content) VALUES (%s, %s, %s, %s)",
        [(trial_id, p, number, dumps(case.to_json())) for p, (number, case) in enumerate(cases)],
    )
    tx.run_many(
        "INSERT INTO arms (trial_id, position, version_id, model, settings, entry_id, aliases, "
        "look_ups, step) VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s)",
        [
            (
                trial_id,
                p,
                a.version_id,
                a.model,
                dumps(a.settings.to_json()),
                a.entry_id,
                dumps(dict(a.aliases)) if a.aliases else None,
                dumps({k: v.to_json() for k, v in a.look_ups.items()}) if a.look_ups else None,
                dumps(a.step.to_json()) if a.step else None,
            )
            for p, a in enumerate(arms)
        ],
    )
    while rows := [(trial_id, *cell) for cell in islice(cells, CELLS_A_STATEMENT)]:
        tx.run_many(
            "INSERT INTO cells (trial_id, arm, case_at, repeat_no, seed) VALUES (%s, %s, %s, %s, %s)",
            rows,
        )
    return trial_id


def get(tx: Transaction, trial_id: int) -> Trial:
    row = tx.first(f"{_SELECT} WHERE t.id = %s", [trial_id])
    if row is None:
        raise NotFound(f"There is no trial T{trial_id}.", field="trial")
    return _from_row(row)


def latest_whole(tx: Transaction, trial_id: int) -> int:
    """That trial, or, where it tried one step alone, the newest before it of the same subject that tried the whole and
    has readings, if there is one."""
    row = tx.first(
        "SELECT t.id FROM trials t JOIN trials l ON l.subject_id = t.subject_id AND l.id = %s "
        "WHERE t.id <= l.id AND JSON_VALUE(t.plan, '$.alone') IS NULL AND (t.id = l.id OR t.recorded > 0) "
        "ORDER BY t.id DESC LIMIT 1",
        [trial_id],
    )
    return trial_id if row is None else int(row[0])


def status_of(tx: Transaction, trial_id: int) -> str:
    row = tx.first("SELECT status FROM trials WHERE id = %s", [trial_id])
    if row is None:
        raise NotFound(f"There is no trial T{trial_id}.", field="trial")
    return str(row[0])


def all_of(
    tx: Transaction,
    subject: Subject,
    *,
    most: int = 200,
    before: int | None = None,
    find: Sequence[str] = (),
) -> list[Trial]:
    """Newest first; those before the trial `before`, where it is given, and with every word of `find`
    in their number, status, versions or models."""
    told = (
        "CONCAT_WS(' ', CONCAT('T', t.id), t.status, (SELECT GROUP_CONCAT(CONCAT('v', v.number, ' ', "
        "a.model) SEPARATOR ' ') FROM arms a JOIN versions v ON v.id = a.version_id "
        "WHERE a.trial_id = t.id))"
    )
    rows = tx.rows(
        f"{_SELECT} WHERE t.subject_id = %s AND (%s IS NULL OR t.id < %s)"
        + f" AND INSTR({told}, %s) > 0" * len(find)
        + " ORDER BY t.id DESC LIMIT %s",
        (subject.id, before, before, *find, most),
    )
    return [_from_row(row) for row in rows]


def first_of(tx: Transaction, subject: Subject) -> Trial | None:
    """The first one that there was of it."""
    row = tx.first("SELECT MIN(id) FROM trials WHERE subject_id = %s", [subject.id])
    return None if row is None or row[0] is None else get(tx, int(row[0]))


def standing(tx: Transaction, ended_within_s: float = 0) -> list[Standing]:
    """Of the trials that are going on, and of those that ended in the last seconds: one may begin and
    end between two looks. Cheap: nothing is parsed."""
    rows = tx.rows(
        "SELECT t.id, t.status, t.landed, t.recorded, "
        "(SELECT CONCAT(SUM(a.pauses), ' ', COALESCE(MAX(a.paused_until), '')) FROM arms a "
        "WHERE a.trial_id = t.id) FROM trials t "
        "WHERE t.status IN ('waiting', 'running') "
        "OR t.finished_at > NOW(3) - INTERVAL %s SECOND ORDER BY t.id",
        [ended_within_s],
    )
    return [Standing(*row) for row in rows]


def arms_of(tx: Transaction, trial_id: int) -> list[Arm]:
    rows = tx.rows(
        "SELECT a.position, v.number, a.model, a.settings, v.content, a.entry_id, a.aliases, "
        "a.look_ups, a.step, IF(s.id = t.subject_id, '', s.name), JSON_VALUE(t.plan, '$.alone') FROM arms a "
        "JOIN versions v ON v.id = a.version_id JOIN subjects s ON s.id = v.subject_id "
        "JOIN trials t ON t.id = a.trial_id WHERE a.trial_id = %s ORDER BY a.position",
        [trial_id],
    )
    known = entries.get_all(tx, (row[5] for row in rows if row[5] is not None))
    return [
        Arm(
            position,
            number,
            model,
            Settings.from_json(json.loads(settings)),
            content_of_arm(content_from_json(json.loads(content)), looks, step, alone or ""),
            entry_id,
            known.get(entry_id),
            json.loads(aliases or "{}"),
            looks,
            of,
            step,
        )
        for position, number, model, settings, content, entry_id, aliases, looking, told, of, alone in rows
        for looks in [_look_ups(looking)]
        for step in [None if told is None else VariedStep.from_json(json.loads(told))]
    ]


def _look_ups(told: str | None) -> dict[str, LookingUp]:
    return {name: LookingUp.from_json(each) for name, each in json.loads(told or "{}").items()}


def judges_of(tx: Transaction, trial_id: int) -> tuple[dict[str, Model], dict[str, int]]:
    """The models that judge its answers, as they were when it was made, and their entries; by name."""
    row = tx.first("SELECT judges FROM trials WHERE id = %s", [trial_id])
    ids: dict[str, int] = json.loads(row[0]) if row is not None and row[0] else {}
    known = entries.get_all(tx, ids.values())
    return {name: known[entry_id] for name, entry_id in ids.items()}, ids


def asked_by(tx: Transaction, trial_id: int) -> list[tuple[int | str, str]]:
    """Version (with its subject, where that is another, and with the step that is varied) and model of each arm, ""
    for a chain, in order. Cheap: nothing is parsed."""

    def named(version: int, of: str, step: str | None, asks: str | None) -> int | str:
        told = " ".join([of, f"v{version}", f"“{step}”" if step else "", asks or ""])
        return " ".join(told.split()) if of or step else int(version)

    return [
        (named(version, of, step, asks), str(model))
        for version, model, of, step, asks in tx.rows(
            "SELECT v.number, IF(s.kind = 'chain', '', a.model), IF(s.id = t.subject_id, '', s.name), "
            "JSON_VALUE(a.step, '$.step'), JSON_VALUE(a.step, '$.model') FROM arms a "
            "JOIN versions v ON v.id = a.version_id JOIN subjects s ON s.id = v.subject_id "
            "JOIN trials t ON t.id = a.trial_id WHERE a.trial_id = %s ORDER BY a.position",
            [trial_id],
        )
    ]


def judging_anew(tx: Transaction, trial_id: int, most: int = 5) -> list[int]:
    """The latest trials that judge its answers anew, newest first."""
    rows = tx.rows(
        "SELECT id FROM trials WHERE answers_of = %s ORDER BY id DESC LIMIT %s", (trial_id, most)
    )
    return [int(found) for (found,) in rows]


def paused_of(tx: Transaction, trial_id: int) -> list[Paused]:
    """Arms that are not asked for a while, with the reason."""
    rows = tx.rows(
        "SELECT position, paused_why, paused_until, pauses FROM arms "
        "WHERE trial_id = %s AND pauses > 0 ORDER BY position",
        [trial_id],
    )
    return [Paused(*row) for row in rows]


def end(tx: Transaction, trial_id: int, status: str) -> bool:
    """Whether it was going on, and has that status now."""
    # The trial first, then its sums: in the order in which readings are recorded.
    ended = tx.run(
        "UPDATE trials SET status = %s, finished_at = NOW(3), changed_by = %s "
        "WHERE id = %s AND status IN ('waiting', 'running')",
        (status, tx.by, trial_id),
    )
    models.heard_in(tx, trial_id)
    return bool(ended)


def reopen(tx: Transaction, trial_id: int) -> bool:
    """Whether it was stopped or failed with cells left, and waits now."""
    return bool(
        tx.run(
            "UPDATE trials SET status = 'waiting', finished_at = NULL, failure = '', attempts = 0, "
            "changed_by = %s WHERE id = %s AND status IN ('stopped', 'failed') AND recorded < total",
            (tx.by, trial_id),
        )
    )


def forget_unanswered(tx: Transaction, trial_id: int) -> None:
    """Let the cells without an answer wait again; the calls that were made for them stay."""
    cells.lock_trial(tx, trial_id)
    lost = "r.trial_id = %s AND r.error IS NOT NULL"
    tx.run(
        "DELETE m FROM marks m JOIN cells c ON c.trial_id = m.trial_id AND c.arm = m.arm "
        "AND c.case_at = m.case_at AND c.repeat_no = m.repeat_no "
        f"JOIN readings r ON r.cell_id = c.id WHERE {lost}",
        [trial_id],
    )
    tx.run(
        "UPDATE cells c JOIN readings r ON r.cell_id = c.id SET c.state = 'waiting', c.owner = NULL "
        f"WHERE {lost}",
        [trial_id],
    )
    gone = tx.run(f"DELETE r FROM readings r WHERE {lost}", [trial_id])
    tx.run(
        "UPDATE trials SET status = 'waiting', finished_at = NULL, failure = '', attempts = 0, "
        "recorded = recorded - %s, unanswered = 0, changed_by = %s WHERE id = %s",
        (gone, tx.by, trial_id),
    )


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


def past_answers(tx: Transaction, subject: Subject) -> Mapping[str, tuple[float, float]]:
    """Mean output tokens and ms of each model's answers, in the latest trial where it gave any."""
    rows = tx.rows(
        "SELECT a.model, SUM(s.answered_tokens) / SUM(s.answered), SUM(s.answered_ms) / SUM(s.answered) "
        "FROM arms a JOIN arm_sums s ON s.trial_id = a.trial_id AND s.arm = a.position "
        "WHERE a.trial_id IN (SELECT id FROM (SELECT id FROM trials WHERE subject_id = %s "
        "AND recorded > 0 ORDER BY id DESC LIMIT 3) latest) AND s.answered > 0 "
        "GROUP BY a.model, a.trial_id ORDER BY a.trial_id",
        [subject.id],
    )
    return {model: (float(length), float(ms)) for model, length, ms in rows}


def _from_row(row: tuple[Any, ...]) -> Trial:
    plan = TrialPlan.from_json(json.loads(row[4]))
    if row[11] is None:
        # Made before measures were kept, when no mark held a score.
        made = measures_of(plan.checks or [], strict=False)
        measures = [replace(measure, unit="") for measure in made]
    else:
        measures = [Measure(**each) for each in json.loads(row[11])]
    calls, cents, *rest = row[16:-1]
    sums = (int(calls), float(cents), *map(int, rest))
    return Trial(*(*row[:4], plan, *row[5:11], measures, *row[12:16], *sums, row[-1]))
