"""Kept tools, their sources and addresses, calls by hand, and tools in tries."""

import json
import sqlite3
from contextlib import closing
from threading import Thread

import pytest
from aiohttp import web

from epistem.core.errors import InvalidInput
from epistem.core.prompts.tool import Tool
from epistem.core.tools.addresses import Origin, origin_in
from epistem.reach.mariadb import Place
from epistem.store.tools import answers, kept, sources
from epistem.work.tools import places
from tests.kit.servers import served
from tests.kit.waiting import wait_for
from tests.web.conftest import assert_problem
from tests.web.test_talk_and_tools import asking, called_once

PIER = {"type": "object", "properties": {"pier": {"type": "string"}}, "required": ["pier"]}
SAILINGS = {
    "name": "sailings",
    "description": "When boats leave",
    "parameters": PIER,
    "answer": "at nine",
}


def sqlite_file(
    tmp_path, script="CREATE TABLE a (b); INSERT INTO a VALUES ('Hollin'), (3), (NULL), (x'00ff')"
):
    file = tmp_path / "x.sqlite"
    with closing(sqlite3.connect(file)) as made:
        made.executescript(script)
    return file.read_bytes()


def attach(api, name, content, **query):
    return api.client.put(
        f"/api/v1/sources/{name}/file",
        data=content,
        query_string=query,
        headers={"Content-Type": "application/octet-stream"},
    )


@pytest.fixture
def boats(database):
    asked = []

    async def answer(request):
        asked.append((request.method, request.path_qs, await request.text()))
        return web.json_response({"boat": "Tern", "asked": len(asked)})

    app = web.Application()
    app.router.add_route("*", "/{rest:.*}", answer)
    with served(app) as url:
        with database.transaction() as tx:
            answers.allow(tx, origin_in(url), inside=True)
        yield url, asked


class TestKept:
    def test_one_has_versions_and_prompts_stay_with_theirs(self, api):
        made = api.post("/tools", {"name": "sailings", "content": SAILINGS})
        assert made.status_code == 201, made.text
        content = made.get_json()["content"]
        assert {key: content[key] for key in SAILINGS} == SAILINGS
        same = api.post("/tools/sailings/versions", {"content": SAILINGS})
        assert (same.status_code, len(same.get_json()["versions"])) == (200, 1)
        api.post("/subjects", {"name": "note"})
        content = asking("Answer.", tools=[{"name": "x", "kept": "sailings@1"}])
        etag = api.get("/subjects/note/draft").headers["ETag"]
        kept = api.put("/subjects/note/draft", content, etag=etag)
        assert kept.status_code == 200, kept.text
        [tool] = api.get("/subjects/note/draft").get_json()["content"]["tools"]
        assert (tool["name"], tool["answer"], tool["kept"]) == ("sailings", "at nine", "sailings@1")
        api.post(
            "/tools/sailings/versions",
            {"content": {**SAILINGS, "answer": "at ten"}, "note": "later"},
        )
        [tool] = api.get("/subjects/note/draft").get_json()["content"]["tools"]
        assert tool["answer"] == "at nine"
        page = api.get("/tools/sailings").get_json()
        assert [each["number"] for each in page["versions"]] == [2, 1]
        assert page["used_by"] == [{"subject": "note", "version": 1, "where": "draft"}]
        assert api.get("/tools/sailings/versions/1").get_json()["content"]["answer"] == "at nine"
        late = {"content": {**SAILINGS, "answer": "at noon"}, "after": 1}
        assert_problem(
            api.post("/tools/sailings/versions", late), 412, "If-Match", "changed elsewhere"
        )
        [line] = api.get("/tools").get_json()["tools"]
        assert (line["newest"], line["kind"]) == (2, "fixed")

    @pytest.mark.parametrize(
        ("name", "content", "field", "says"),
        [
            ("Sail ings", SAILINGS, "name", "small letters"),
            ("", SAILINGS, "name", "small letters"),
            ("x", {**SAILINGS, "name": "a b"}, "content.name", "can't be the name"),
            ("x", {**SAILINGS, "parameters": "{"}, "content.parameters", "JSON"),
            (
                "x",
                {**SAILINGS, "does": {"kind": "http", "address": "ftp://x"}},
                "content.does",
                "http://",
            ),
            ("x", {**SAILINGS, "does": {"kind": "sql"}}, "content.does", "which source"),
        ],
    )
    def test_what_can_not_be_kept_says_why(self, api, name, content, field, says):
        assert_problem(api.post("/tools", {"name": name, "content": content}), 422, field, says)

    def test_a_name_is_used_once_and_one_that_is_not_there_says_so(self, api):
        api.post("/tools", {"name": "x", "content": SAILINGS})
        assert_problem(
            api.post("/tools", {"name": "x", "content": SAILINGS}), 409, "name", "already"
        )
        for path in ("/tools/nope", "/tools/x/versions/9", "/tools/nope/calls", "/sources/nope"):
            assert api.get(path).status_code == 404
        assert api.post("/tools/nope/versions", {"content": SAILINGS}).status_code == 404

    def test_a_thousand_of_each_are_listed_in_an_answer_of_bounded_length_and_all_work(
        self, api, database
    ):
        told = Tool.from_json(
            {**SAILINGS, "description": "d" * 4_000, "does": {"kind": "sql", "source": "s-last"}}
        )
        assert api.get("/tools").get_json()["more"] is False
        with database.transaction() as tx:
            for n in range(1_000):
                kept.insert(tx, f"{'t' * 50}{n}", told)
                sources.put_place(
                    tx, f"{'s' * 50}{n}", "a" * 200, vars(Place("h" * 200, 1, "u" * 80, "d" * 64))
                )
                answers.allow(tx, Origin("https", f"{'h' * 200}{n}.example", 443), inside=False)
            sources.put_place(tx, "s-last", "", vars(Place("h", 1, "u", "d")))
        listed = api.get("/tools")
        assert len(listed.data) < 200_000
        page = listed.get_json()
        assert [len(page[each]) for each in ("tools", "sources", "addresses")] == [120] * 3
        assert page["more"] is True
        assert_problem(api.client.delete("/api/v1/sources/s-last"), 409, "source", "reads “s-last”")


