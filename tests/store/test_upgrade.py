"""A database of before calls and marks were kept apart: what is in it stays, and is read as before."""

import json

import numpy as np
import pytest

from epistem.core.cases.filters import filter_from
from epistem.core.trials.marks import verdict_texts
from epistem.store import case_lists, marks, readings, subjects, trials
from epistem.store.case_lists import Asked
from epistem.store.database import Address, Database
from epistem.store.migrate import migrate, migrations

LAST_BEFORE = "0020"


@pytest.fixture
def old(address):
    """An empty database as it was then, of the same server."""
    own = Address(address.host, address.port, address.user, address.password, "epistem_old")
    with address.connect(autocommit=True) as connection, connection.cursor() as cursor:
        cursor.execute("DROP DATABASE IF EXISTS epistem_old")
    migrate(own, todo=[each for each in migrations() if each.name[:4] <= LAST_BEFORE])
    database = Database(own)
    yield database
    database.close()
    with address.connect(autocommit=True) as connection, connection.cursor() as cursor:
        cursor.execute("DROP DATABASE epistem_old")


def test_old_readings_become_calls_and_marks(old):
    measures = [
        {"index": i, "key": f"k{i}", "title": f"t{i}", "margin": 2.0, "signature": "s"}
        for i in range(40)
    ]
    content = {"messages": [{"role": "user", "parts": [{"name": "P", "text": "x"}]}]}
    plan = {"arms": [{"version": 1, "model": "m"}], "cases": [1, 2], "repeats": 2, "checks": []}
    with old.transaction() as tx:
        tx.run("INSERT INTO subjects (id, name) VALUES (1, 'old')")
        tx.run(
            "INSERT INTO versions (id, subject_id, number, content_hash, content) VALUES (1, 1, 1, 'h', %s)",
            [json.dumps(content)],
        )
        tx.run(
            "INSERT INTO trials (id, subject_id, status, plan, total, recorded, unanswered, measures) "
            "VALUES (7, 1, 'finished', %s, 4, 4, 1, %s)",
            (json.dumps(plan), json.dumps(measures)),
        )
        tx.run("INSERT INTO arms VALUES (7, 0, 1, 'm', '{}')")
        kept = {
            "inputs": {"note": "Lost:\nan Atlas"},
            "tags": ["plain"],
            "expect": {"label": "lost"},
        }
        tx.run(
            "INSERT INTO cases (subject_id, number, content) VALUES (1, 1, %s)", [json.dumps(kept)]
        )
        tx.run("INSERT INTO trial_cases VALUES (7, 0, 1, '{}'), (7, 1, 2, '{}')")
        for number in range(4):
            case, repeat = number % 2, number // 2
            tx.run(
                "INSERT INTO cells (id, trial_id, arm, case_at, repeat_no, seed, state) "
                "VALUES (%s, 7, 0, %s, %s, %s, 'recorded')",
                (100 + number, case, repeat, number),
            )
            tx.run(
                "INSERT INTO readings (id, cell_id, trial_id, arm, case_at, repeat_no, request, reply, "
                "answer, finish_reason, input_tokens, output_tokens, cents, attempts, started_at, total_ms, "
                "judged, failed, findings, error) VALUES (%s, %s, 7, 0, %s, %s, %s, %s, %s, 'stop', 10, 4, "
                "0.125, 2, '2026-01-02 03:04:05.678', 12.5, %s, %s, %s, %s)",
                (
                    50 - number, 100 + number, case, repeat, json.dumps({"messages": [], "seed": number}),
                    b'{"ok": 1}', None if number == 3 else b"said", 2**39 + 1, 2**39,
                    json.dumps([[0, True, "good", []], [39, False, "bad", [[0, 2, "here"]]]]),
                    "it broke" if number == 3 else None,
                ),
            )  # fmt: skip

    applied = migrate(old.address)
    assert applied[0].startswith("0021")
    assert migrate(old.address) == []
    with old.transaction() as tx:
        trial = trials.get(tx, 7)
        found = marks.all_of(tx, 7, trial.columns, trial.sight(), arms=1, cases=2, repeats=2)
        reading = readings.get(tx, 102)
        lost = readings.get(tx, 103)
        past = trials.past_answers(tx, type("S", (), {"id": 1}))
        subject = subjects.get(tx, "old")
        [line] = case_lists.lines(tx, subject, Asked(filter_from("atlas LOST")), most=5)
        tags = case_lists.tags_of(tx, subject, 5)
    assert (trial.landed, trial.calls, trial.input_tokens, trial.cents) == (4, 4, 40, 0.5)
    # They landed in the order of their ids, which went down here.
    assert list(zip(found.case.tolist(), found.repeat.tolist(), strict=True)) == [
        (1, 1), (0, 1), (1, 0), (0, 0),
    ]  # fmt: skip
    assert found.answered.tolist() == [False, True, True, True]
    assert np.allclose(found.cents, 0.125)
    assert np.allclose(found.ms, 12.5)
    assert verdict_texts(found, 40)[1] == "2" + "0" * 38 + "1"
    assert (reading.answer, reading.attempts, reading.total_ms) == ("said", 2, 12.5)
    assert reading.request == {"messages": [], "seed": 2}
    assert [f.finding.message for f in reading.findings] == ["good", "bad"]
    assert (lost.answer, lost.error) == (None, "it broke")
    assert past == {"m": (4.0, 12.5)}
    assert (line.number, line.title, line.label, line.tags, line.turns) == (
        1,
        "Lost:",
        "lost",
        ["plain"],
        0,
    )
    assert tags == [("plain", 1)]
