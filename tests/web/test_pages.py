"""Lists come in pages, searched by the server, and no answer grows with what is kept."""

import pytest

from epistem.core.cases.content import Case
from epistem.store import cases, subjects, versions
from tests.kit.subjects import sorting_prompt

MOST_BYTES = 200_000
LONG_TAGS = [f"{number:02d} " + "t" * 55 for number in range(50)]


@pytest.fixture
def made(api):
    api.post("/subjects", {"name": "shelf-note"})


@pytest.fixture
def many(api, made, database):
    """250 cases: every fifth of a boat, most with a label, the last with tags that fill pages."""
    with database.transaction() as tx:
        subject = subjects.get(tx, "shelf-note")
        for number in range(1, 251):
            boat = "the Kittiwake" if number % 5 == 0 else "the pier"
            tags = LONG_TAGS if number > 200 else ["plain"] if number % 2 else ["hard", "Wet 50%"]
            case = {"inputs": {"note": f"Note {number} of {boat}"}, "tags": tags}
            if number > 3:
                case["expect"] = {"label": "opening hours"}
            cases.keep(tx, subject, Case.from_json(case))
    return api


def listed(api, **query):
    return api.client.get("/api/v1/subjects/shelf-note/cases", query_string=query).get_json()


class TestCases:
    def test_a_page_says_where_it_is_and_how_many_there_are(self, many):
        page = listed(many, at=100, most=10)
        assert [case["number"] for case in page["cases"]] == list(range(101, 111))
        assert (page["at"], page["found"], page["kept"], page["place"]) == (100, 250, 250, None)
        assert page["cases"][0] == {
            "number": 101,
            "title": "Note 101 of the pier",
            "label": "opening hours",
            "tags": ["plain"],
            "turns": 0,
            "changed_at": page["cases"][0]["changed_at"],
            "by_rules": False,
            "played": False,
            "expects": [],
        }
        assert listed(many, at=1_000)["cases"] == []
        assert many.get(f"/subjects/shelf-note/cases?at={10**30}").status_code == 422

    @pytest.mark.parametrize(
        ("find", "found"),
        [
            ("kittiwake", 50),
            ("KITTIWAKE hard", 20),
            ("50%", 100),
            ("note_1", 0),
            ("opening", 247),
            ("nothing such", 0),
        ],
    )
    def test_every_word_must_stand_somewhere(self, many, find, found):
        assert listed(many, find=find)["found"] == found

    def test_a_number_finds_its_case_beside_those_that_say_it(self, many):
        many.post("/subjects/shelf-note/cases", {"inputs": {"note": "Berth 249"}})
        assert [case["number"] for case in listed(many, find="249")["cases"]] == [249, 251]

    def test_the_page_around_a_case_is_found(self, many):
        page = listed(many, around=137, most=10)
        assert (page["place"], page["at"]) == (136, 130)
        page = listed(many, around=135, most=10, find="kittiwake")
        assert (page["place"], page["at"], page["cases"][6]["number"]) == (26, 20, 135)
        assert listed(many, around=136, find="kittiwake")["place"] is None

    def test_long_lines_make_a_shorter_page(self, many):
        answer = many.client.get("/api/v1/subjects/shelf-note/cases?at=200")
        assert len(answer.data) < MOST_BYTES
        assert 0 < len(answer.get_json()["cases"]) <= 50

    def test_one_that_is_put_away_is_neither_listed_nor_counted(self, many):
        many.change("/subjects/shelf-note/cases/5/deletion", {"deleted": True})
        page = listed(many, find="kittiwake", most=1)
        assert (page["found"], page["kept"], page["cases"][0]["number"]) == (49, 249, 10)

    def test_a_change_is_found_by_its_new_words(self, many):
        many.change("/subjects/shelf-note/cases/5", {"inputs": {"note": {"boat": "Ternlet"}}})
        [case] = listed(many, find="ternlet")["cases"]
        assert (case["number"], case["title"], case["label"]) == (5, "boat: Ternlet", None)

    def test_tags_are_counted(self, many):
        told = many.get("/subjects/shelf-note/cases/tags").get_json()
        counts = {each["tag"]: each["cases"] for each in told["tags"]}
        assert told["kept"] == 250
        assert (counts["plain"], counts["hard"], counts["wet 50%"]) == (100, 100, 100)
        assert told["tags"][0]["cases"] == 100


