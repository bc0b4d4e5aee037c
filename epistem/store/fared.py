"""Which trials met a version, or a case, and the marks they left of it."""

from __future__ import annotations

from collections.abc import Sequence

from epistem.core.trials.marks import Marks
from epistem.store import marks, trials
from epistem.store.database import Transaction
from epistem.store.subjects import Subject
from epistem.store.trials import Trial


def versions_tried(tx: Transaction, subject: Subject) -> list[int]:
    """Their numbers: those that some trial with readings asked."""
    rows = tx.rows(
        "SELECT DISTINCT v.number FROM trials t JOIN arms a ON a.trial_id = t.id "
        "JOIN versions v ON v.id = a.version_id WHERE t.subject_id = %s AND t.recorded > 0 ORDER BY 1",
        [subject.id],
    )
    return [int(row[0]) for row in rows]


def trials_of_version(
    tx: Transaction, subject: Subject, version: int, most: int
) -> list[tuple[int, list[int]]]:
    """Trials with readings that asked it, newest first, each with the positions of its arms."""
    rows = tx.rows(
        "SELECT t.id, GROUP_CONCAT(a.position) FROM trials t JOIN arms a ON a.trial_id = t.id "
        "JOIN versions v ON v.id = a.version_id WHERE t.subject_id = %s AND v.number = %s "
        "AND t.recorded > 0 GROUP BY t.id ORDER BY t.id DESC LIMIT %s",
        (subject.id, version, most),
    )
    return [(int(trial), [int(at) for at in told.split(",")]) for trial, told in rows]


def trials_of_case(
    tx: Transaction, subject: Subject, number: int, most: int
) -> list[tuple[int, int, bool]]:
    """Trials with readings that asked it, newest first: the trial, the case's place in it, and whether the
    case was then as it is now."""
    rows = tx.rows(
        "SELECT t.id, k.position, k.content = c.content FROM trials t "
        "JOIN trial_cases k ON k.trial_id = t.id AND k.number = %s "
        "JOIN cases c ON c.subject_id = t.subject_id AND c.number = k.number "
        "WHERE t.subject_id = %s AND t.recorded > 0 ORDER BY t.id DESC LIMIT %s",
        (number, subject.id, most),
    )
    return [(int(trial), int(at), bool(same)) for trial, at, same in rows]


def of_subject(tx: Transaction, subject: Subject, trial_id: int) -> Trial | None:
    sql = "SELECT 1 FROM trials WHERE id = %s AND subject_id = %s"
    return trials.get(tx, trial_id) if tx.first(sql, (trial_id, subject.id)) else None


def all_marks(tx: Transaction, trial: Trial) -> Marks:
    """Without those of cases held out; so are the others here."""
    arms = len(trial.plan.arms)
    return marks.all_of(
        tx,
        trial.id,
        trial.columns,
        trial.sight(),
        arms=arms,
        cases=trial.asked,
        repeats=trial.plan.repeats,
    )


def marks_at(tx: Transaction, trial: Trial, arms: Sequence[int], cases: Sequence[int]) -> Marks:
    """Those of these arms over the cases at these places."""
    return marks.at_cases(tx, trial.id, trial.columns, trial.sight(), arms, cases)


def answer_at(
    tx: Transaction, trial_id: int, arm: int, case_at: int, repeat_no: int, most: int
) -> str:
    """The first characters of one answer; "" where none came."""
    row = tx.first(
        "SELECT LEFT(r.answer, %s) FROM cells c JOIN readings r ON r.cell_id = c.id "
        "WHERE c.trial_id = %s AND c.arm = %s AND c.case_at = %s AND c.repeat_no = %s",
        (4 * most, trial_id, arm, case_at, repeat_no),
    )
    told = row[0] if row and row[0] is not None else b""
    return bytes(told).decode("utf-8", "ignore")[:most]
