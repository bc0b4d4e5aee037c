"""Trials whose arms are chains: walked through the same shards as prompts, with what each step took kept."""

from __future__ import annotations

import json

import pytest

from epistem.core.cases.content import Case
from epistem.core.chains.content import Chain
from epistem.core.checks.uses import CheckUse
from epistem.core.errors import Conflict, InvalidInput
from epistem.core.prompts.content import Prompt
from epistem.core.trials.names import arm_names
from epistem.core.trials.plan import TrialPlan
from epistem.store import cases, readings, subjects, trials, versions
from epistem.store.walks import readings as walked
from epistem.work import anew
from epistem.work import trials as work
from epistem.work.talks import talks_of
from epistem.work.walks.blame import find_blame
from tests.kit.running import carry_out, put_model, runner_of, step_until


def prompt(text):
    return {"messages": [{"role": "user", "parts": [{"name": "Task", "text": text}]}]}


def ask(name, text, writes, model="own", **more):
    return {
        "kind": "ask",
        "name": name,
        "model": model,
        "prompt": prompt(text),
        "writes": writes,
        **more,
    }


def chain(*steps, **more):
    return Chain.from_json(
        {
            "kind": "chain",
            "inputs": [{"name": "question"}],
            "state": [{"name": "thought"}, {"name": "answer"}],
            "steps": list(steps),
            "outputs": {"answer": "answer"},
            **more,
        }
    )


TWO = (
    ask("think", "Think: {{ question }}", "thought"),
    ask("answer", "Answer: {{ thought }}", "answer"),
)


@pytest.fixture
def made(database, model_server):
    """A chain with two versions and a prompt beside it; four cases."""
    put_model(database, "own", model_server.url)
    put_model(database, "other", model_server.url)
    model_server.answer = lambda body: f"<{body['model']} {body['messages'][-1]['content']}>"
    with database.transaction() as tx:
        subject = subjects.create(tx, "thinker", "", chain(*TWO))
        versions.save(tx, subject, chain(*TWO), "")
        single = subjects.create(
            tx, "at-once", "", Prompt.from_json(prompt("At once: {{ question }}"))
        )
        versions.save(tx, single, Prompt.from_json(prompt("At once: {{ question }}")), "")
        for number in range(4):
            expect = {"must_say": ["Think"]}
            cases.keep(
                tx,
                subject,
                Case.from_json({"inputs": {"question": f"q{number}"}, "expect": expect}),
            )
        return subject


def plan(*arms, repeats=1, checks=("outcome.must_say",)):
    uses = [CheckUse(check=each).to_json() for each in checks]
    return TrialPlan.from_json({"arms": list(arms), "repeats": repeats, "checks": uses, "seed": 5})


def start(database, subject, told):
    with database.transaction() as tx:
        return work.start(tx, subjects.get(tx, subject.name), told)


ARMS = (
    {"subject": "at-once", "version": 1, "model": "own"},
    {"version": 1},
    {"version": 1, "step": "answer", "model": "other", "settings": {"temperature": 1}},
)


