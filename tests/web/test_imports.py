"""A file of cases over HTTP: looked at, kept, broken off, taken back."""

import json
import threading

import pytest

from epistem.core.cases.content import Case
from epistem.core.errors import Conflict
from epistem.core.prompts.content import blank_prompt
from epistem.store import case_lists, cases, imports, subjects
from epistem.web.doors import MOST_BYTES
from epistem.work import imports as work
from tests.web.conftest import assert_problem

TABLE = b"id,message,label,tags\n1,Where is my coat?,,hard\n2,When is the boat?,,\n3,,,x\n"
BASE = "/subjects/inlet/imports"


@pytest.fixture
def inlet(database):
    with database.transaction() as tx:
        return subjects.create(tx, "inlet", "", blank_prompt())


def begun(api, content=TABLE, file="cases.csv"):
    answer = api.client.post(
        f"/api/v1{BASE}?file={file}", data=content, content_type="application/octet-stream"
    )
    assert answer.status_code == 201, answer.text
    return answer.get_json()["id"]


def kept_titles(api):
    listed = api.get("/subjects/inlet/cases").get_json()["cases"]
    return {each["number"]: each["title"] for each in listed}


def test_nothing_is_kept_until_it_is_told_to_and_one_undo_takes_it_back(api, inlet):
    number = begun(api)
    look = api.get(f"{BASE}/{number}/look").get_json()
    assert [(c["name"], c["means"]) for c in look["columns"]] == [
        ("id", "key"), ("message", "input"), ("label", "label"), ("tags", "tags"),
    ]  # fmt: skip
    assert (look["new"], look["bad_rows"], look["bad"][0]["line"]) == (2, 1, 4)
    assert kept_titles(api) == {}
    state = api.post(f"{BASE}/{number}/keep").get_json()
    assert (state["status"], state["done"], state["total"]) == ("kept", 2, 2)
    assert list(kept_titles(api).values()) == ["Where is my coat?", "When is the boat?"]
    assert api.get(BASE).get_json()["imports"][0]["file"] == "cases.csv"
    assert api.post(f"{BASE}/{number}/undo").get_json()["undone"] == 2
    assert kept_titles(api) == {}
    assert_problem(api.post(f"{BASE}/{number}/undo"), 409, None, "nothing to take back")
    assert_problem(api.post(f"{BASE}/{number}/keep"), 409, None, "taken back already")


def test_the_same_file_again_says_what_is_new_changed_and_known(api, inlet):
    api.post(f"{BASE}/{begun(api)}/keep")
    assert_problem(api.post(f"{BASE}/{begun(api)}/keep"), 409, None, "Nothing in this file is new")
    more = TABLE.replace(b"When is the boat?", b"When is the last boat?") + b"4,Is it full?,,\n"
    number = begun(api, more)
    look = api.get(f"{BASE}/{number}/look").get_json()
    assert (look["new"], look["changed"], look["known"]) == (1, 1, 1)
    api.post(f"{BASE}/{number}/keep")
    assert list(kept_titles(api).values()) == [
        "Where is my coat?",
        "When is the last boat?",
        "Is it full?",
    ]
    # What somebody changed since stays as they left it.
    page = api.get("/subjects/inlet/cases/3").get_json()["content"]
    api.change("/subjects/inlet/cases/3", {**page, "tags": ["mine"]})
    undone = api.post(f"{BASE}/{number}/undo").get_json()
    assert (undone["undone"], undone["left"]) == (1, [3])
    assert list(kept_titles(api).values()) == [
        "Where is my coat?",
        "When is the boat?",
        "Is it full?",
    ]


def test_records_that_all_stand_in_one_line_are_a_case_each(api, inlet):
    rows = [{"message": f"m {n}", "tags": ["x"]} for n in range(5)] + [{"message": ""}]
    number = begun(api, json.dumps(rows).encode(), "a.json")
    assert api.post(f"{BASE}/{number}/keep").get_json()["done"] == 5
    assert sorted(kept_titles(api).values()) == [f"m {n}" for n in range(5)]


def test_columns_and_reading_can_be_put_right_and_what_cannot_be_is_refused(api, inlet):
    number = begun(api, b"who;what\nAnn;Where is it?\n", "odd.csv")
    path = f"/api/v1{BASE}/{number}/reading"
    columns = [
        {"name": "who", "means": "input", "input": "message"},
        {"name": "what", "means": "note"},
    ]
    look = api.client.put(path, json={"columns": columns}).get_json()
    assert look["rows"][0]["title"] == "Ann"
    both = [{**each, "means": "input", "input": "message"} for each in columns]
    assert_problem(api.client.put(path, json={"columns": both}), 422, "columns.1", "Two columns")
    assert_problem(
        api.client.put(path, json={"how": {"encoding": "x"}}), 422, "encoding", "no encoding"
    )
    assert api.get(f"{BASE}/{number}/look").get_json()["rows"][0]["title"] == "Ann"
    look = api.client.put(path, json={"how": {"separator": ",", "header": False}}).get_json()
    assert [c["name"] for c in look["columns"]] == ["column 1"]


