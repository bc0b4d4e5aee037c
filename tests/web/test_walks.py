"""Walks over the API: begun, carried out by a runner, paused for a person, replayed from a step, stopped."""

from __future__ import annotations

import json
from threading import Event, Thread

import pytest

from epistem.runner.service import Runner, RunnerOptions
from epistem.runner.walks import Walks
from tests.kit.running import threads
from tests.kit.waiting import PATIENCE_S, wait_for
from tests.kit.walks import DRAFT, FINAL, PAUSE, ask, chain
from tests.web.conftest import assert_problem


def events_of(api, number):
    text = api.get(f"/walks/{number}/events").text
    found = []
    for block in text.split("\n\n"):
        told = dict(line.split(": ", 1) for line in block.splitlines() if ": " in line)
        if "event" in told:
            found.append((told["event"], json.loads(told["data"])))
    return found


def is_paused(told):
    return told["status"] == "paused"


class TestWalking:
    def test_each_step_is_told_with_what_it_was_given_and_wrote(self, api, walking, walk, server):
        told = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"}, case=3)
        assert (told["status"], told["outputs"]) == ("done", {"final": "<Final: <Draft: fog>>"})
        assert [(s["at"], s["given"], s["wrote"], s["model"]) for s in told["steps"]] == [
            ("1", {"message": "fog"}, {"draft": "<Draft: fog>"}, "own"),
            ("2", {"draft": "<Draft: fog>"}, {"final": "<Final: <Draft: fog>>"}, "own"),
        ]
        first, second = told["steps"]
        assert first["ms"] > 0
        assert second["start_ms"] == pytest.approx(first["total_ms"])
        assert told["ms"] == pytest.approx(first["ms"] + second["ms"])
        assert (told["calls"], told["case"], told["cents"] > 0) == (2, 3, True)
        [line] = api.get("/subjects/notices/walks").get_json()["walks"]
        assert (line["id"], line["first_words"], line["status"]) == (told["id"], "fog", "done")

    def test_what_happens_is_streamed_and_the_exact_requests_are_kept(
        self, api, walking, walk, server
    ):
        told = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"})
        happened = events_of(api, told["id"])
        kinds = [kind for kind, _ in happened]
        assert kinds == ["begun", "step", "begun", "step", "end"]
        assert happened[-1][1] == {"status": "done", "why": "All steps are done."}
        [call] = api.get(f"/walks/{told['id']}/calls?at=2").get_json()["calls"]
        assert json.loads(call["request"])["messages"][-1]["content"] == "Final: <Draft: fog>"
        assert (call["path"], call["model"], call["attempts"]) == ("2.1", "own", 1)

    def test_a_step_that_fails_ends_it_and_says_where(self, api, walking, walk, server):
        bad = {"kind": "set", "name": "sum", "writes": {"final": "1 / 0"}}
        told = walk(chain=chain(DRAFT, bad), inputs={"message": "fog"})
        assert told["status"] == "failed"
        assert "Step 2, sum" in told["why"]
        assert told["steps"][1]["fault"]
        assert told["outputs"] == {}

    def test_a_model_that_is_away_is_told_with_its_call(self, api, walking, walk, server):
        server.answer = lambda body: (500, "boom")
        told = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"})
        assert (told["status"], told["steps"][0]["fault"] != "") == ("failed", True)
        [call] = api.get(f"/walks/{told['id']}/calls?at=1").get_json()["calls"]
        assert call["error"]

    def test_it_is_stopped(self, api, walking, walk, server):
        hold = Event()
        server.answer = lambda body: hold.wait(PATIENCE_S) and "late"
        told = walk(
            lambda told: told["status"] == "walking", chain=chain(DRAFT), inputs={"message": "x"}
        )
        stopped = api.post(f"/walks/{told['id']}/stop").get_json()
        hold.set()
        assert stopped["status"] == "stopped"
        assert_problem(api.post(f"/walks/{told['id']}/stop"), 409, "walk", "over already")
        assert events_of(api, told["id"])[-1][0] == "end"