class TestArms:
    def test_a_prompt_a_chain_and_a_chain_with_another_step(
        self, database, runner, made, model_server
    ):
        trial = carry_out(runner, database, start(database, made, plan(*ARMS)))
        assert (trial.status, trial.recorded, trial.unanswered, trial.calls) == (
            "finished",
            12,
            0,
            4 + 8 + 8,
        )
        with database.transaction() as tx:
            arms = trials.arms_of(tx, trial.id)
            assert arm_names(arms) == ["at-once v1 own", "v1", "v1 “answer” other"]
            asked = trials.asked_by(tx, trial.id)
            assert asked == [("at-once v1", "own"), (1, ""), ("v1 “answer” other", "")]
            [one], [two], [three] = (readings.at(tx, trial.id, arm, 0) for arm in range(3))
            stats = walked.by_arm(tx, trial.id)
            took = walked.of_cell(tx, two.id)
        assert one.answer == "<own At once: q0>"
        assert two.answer == "<own Answer: <own Think: q0>>"
        assert three.answer == "<other Answer: <own Think: q0>>"
        assert (two.output_tokens, two.cents > one.cents) == (8, True)
        assert [call.model.name for call in three.calls] == ["own", "other"]
        assert [(each.arm, each.walks, each.done, each.calls) for each in stats] == [
            (1, 4, 4, 2.0),
            (2, 4, 4, 2.0),
        ]
        assert [step["wrote"] for step in took.told] == [
            {"thought": "<own Think: q0>"}, {"answer": "<own Answer: <own Think: q0>>"},
        ]  # fmt: skip
        assert json.loads(three.calls[1].request)["temperature"] == 1

    def test_checks_see_the_answer_of_the_whole(self, database, runner, made):
        trial = carry_out(runner, database, start(database, made, plan(*ARMS)))
        with database.transaction() as tx:
            [one], [two] = (readings.at(tx, trial.id, arm, 1) for arm in (0, 1))
        assert [found.finding.passed for found in one.findings] == [False]
        assert [found.finding.passed for found in two.findings] == [True]

    def test_an_estimate_counts_the_calls_of_all_steps(self, database, made):
        with database.transaction() as tx:
            found, _ = work.estimate_of(tx, made, plan(*ARMS, repeats=2), 16)
        assert found.calls == 4 * 2 * (1 + 2 + 2)
        assert found.cents > 0

    @pytest.mark.parametrize(
        ("arm", "field", "says"),
        [
            ({"version": 1, "model": "other"}, "arms.0.step", "Name the step"),
            ({"version": 1, "settings": {"temperature": 1}}, "arms.0.step", "Settings and prompts belong"),
            ({"version": 1, "step": "nope"}, "arms.0.step", "There are: think and answer"),
            ({"version": 1, "step": "think", "prompt": "at-once@7"}, "arms.0.prompt", "no prompt at-once@7"),
            ({"version": 1, "step": "think", "model": "gone"}, "arms.0.model", "gone"),
            ({"version": 1, "subject": "gone", "model": "own"}, "arms.0.version", "no subject"),
            ({"version": 1, "subject": "at-once"}, "arms.0.model", "Choose a model"),
        ],
        ids=range(7),
    )  # fmt: skip
    def test_what_an_arm_can_not_have_is_said_by_field(self, database, made, arm, field, says):
        with database.transaction() as tx, pytest.raises(InvalidInput, match=says) as caught:
            work.start(tx, made, plan(arm))
        assert caught.value.field == field

    def test_another_prompt_at_a_step(self, database, runner, made):
        arm = {"version": 1, "step": "think", "prompt": "at-once@1"}
        trial = carry_out(runner, database, start(database, made, plan({"version": 1}, arm)))
        with database.transaction() as tx:
            [two] = readings.at(tx, trial.id, 1, 0)
        assert two.answer == "<own Answer: <own At once: q0>>"


class TestEnds:
    def test_a_walk_that_ends_early_is_no_answer_and_says_where(
        self, database, runner, made, model_server
    ):
        halt = {"kind": "check", "name": "is it kind", "of": "thought", "on_failure": "halt",
                "checks": [{"check": "structure.length", "options": {"most": 1}}]}  # fmt: skip
        with database.transaction() as tx:
            versions.save(tx, made, chain(TWO[0], halt, TWO[1]), "")
        trial = carry_out(
            runner, database, start(database, made, plan({"version": 1}, {"version": 2}))
        )
        assert (trial.recorded, trial.unanswered) == (8, 4)
        with database.transaction() as tx:
            [failed] = readings.at(tx, trial.id, 1, 0)
            found = walked.failures(tx, trial.id)
        assert "Step 2, is it kind" in failed.error
        assert [(each.arm, each.at, each.step, each.ended, each.walks) for each in found] == [
            (1, "2", "is it kind", "halted", 4)
        ]
        assert len(failed.calls) == 1


