"""A trial on a server with every fault: each cell is accounted for, none is asked more than its share."""

import json
import random
from collections import Counter

import pytest

from epistem.models.retry import Retry
from epistem.runner.service import RunnerOptions
from epistem.store import readings
from tests.kit.model_server import completion
from tests.kit.running import carry_out, put_model, runner_of, ticks
from tests.kit.subjects import library, start_trial

ATTEMPTS = 4
KINDS = ["good", "good", "flaky", "flaky", "refused", "odd"]
GOOD = '{"label": "overdue"}'


class Moody:
    """What a request meets depends on its seed and on how often it was sent. Some seeds are refused
    each time, some get an odd answer for good, most get through in the end."""

    def __init__(self):
        self.sent = Counter()

    def __call__(self, body):
        seed = body["seed"]
        self.sent[seed] += 1
        rng = random.Random(seed)
        kind = rng.choice(KINDS)
        if kind == "refused":
            return 400, {"error": {"message": "never " + "x" * 70_000}}, {}
        if kind == "odd":
            return rng.choice(
                [
                    {
                        **completion(""),
                        "usage": {"prompt_tokens": 5 * 10**9, "completion_tokens": -1},
                    },
                    completion("half \ud800 of it"),
                    completion("", "f" * 500),
                    {"choices": [{"message": {"content": None, "reasoning": "hm"}}]},
                    {"choices": [{"message": {"content": [{"text": "a"}]}, "finish_reason": None}]},
                ]
            )
        if kind == "flaky" and self.sent[seed] <= rng.randint(1, 2):
            return rng.choice(
                [
                    (500, "<html><title>Oops</title></html>", {}),
                    (429, {"error": "slow down"}, {"retry-after-ms": "5"}),
                    (503, "", {"Retry-After": "0"}),
                    (200, '{"choices": [', {}),
                    (200, {"error": {"message": "no room"}}, {}),
                    (200, "", {}),
                    (529, {"detail": "overloaded"}, {}),
                ]
            )
        return GOOD


def test_every_cell_is_accounted_for(database, address, model_server):
    moody = model_server.answer = Moody()
    put_model(database, "moody", model_server.url)
    with database.transaction() as tx:
        subject = library(tx, notes=14)
    arms = [{"version": v, "model": "moody"} for v in (1, 2)]
    trial = start_trial(database, subject, arms=arms, repeats=10)
    options = RunnerOptions(
        shards=2,
        shard_size=60,
        in_flight=16,
        poll_s=0.02,
        retry=Retry(attempts=ATTEMPTS, first_s=0.01),
    )
    runner = runner_of(address, options)
    done = carry_out(runner, database, trial)
    runner.close()

    assert (done.status, done.recorded) == ("finished", 280)
    assert len(moody.sent) == 280
    assert max(moody.sent.values()) <= ATTEMPTS
    with database.transaction() as tx:
        assert tx.first("SELECT COUNT(DISTINCT cell_id), COUNT(*) FROM readings") == (280, 280)
        assert tx.rows("SELECT DISTINCT state FROM cells") == [("recorded",)]
        found = [readings.get(tx, tick.reading_id) for tick in ticks(tx, trial.id)]
    refused = [r for r in found if r.error]
    seeds = {r.id: json.loads(r.calls[0].request)["seed"] for r in found}
    never = {seed for seed in moody.sent if random.Random(seed).choice(KINDS) == "refused"}
    assert {seeds[r.id] for r in refused} == never
    assert done.unanswered == len(refused) > 10
    assert all("answered 400: never" in r.error and len(r.error) < 2_000 for r in refused)
    # What was sent is what is told: attempts of each reading, and sums of all.
    assert {seeds[r.id]: r.attempts for r in found} == dict(moody.sent)
    assert done.input_tokens == sum(r.input_tokens for r in found)
    assert done.cents == pytest.approx(sum(r.cents for r in found))