class TestPausing:
    told = chain(
        DRAFT,
        PAUSE,
        FINAL,
        state=("draft", "final", "said"),
        outputs={"final": "final", "said": "said"},
    )

    def test_what_can_not_be_edited_is_not(self, api, walking, walk, server):
        """Nor is what goes out emptied by an edit that says nothing."""
        walk(is_paused, chain=self.told, inputs={"message": "fog"})
        [pause] = api.get("/pauses").get_json()["pauses"]
        silent = api.put(f"/pauses/{pause['id']}", {"word": "edited"})
        assert_problem(silent, 422, "value", "instead")
        api.put(f"/pauses/{pause['id']}", {"word": "refused"})
        shown = {**PAUSE, "edits": "", "writes": ""}
        told = chain(DRAFT, shown, FINAL)
        walk(is_paused, chain=told, inputs={"message": "fog"})
        [other] = api.get("/pauses").get_json()["pauses"]
        edited = api.put(f"/pauses/{other['id']}", {"word": "edited", "value": "mine"})
        assert_problem(edited, 422, "word", "lets nothing be edited")
        assert api.get("/pauses").get_json()["pauses"] == [other]

    def test_a_person_edits_what_goes_out(self, api, walking, walk, server):
        paused = walk(is_paused, chain=self.told, inputs={"message": "fog"})
        [pause] = api.get("/pauses").get_json()["pauses"]
        assert (pause["walk"], pause["shows"], pause["value"]) == (
            paused["id"],
            {"text": "<Draft: fog>"},
            "<Draft: fog>",
        )
        said = api.put(
            f"/pauses/{pause['id']}", {"word": "edited", "value": "mine", "note": "shorter"}
        )
        assert said.status_code == 200
        again = api.put(f"/pauses/{pause['id']}", {"word": "refused"})
        assert_problem(again, 409, "word", "edited already")
        over = wait_for(
            lambda: (t := api.get(f"/walks/{paused['id']}").get_json())["over"] and t,
            what="the end",
        )
        assert over["outputs"]["final"] == "<Final: mine>"
        assert over["outputs"]["said"]["note"] == "shorter"
        assert len(server.requests) == 2
        assert api.get("/pauses").get_json()["pauses"] == []

    def test_one_that_is_refused_ends_it(self, api, walking, walk, server):
        paused = walk(is_paused, chain=self.told, inputs={"message": "fog"})
        api.put(f"/pauses/{paused['pauses'][0]['id']}", {"word": "refused", "note": "wrong pier"})
        over = wait_for(
            lambda: (t := api.get(f"/walks/{paused['id']}").get_json())["over"] and t,
            what="the end",
        )
        assert (over["status"], "wrong pier" in over["why"], len(server.requests)) == (
            "refused",
            True,
            1,
        )

    def test_one_that_nobody_answers_ends_as_it_says(self, api, walking, walk, server):
        soon = {**PAUSE, "hours": 0.0001, "then": "approve"}
        told = walk(
            chain=chain(DRAFT, soon, FINAL, state=("draft", "final", "said")),
            inputs={"message": "fog"},
        )
        assert told["outputs"] == {"final": "<Final: <Draft: fog>>"}
        assert told["pauses"][0]["note"] == "Nobody said a word in time."


class TestReplaying:
    def test_from_a_step_on_it_is_asked_anew(self, api, walking, walk, server):
        first = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"})
        server.answer = lambda body: "other"
        again = walk(of_walk=first["id"], from_step="2")
        assert [step["wrote"] for step in again["steps"]] == [
            {"draft": "<Draft: fog>"},
            {"final": "other"},
        ]
        assert (again["calls"], len(server.requests)) == (1, 3)
        [kept] = api.get(f"/walks/{again['id']}/calls?at=1").get_json()["calls"]
        assert kept["attempts"] == 0

    def test_with_a_change_only_what_it_changes_is_asked_anew(self, api, walking, walk, server):
        last = ask("say it", "Say: {{ message }}", "said")
        told = chain(
            DRAFT,
            FINAL,
            last,
            state=("draft", "final", "said"),
            outputs={"said": "said", "final": "final"},
        )
        first = walk(chain=told, inputs={"message": "fog"})
        edited = walk(of_walk=first["id"], from_step="2", edits={"draft": "mine"})
        assert edited["outputs"] == {"final": "<Final: mine>", "said": "<Say: fog>"}
        assert (edited["calls"], len(server.requests)) == (1, 4)
        told["steps"][1] = ask("make it final", "Better: {{ draft }}", "final")
        changed = walk(of_walk=first["id"], from_step="2", chain=told, changed="another prompt")
        assert changed["outputs"]["final"] == "<Better: <Draft: fog>>"
        assert (changed["calls"], changed["changed"]) == (1, "another prompt")

    @pytest.mark.parametrize(
        ("asked", "field", "says"),
        [
            ({"from_step": "7"}, "from_step", "did not come to step 7"),
            ({"edits": {"nope": 1}, "from_step": "2"}, "edits.nope", "no value of the state"),
            ({"edits": {"draft": "x"}}, "from_step", "Say before which step"),
        ],
    )
    def test_what_can_not_be_replayed_is_said(self, api, walking, walk, asked, field, says):
        first = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"})
        refused = api.post("/subjects/notices/walks", {"of_walk": first["id"], **asked})
        assert_problem(refused, 422, field, says)


