"""Collections over HTTP: brought in, cut, kept, changed, looked up in, measured, and used by prompts."""

import io
import zipfile

import pytest

from epistem.core.cases.content import Case
from epistem.core.checks.uses import CheckUse
from epistem.core.prompts.content import Prompt
from epistem.models.retry import Retry
from epistem.runner.jobs import Jobs
from epistem.store import cases, readings, subjects, versions
from epistem.work.jobs import KINDS
from epistem.work.knowledge import changing, reading
from epistem.work.rejudging import rejudge
from epistem.work.tools.querying import Queries
from tests.kit.running import carry_out, put_model
from tests.kit.subjects import start_trial
from tests.kit.waiting import wait_for
from tests.web.conftest import assert_problem

RULES = """# Rules

## Bicycles
A bicycle costs four euros.

## Dogs
Dogs travel free on a lead.

## Boats
The last boat leaves Sandray at 18:45.
"""
AT = "/collections/rules"


def bring(api, content=RULES, file="rules.md"):
    body = content.encode() if isinstance(content, str) else content
    return api.client.post(
        f"/api/v1{AT}/brought?file={file}", data=body, content_type="application/octet-stream"
    )


def keep(api, **how):
    answer = api.post(f"{AT}/versions", how)
    assert answer.status_code == 201, answer.text
    return answer.get_json()


def passages(api, stem="rules", version=None):
    page = api.get(f"{AT}/documents/{stem}{f'?version={version}' if version else ''}").get_json()
    return {each["reference"]: each["text"] for each in page["holds"]}


def found(api, question, **looking):
    body = {"question": question, "looking": {"collection": "rules", **looking}}
    answer = api.post(f"{AT}/look-ups", body)
    assert answer.status_code == 200, answer.text
    return answer.get_json()


@pytest.fixture
def rules(api):
    assert api.post("/collections", {"name": "rules"}).status_code == 201
    bring(api)
    return keep(api)