class TestKills:
    def test_what_was_paid_for_is_not_asked_again(self, address, database, made, model_server):
        """The first runner is gone after the first step of each walk."""
        kept, hold = model_server.answer, [True]

        def answer(body):
            if hold[0] and "Answer:" in body["messages"][-1]["content"]:
                return (503, "not yet", {"Retry-After": "30"})
            return kept(body)

        model_server.answer = answer
        trial = start(database, made, plan({"version": 1}))
        first = runner_of(address)

        def thought():
            with database.transaction() as tx:
                return (
                    tx.number(
                        "SELECT COUNT(*) FROM calls WHERE error IS NULL AND cell_id IS NOT NULL"
                    )
                    >= 4
                )

        step_until(first, thought, what="the first steps")
        first.close()
        hold[0] = False
        asked = len(
            [
                b
                for b in model_server.requests
                if "Think:" in b["messages"][-1]["content"]
                and "Answer" not in b["messages"][-1]["content"]
            ]
        )
        second = runner_of(address)
        try:
            with database.transaction() as tx:
                tx.run("UPDATE arms SET paused_until = NOW(3)")
            over = carry_out(second, database, trial)
        finally:
            second.close()
        again = len(
            [
                b
                for b in model_server.requests
                if "Think:" in b["messages"][-1]["content"]
                and "Answer" not in b["messages"][-1]["content"]
            ]
        )
        assert (asked, again) == (4, 4)
        assert (over.recorded, over.unanswered) == (4, 0)


class TestBlame:
    def test_the_step_that_should_have_written_something_else_is_to_blame(
        self, database, runner, made, model_server
    ):
        def answer(body):
            text = body["messages"][-1]["content"]
            if text.startswith("Think"):
                return "a wrong thought"
            return f"it follows: {text}"

        model_server.answer = answer
        with database.transaction() as tx:
            kept = cases.all_of(tx, made)[0]
            told = kept.content.to_json()
            told["expect"] = {"must_say": ["right"], "steps": {"think": "the right thought"}}
            cases.change(tx, made, kept.number, Case.from_json(told), kept.revision)
        trial = carry_out(runner, database, start(database, made, plan({"version": 1})))
        with database.transaction() as tx:
            [failing] = readings.at(tx, trial.id, 0, 0)
        before = len(model_server.requests)
        found = find_blame(database, failing.id)
        assert found.to_blame == "1"
        [put] = found.tried
        assert (put.source, put.passes, put.answer) == (
            "the case", True, "it follows: Answer: the right thought",
        )  # fmt: skip
        assert len(model_server.requests) == before + 1
        assert found.cents > 0
        with database.transaction() as tx:
            [then] = readings.at(tx, trial.id, 0, 0)
        kept = [call for call in then.calls if call.purpose == "blame"]
        assert [(call.path, call.cents) for call in kept] == [("blame.1/2.1", found.cents)]
        assert (then.cents, then.findings) == (failing.cents, failing.findings)

    def test_a_judge_that_is_required_has_its_say(self, database, runner, made, model_server):
        put_model(database, "judge", model_server.url)

        def answer(body):
            text = body["messages"][-1]["content"]
            if body["model"] == "judge":
                return json.dumps({"reason": "so", "score": 5 if "splendid" in text else 1})
            return "a thought" if text.startswith("Think") else f"it follows: {text}"

        model_server.answer = answer
        with database.transaction() as tx:
            kept = cases.all_of(tx, made)[0]
            told = kept.content.to_json()
            told["expect"] = {"steps": {"think": "a better thought", "answer": "It is splendid."}}
            cases.change(tx, made, kept.number, Case.from_json(told), kept.revision)
        use = CheckUse(check="judge.rubric", options={"model": "judge", "criterion": "relevance"})
        judged = plan({"version": 1}).model_copy(update={"checks": [use]})
        trial = carry_out(runner, database, start(database, made, judged))
        with database.transaction() as tx:
            [failing] = readings.at(tx, trial.id, 0, 0)
        found = find_blame(database, failing.id)
        assert [(put.at, put.passes) for put in found.tried] == [("1", False), ("2", True)]
        assert found.to_blame == "2"

    def test_a_walk_of_the_same_case_that_passes_tells_what_is_right(
        self, database, runner, made, model_server
    ):
        """Repeats differ by their seeds: one thinks well."""

        def answer(body):
            text = body["messages"][-1]["content"]
            if text.startswith("Think"):
                return "Think well" if body["seed"] % 2 else "badly"
            return f"so: {text}"

        model_server.answer = answer
        trial = carry_out(runner, database, start(database, made, plan({"version": 1}, repeats=12)))
        with database.transaction() as tx:
            all_ = readings.at(tx, trial.id, 0, 0)
        failing = [each for each in all_ if each.findings[0].finding.failed]
        passing = [each for each in all_ if not each.findings[0].finding.failed]
        assert failing
        assert passing
        found = find_blame(database, failing[0].id)
        assert (found.to_blame, "which passes" in found.tried[0].source) == ("1", True)
        with pytest.raises(Conflict, match="nothing is to blame"):
            find_blame(database, passing[0].id)

    def test_nobody_knows_what_is_right(self, database, runner, made, model_server):
        model_server.answer = lambda body: "nothing of use"
        trial = carry_out(runner, database, start(database, made, plan(ARMS[0], {"version": 1})))
        with database.transaction() as tx:
            [plain], [failing] = (readings.at(tx, trial.id, arm, 0) for arm in (0, 1))
        with pytest.raises(Conflict, match="Nobody says"):
            find_blame(database, failing.id)
        with pytest.raises(InvalidInput, match="no steps to blame"):
            find_blame(database, plain.id)