class TestKills:
    def test_a_walk_goes_on_where_a_runner_left_it_and_asks_nothing_twice(
        self, api, address, server, walk
    ):
        """The first one is gone in the middle of the second step."""
        hold, began = Event(), Event()

        def slow(body):
            if "Final" in body["messages"][-1]["content"] and not hold.is_set():
                began.set()
                hold.wait(PATIENCE_S)
                return "lost"
            return f"<{body['messages'][-1]['content']}>"

        server.answer = slow
        first = Walks(address, "gone", gone_s=0.1)
        first.start()
        told = walk(
            lambda told: told["status"] == "walking",
            chain=chain(DRAFT, FINAL),
            inputs={"message": "fog"},
        )
        wait_for(began.is_set, what="the second step")
        first.close()
        hold.set()
        second = Walks(address, "new", gone_s=0.1)
        second.start()
        try:
            over = wait_for(
                lambda: (t := api.get(f"/walks/{told['id']}").get_json())["over"] and t,
                what="the end",
            )
        finally:
            second.close()
        assert over["outputs"] == {"final": "<Final: <Draft: fog>>"}
        drafts = [
            b
            for b in server.requests
            if "Draft:" in b["messages"][-1]["content"]
            and "Final" not in b["messages"][-1]["content"]
        ]
        assert len(drafts) == 1

    def test_over_fifty_kills_nothing_that_was_answered_is_asked_again(
        self, api, address, database, server, walk
    ):
        """Each runner is gone at another moment of the walk, with nothing said, also of what runs side by side."""
        one = lambda n: ask(f"step {n}", f"Step {n} of {{{{ message }}}}", "draft")  # noqa: E731
        steps = [
            *map(one, range(7)),
            {"kind": "each", "name": "e", "over": "[1, 2, 3, 4, 5]", "gives": "draft", "writes": "all",
             "steps": [ask("of an item", "Item {{ item }} of {{ message }}", "draft")]},
            *map(one, range(7, 9)),
            {"kind": "both", "name": "b", "branches": [
                {"name": name, "steps": [ask(f"of {name}", f"Branch {name} of {{{{ message }}}}", name)]}
                for name in ("left", "right", "middle")]},
        ]  # fmt: skip
        state = ("draft", "final", "all", "left", "right", "middle")
        told = chain(*steps, FINAL, state=state, caps={"calls": 18})
        begun = [
            api.post(
                "/subjects/notices/walks",
                {"chain": told, "inputs": {"message": f"m{n}"}},
            )
            for n in range(3)
        ]
        numbers = [each.get_json()["id"] for each in begun]
        server.delay_s = 0.12
        over = lambda: all(api.get(f"/walks/{n}").get_json()["over"] for n in numbers)  # noqa: E731
        killed = 0
        for number in range(50):
            runner = Walks(address, f"runner {number}", gone_s=0.0)
            runner.start()
            sooner = len(server.requests) + 1 + number % 3
            wait_for(lambda most=sooner: len(server.requests) >= most or over(), what="a call")
            runner.close()
            killed += 1
            if over():
                break
        last = Walks(address, "last", gone_s=0.0)
        last.start()
        wait_for(over, what="the walks to end")
        last.close()
        with database.transaction() as tx:
            answered = tx.number("SELECT COUNT(*) FROM walk_record WHERE kind = 'reply'")
            twice = tx.rows(
                "SELECT walk_id, path FROM calls WHERE walk_id IS NOT NULL AND error IS NULL "
                "GROUP BY walk_id, path HAVING COUNT(*) > 1"
            )
        assert (answered, twice) == (3 * 18, [])
        # Of what was on its way at a kill the answer is lost: that is asked again, and nothing else.
        assert killed >= 12
        assert len(server.requests) <= 3 * 18 + 3 * 4 * killed
        for number in numbers:
            assert api.get(f"/walks/{number}").get_json()["status"] == "done"

    def test_the_runner_of_trials_walks_too(self, api, address, database, server, walk):
        runner = Runner(address, RunnerOptions(shards=1, poll_s=0.02), make_workers=threads)
        stop = Event()
        at_work = Thread(target=runner.run, args=(stop,))
        at_work.start()
        try:
            assert walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"})["status"] == "done"
        finally:
            stop.set()
            at_work.join()