def test_what_is_no_file_of_cases_is_refused_and_leaves_nothing(api, inlet, database):
    url = f"/api/v1{BASE}?file=a.csv"
    bytes_ = "application/octet-stream"
    assert_problem(api.client.post(url, data=b"", content_type=bytes_), 422, "file", "empty")
    assert_problem(
        api.client.post(url, data=b"a,b", content_type="text/csv"), 415, None, "octet-stream"
    )
    too_much = {"CONTENT_LENGTH": str(MOST_BYTES + 1)}
    answer = api.client.post(url, data=b"a", content_type=bytes_, environ_overrides=too_much)
    assert_problem(answer, 413, None, "50,000,000 bytes")
    with database.transaction() as tx:
        assert tx.number("SELECT COUNT(*) FROM imports WHERE subject_id = %s", [inlet.id]) == 0


def test_keeping_that_was_broken_off_goes_on_and_repeats_nothing(api, inlet, database):
    rows = "".join(f"Message {i}?\n" for i in range(600))
    number = begun(api, f"message\n{rows}".encode())

    def broken(state):
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        work.keep(database, "inlet", number, "", broken)
    state = api.get(f"{BASE}/{number}").get_json()
    assert (state["status"], state["done"], state["total"]) == ("keeping", 250, 600)
    other = api.client.put(f"/api/v1{BASE}/{number}/reading", json={"tags": ["x"]})
    assert_problem(other, 409, None, "kept already")
    assert api.post(f"{BASE}/{number}/keep").get_json()["status"] == "kept"
    with database.transaction() as tx:
        assert [each.content.inputs["message"] for each in cases.all_of(tx, inlet)] == [
            f"Message {i}?" for i in range(600)
        ]


def test_two_that_keep_one_file_at_once_keep_each_case_once(api, inlet, database):
    rows = "".join(f"Message {i}?\n" for i in range(1_500))
    number = begun(api, f"message\n{rows}".encode())
    errors = []

    def run():
        try:
            work.keep(database, "inlet", number, "")
        except Conflict as error:  # the other was quicker
            errors.append(error)

    both = [threading.Thread(target=run) for _ in range(2)]
    for each in both:
        each.start()
    for each in both:
        each.join()
    assert len(errors) < 2
    with database.transaction() as tx:
        assert case_lists.how_many(tx, inlet) == 1_500
        assert imports.get(tx, inlet, number).status == "kept"


def test_cases_go_out_as_json_lines_that_are_all_known_here_and_as_csv(api, inlet):
    api.post(
        "/subjects/inlet/cases", {"inputs": {"message": "=1+1", "n": 4}, "expect": {"label": "x"}}
    )
    api.post("/subjects/inlet/cases", {"inputs": {"message": "b"}, "turns": ["and then?"]})
    out = api.get("/subjects/inlet/cases/file")
    assert [json.loads(line)["inputs"] for line in out.data.splitlines()] == [
        {"message": "=1+1", "n": 4}, {"message": "b"},
    ]  # fmt: skip
    look = api.get(f"{BASE}/{begun(api, out.data, 'inlet.jsonl')}/look").get_json()
    assert (look["whole"], look["known"], look["new"]) == (True, 2, 0)
    table = api.get("/subjects/inlet/cases/file?as=csv&find=1").text
    assert table.splitlines()[1].startswith("'=1+1,4,x")


def test_subjects_do_not_see_each_others_files(api, inlet, database):
    with database.transaction() as tx:
        subjects.create(tx, "elsewhere", "", blank_prompt())
    number = begun(api)
    assert_problem(api.get(f"/subjects/elsewhere/imports/{number}"), 404, "import_id", "no import")
    with database.transaction() as tx:
        assert subjects.get(tx, "elsewhere").name == "elsewhere"