class TestSources:
    def test_one_is_attached_shown_queried_and_removed(self, api, tmp_path):
        line = attach(
            api, "piers", sqlite_file(tmp_path), about="Piers", file="x.sqlite"
        ).get_json()
        assert (line["kind"], line["about"], line["file"]) == ("sqlite", "Piers", "x.sqlite")
        assert api.get("/sources/piers").get_json()["tables"] == "CREATE TABLE a (b);"
        rows = api.post("/sources/piers/query", {"statement": "SELECT b FROM a"}).get_json()
        assert rows == {
            "columns": ["b"],
            "rows": [["Hollin"], [3], [None], ["(2 bytes)"]],
            "more": False,
        }
        assert_problem(
            api.post("/sources/piers/query", {"statement": "DROP TABLE a"}),
            422,
            "query",
            "Only reading",
        )
        reads = {"name": "rows", "does": {"kind": "sql", "source": "piers"}}
        assert api.post("/tools", {"name": "rows", "content": reads}).status_code == 201
        assert_problem(api.client.delete("/api/v1/sources/piers"), 409, "source", "rows reads")
        api.post("/tools/rows/versions", {"content": {**reads, "does": None, "answer": "none"}})
        assert api.client.delete("/api/v1/sources/piers").status_code == 204
        assert api.get("/sources/piers").status_code == 404

    @pytest.mark.parametrize("content", [b"", b"no database", b"<html>"])
    def test_what_is_no_database_is_refused(self, api, content):
        assert_problem(attach(api, "x", content), 422, "file", "no SQLite file")

    def test_another_file_takes_its_place(self, api, tmp_path):
        attach(api, "x", sqlite_file(tmp_path))
        (tmp_path / "x.sqlite").unlink()
        attach(api, "x", sqlite_file(tmp_path, "CREATE TABLE other (c)"))
        assert "other" in api.get("/sources/x").get_json()["tables"]

    def test_a_broken_file_says_so_where_it_is_read(self, api):
        attach(api, "x", b"SQLite format 3\0" + b"\xff" * 9_000)
        page = api.get("/sources/x").get_json()
        assert (page["tables"], bool(page["fault"])) == ("", True)

    def test_a_database_elsewhere_has_to_be_allowed(self, api):
        place = {"host": "rows.example", "user": "reader", "database": "rows"}
        assert_problem(api.put("/sources/x", place), 422, "address", "not among the addresses")
        api.put("/tool-addresses", {"address": "mysql://rows.example:3306"})
        line = api.put("/sources/x", place).get_json()
        assert line["place"] == "reader@rows.example:3306/rows"
        key = {**place, "key": "env:EPISTEM_KEY_NOT_THERE"}
        assert_problem(api.put("/sources/x", key), 422, "key", "no variable")


class TestAddresses:
    @pytest.mark.parametrize(
        "told", ["", "boats", "ftp://x", "file:///etc", "https://a:b@c", "http://{x}/"]
    )
    def test_what_is_no_address_is_refused(self, api, told):
        assert_problem(api.put("/tool-addresses", {"address": told}), 422, "address", "scheme")

    def test_they_are_listed_and_taken_back(self, api):
        told = api.put("/tool-addresses", {"address": "https://boats.example/any/path"}).get_json()
        assert [each["address"] for each in told["addresses"]] == ["https://boats.example:443"]
        body = json.dumps({"address": "https://boats.example"})
        gone = api.client.delete(
            "/api/v1/tool-addresses", data=body, content_type="application/json"
        )
        assert gone.get_json()["addresses"] == []