class TestSideBySide:
    items = "[" + ", ".join(map(str, range(200))) + "]"

    def inside_each_other(self, deep):
        """200 items, each of 200 items, and so on."""
        inner = ask("say", "{{ message }} {{ i0 }}", "draft")
        for number in range(deep):
            inner = {"kind": "each", "name": f"e{number}", "over": self.items, "item": f"i{number}",
                     "steps": [inner], "gives": "1", "writes": "draft", "at_once": 16}  # fmt: skip
        return inner

    def test_one_walk_never_holds_up_another_and_after_a_stop_nothing_is_asked(
        self, api, walking, walk, server
    ):
        server.delay_s = 0.05
        wide = chain(self.inside_each_other(3), caps={"calls": 2_000, "steps": 5_000})
        going = walk(lambda told: len(server.requests) > 40, chain=wide, inputs={"message": "wide"})
        small = walk(chain=chain(DRAFT, FINAL), inputs={"message": "small"})
        assert small["status"] == "done"
        assert api.get(f"/walks/{going['id']}").get_json()["status"] == "walking"
        stopped = api.post(f"/walks/{going['id']}/stop").get_json()
        asked = len(server.requests)
        assert (stopped["status"], asked < 2_000) == ("stopped", True)
        last = chain(DRAFT, outputs={"draft": "draft"})
        assert walk(chain=last, inputs={"message": "x"})["status"] == "done"
        assert len(server.requests) == asked + 1

    def test_a_cap_holds_for_all_that_runs_side_by_side_and_a_replay_ends_as_it_did(
        self, api, walking, walk, server
    ):
        told = walk(
            chain=chain(self.inside_each_other(2), caps={"calls": 10}), inputs={"message": "wide"}
        )
        assert (told["status"], told["calls"], len(server.requests)) == ("cap", 10, 10)
        assert "10 calls are allowed" in told["why"]
        again = walk(of_walk=told["id"], edits={"final": "x"}, from_step="1")
        assert (again["status"], again["calls"], len(server.requests)) == ("cap", 0, 10)

    def test_a_cap_on_money_is_not_passed_by_one_call_either(self, api, walking, walk, server):
        short = ask("say", "{{ message }}", "draft", settings={"max_tokens": 20})
        each = {"kind": "each", "name": "e", "over": self.items, "steps": [short], "gives": "draft",
                "writes": "final", "at_once": 16}  # fmt: skip
        told = walk(chain=chain(each, caps={"cents": 0.01}), inputs={"message": "wide"})
        assert (told["status"], "0.01 cents are allowed" in told["why"]) == ("cap", True)
        assert 0 < told["cents"] <= 0.01
        assert 0 < len(server.requests) < 200


class TestBadInput:
    @pytest.mark.parametrize(
        ("asked", "field", "says"),
        [
            ({}, "chain", "Say which chain"),
            ({"chain": chain(ask("a", "x", "other"))}, "writes", "no value of the state"),
            ({"chain": chain(ask("a", "x", "draft", model="nobody"))}, "model", "no model “nobody”"),
            ({"chain": chain(ask("a", "x", "draft") | {"prompt": "gone@4"})}, "kept", "no gone@4"),
            ({"of_walk": 999_999}, "walk", "no walk"),
        ],
        ids=range(5),
    )  # fmt: skip
    def test_it_is_refused_by_field(self, api, server, asked, field, says):
        answer = api.post("/subjects/notices/walks", asked)
        assert answer.status_code in (404, 422)
        assert_problem(answer, answer.status_code, field, says)

    def test_a_chain_that_asks_nobody_walks_without_any_model(
        self, api, address, database, server, walking, walk
    ):
        told = walk(
            chain=chain({"kind": "set", "name": "n", "writes": {"final": "size(message)"}}),
            inputs={"message": "four"},
        )
        assert told["outputs"] == {"final": 4}


