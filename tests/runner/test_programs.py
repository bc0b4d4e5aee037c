"""Readings that take several calls: tools and talks in trials, on the same engine as tries."""

import json
from datetime import datetime

import pytest

from epistem.core.cases.content import Case
from epistem.core.checks.uses import CheckUse
from epistem.core.engine.needs import SharedBody
from epistem.core.errors import InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.store import bodies, calls, cases, cells, readings, subjects, trials, versions
from epistem.work import anew
from epistem.work import trials as work
from epistem.work.evidence import evidence_of
from epistem.work.rejudging import rejudge
from epistem.work.tools.querying import Queries
from tests.kit.running import carry_out, put_model, step_until, ticks
from tests.kit.subjects import library, start_trial

TIDES = Prompt.from_json(
    {
        "messages": [
            {"role": "system", "parts": [{"name": "Task", "text": "Answer about the tides."}]},
            {"role": "user", "parts": [{"name": "Question", "text": "{{ question }}"}]},
        ],
        "settings": {"temperature": 0.2, "max_tokens": 40},
        "tools": [{"name": "tide", "answer": "high at six"}],
    }
)
ASKS = {
    "choices": [
        {
            "message": {
                "content": "",
                "tool_calls": [{"id": "c", "function": {"name": "tide", "arguments": "{}"}}],
            },
            "finish_reason": "tool_calls",
        }
    ],
    "usage": {"prompt_tokens": 10, "completion_tokens": 2},
}


def tide_desk(body):
    """Calls the tool once for each thing that is said, then answers with how much was said so far."""
    last = body["messages"][-1]
    if last["role"] == "tool":
        return f"{last['content']}, after {sum(m['role'] == 'user' for m in body['messages'])}"
    return ASKS


def tides(tx, turns=("And tomorrow?", "Thank you"), content=TIDES, questions=("When?",)):
    subject = subjects.create(tx, "tides", "", content)
    versions.save(tx, subject, content, "")
    for question in questions:
        inputs = {"question": question}
        cases.keep(tx, subject, Case.from_json({"inputs": inputs, "turns": list(turns)}))
    return subject


def trial_of(database, subject, model="own", repeats=2):
    return start_trial(
        database, subject, arms=[{"version": 1, "model": model}], repeats=repeats,
        checks=[{"check": "tone.stock_phrases"}],
    )  # fmt: skip


def test_a_reading_of_a_talk_holds_all_its_calls(database, runner, model_server):
    model_server.answer = tide_desk
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = tides(tx)
    trial = trial_of(database, subject)
    done = carry_out(runner, database, trial)
    assert (done.status, done.unanswered, done.calls) == ("finished", 0, 12)
    with database.transaction() as tx:
        first, _ = readings.at(tx, trial.id, 0, 0)
        effort = evidence_of(tx, done).efforts[0]
        entry = trials.arms_of(tx, trial.id)[0].entry
    rounds = [f"{turn}.{place}" for turn in range(3) for place in ("1", "1.1", "2")]
    assert [call.path for call in first.calls] == rounds
    asked = [call for call in first.calls if call.purpose == "answer"]
    assert first.answer == "high at six, after 3"
    sent = [json.loads(call.request) for call in asked]
    assert sent == [b for b in model_server.requests if b["seed"] == sent[0]["seed"]]
    assert [m["role"] for m in sent[-1]["messages"]] == [
        "system", "user", "assistant", "user", "assistant", "user", "assistant", "tool",
    ]  # fmt: skip
    # Its sums are those of its calls, in the reading, its mark and the trial alike.
    assert (first.input_tokens, first.attempts) == (60, 6)
    assert first.cents == pytest.approx(effort.cents, abs=1e-6)
    assert done.cents == pytest.approx(2 * first.cents)
    assert all(call.model == entry for call in asked)
    assert (done.input_tokens, done.estimated) == (120, 0)


def test_a_case_says_what_its_tools_answer(database, runner, model_server):
    model_server.answer = tide_desk
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = tides(tx, turns=(), questions=("When?", "How high?"))
        kept = cases.get(tx, subject, 2)
        told = [{"tool": "tide", "answer": "low at nine"}]
        changed = Case.from_json({**kept.content.to_json(), "tool_answers": told})
        cases.change(tx, subject, 2, changed, kept.revision)
    trial = trial_of(database, subject, repeats=1)
    carry_out(runner, database, trial)
    with database.transaction() as tx:
        found = [readings.at(tx, trial.id, 0, case)[0].answer for case in (0, 1)]
    assert found == ["high at six, after 1", "low at nine, after 1"]


