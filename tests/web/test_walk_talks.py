"""Talks with chains over the API: by hand, with a person who is played, resumed; web hooks; proposals."""

from __future__ import annotations

import json

import pytest
from aiohttp import web

from epistem.core.cases.content import Case
from epistem.core.tools.addresses import origin_in
from epistem.runner.walks import Walks
from epistem.store import cases, subjects
from epistem.store.tools import answers as places
from tests.kit.servers import served
from tests.kit.waiting import wait_for
from tests.kit.walks import ask, chain
from tests.web.conftest import assert_problem

TALK = {"words": "message", "turns": 5}
CONVERSING = chain(
    ask("answer", "{{ message }}", "final", sees={"how": "all"}),
    {"kind": "set", "name": "count", "writes": {"draft": "draft + 1"}},
    state=({"name": "draft", "start": 0}, "final"),
    talk=TALK,
)
COLLECTING = chain(
    {"kind": "collect", "name": "facts", "model": "own", "begins": "message", "writes": "final",
     "follow_up_minutes": 5, "fields": [{"name": "pier"}, {"name": "seats", "kind": "whole"}]},
    state=("final",),
)  # fmt: skip


def notes(body):
    """Takes down `name=value` words."""
    text = body["messages"][-1]["content"]
    told = dict(each.split("=") for each in text.split() if "=" in each)
    none = {"refused": [], "asks_why": False, "right": None}
    return json.dumps({"pier": told.get("pier"), "seats": told.get("seats"), **none})


def say(api, told, words=None):
    [pause] = [each for each in told["pauses"] if each["word"] is None]
    return say_to(api, pause, words)


def say_to(api, pause, words=None):
    word = {"word": "said", "note": words} if words else {"word": "silent"}
    return api.put(f"/pauses/{pause['id']}", word)


def waits(api, number, says):
    """Until the walk waits for words to that."""

    def look():
        told = api.get(f"/walks/{number}").get_json()
        waiting = [each for each in told["pauses"] if each["word"] is None]
        return (
            told if told["status"] == "paused" and waiting and waiting[0]["value"] == says else None
        )

    return wait_for(look, what=f"“{says}”")


class TestByHand:
    def test_turn_by_turn_until_nothing_is_said(self, api, walking, walk, server):
        told = walk(
            lambda told: told["status"] == "paused", chain=CONVERSING, inputs={"message": "one"}
        )
        assert told["talk"] == [{"says": "<one>", "heard": None}]
        [listed] = api.get("/pauses").get_json()["pauses"]
        assert listed["kind"] == "talk"
        assert say(api, told, "two").status_code == 200
        told = waits(api, told["id"], "<two>")
        seen = [each["content"] for each in server.requests[-1]["messages"]]
        assert seen == ["one", "<one>", "two"]
        assert say(api, told).status_code == 200
        told = wait_for(lambda: (t := api.get(f"/walks/{told['id']}").get_json())["over"] and t)
        assert (told["status"], told["why"]) == ("done", "Nothing more was said.")
        assert told["state"]["draft"] == 2
        assert [each["at"] for each in told["steps"]] == ["t1.1", "t1.2", "t2.1", "t2.2"]

    def test_facts_are_found_out_and_another_runner_goes_on(
        self, api, address, walking, walk, server
    ):
        server.answer = notes
        told = walk(
            lambda told: told["status"] == "paused", chain=COLLECTING, inputs={"message": "seats=2"}
        )
        assert told["talk"] == [{"says": "What is the pier?", "heard": None}]
        walking.close()
        asked = len(server.requests)
        other = Walks(address, "there", gone_s=0.2)
        other.start()
        try:
            assert say(api, told, "pier=Hollin").status_code == 200
            told = wait_for(lambda: (t := api.get(f"/walks/{told['id']}").get_json())["over"] and t)
        finally:
            other.close()
        assert told["outputs"] == {"final": {"pier": "Hollin", "seats": 2}}
        assert told["talk"][0] == {"says": "What is the pier?", "heard": "pier=Hollin"}
        assert told["steps"][0]["said"] == told["talk"][:1]
        assert len(server.requests) == asked + 1

    def test_silence_is_followed_up_and_then_it_gives_up(self, api, walking, walk, server):
        server.answer = notes
        told = walk(
            lambda told: told["status"] == "paused", chain=COLLECTING, inputs={"message": "seats=2"}
        )
        say(api, told)
        told = waits(api, told["id"], "Are you still there? What is the pier?")
        say(api, told)
        told = wait_for(lambda: (t := api.get(f"/walks/{told['id']}").get_json())["over"] and t)
        assert (told["status"], told["why"]) == ("halted", "Step 1, facts: Nothing was said.")

    def test_words_that_do_not_fit_are_refused_and_nothing_is_lost(
        self, api, walking, walk, server
    ):
        told = walk(
            lambda told: told["status"] == "paused", chain=CONVERSING, inputs={"message": "one"}
        )
        [pause] = told["pauses"]
        assert_problem(
            api.put(f"/pauses/{pause['id']}", {"word": "approved"}),
            422,
            "word",
            "Say something to it.",
        )
        assert_problem(
            api.put(f"/pauses/{pause['id']}", {"word": "said", "note": "  "}),
            422,
            "note",
            "Say something.",
        )
        assert say(api, told, "two").status_code == 200
        assert_problem(say_to(api, pause, "three"), 409, "word", "said already")

    def test_a_replay_hears_what_was_said_and_waits_where_it_departs(
        self, api, walking, walk, server
    ):
        told = walk(
            lambda told: told["status"] == "paused", chain=CONVERSING, inputs={"message": "one"}
        )
        say(api, told, "two")
        say(api, waits(api, told["id"], "<two>"))
        first = wait_for(lambda: (t := api.get(f"/walks/{told['id']}").get_json())["over"] and t)
        asked = len(server.requests)
        again = walk(chain=CONVERSING, inputs={"message": "one"}, of_walk=first["id"])
        assert (again["talk"], len(server.requests)) == (first["talk"], asked + 2)  # all anew
        other = json.loads(json.dumps(CONVERSING).replace("draft + 1", "draft + 5"))
        changed = walk(chain=other, inputs={"message": "one"}, of_walk=first["id"])
        assert (changed["state"]["draft"], len(server.requests)) == (10, asked + 2)