class TestRightAnswers:
    THREE = chain(DRAFT, ask("shorten it", "Short: {{ draft }}", "draft"), FINAL)

    def test_what_a_step_should_have_written_goes_on_and_the_rest_is_as_recorded(
        self, api, walking, walk, server
    ):
        first = walk(chain=self.THREE, inputs={"message": "fog"})
        asked = len(server.requests)
        right = {"draft": "Fog till noon."}
        told = walk(of_walk=first["id"], from_step="2", instead=right, inputs={"message": "fog"})
        assert told["outputs"] == {"final": "<Final: Fog till noon.>"}
        assert len(server.requests) == asked + 1
        assert (told["steps"][1]["wrote"], told["steps"][1]["calls"]) == (right, 0)
        assert told["instead"] == right

    def test_a_replay_of_a_replay_keeps_what_was_otherwise_before_it(
        self, api, walking, walk, server
    ):
        first = walk(chain=self.THREE, inputs={"message": "fog"})
        edited = walk(of_walk=first["id"], from_step="2", edits={"draft": "rain"})
        assert edited["outputs"] == {"final": "<Final: <Short: rain>>"}
        again = walk(of_walk=edited["id"], from_step="3")
        assert again["outputs"] == edited["outputs"]
        right = walk(of_walk=edited["id"], from_step="2", instead={"draft": "snow"})
        on = walk(of_walk=right["id"], from_step="3")
        assert on["outputs"] == {"final": "<Final: snow>"}
        anew = walk(of_walk=right["id"], from_step="1")
        assert anew["outputs"] == first["outputs"]

    def test_what_is_no_value_of_the_state_is_refused(self, api, walking, walk, server):
        first = walk(chain=self.THREE, inputs={"message": "fog"})
        body = {"of_walk": first["id"], "from_step": "2", "instead": {"nope": 1}}
        answer = api.post("/subjects/notices/walks", body)
        assert_problem(answer, 422, "instead.nope", "no value of the state")


class TestAlone:
    def test_a_step_is_walked_on_what_it_was_given_as_the_draft_has_it_now(
        self, api, walking, walk, server
    ):
        first = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog" * 9_000})
        asked = len(server.requests)
        other = chain(DRAFT, ask("make it final", "Last: {{ draft }}", "final"))
        told = walk(of_walk=first["id"], from_step="2", alone=True, chain=other)
        assert len(server.requests) == asked + 1
        text = server.requests[-1]["messages"][-1]["content"]
        assert text == f"Last: <Draft: {'fog' * 9_000}>"  # whole, though what is shown of it is cut
        assert [step["at"] for step in told["steps"]] == ["1"]
        assert (told["alone"], told["of_walk"], told["status"]) == (True, first["id"], "done")
        assert told["outputs"]["final"].startswith("<Last: ")

    def test_in_a_loop_and_in_a_list_it_sees_what_it_saw_there(self, api, walking, walk, server):
        each = {"kind": "each", "name": "all", "over": "['a', 'b']", "gives": "draft", "writes": "final",
                "steps": [ask("say it", "Say: {{ item }}", "draft")]}  # fmt: skip
        first = walk(chain=chain(each), inputs={"message": "x"})
        told = walk(of_walk=first["id"], from_step="1.i2.1", alone=True)
        assert told["outputs"] == {"draft": "<Say: b>"}
        edited = walk(of_walk=told["id"], from_step="1", alone=True, edits={"draft": "before"})
        assert edited["outputs"] == {"draft": "<Say: b>"}

    def test_what_can_not_be_walked_alone_is_said(self, api, walking, walk, server):
        first = walk(chain=chain(DRAFT, FINAL), inputs={"message": "fog"})
        body = {"of_walk": first["id"], "alone": True}
        assert_problem(api.post("/subjects/notices/walks", body), 422, "from_step", "which step")
        body["from_step"] = "7"
        assert_problem(api.post("/subjects/notices/walks", body), 422, "from_step", "no step")
        body |= {"from_step": "2", "chain": chain(DRAFT, ask("other", "x", "final"))}
        assert_problem(api.post("/subjects/notices/walks", body), 422, "from_step", "any more")


class TestCasesOfSteps:
    def test_one_walks_that_step_alone_and_no_trial_of_the_whole_asks_it(
        self, api, database, walking, walk, server
    ):
        body = {"inputs": {"draft": "Fog."}, "step": "make it final"}
        number = api.post("/subjects/notices/cases", body).get_json()["number"]
        told = walk(chain=chain(DRAFT, FINAL), case=number, inputs={"draft": "Fog."})
        assert (told["outputs"], len(told["steps"])) == ({"final": "<Final: Fog.>"}, 1)
        gone = {"chain": chain(DRAFT), "case": number, "inputs": {"draft": "x"}}
        assert_problem(api.post("/subjects/notices/walks", gone), 422, "case", "has no step")
        page = api.get("/subjects/notices/chain").get_json()
        etag = {"If-Match": f'"{page["revision"]}"'}
        assert api.post("/subjects/notices/chain/versions", {}, headers=etag).status_code == 201
        plan = {"arms": [{"version": 1}]}
        assert_problem(api.post("/subjects/notices/trials", plan), 422, "cases", "case")