class TestSeveral:
    def test_they_are_kept_all_or_none_and_put_away_together(self, api, made):
        path = "/subjects/shelf-note/cases"
        made_ = api.post(f"{path}/several", {"cases": [{"inputs": {"note": n}} for n in "abc"]})
        kept = made_.get_json()["cases"]
        assert [each["number"] for each in kept] == [1, 2, 3]
        too_long = [{"inputs": {"note": "d"}}, {"inputs": {"note": "x" * 2_000_000}}]
        refused = api.post(f"{path}/several", {"cases": too_long})
        assert (refused.status_code, refused.get_json()["field"]) == (422, "cases.1.inputs.note")
        assert listed(api)["kept"] == 3
        stale = {"cases": [*kept[:2], {"number": 3, "revision": 9}], "deleted": True}
        assert api.put(f"{path}/deletion", stale).status_code == 412
        assert listed(api)["kept"] == 3
        away = api.put(f"{path}/deletion", {"cases": kept, "deleted": True}).get_json()["cases"]
        assert listed(api)["kept"] == 0
        api.put(f"{path}/deletion", {"cases": away, "deleted": False})
        assert listed(api)["kept"] == 3


class TestChoosing:
    def test_a_plan_takes_cases_by_tag_and_as_an_earlier_trial_did(
        self, many, database, two_models
    ):
        with database.transaction() as tx:
            versions.save(tx, subjects.get(tx, "shelf-note"), sorting_prompt(), "")
        plan = {"arms": [{"version": 1, "model": "tern-s"}], "repeats": 1}
        estimate = "/subjects/shelf-note/trials/estimate"
        told = many.post(estimate, {**plan, "tags": ["plain"]}).get_json()
        assert (told["cases"], told["unlabelled"], told["calls"]) == (100, 2, 100)
        trial = many.post("/subjects/shelf-note/trials", {**plan, "tags": ["hard"]}).get_json()
        assert (trial["cases"], trial["took_all"], trial["numbers"][0]) == (100, False, [2, 2])
        many.post(f"/trials/{trial['id']}/stop")
        many.change("/subjects/shelf-note/cases/2/deletion", {"deleted": True})
        again = many.post(estimate, {**plan, "like": trial["id"]}).get_json()
        assert again["cases"] == 99
        nobody = many.post(estimate, {**plan, "tags": ["plain"], "like": trial["id"]})
        assert (nobody.status_code, nobody.get_json()["field"]) == (422, "cases")


def test_versions_come_without_their_content_and_in_pages(api, made, database):
    with database.transaction() as tx:
        subject = subjects.get(tx, "shelf-note")
        for number in range(1, 141):
            versions.save(tx, subject, sorting_prompt(f"{number} " + "x" * 3_000), "ö" * 500)
    first = api.get("/subjects/shelf-note/versions")
    page = first.get_json()
    assert len(first.data) < MOST_BYTES
    assert page["more"]
    assert "content" not in page["versions"][0]
    last = page["versions"][-1]["number"]
    rest = api.get(f"/subjects/shelf-note/versions?before={last}").get_json()
    numbers = [each["number"] for each in page["versions"] + rest["versions"]]
    assert numbers == list(range(140, 0, -1))


def test_the_desk_comes_in_pages_by_name(api, database):
    with database.transaction() as tx:
        for number in range(130):
            subjects.create(tx, f"s-{number:03d}", "x" * 200, sorting_prompt())
    first = api.get("/subjects").get_json()
    rest = api.get(f"/subjects?after={first['subjects'][-1]['name']}").get_json()
    names = [line["name"] for line in first["subjects"] + rest["subjects"]]
    assert names == [f"s-{number:03d}" for number in range(130)]
    assert (first["more"], rest["more"]) == (True, False)
    found = api.get("/subjects?find=s-12").get_json()["subjects"]
    assert [line["name"] for line in found] == [f"s-12{n}" for n in range(10)]