class TestBringing:
    def test_nothing_is_kept_before_it_is_told_to(self, api):
        api.post("/collections", {"name": "rules", "note": "of the boats"})
        [line] = bring(api).get_json()["files"]
        assert (line["outcome"], line["stem"], line["passages"], line["cut"]["by"]) == (
            "new",
            "rules",
            3,
            "headings",
        )
        assert api.get(AT).get_json()["version"] == 0
        sliced = api.get(f"{AT}/brought/{line['id']}?by=length&most=100").get_json()
        assert [each["lead"] for each in sliced["slices"]] == [0, 0]
        page = keep(api, tags=["boats"])
        assert (page["version"], page["passages"], page["holds"][0]["tags"]) == (1, 3, ["boats"])
        assert list(passages(api)) == ["rules#1", "rules#2", "rules#3"]
        assert api.get(f"{AT}/brought").get_json()["files"] == []
        bring(api)
        assert_problem(api.post(f"{AT}/versions", {}), 409, None, "Nothing that was brought is new")

    def test_a_changed_file_is_a_new_version_and_the_old_one_stays_readable(self, api, rules):
        changed = RULES.replace("four", "five").replace(
            "## Dogs\nDogs travel free on a lead.\n\n", ""
        )
        [line] = bring(api, changed + "\n## Cats\nNo cats.\n").get_json()["files"]
        assert (line["outcome"], line["kept"], line["fresh"], line["gone"]) == ("changed", 2, 1, 1)
        assert keep(api)["version"] == 2
        assert passages(api) == {
            "rules#1": "A bicycle costs five euros.",
            "rules#3": "The last boat leaves Sandray at 18:45.",
            "rules#4": "No cats.",
        }
        assert passages(api, version=1)["rules#2"] == "Dogs travel free on a lead."
        assert found(api, "dogs", version=1)["passages"][0]["reference"] == "rules#2"
        assert found(api, "dogs")["passages"] == []

    def test_a_zip_is_its_files_and_what_can_not_be_read_says_why(self, api, rules):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("more/fares.csv", "who;euros\nadult;9\nchild;5\n")
            archive.writestr("more/scan.pdf", b"%PDF-1.4 torn")
            archive.writestr("more/.hidden", "no")
        lines = bring(api, packed.getvalue(), "all.zip").get_json()["files"]
        assert [(each["file"], each["outcome"]) for each in lines] == [
            ("more/fares.csv", "new"),
            ("more/scan.pdf", "bad"),
        ]
        assert "damaged" in lines[1]["problem"]
        keep(api)
        assert passages(api, "fares")["fares#2"] == "who: child\neuros: 5"

    def test_many_documents_come_in_part_and_are_narrowed_by_words(self, api, rules, monkeypatch):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            for at in range(12):
                archive.writestr(
                    f"notes/day_{at}.txt", f"Note {at}\n\nNothing happened on day {at}."
                )
        bring(api, packed.getvalue(), "all.zip")
        monkeypatch.setattr("epistem.web.collections.MOST_HELD", 5)
        page = keep(api)
        assert (page["documents"], len(page["holds"]), page["more"]) == (13, 5, True)
        for words, found in (
            ("NOTE 11", ["day-11"]),
            ("day_1", ["day-1", "day-10", "day-11"]),
            ("%", []),
            ("qq day", []),
        ):
            told = api.get(AT, query_string={"find": words}).get_json()
            assert ([each["stem"] for each in told["holds"]], told["more"]) == (found, False)

    def test_one_that_takes_too_long_is_told_and_the_rest_are_read(self, monkeypatch):
        monkeypatch.setattr(reading, "MOST_SECONDS", 1.5)
        slow = "<div>" * 200_000 + "x"
        told = list(reading.read_all([("slow.html", slow.encode()), ("good.txt", b"Fine.")], 3.0))
        assert [("takes longer" in each.problem, each.text.text) for each in told] == [
            (True, ""),
            (False, "Fine."),
        ]

    def test_bad_names_and_empty_files_are_refused_by_name(self, api, rules):
        assert_problem(
            api.post("/collections", {"name": "Big Rules"}), 422, "name", "small letters"
        )
        assert_problem(api.post("/collections", {"name": "rules"}), 409, "name", "already")
        assert_problem(bring(api, b""), 422, "file", "empty")
        assert_problem(api.get("/collections/nothing"), 404, "collection", "no collection")
        assert_problem(api.get(f"{AT}?version=7"), 404, "look_up.version", "no version 7")