def test_what_is_equal_is_kept_once_and_the_exact_bytes_come_back(database, runner, model_server):
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = tides(tx, turns=(), questions=("When?", "How high?"))
    trial = trial_of(database, subject, repeats=20)
    carry_out(runner, database, trial)
    with database.transaction() as tx:
        assert tx.first("SELECT COUNT(*) FROM calls") == (40,)
        assert tx.first("SELECT COUNT(*) FROM bodies") == (2,)
        found = [r for case in (0, 1) for r in readings.at(tx, trial.id, 0, case)]
        posted = {json.dumps(json.loads(r.calls[0].request)) for r in found}
        assert posted == {json.dumps(body) for body in model_server.requests}
        tx.run("UPDATE bodies SET content = CONCAT(content, ' ') LIMIT 1")
        with pytest.raises(bodies.Spoilt, match="its hash does not agree"):
            calls.of(tx, "cell", [reading.id for reading in found])


def test_a_prompt_with_the_dialogue_so_far_is_filled_in_anew_for_each_turn(
    database, runner, model_server
):
    content = TIDES.model_copy(deep=True)
    content = Prompt.from_json(
        {
            **content.to_json(),
            "tools": [],
            "inputs": [{"name": "so_far", "kind": "dialogue"}],
            "messages": [
                {
                    "role": "user",
                    "parts": [
                        {
                            "name": "Talk",
                            "text": "{% for t in so_far %}{{ t.role }}: {{ t.text }}\n{% endfor %}Now: {{ question }}",
                        }
                    ],
                }
            ],
        }
    )
    model_server.answer = lambda body: f"answer {body['messages'][-1]['content'].count(':')}"
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = tides(tx, turns=("And then?",), content=content)
    trial = trial_of(database, subject, repeats=1)
    assert carry_out(runner, database, trial).unanswered == 0
    asked = [body["messages"][0]["content"] for body in model_server.requests]
    assert asked == ["Now: When?", "user: When?\nassistant: answer 1\nNow: And then?"]


def test_a_call_that_fails_in_the_middle_keeps_what_was_paid_and_is_not_asked_twice(
    database, runner, model_server
):
    refused = []

    def answer(body):
        if len(body["messages"]) == 4 and len(refused) < 2:
            refused.append(body)
            return 400, {"error": "not now"}, {}
        return f"said {len(body['messages'])}"

    model_server.answer = answer
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = tides(tx, turns=("And then?",))
    trial = trial_of(database, subject, repeats=2)
    first = carry_out(runner, database, trial)
    assert (first.unanswered, first.calls, first.input_tokens) == (2, 4, 20)
    with database.transaction() as tx:
        [lost, _] = readings.at(tx, trial.id, 0, 0)
        assert [(c.path, c.error is None) for c in lost.calls] == [("0.1", True), ("1.1", False)]
        work.ask_again(tx, trial.id)
    done = carry_out(runner, database, trial)
    assert (done.unanswered, done.recorded) == (0, 2)
    assert len(model_server.requests) == 6, "the first turns were paid for already"
    with database.transaction() as tx:
        [kept, _] = readings.at(tx, trial.id, 0, 0)
        [tick, _] = ticks(tx, trial.id)
    assert kept.answer == "said 4"
    assert [(c.path, c.error is None) for c in kept.calls] == [
        ("0.1", True),
        ("1.1", False),
        ("1.1", True),
    ]
    assert tick.answered


def test_a_talk_that_is_stopped_goes_on_where_it_was(database, runner, model_server):
    model_server.delay_s = 0.3
    model_server.answer = lambda body: f"said {len(body['messages'])}"
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = tides(tx, turns=[f"turn {n}" for n in range(12)])
    trial = trial_of(database, subject, repeats=4)

    def kept(what="COUNT(*)"):
        with database.transaction() as tx:
            return int(tx.first(f"SELECT {what} FROM calls")[0])

    step_until(runner, lambda: kept() >= 12, what="some turns")
    with database.transaction() as tx:
        work.stop(tx, trial.id)
    step_until(runner, lambda: runner.idle, what="the shards to end")
    before, asked = kept("SUM(attempts)"), len(model_server.requests)
    assert 12 <= kept() < 52
    model_server.delay_s = 0
    with database.transaction() as tx:
        work.go_on(tx, trial.id)
    done = carry_out(runner, database, trial)
    assert (done.recorded, done.unanswered, done.calls) == (4, 0, 52)
    # On a busy machine a connection may break and be tried again, which its call tells of.
    assert len(model_server.requests) - asked == kept("SUM(attempts)") - before
    with database.transaction() as tx:
        for reading in readings.at(tx, trial.id, 0, 0):
            assert [call.path for call in reading.calls] == [f"{n}.1" for n in range(13)]