class TestTalks:
    """Chains that converse, with the persons of their cases."""

    @pytest.fixture
    def desk(self, database, model_server):
        put_model(database, "own", model_server.url)
        put_model(database, "actor", model_server.url)
        notes = {"refused": [], "asks_why": False, "right": None}

        def answer(body):
            text = body["messages"][-1]["content"]
            if body["model"] == "actor":
                return "Hollin" if "pier" in text else "DONE"
            if "Take down facts" in body["messages"][0]["content"]:
                return json.dumps({"pier": text if text == "Hollin" else None, **notes})
            return f"<{text}>"

        model_server.answer = answer
        collect = {"kind": "collect", "name": "facts", "model": "own", "fields": [{"name": "pier"}],
                   "begins": "question", "asks": 1, "writes": "thought"}  # fmt: skip
        asks = chain(collect, ask("answer", "Book {{ thought.pier }}", "answer"))
        talks = chain(
            {**ask("answer", "{{ question }}", "answer"), "sees": {"how": "all"}},
            talk={"words": "question"},
        )
        persona = {"persona": {"model": "actor", "about": "A passenger."}}
        told = [
            {"inputs": {"question": "Book"}, "turns": ["Hollin"], "expect": {"must_say": ["Hollin"]}},
            {"inputs": {"question": "Book"}, "turns": ["No"], "expect": {"must_say": ["go on without"]}},
            {"inputs": {"question": "Book"}, "person": persona, "expect": {"must_say": ["Hollin"]}},
        ]  # fmt: skip
        with database.transaction() as tx:
            subject = subjects.create(tx, "desk", "", asks)
            versions.save(tx, subject, asks, "")
            versions.save(tx, subject, talks, "")
            for each in told:
                cases.keep(tx, subject, Case.from_json(each))
        return subject

    def test_the_person_answers_and_the_whole_talk_is_judged(self, database, runner, desk):
        trial = carry_out(runner, database, start(database, desk, plan({"version": 1})))
        with database.transaction() as tx:
            told, gave_up, played = (readings.at(tx, trial.id, 0, case)[0] for case in range(3))
            talks = walked.past_of(tx, trial.id, [told.id, gave_up.id, played.id])
        assert told.answer == "<Book Hollin>"
        assert talks[told.id].talk == [("What is the pier?", "Hollin"), ("<Book Hollin>", None)]
        assert gave_up.answer.startswith("I can’t go on without that.")
        assert played.answer == "<Book Hollin>"
        assert [call.purpose for call in played.calls].count("person") >= 1
        assert [r.findings[0].finding.passed for r in (told, gave_up, played)] == [True] * 3

    def test_what_is_read_of_it_later_is_the_same_talk(self, database, runner, desk):
        trial = carry_out(runner, database, start(database, desk, plan({"version": 2})))
        with database.transaction() as tx:
            found = readings.at(tx, trial.id, 0, 0)
            [said] = talks_of(tx, trial, found).values()
            again = anew.judge_anew(tx, trial.id)
        assert [(turn.role, turn.text) for turn in said.before] == [
            ("assistant", "<Book>"),
            ("user", "Hollin"),
        ]
        assert said.text == "<Hollin>"
        judged = carry_out(runner, database, again)
        with database.transaction() as tx:
            [then] = readings.at(tx, judged.id, 0, 0)
        assert [found.finding.passed for found in then.findings] == [True]