class TestChanging:
    def test_a_passage_is_edited_written_and_taken_out_each_as_a_version(self, api, rules):
        edited = api.put(f"{AT}/documents/rules/passages/2", {"text": "Dogs pay nothing."})
        assert edited.get_json()["version"] == 2
        written = api.post(
            f"{AT}/passages", {"title": "Cats", "text": "No cats.", "document": "rules"}
        )
        assert written.status_code == 201
        taken = api.put(f"{AT}/documents/rules/passages/1", {"text": " "})
        assert taken.get_json()["version"] == 4
        assert passages(api) == {
            "rules#2": "Dogs pay nothing.", "rules#3": "The last boat leaves Sandray at 18:45.", "rules#4": "No cats.",
        }  # fmt: skip
        page = api.get(f"{AT}/documents/rules").get_json()
        assert [each["path"][-1] for each in page["holds"]] == ["Dogs", "Boats", "Cats"]
        back = api.put(f"{AT}/documents/rules/back", {"version": 1}).get_json()
        assert (back["version"], list(passages(api))) == (5, ["rules#1", "rules#2", "rules#3"])
        assert_problem(
            api.put(f"{AT}/documents/rules/passages/9", {"text": "x"}), 404, "reference", "rules#9"
        )
        assert_problem(api.post(f"{AT}/passages", {"text": " "}), 422, "text", "some text")

    def test_an_edit_over_what_somebody_else_changed_is_refused(self, api, rules):
        where = f"{AT}/documents/rules/passages"
        api.put(f"{where}/2", {"text": "Dogs pay nothing.", "seen": 1})
        refused = api.put(f"{where}/2", {"text": "Dogs pay a lot.", "seen": 1})
        assert_problem(refused, 412, "If-Match", "Rules")
        assert passages(api)["rules#2"] == "Dogs pay nothing."
        assert api.put(f"{where}/2", {"text": "Dogs pay a lot.", "seen": 2}).status_code == 200

    def test_tags_and_dates_narrow_a_look_up(self, api, rules):
        told = {"title": "Rules of today", "tags": ["Boats"], "dated": "2026-11-02"}
        assert (
            api.put(f"{AT}/documents/rules", told).get_json()["holds"][0]["dated"] == "2026-11-02"
        )
        for narrowed, some in (
            ({"tags": ["boats"]}, True), ({"tags": ["cars"]}, False), ({"since": "2026-11-02"}, True),
            ({"since": "2026-11-03"}, False), ({"until": "2026-11-01"}, False),
        ):  # fmt: skip
            assert bool(found(api, "dogs", **narrowed)["passages"]) is some

    def test_the_database_s_own_index_finds_the_same_and_follows_what_is_changed(self, api, rules):
        def both(question, **looking):
            told = []
            for way in ("memory", "database"):
                assert api.put(AT, {"searched_by": way}).get_json()["searched_by"] == way
                hits = found(api, question, **looking)["passages"]
                told.append([each["reference"] for each in hits])
            assert set(told[0]) == set(told[1])
            return told[1]

        assert both("Is my dog free?")[0].startswith("rules#")
        assert len(both("When does the last boat leave Sandray?")) == 1
        assert both("zeppelin") == both("' OR 1 = 1 -- \" +*~") == []
        told = {"title": "Rules of today", "tags": ["Boats"], "dated": "2026-11-02"}
        api.put(f"{AT}/documents/rules", told)
        assert both("dogs", tags=["cars"]) == []
        assert both("dogs", since="2026-11-01")
        bring(api, "# Cats\n\nCats stay at home, says Ö.\n", "cats.md")
        keep(api)
        assert both("cats") == ["cats#1"]
        assert both("Ö") == ["cats#1"]
        assert both("cats", version=1) == []
        assert_problem(api.put(AT, {"searched_by": "air"}), 422, "searched_by", "memory")

    def test_it_is_cut_anew_and_taken_out(self, api, rules):
        anew = api.put(f"{AT}/documents/rules/cut", {"by": "headings", "level": 1})
        assert (
            anew.get_json()["passages"],
            api.get(f"{AT}/documents/rules").get_json()["holds"][0]["path"],
        ) == (1, ["Rules"])
        assert_problem(
            api.put(f"{AT}/documents/rules/cut", {"by": "headings", "level": 1}),
            409,
            None,
            "so already",
        )
        assert api.delete(f"{AT}/documents/rules").get_json()["holds"] == []
        assert found(api, "dogs")["passages"] == []