def test_tokens_that_are_not_told_are_estimates_and_cost_something(database, runner, model_server):
    model_server.answer = lambda body: {
        "choices": [{"message": {"content": "At six."}, "finish_reason": "stop"}]
    }
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = library(tx, notes=3)
    done = carry_out(runner, database, start_trial(
        database, subject, arms=[{"version": 1, "model": "own"}], repeats=1
    ))  # fmt: skip
    assert done.estimated == done.calls == 3
    assert done.cents > 0
    with database.transaction() as tx:
        [reading] = readings.at(tx, done.id, 0, 0)
    assert reading.estimated
    assert reading.input_tokens > 20


def test_the_same_calls_put_twice_are_kept_once(database, subject):
    """As after a commit whose own answer was lost."""
    trial = start_trial(database, subject, repeats=1)
    body = SharedBody(b'{"messages": []}')
    with database.transaction() as tx:
        cells.claim(tx, trial.id, "a.1", 1)
        [mine] = cells.claimed_by(tx, trial.id, "a.1")
        ids = bodies.keep(tx, [body])
    call = calls.NewCall("0.1", body, 5, b"{}", datetime(2026, 1, 1), 3.0, cents=2.0)
    so_far = [readings.CallsSoFar(mine.id, mine.arm, [call])]
    batch = readings.Batch(trial.id, "a.1", 4, [None, None], ids, [], so_far)
    for _ in range(2):
        readings.record(database, batch)
    with database.transaction() as tx:
        assert tx.first("SELECT COUNT(*) FROM calls") == (1,)
        assert trials.get(tx, trial.id).cents == 2.0
        [paid] = calls.paid_of_cells(tx, [mine.id])[mine.id]
    assert (paid.path, paid.seed, paid.hash, paid.cents) == ("0.1", 5, body.hash, 2.0)
    # Somebody else owns it now: nothing more is kept for it.
    with database.transaction() as tx:
        cells.release(tx, trial.id, "a.1")
    other = batch._replace(so_far=[so_far[0]._replace(calls=[call._replace(path="0.2")])])
    assert readings.record(database, other) == (0, "running")
    with database.transaction() as tx:
        assert tx.first("SELECT COUNT(*) FROM calls") == (1,)


def asks_for_two_things(body):
    """Asks for the colour until it is told, then for the date, then says that it is noted."""
    said = " ".join(m["content"] for m in body["messages"] if m["role"] == "user")
    if "red" not in said:
        return "Which colour is it?"
    return "It is noted." if "Tuesday" in said else "And the date?"


BY_RULES = {
    "rules": [
        {"asked": "colour", "say": ["Hm.", "It is red."]},
        {"asked": "date", "say": ["Tuesday"]},
        {"asked": "noted"},
    ]
}


def by_rules(tx, person=BY_RULES):
    content = TIDES.model_copy(update={"tools": []})
    subject = subjects.create(tx, "lost", "", content)
    versions.save(tx, subject, content, "")
    expect = {"ends": "done"}
    case = {"inputs": {"question": "I lost a scarf"}, "person": person, "expect": expect}
    cases.keep(tx, subject, Case.from_json(case))
    return subject


TALK_CHECKS = [
    {"check": key}
    for key in ("outcome.ends", "outcome.asked_twice", "outcome.one_thing", "outcome.not_pressed")
]


def test_a_person_answers_by_rules_until_the_talk_ends_and_checks_read_all_of_it(
    database, runner, model_server
):
    model_server.answer = asks_for_two_things
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = by_rules(tx)
    arms = [{"version": 1, "model": "own"}]
    trial = start_trial(database, subject, arms=arms, repeats=1, checks=TALK_CHECKS)
    done = carry_out(runner, database, trial)
    assert (done.calls, done.unanswered) == (4, 0)
    with database.transaction() as tx:
        [reading] = readings.at(tx, trial.id, 0, 0)
        again = {
            check["check"]: rejudge(tx, done, CheckUse.from_json(check), Queries(database))
            for check in TALK_CHECKS
        }
    last = [m["content"] for m in json.loads(reading.calls[-1].request)["messages"]]
    assert last[1:] == [
        "I lost a scarf", "Which colour is it?", "Hm.", "Which colour is it?", "It is red.",
        "And the date?", "Tuesday",
    ]  # fmt: skip
    found = {done.measures[j.measure].key: j.finding.passed for j in reading.findings}
    assert found == {
        "outcome.ends": True, "outcome.asked_twice": False, "outcome.one_thing": True,
    }  # fmt: skip
    # The record of the answers tells what was said: judged anew, they say the same.
    assert [each.changes for each in again.values()] == [0, 0, 0, 0]
    assert again["outcome.ends"].arms[0].passed == 1


