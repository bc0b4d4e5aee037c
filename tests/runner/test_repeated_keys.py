"""A model server that repeats its key, in answers, errors and streams: it stands in no table, and in nothing logged."""

import json

import pytest

from epistem.core.subjects.content import content_from_json
from epistem.models.retry import Retry
from epistem.runner.walks import Walks
from epistem.store import subjects
from epistem.store.walks import rows
from tests.kit.running import carry_out, put_model
from tests.kit.subjects import start_trial
from tests.kit.waiting import wait_for
from tests.kit.walks import DRAFT, FINAL, chain

KEY = "kq-Tern-9f3a7c55e1b2"
OTHER = "header-4471-abcd"


@pytest.fixture
def parrot(database, model_server, monkeypatch):
    monkeypatch.setenv("EPISTEM_KEY_HARBOUR", KEY)
    monkeypatch.setenv("EPISTEM_KEY_HARBOUR_FOR", model_server.url)
    put_model(
        database, "parrot", model_server.url,
        key_reference="env:EPISTEM_KEY_HARBOUR", headers={"X-Access-Token": OTHER},
    )  # fmt: skip
    return model_server


def places_of(database, *secrets):
    """Where any of them stands: table and column."""
    found = []
    with database.transaction() as tx:
        columns = tx.rows(
            "SELECT table_name, column_name FROM information_schema.columns "
            "WHERE table_schema = DATABASE()"
        )
        for table, column in columns:
            for secret in secrets:
                told = tx.first(
                    f"SELECT COUNT(*) FROM `{table}` WHERE CAST(`{column}` AS BINARY) LIKE %s",
                    [f"%{secret}%"],
                )
                if (
                    told != (0,)
                    and column != "headers"
                    and table not in ("models", "model_entries")
                ):
                    found.append(f"{table}.{column}")
    return found


class TestATrial:
    def test_answers_and_errors_are_kept_without_it(
        self, database, subject, runner, parrot, capfd, model_server
    ):
        said = iter(range(10_000))

        def repeat(body):
            kind = next(said) % 3
            if kind == 0:
                return json.dumps({"label": f"You sent {KEY} and {OTHER}"})
            if kind == 1:
                return 401, {"error": {"message": f"The key {KEY} is none, nor is {OTHER}."}}, {}
            return 200, f"no JSON at all, {KEY}, {OTHER}", {}

        parrot.answer = repeat
        trial = start_trial(database, subject, arms=[{"version": 1, "model": "parrot"}], repeats=1)
        done = carry_out(runner, database, trial, until=lambda t: t.over or t.recorded >= 2)
        assert done.recorded >= 2
        assert KEY in model_server.headers[0]["Authorization"]
        assert places_of(database, KEY, OTHER) == []
        told = capfd.readouterr()
        assert KEY not in told.out + told.err


def test_a_walk_is_streamed_and_kept_without_it(database, address, parrot, capfd):
    def events(text):
        pieces = [text[at : at + 4] for at in range(0, len(text), 4)]
        told = [{"choices": [{"index": 0, "delta": {"content": piece}}]} for piece in pieces]
        told.append({"choices": [{"index": 0, "delta": {}, "finish_reason": "stop"}]})
        lines = [f"data: {json.dumps(each)}\n\n" for each in told]
        return 200, "".join([*lines, "data: [DONE]\n\n"]), {"Content-Type": "text/event-stream"}

    parrot.answer = lambda body: events(f"The key is {KEY}, and {OTHER}.")
    steps = [{**each, "model": "parrot"} for each in (DRAFT, FINAL)]
    with database.transaction() as tx:
        content = content_from_json(chain(*steps))
        subject = subjects.create(tx, "notices", "", content)
        number = rows.insert(tx, subject, rows.NewWalk(content, {"message": "fog"}, 1))
    walks = Walks(address, "here", gone_s=0.2, retry=Retry(attempts=1))
    walks.start()
    try:

        def over():
            with database.transaction() as tx:
                found = rows.get(tx, number)
            return found.over and found

        found = wait_for(over, what="the walk to end")
    finally:
        walks.close()
    assert found.outcome["outputs"]["final"] == "The key is (key hidden), and (key hidden)."
    assert places_of(database, KEY, OTHER) == []
    assert KEY not in "".join(capfd.readouterr())