class TestByHand:
    def test_it_is_called_and_kept_with_the_tool(self, api, boats):
        url, asked = boats
        tool = {
            **SAILINGS,
            "does": {"kind": "http", "address": f"{url}/b/{{pier}}", "shows": ["/boat"]},
        }
        api.post("/tools", {"name": "sailings", "content": tool})
        call = {"content": tool, "arguments": '{"pier": "Ness Point"}', "tool": "sailings"}
        came = api.post("/tool-calls", call).get_json()
        assert (came["answer"], came["fault"], came["how"]) == ("Tern", None, "live")
        assert asked == [("GET", "/b/Ness%20Point", "")]
        wrong = api.post("/tool-calls", {**call, "arguments": '{"pier": 3}'}).get_json()
        assert "do not fit" in wrong["fault"]
        kept = api.get("/tools/sailings/calls").get_json()["calls"]
        assert [each["arguments"] for each in kept] == ['{"pier": 3}', '{"pier": "Ness Point"}']
        assert [bool(each["fault"]) for each in kept] == [True, False]

    @pytest.mark.parametrize("says", [True, False])
    def test_one_that_may_change_something_wants_a_yes_whatever_it_says(self, api, boats, says):
        url, asked = boats
        does = {"kind": "http", "address": f"{url}/b", "method": "POST", "sends": "arguments"}
        call = {
            "content": {**SAILINGS, "does": does, "changes": says},
            "arguments": '{"pier": "x"}',
        }
        assert_problem(api.post("/tool-calls", call), 422, "allowed", "may change something")
        assert asked == []
        api.post("/tool-calls", {**call, "allowed": True})
        assert asked == [("POST", "/b", '{"pier":"x"}')]

    def test_fixed_answers_and_what_is_built_in(self, api):
        assert (
            api.post("/tool-calls", {"content": SAILINGS, "arguments": '{"pier": "x"}'}).get_json()[
                "answer"
            ]
            == "at nine"
        )
        clock = {"name": "now", "does": {"kind": "clock", "zone": "Nowhere/At_All"}}
        assert "no time zone" in api.post("/tool-calls", {"content": clock}).get_json()["fault"]
        sums = {"name": "sum", "does": {"kind": "arithmetic"}}
        told = api.post("/tool-calls", {"content": sums, "arguments": '{"expression": "7 / 2"}'})
        assert told.get_json()["answer"] == '{"result": 3}'
        looks = {"name": "rules", "does": {"kind": "look_up", "looking": {"collection": "nope"}}}
        told = api.post("/tool-calls", {"content": looks, "arguments": '{"question": "dogs"}'})
        assert "no collection called “nope”" in told.get_json()["fault"]
        code = {"name": "own", "does": {"kind": "code", "entry": "nope"}}
        assert "is installed here" in api.post("/tool-calls", {"content": code}).get_json()["fault"]


def events_of(answer):
    found = []
    for block in answer.text.split("\n\n"):
        lines = dict(line.split(": ", 1) for line in block.splitlines() if ": " in line)
        if "event" in lines:
            found.append((lines["event"], json.loads(lines["data"])))
    return found