class TestPlayed:
    def test_the_person_of_a_case_talks(self, api, database, walking, walk, server):
        with database.transaction() as tx:
            subject = subjects.get(tx, "notices")
            told = {"inputs": {"message": "one"}, "turns": ["two", "three"]}
            number = cases.keep(tx, subject, Case.from_json(told)).number
            alone = cases.keep(tx, subject, Case.from_json({"inputs": {"message": "x"}})).number
        told = walk(chain=CONVERSING, inputs={"message": "one"}, case=number, played=True)
        assert [(e["says"], e["heard"]) for e in told["talk"]] == [
            ("<one>", "two"),
            ("<two>", "three"),
            ("<three>", None),
        ]
        assert told["played"]
        body = {"chain": CONVERSING, "inputs": {"message": "x"}, "case": alone, "played": True}
        assert_problem(api.post("/subjects/notices/walks", body), 422, "case", "has no person")


@pytest.fixture
def hook(database):
    """A server that takes web hooks, which tools may reach; how it answers, and what came."""
    came, answers = [], []

    async def take(request):
        came.append((dict(request.headers), await request.json()))
        return web.Response(status=answers.pop(0) if answers else 200, text='{"ok": true}')

    app = web.Application()
    app.router.add_post("/in", take)
    with served(app) as url:
        with database.transaction() as tx:
            places.allow(tx, origin_in(url), inside=True)
        yield url, came, answers


class TestSending:
    def send(self, url):
        step = {"kind": "send", "name": "tell", "address": f"{url}/in", "body": {"text": "message"},
                "writes": "final", "retries": 2}  # fmt: skip
        return chain(step)

    def test_it_goes_out_once_where_it_is_let_out_and_not_else(self, walking, walk, hook, server):
        url, came, answers = hook
        told = walk(chain=self.send(url), inputs={"message": "fog"})
        assert (told["status"], came) == ("done", [])
        assert "It would be:" in told["steps"][0]["told"]
        answers += [500]
        told = walk(chain=self.send(url), inputs={"message": "fog"}, goes_out=True)
        assert (told["status"], told["outputs"]) == ("done", {"final": {"ok": True}})
        assert [body for _, body in came] == [{"text": "fog"}] * 2
        keys = {headers["Idempotency-Key"] for headers, _ in came}
        assert len(keys) == 1

    def test_one_that_is_never_taken_fails_in_words(self, walking, walk, hook, server):
        url, came, answers = hook
        answers += [500] * 5
        told = walk(chain=self.send(url), inputs={"message": "fog"}, goes_out=True)
        assert (told["status"], len(came)) == ("failed", 3)
        assert "It could not be sent: It answered 500" in told["why"]


class TestProposals:
    def test_a_chain_is_proposed_and_nothing_is_kept(self, api, server):
        before = api.get("/subjects/notices/chain").get_json()
        server.answer = lambda body: before["yaml"].replace("write a draft", "write it down")
        body = {"asked": "Write it down first", "model": "own"}
        told = api.post("/subjects/notices/chain/proposal", body).get_json()
        assert told["content"]["steps"][0]["name"] == "write it down"
        assert (told["wrong"], told["rounds"], told["cents"] > 0) == ([], 1, True)
        assert "- name: write a draft" in told["before"]
        assert "- name: write it down" in told["after"]
        assert api.get("/subjects/notices/chain").get_json()["revision"] == before["revision"]

    def test_what_is_no_chain_is_told_with_why(self, api, server):
        server.answer = lambda body: "Sure! " * 20_000
        body = {"asked": "Anything", "model": "own"}
        told = api.post("/subjects/notices/chain/proposal", body).get_json()
        assert (told["content"], told["rounds"], len(told["wrong"])) == (None, 3, 1)
        server.answer = lambda body: (500, "boom", {})
        assert_problem(api.post("/subjects/notices/chain/proposal", body), 502, "model", "500")
        body["model"] = "gone"
        assert_problem(
            api.post("/subjects/notices/chain/proposal", body), 422, "model", "no model “gone”"
        )
