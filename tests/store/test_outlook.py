"""What a plan is told of past trials: the newest that says how much readings varied."""

from epistem.core.trials.plan import IN_FLIGHT, TrialPlan
from epistem.runner.service import Runner, RunnerOptions
from epistem.store import models, trials
from epistem.work import trials as work
from epistem.work.evidence import outlook_of
from tests.kit.subjects import library, start_trial
from tests.kit.waiting import wait_for


def showing(database, subject, **plan):
    told = {"arms": [{"version": v, "model": "own"} for v in (1, 2)], "repeats": 3, **plan}
    with database.transaction() as tx:
        asked = TrialPlan.from_json(told)
        _, outlook = work.estimate_of(tx, subject, asked, IN_FLIGHT)
        return outlook_of(tx, subject, asked, outlook)


def test_a_plan_is_told_by_measured_spread_before_rates_and_guesses(
    database, address, model_server
):
    with database.transaction() as tx:
        for name in ("own", "nobody"):
            models.put(tx, models.Model(name, model_server.url, None, 8_192, 20, 80, 500))
        subject = library(tx, notes=21)

    def answer(body):
        if body["model"] == "nobody":
            return {"error": "nobody is here"}
        return '{"label": "overdue"}' if body["seed"] % 3 else '{"label": "lost book"}'

    model_server.answer = answer
    first = showing(database, subject, question={"arm": 1, "measure": "outcome.label"})
    assert {each.spread.of for each in first.shown} == {"guess"}
    assert (first.shown[0].main, first.shown[0].cases, first.curve_of) == (True, 21, 0)
    assert showing(database, subject, arms=[{"version": 1, "model": "own"}]).shown == []

    runner = Runner(address, RunnerOptions(shards=1, poll_s=0.02))
    try:
        for arms in (
            [{"version": v, "model": "own"} for v in (1, 2)],
            [{"version": 1, "model": m} for m in ("own", "nobody")],
        ):
            trial = start_trial(database, subject, arms=arms, repeats=3)

            def over(wanted=trial.id):
                runner.step()
                with database.transaction() as tx:
                    return trials.get(tx, wanted).over

            wait_for(over, what=f"T{trial.id}")
    finally:
        runner.close()
    later = showing(database, subject)
    assert {each.spread.of for each in later.shown} == {"past"}
    assert later.shown[0].points != first.shown[0].points
    # Without a main question each check needs more: they are corrected for their number.
    named = showing(database, subject, question={"arm": 1, "measure": "outcome.label"})
    assert named.shown[0].points < later.shown[0].points