class TestInTries:
    @pytest.fixture
    def own(self, api, database, model_server):
        api.post("/subjects", {"name": "shelf-note"})
        entry = {
            "address": model_server.url,
            "context_window": 8_000,
            "input_cents": 1,
            "output_cents": 1,
        }
        assert api.put("/models/own", entry).status_code < 300
        model_server.answer = called_once('{"pier": "Hollin"}')
        return model_server

    def body(self, tool, **more):
        inputs = {"message": "When?"}
        return {
            "content": asking("Answer.", tools=[tool]),
            "inputs": inputs,
            "model": "own",
            **more,
        }

    def test_it_is_reached_unless_the_case_says_what_it_answers(self, api, own, boats):
        url, asked = boats
        tool = {**SAILINGS, "does": {"kind": "http", "address": f"{url}/b/{{pier}}"}}
        page = api.post("/subjects/shelf-note/tries", self.body(tool)).get_json()
        assert page["tool_uses"][0]["answer"] == '{"boat": "Tern", "asked": 1}'
        told = [{"tool": "sailings", "answer": "none today"}]
        page = api.post("/subjects/shelf-note/tries", self.body(tool, tool_answers=told)).get_json()
        assert page["tool_uses"][0]["answer"] == "none today"
        assert len(asked) == 1

    @pytest.mark.parametrize("allowed", [True, False])
    def test_one_that_changes_something_asks_first(self, api, database, own, boats, allowed):
        url, asked = boats
        tool = {
            **SAILINGS,
            "does": {"kind": "http", "address": f"{url}/b/{{pier}}"},
            "changes": True,
        }

        def waiting():
            with database.transaction() as tx:
                return tx.first("SELECT token FROM tool_permissions")

        def say():
            [token] = wait_for(waiting, what="the question")
            assert asked == []
            with database.transaction(by="Ann") as tx:
                answers.say(tx, token, allowed=allowed)

        beside = Thread(target=say)
        beside.start()
        found = events_of(api.post("/subjects/shelf-note/tries/stream", self.body(tool)))
        beside.join()
        kinds = [kind for kind, _ in found if kind != "piece"]
        assert kinds == ["allow", "tool", "answer"]
        assert (dict(found)["tool"]["fault"] is None) == allowed
        assert len(asked) == allowed
        token = dict(found)["allow"]["token"]
        late = api.put(f"/permissions/{token}", {"allowed": not allowed}).get_json()
        assert late == {"allowed": allowed}  # the first word counts
        assert_problem(
            api.put("/permissions/none", {"allowed": True}), 404, "token", "Nothing waits"
        )

    def test_where_nobody_can_be_asked_it_is_not_done(self, api, own, boats):
        url, asked = boats
        tool = {**SAILINGS, "does": {"kind": "http", "address": f"{url}/b"}, "changes": True}
        page = api.post("/subjects/shelf-note/tries", self.body(tool)).get_json()
        assert "did not allow" in page["tool_uses"][0]["fault"]
        assert asked == []


def test_answers_that_are_queries_are_run_on_the_bench_and_in_tries(api, model_server, tmp_path):
    attach(api, "piers", sqlite_file(tmp_path))
    api.post("/subjects", {"name": "shelf-note"})
    entry = {
        "address": model_server.url,
        "context_window": 8_000,
        "input_cents": 1,
        "output_cents": 1,
    }
    api.put("/models/own", entry)
    model_server.answer = lambda body: "```sql\nSELECT b FROM a WHERE b = 3\n```"
    uses = [
        {"check": "outcome.query_runs", "options": {"source": "piers"}},
        {"check": "outcome.query_rows", "options": {"source": "piers"}},
    ]
    bench = api.post(
        "/subjects/shelf-note/checks/bench", {"checks": uses, "text": "SELECT c FROM a"}
    ).get_json()
    [told] = [each for each in bench["answers"] if each["text"] == "SELECT c FROM a"]
    assert "no such column: c" in told["findings"][0]["message"]
    kept = api.change("/subjects/shelf-note/checks", {"checks": uses})
    assert kept.status_code == 200, kept.text
    body = {"content": asking("Write SQL."), "inputs": {"message": "x"}, "model": "own",
            "expect": {"query": "SELECT 3", "source": "piers"}}  # fmt: skip
    page = api.post("/subjects/shelf-note/tries", body).get_json()
    assert [(f["passed"], f["message"]) for f in page["findings"]] == [
        (True, "It gives 1 row."),
        (True, "The same 1 row."),
    ]


def test_a_file_whose_kept_tool_is_another_one_here_is_refused(api):
    api.post("/tools", {"name": "sailings", "content": SAILINGS})
    api.post("/subjects", {"name": "note"})
    content = asking("Answer.", tools=[{"name": "x", "kept": "sailings@1"}])
    etag = api.get("/subjects/note/draft").headers["ETag"]
    api.put("/subjects/note/draft", content, etag=etag)
    text = api.get("/subjects/note/file").text
    assert "kept: sailings@1" in text

    def take(told):
        files = [{"path": "note.yaml", "text": told}]
        return api.post("/files", {"files": files, "apply": False}).get_json()["results"]

    assert [each["outcome"] for each in take(text)] == ["same"]
    [refused] = take(text.replace("at nine", "at ten"))
    assert refused["outcome"] == "refused"
    assert "is another one here" in refused["message"]


def test_a_source_that_is_replaced_while_it_is_opened_is_not_kept_half(
    api, database, tmp_path, monkeypatch
):
    content = sqlite_file(tmp_path)
    attach(api, "piers", content)
    with database.transaction() as tx:
        found = sources.get(tx, "piers")
    monkeypatch.setattr(places, "_folder", lambda: tmp_path)
    with database.transaction() as tx:
        tx.run("DELETE FROM source_pieces")
    with pytest.raises(InvalidInput, match="replaced just now"):
        places.opened(database, found)
    attach(api, "piers", content)
    assert places.opened(database, found).file.read_bytes() == content
    assert api.post("/sources/piers/query", {"statement": "SELECT b FROM a"}).status_code == 200