def test_a_paired_case_finds_its_original_in_another_prompt(api, inlet, database):
    """Where another case has the number that the original had, and where the original comes after it."""
    texts = ["Is it urgent?", "It is urgent!", "It is URGENT, please!"]
    for of, text in zip([None, 1, 2], texts, strict=True):
        pair = (
            {} if of is None else {"pair": {"of": of, "moves": [{"what": "urgency", "must": "up"}]}}
        )
        assert (
            api.post("/subjects/inlet/cases", {"inputs": {"message": text}, **pair}).status_code
            == 201
        )
    file = api.client.get("/api/v1/subjects/inlet/cases/file?as=jsonl").data
    with database.transaction() as tx:
        other = subjects.create(tx, "outlet", "", blank_prompt())
        cases.keep(tx, other, Case(inputs={"message": "Somebody else"}))
    assert api.get(f"{BASE}/{begun(api, file, 'again.jsonl')}/look").get_json()["known"] == 3
    first, *others = file.splitlines(keepends=True)
    there = "/subjects/outlet/imports"

    def coming(content):
        begun = api.client.post(
            f"/api/v1{there}?file=c.jsonl", data=content, content_type="application/octet-stream"
        )
        return begun.get_json()["id"]

    lost = api.get(f"{there}/{coming(others[0])}/look").get_json()
    assert (lost["bad_rows"], "neither in the file nor" in lost["bad"][0]["reason"]) == (1, True)
    kept = api.post(f"{there}/{coming(b''.join([*others[::-1], first]))}/keep").get_json()
    assert (kept["status"], kept["done"]) == ("kept", 3)
    with database.transaction() as tx:
        told = {
            each.number: (
                each.content.inputs["message"],
                each.content.pair and each.content.pair.of,
            )
            for each in cases.all_of(tx, other)
        }
    assert told == {
        1: ("Somebody else", None),
        2: (texts[0], None),
        3: (texts[1], 2),
        4: (texts[2], 3),
    }
    said = json.loads(others[0])
    for broken in ("no hash", 7, "ab" * 40):
        look = api.get(
            f"{there}/{coming(json.dumps({**said, 'original': broken}).encode())}/look"
        ).get_json()
        assert (look["bad_rows"], look["bad"][0]["reason"][:9]) == (1, "original:")


def test_a_review_finds_doubles_contradictions_and_what_is_missing(api, inlet):
    rows = [
        ("Where is my black coat, please?", "lost", ["hard"]),
        ("where is my black coat please?", "found", []),
        ("When is the last boat to Sandray today?", "lost", []),
        ("When is the last boat to Sandray  today?", "lost", []),
        ("Is it full?", None, []),
    ]
    for text, label, tags in rows:
        case = {"inputs": {"message": text}, "tags": tags, "expect": {"label": label}}
        api.post("/subjects/inlet/cases", case)
    page = api.get("/subjects/inlet/cases/review").get_json()
    assert [(d["one"], d["other"], d["contradict"]) for d in page["doubles"]] == [
        (1, 2, True), (3, 4, False),
    ]  # fmt: skip
    assert (page["contradictions"], page["unlabelled"], page["passes_all"]) == (1, 1, 0)
    assert [(few["word"], few["cases"]) for few in page["few_labels"]] == [
        ("found", 1),
        ("lost", 3),
    ]
    assert [few["word"] for few in page["few_tags"]] == ["hard"]


def test_doubles_are_merged_and_unmerged_in_one_step_or_said_to_be_two(api, inlet):
    where = "/subjects/inlet/cases"
    for text, tag in (("Where is my coat?", "wet"), ("where is my coat?", "hard")):
        api.post(where, {"inputs": {"message": text}, "tags": [tag]})

    def doubles():
        return [(d["one"], d["other"]) for d in api.get(f"{where}/review").get_json()["doubles"]]

    assert doubles() == [(1, 2)]
    merged = api.post(f"{where}/merged", {"stays": 1, "goes": 2}).get_json()
    assert api.get(f"{where}/1").get_json()["content"]["tags"] == ["wet", "hard"]
    assert (doubles(), list(kept_titles(api))) == ([], [1])
    assert_problem(api.post(f"{where}/merged", {"stays": 1, "goes": 2}), 422, "goes", "already")
    assert_problem(api.post(f"{where}/merged", {"stays": 1, "goes": 1}), 422, "other", "one case")
    assert api.put(f"{where}/merged", merged).status_code == 200
    assert api.get(f"{where}/1").get_json()["content"]["tags"] == ["wet"]
    # What was changed since is not undone, nor is the other half of it.
    merged = api.post(f"{where}/merged", {"stays": 2, "goes": 1}).get_json()
    api.put(f"{where}/tags", {"numbers": [2], "add": ["late"], "remove": []})
    assert_problem(api.put(f"{where}/merged", merged), 412, "If-Match", "Case 2")
    assert list(kept_titles(api)) == [2]
    api.put(f"{where}/away", {"numbers": [1], "away": False})
    for apart, found in ((True, []), (False, [(1, 2)])):
        assert api.put(f"{where}/apart", {"one": 2, "other": 1, "apart": apart}).status_code == 200
        assert doubles() == found