def test_a_talk_by_rules_that_never_ends_is_ended_and_one_that_is_resumed_repeats_no_call(
    database, runner, model_server
):
    model_server.delay_s = 0.3
    model_server.answer = lambda body: "Which colour is it?"
    put_model(database, "own", model_server.url)
    with database.transaction() as tx:
        subject = by_rules(tx, {"otherwise": ["Yes?"], "most_turns": 6})
    arms = [{"version": 1, "model": "own"}]
    trial = start_trial(database, subject, arms=arms, repeats=3, checks=TALK_CHECKS)
    step_until(runner, lambda: len(model_server.requests) >= 5, what="some calls")
    with database.transaction() as tx:
        work.stop(tx, trial.id)
    step_until(runner, lambda: runner.idle, what="the stop")
    model_server.delay_s = 0
    with database.transaction() as tx:
        work.go_on(tx, trial.id)
    done = carry_out(runner, database, trial)
    assert (done.calls, done.unanswered) == (21, 0)
    with database.transaction() as tx:
        told = [
            j.finding.message for r in readings.at(tx, trial.id, 0, 0) for j in r.findings
            if done.measures[j.measure].key == "outcome.ends"
        ]  # fmt: skip
    assert told == ["The talk ended: too long; it should have ended: done."] * 3


PLAYED = {
    "persona": {"model": "actor", "facts": [{"what": "colour", "value": "red"}]},
    "most_turns": 6,
}


def desk_and_actor(body):
    """One server for both: the person is told that they play one, and answers what they are asked."""
    last = body["messages"][-1]["content"]
    if "You play a person" not in body["messages"][0]["content"]:
        return asks_for_two_things(body)
    return "It is red" if "colour" in last else "DONE" if "noted" in last else "Tuesday, I think"


def test_a_model_plays_the_person_under_its_own_entry_and_price(database, runner, model_server):
    model_server.answer = desk_and_actor
    put_model(database, "own", model_server.url)
    put_model(database, "actor", model_server.url, input_cents=1_000, output_cents=1_000)
    with database.transaction() as tx:
        subject = by_rules(tx, PLAYED)
    arms = [{"version": 1, "model": "own"}]
    trial = start_trial(database, subject, arms=arms, repeats=2, checks=TALK_CHECKS)
    done = carry_out(runner, database, trial)
    assert (done.calls, done.unanswered) == (12, 0)
    with database.transaction() as tx:
        one, other = readings.at(tx, trial.id, 0, 0)
        again = rejudge(tx, done, CheckUse.from_json({"check": "outcome.ends"}), Queries(database))
        judged = anew.judge_anew(tx, trial.id, [CheckUse.from_json(each) for each in TALK_CHECKS])
    assert [(c.path, c.purpose, c.model.name) for c in one.calls] == [
        ("0.1", "answer", "own"), ("0.person", "person", "actor"),
        ("1.1", "answer", "own"), ("1.person", "person", "actor"),
        ("2.1", "answer", "own"), ("2.person", "person", "actor"),
    ]  # fmt: skip
    assert one.answer == other.answer == "It is noted."
    played = sum(call.cents for call in one.calls if call.purpose == "person")
    assert (played > one.cents * 5, done.cents) == (True, pytest.approx(2 * (played + one.cents)))
    told = {done.measures[j.measure].key: j.finding.passed for j in one.findings}
    assert told["outcome.ends"] is True
    assert (again.changes, again.arms[0].passed) == (0, 2)
    judged = carry_out(runner, database, judged)
    with database.transaction() as tx:
        [same, _] = readings.at(tx, judged.id, 0, 0)
    assert [j.finding for j in same.findings] == [j.finding for j in one.findings]


def test_a_person_who_can_not_be_asked_costs_the_reading_not_the_arm(
    database, runner, model_server
):
    def refuses(body):
        return (400, {"error": "no"}, {}) if body["model"] == "actor" else asks_for_two_things(body)

    model_server.answer = refuses
    put_model(database, "own", model_server.url)
    put_model(database, "actor", model_server.url)
    with database.transaction() as tx:
        subject = by_rules(tx, PLAYED)
        cases.keep(tx, subject, Case.from_json({"inputs": {"question": "plain"}}))
    arms = [{"version": 1, "model": "own"}]
    trial = start_trial(database, subject, arms=arms, repeats=2, checks=TALK_CHECKS)
    done = carry_out(runner, database, trial)
    assert (done.unanswered, done.recorded) == (2, 4)
    with database.transaction() as tx:
        [one, _] = readings.at(tx, trial.id, 0, 0)
    assert one.error.startswith("actor, which plays the person, did not answer: ")


def test_a_person_played_by_a_model_that_is_not_listed_stops_the_trial_from_starting(database):
    put_model(database, "own", "http://127.0.0.1:9")
    with database.transaction() as tx:
        subject = by_rules(tx, PLAYED)
    with pytest.raises(InvalidInput, match="“actor” plays a person, but is not in the list"):
        start_trial(database, subject, arms=[{"version": 1, "model": "own"}])