class TestChecksOfSteps:
    def test_a_check_looks_at_what_a_step_wrote_and_says_so(self, database, runner, made):
        length = {"check": "structure.length", "options": {"most": 3}}
        uses = [{**length, "step": "think"}, length, {**length, "step": "gone"}]
        told = TrialPlan.from_json(
            {"arms": [{"version": 1}], "checks": uses, "seed": 5, "repeats": 1}
        )
        trial = carry_out(runner, database, start(database, made, told))
        with database.transaction() as tx:
            [found] = readings.at(tx, trial.id, 0, 0)
            again = anew.judge_anew(tx, trial.id, told.checks)
        assert trial.measures[0].title.endswith(", at “think”")
        assert "step=think" in trial.measures[0].signature
        assert [each.finding.passed for each in found.findings] == [True, False, None]
        assert "Nothing is known" in found.findings[2].finding.message
        judged = carry_out(runner, database, again)
        with database.transaction() as tx:
            [then] = readings.at(tx, judged.id, 0, 0)
        assert [each.finding for each in then.findings] == [each.finding for each in found.findings]


class TestAskedOnce:
    """A step that two arms have alike."""

    ARMS = ({"version": 1}, {"version": 1, "step": "answer", "model": "other"})

    def test_the_same_request_is_sent_once_and_counts_for_both(
        self, database, runner, made, model_server
    ):
        trial = carry_out(runner, database, start(database, made, plan(*self.ARMS, repeats=2)))
        thought = [
            r for r in model_server.requests if r["messages"][-1]["content"].startswith("Think")
        ]
        assert (
            len(thought) == len({(r["messages"][-1]["content"], r["seed"]) for r in thought}) == 8
        )
        assert len(model_server.requests) == 8 + 8 + 8
        with database.transaction() as tx:
            one, two = (readings.at(tx, trial.id, arm, 0)[0] for arm in (0, 1))
            stats = walked.by_arm(tx, trial.id)
        assert one.cents == pytest.approx(two.cents)
        assert sum(each.again for each in stats) == 8
        assert all(each.total_ms > 0 for each in (one, two))
        paid = sum(each.again_cents for each in stats)
        assert trial.cents + paid == pytest.approx(2 * 8 * one.cents)

    def test_where_it_fails_the_others_ask_themselves(self, database, runner, made, model_server):
        asked = []

        def answer(body):
            text = body["messages"][-1]["content"]
            if text.startswith("Think"):
                asked.append((text, body["seed"]))
                if asked.count((text, body["seed"])) == 1:
                    return 400, "no", {}
            return f"<{text}>"

        model_server.answer = answer
        trial = carry_out(runner, database, start(database, made, plan(*self.ARMS)))
        assert (trial.status, trial.recorded, trial.unanswered) == ("finished", 8, 4)
        assert len(asked) == 8