class TestLookingUp:
    def test_the_words_that_led_to_it_are_marked_and_neighbours_go_with_it(self, api, rules):
        told = found(api, "When does a boat leave?", around=1, most=1)["passages"]
        assert [(each["reference"], each["beside"]) for each in told] == [
            ("rules#2", True),
            ("rules#3", False),
        ]
        hit = told[1]
        assert [hit["text"][start:end] for start, end in hit["words"]] == ["boat", "leaves"]
        assert hit["by_words"] == 1
        assert found(api, "xylophone")["passages"] == []

    def test_meaning_needs_vectors_of_all_and_is_told_so(self, api, rules, stand_in, database):
        put_model(database, "embeds", stand_in, served_as="gannet-l")
        put_model(database, "plain", stand_in, abilities=frozenset())
        body = {"question": "cycle", "looking": {"collection": "rules", "method": "meaning"}}
        assert_problem(
            api.post(f"{AT}/look-ups", body), 422, "embeds_with", "no model that makes vectors"
        )
        assert_problem(
            api.put(AT, {"embeds_with": "plain"}), 422, "embeds_with", "makes no vectors"
        )
        assert api.put(AT, {"embeds_with": "embeds"}).status_code == 200
        assert_problem(
            api.post(f"{AT}/look-ups", body), 409, None, "3 passages of “rules” have no vectors"
        )
        assert api.get(f"{AT}/vectors").get_json()["done"] == 0
        made = api.post(f"{AT}/vectors").get_json()
        assert (made["done"], made["total"], made["cents"]) == (3, 3, 0.0)
        first = found(api, "bicycles cost", method="both")["passages"][0]
        assert (first["reference"], first["by_words"], first["by_meaning"]) == ("rules#1", 1, 1)

    def test_all_are_made_behind_the_pages_and_what_hinders_it_is_told(
        self, api, address, rules, model_server, database
    ):
        put_model(database, "own", model_server.url)
        api.put(AT, {"embeds_with": "own"})
        model_server.script.append((400, "not now", {}))
        model_server.answer = lambda body: {
            "data": [{"index": at, "embedding": [1.0, 0.5]} for at in range(len(body["input"]))]
        }
        asked = api.post(f"{AT}/vectors/all").get_json()
        assert (asked["done"], asked["job"]["status"]) == (0, "waiting")
        at_work = Jobs(address, KINDS, waits=Retry(attempts=9, first_s=900, most_s=900))
        at_work.start()

        def told():
            return api.get(f"{AT}/vectors").get_json()

        wait_for(lambda: (told()["job"] or {}).get("attempts") == 1)
        assert "not now" in told()["job"]["why"]
        api.post(f"/jobs/{told()['job']['id']}/again")
        wait_for(lambda: told()["job"] is None)
        at_work.close()
        assert told()["done"] == told()["total"] == 3

    @pytest.mark.parametrize(
        ("reply", "says"),
        [
            ({"data": []}, "no vectors that"),
            ({"data": [{"index": 0, "embedding": [1, "x"]}] * 3}, "can be read"),
            (
                {"data": [{"index": at, "embedding": [0.0] * 9_000} for at in range(3)]},
                "9,000 numbers",
            ),
            (
                {"data": [{"index": at, "embedding": [1.0] * (at + 1)} for at in range(3)]},
                "equally long",
            ),
            ((404, "no such thing", {}), "404"),
        ],
    )
    def test_a_server_that_makes_no_vectors_is_told(
        self, api, rules, model_server, database, reply, says
    ):
        model_server.answer = lambda body: reply
        put_model(database, "odd", model_server.url)
        api.put(AT, {"embeds_with": "odd"})
        assert_problem(api.post(f"{AT}/vectors"), 502, "model", says)
        assert api.get(f"{AT}/vectors").get_json()["done"] == 0

    def test_questions_measure_settings_and_tell_what_is_never_reached(self, api, rules):
        for question, wanted in (
            ("dogs", ["rules#2"]),
            ("last boat", ["rules#3"]),
            ("xylophone", ["rules#7"]),
        ):
            assert (
                api.post(
                    f"{AT}/look-up-cases", {"question": question, "wanted": wanted}
                ).status_code
                == 201
            )
        body = {"settings": [{"collection": "rules"}, {"collection": "rules", "most": 1}]}
        told = api.post(f"{AT}/measured", body).get_json()
        recall = next(row for row in told["rows"] if row["name"] == "recall")["settings"]
        assert [each["mean"]["value"] for each in recall] == [pytest.approx(2 / 3)] * 2
        assert recall[0]["mean"]["low"] < 2 / 3 < recall[0]["mean"]["high"] == 1.0
        assert recall[1]["difference"]["word"] in ("unsettled", "same")
        assert [each["ranks"] for each in told["questions"]] == [[1, 1], [1, 1], [None, None]]
        assert (told["unreached"], told["unanswered"], told["questions"][2]["lost"]) == (
            ["rules#1"],
            ["xylophone"],
            ["rules#7"],
        )
        [first, *_] = api.get(f"{AT}/look-up-cases").get_json()["cases"]
        api.put(f"{AT}/look-up-cases/{first['id']}/away", {"away": True})
        assert len(api.get(f"{AT}/look-up-cases").get_json()["cases"]) == 2


def answering(look_up=None):
    looking = {"collection": "rules", "question": "message", "most": 1, **(look_up or {})}
    return Prompt.from_json(
        {
            "messages": [
                {"role": "user", "parts": [{"name": "All", "text": "{{ rules }}\n{{ message }}"}]}
            ],
            "inputs": [
                {"name": "message"},
                {"name": "rules", "kind": "passages", "look_up": looking},
            ],
            "settings": {"max_tokens": 60},
        }
    )


class TestInPrompts:
    @pytest.fixture
    def server(self, database, model_server):
        model_server.answer = lambda body: (
            body["messages"][-1]["content"].split("\n")[0].split(": ")[-1]
        )
        put_model(database, "own", model_server.url)
        return model_server

    @pytest.fixture
    def subject(self, database, rules):
        with database.transaction() as tx:
            subject = subjects.create(tx, "answers", "", answering())
            versions.save(tx, subject, answering(), "")
            cases.keep(tx, subject, Case(inputs={"message": "May dogs come?"}))
            pinned = [{"title": "Own", "text": "Dogs bite."}]
            cases.keep(tx, subject, Case(inputs={"message": "May dogs come?", "rules": pinned}))
        return subject

    def test_a_try_tells_what_was_looked_up_and_its_share_of_the_request(
        self, api, subject, server
    ):
        body = {
            "content": answering().to_json(),
            "inputs": {"message": "May dogs come?"},
            "model": "own",
        }
        shown = api.post("/subjects/answers/requests", body).get_json()
        [looked] = shown["found"]
        assert (looked["input"], looked["looking"]["version"], looked["question"]) == (
            "rules",
            1,
            "May dogs come?",
        )
        assert looked["passages"][0]["reference"] == "rules#2"
        assert "Rules › Dogs: Dogs travel free" in shown["body"]["messages"][0]["content"]
        tried = api.post("/subjects/answers/tries", body).get_json()
        assert tried["answer"] == "Dogs travel free on a lead."
        kept = api.get(f"/subjects/answers/tries/{tried['try_id']}").get_json()["answered"]
        assert kept["request"]["found"][0]["passages"][0]["reference"] == "rules#2"
        pinned = {**body, "inputs": {**body["inputs"], "rules": [{"text": "Mine."}]}}
        assert api.post("/subjects/answers/requests", pinned).get_json()["found"] == []

    def test_no_model_is_asked_for_a_vector_while_one_types(self, api, subject, server):
        def vectors(body):
            return {
                "data": [{"index": at, "embedding": [1, at]} for at, _ in enumerate(body["input"])]
            }

        server.answer = vectors
        api.put(AT, {"embeds_with": "own"})
        api.post(f"{AT}/vectors")
        asked = len(server.requests)
        content = answering({"method": "both"}).to_json()
        body = {"content": content, "inputs": {"message": "May dogs come?"}, "model": "own"}
        typed = api.post("/subjects/answers/requests?may_ask=false", body).get_json()
        assert (typed["found"], len(server.requests)) == ([], asked)
        assert "A passage of some length" in typed["body"]["messages"][0]["content"]
        for _ in range(2):
            told = api.post("/subjects/answers/requests", body).get_json()["found"]
            assert told[0]["passages"][0]["by_words"] == 1
        assert len(server.requests) == asked + 1

    def test_what_is_gone_is_told_and_what_is_used_is_not_put_away(self, api, subject, server):
        gone = answering({"collection": "nowhere"}).to_json()
        body = {"content": gone, "inputs": {"message": "x"}, "model": "own"}
        assert_problem(api.post("/subjects/answers/tries", body), 404, "collection", "nowhere")
        refused = assert_problem(
            api.put(f"{AT}/away", {"away": True}), 409, "collection", "answers"
        )
        assert "1 prompt" in refused["detail"]
        assert api.get(AT).get_json()["used_by"] == ["answers"]

    def test_a_trial_keeps_the_version_that_it_began_with_and_compares_two(
        self, api, database, subject, server, runner
    ):
        with database.transaction() as tx:
            changing.edit_passage(tx, "rules", ("rules", 2), "Dogs pay nothing.")
        arms = [
            {"version": 1, "model": "own", "look_up": {"version": 1}},
            {"version": 1, "model": "own"},
        ]
        checks = [{"check": "grounding.supported"}, {"check": "grounding.copied_share"}]
        trial = start_trial(database, subject, arms=arms, repeats=2, checks=checks)
        with database.transaction() as tx:
            changing.edit_passage(tx, "rules", ("rules", 2), "Nothing of that kind.")
        done = carry_out(runner, database, trial)
        assert (done.status, done.unanswered) == ("finished", 0)
        told = api.get(f"/trials/{trial.id}").get_json()["arms"]
        assert [each["name"] for each in told] == ["v1 collection v1", "v1 collection v2"]
        with database.transaction() as tx:
            both = [readings.at(tx, trial.id, arm, 0)[1] for arm in (0, 1)]
            pinned = readings.at(tx, trial.id, 0, 1)[0]
        assert [each.answer for each in both] == [
            "Dogs travel free on a lead.", "Dogs pay nothing.",
        ]  # fmt: skip
        assert [each.found[0].found.passages[0].text for each in both] == [
            "Dogs travel free on a lead.",
            "Dogs pay nothing.",
        ]
        assert (pinned.answer, pinned.found) == ("Dogs bite.", [])
        # What was looked up is what the checks hold the answer against, then and when judged anew.
        assert [[j.finding.passed for j in each.findings] for each in both] == [
            [True, False],
            [True, True],
        ]
        with database.transaction() as tx:
            anew = rejudge(
                tx, done, CheckUse.from_json({"check": "grounding.supported"}), Queries(database)
            )
        assert [(arm.passed, arm.passed_then) for arm in anew.arms] == [(4, 4), (4, 4)]

    def test_a_plan_that_can_not_look_up_is_refused_by_its_arm(
        self, api, database, subject, server
    ):
        plan = {"arms": [{"version": 1, "model": "own", "look_up": {"version": 9}}], "repeats": 1}
        assert_problem(
            api.post("/subjects/answers/trials", plan), 422, "arms.0.look_up", "no version 9"
        )
        with database.transaction() as tx:
            versions.save(tx, subject, Prompt(messages=answering().messages[:1]), "")
        plan["arms"] = [{"version": 2, "model": "own", "look_up": {"most": 3}}]
        assert_problem(
            api.post("/subjects/answers/trials", plan), 422, "arms.0.look_up", "looks nothing up"
        )

    def test_a_talk_looks_up_what_is_said_last(self, database, rules, server, runner):
        content = answering({"question": ""})
        with database.transaction() as tx:
            subject = subjects.create(tx, "talks", "", content)
            versions.save(tx, subject, content, "")
            cases.keep(
                tx,
                subject,
                Case(inputs={"message": "May dogs come?"}, turns=["And what does a bicycle cost?"]),
            )
        trial = start_trial(
            database,
            subject,
            arms=[{"version": 1, "model": "own"}],
            repeats=1,
            checks=[{"check": "tone.emoji"}],
        )
        carry_out(runner, database, trial)
        with database.transaction() as tx:
            [reading] = readings.at(tx, trial.id, 0, 0)
        assert [(each.turn, each.found.passages[0].reference) for each in reading.found] == [
            (0, "rules#2"),
            (1, "rules#1"),
        ]
        sent = [call.request.decode() for call in reading.calls]
        assert ["Bicycles:" in each for each in sent] == [False, True]
