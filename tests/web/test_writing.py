"""Fragments, renaming, files, starters and search over HTTP."""

import base64
import io
import zipfile

import pytest

from epistem.core.prompts.yaml_file import to_yaml
from epistem.starters import KEYS, all_of
from tests.kit.subjects import sorting_prompt
from tests.web.conftest import assert_problem

CONTENT = sorting_prompt().to_json()


@pytest.fixture
def made(api):
    """A subject with a draft that sorts notes; the draft's ETag."""
    api.post("/subjects", {"name": "shelf-note", "about": "sorts notes"})
    return keep(api, CONTENT)


def keep(api, content, name="shelf-note"):
    first = api.get(f"/subjects/{name}/draft")
    kept = api.put(f"/subjects/{name}/draft", content, etag=first.headers["ETag"])
    assert kept.status_code == 200, kept.text
    return kept.headers["ETag"]


def user(text):
    return {"messages": [{"role": "user", "parts": [{"name": "Note", "text": text}]}]}


class TestFragments:
    INCLUDES = '{% include "house-tone@1" %} {{ note }}'

    def test_a_draft_carries_the_text_that_it_pins_and_newer_ones_are_offered(self, api, made):
        body = {"name": "house-tone", "about": "how we sound", "text": "Write to {{ who }}."}
        assert api.post("/fragments", body).status_code == 201
        keep(api, user(self.INCLUDES))
        page = api.get("/subjects/shelf-note/draft").get_json()
        assert page["content"]["fragments"] == {"house-tone@1": "Write to {{ who }}."}
        assert (page["inputs"], page["problems"]) == (["note", "who"], [])
        newer = api.post(
            "/fragments/house-tone/versions", {"text": "Write kindly.", "note": "warm"}
        )
        assert (newer.status_code, newer.get_json()["versions"][0]["number"]) == (201, 2)
        again = api.post("/fragments/house-tone/versions", {"text": "Write kindly."})
        assert again.status_code == 200
        fragment = api.get("/fragments/house-tone").get_json()
        assert fragment["used_by"] == [{"subject": "shelf-note", "version": 1, "where": "draft"}]
        page = api.get("/subjects/shelf-note/draft").get_json()
        assert page["content"]["fragments"] == {"house-tone@1": "Write to {{ who }}."}

    def test_what_is_not_there_is_a_problem_and_the_draft_is_kept(self, api, made):
        keep(api, user('one\n{% include "gone@3" %}'))
        page = api.get("/subjects/shelf-note/draft").get_json()
        [problem] = page["problems"]
        assert (problem["line"], problem["part"]) == (2, "Note")
        assert "no fragment “gone@3”" in problem["message"]

    @pytest.mark.parametrize(
        ("body", "status", "field", "says"),
        [
            ({"name": "House tone", "text": "x"}, 422, "name", "small letters"),
            ({"name": "b", "text": "{{ a"}, 422, "text", "line 1"),
            ({"name": "b", "text": '{% include "b@1" %}'}, 422, "text", "no fragment “b@1”"),
            ({"name": "a", "text": "y"}, 409, "name", "already"),
        ],
    )
    def test_one_that_will_not_do(self, api, body, status, field, says):
        api.post("/fragments", {"name": "a", "text": "x"})
        assert_problem(api.post("/fragments", body), status, field, says)


class TestRenaming:
    def rename(self, api, etag, **body):
        return api.client.post(
            "/api/v1/subjects/shelf-note/draft/rename", json=body, headers={"If-Match": etag}
        )

    def test_it_is_shown_first_and_then_done_in_text_and_cases(self, api, made):
        for note in ("wet", "dry"):
            api.post("/subjects/shelf-note/cases", {"inputs": {"note": note, "b": 1}})
        shown = self.rename(api, made, old="note", new="memo").get_json()
        [change] = shown["changes"]
        assert (change["part"], change["before"], change["after"]) == (
            "Note",
            "{{ note }}",
            "{{ memo }}",
        )
        assert shown["cases"] == 2
        assert api.get("/subjects/shelf-note/draft").get_json()["inputs"] == ["note"]
        done = self.rename(api, made, old="note", new="memo", apply=True).get_json()
        assert done["draft"]["inputs"] == ["memo"]
        cases = [api.get(f"/subjects/shelf-note/cases/{n}").get_json() for n in (1, 2)]
        assert [case["content"]["inputs"] for case in cases] == [
            {"memo": "wet", "b": 1},
            {"memo": "dry", "b": 1},
        ]

    def test_a_name_that_is_taken_in_a_case_changes_nothing(self, api, made):
        api.post("/subjects/shelf-note/cases", {"inputs": {"note": "x", "memo": "y"}})
        answer = self.rename(api, made, old="note", new="memo", apply=True)
        assert_problem(answer, 422, "new", "Case 1 has an input “memo” beside")
        assert api.get("/subjects/shelf-note/draft").get_json()["inputs"] == ["note"]

    def test_a_stale_draft_is_not_renamed(self, api, made):
        keep(api, user("{{ note }}"))
        assert_problem(
            self.rename(api, made, old="note", new="memo"), 412, "If-Match", "changed elsewhere"
        )


class TestFiles:
    def take_in(self, api, text, **more):
        body = {"files": [{"path": "a.yaml", "text": text}], **more}
        [result] = api.post("/files", body).get_json()["results"]
        return result

    def test_one_comes_out_and_goes_in_again_unchanged(self, api, made):
        got = api.get("/subjects/shelf-note/file")
        assert got.content_type.startswith("application/yaml")
        assert "shelf-note.yaml" in got.headers["Content-Disposition"]
        assert self.take_in(api, got.text)["outcome"] == "same"
        copied = got.text.replace("name: shelf-note", "name: other-note", 1)
        assert self.take_in(api, copied, apply=False)["outcome"] == "new"
        assert self.take_in(api, copied)["outcome"] == "new"
        page = api.get("/subjects/other-note/draft").get_json()
        assert page["content"] == api.get("/subjects/shelf-note/draft").get_json()["content"]

    def test_another_draft_is_not_overwritten_unasked(self, api, made):
        text = api.get("/subjects/shelf-note/file").text.replace("Sort the note", "File the note")
        assert self.take_in(api, text)["outcome"] == "differs"
        assert "Sort the note" in api.get("/subjects/shelf-note/file").text
        assert self.take_in(api, text, replace=True)["outcome"] == "changed"
        assert "File the note" in api.get("/subjects/shelf-note/file").text

    def test_one_that_is_wrong_is_refused_by_line_and_the_others_are_taken(self, api, made):
        good = to_yaml("b-note", "", [], sorting_prompt())
        files = [
            {"path": "a.yaml", "text": "epistem: prompt/1\nname: a\ncolour: red\n"},
            {"path": "b.yaml", "text": good},
            {"path": "c.yaml", "text": good},
        ]
        wrong, right, twice = api.post("/files", {"files": files}).get_json()["results"]
        assert (wrong["outcome"], wrong["line"]) == ("refused", 3)
        assert "no field “colour”" in wrong["message"]
        assert right["outcome"] == "new"
        assert "b.yaml has the name" in twice["message"]

    def test_all_as_a_zip_and_back(self, api, made):
        packed = api.get("/files").data
        with zipfile.ZipFile(io.BytesIO(packed)) as archive:
            assert archive.namelist() == ["shelf-note.yaml"]
        body = {"zip": base64.b64encode(packed).decode()}
        assert [r["outcome"] for r in api.post("/files", body).get_json()["results"]] == ["same"]
        assert_problem(api.post("/files", {"zip": "AAAA"}), 422, "zip", "not a zip")
        assert_problem(api.post("/files", {}), 422, "files", "no YAML file")

    def test_a_file_sent_back_needs_the_draft_that_it_came_from(self, api, made):
        got = api.get("/subjects/shelf-note/file")
        text = got.text.replace("Sort the note", "File the note")
        sent = api.put("/subjects/shelf-note/file", {"text": text}, etag=got.headers["ETag"])
        assert sent.status_code == 200
        stale = api.put("/subjects/shelf-note/file", {"text": got.text}, etag=got.headers["ETag"])
        assert_problem(stale, 412, "If-Match", "Nothing was overwritten")

    def test_a_fragment_that_reads_otherwise_here_is_not_taken(self, api, made):
        api.post("/fragments", {"name": "tone", "text": "Kindly."})
        keep(api, user('{% include "tone@1" %}'))
        text = api.get("/subjects/shelf-note/file").text.replace("Kindly.", "Coldly.")
        told = self.take_in(api, text.replace("name: shelf-note", "name: c", 1))
        assert "“tone@1” reads otherwise here" in told["message"]


class TestBeginning:
    @pytest.mark.parametrize("key", KEYS)
    def test_every_starter_can_be_sent_with_its_sample(self, api, two_models, key):
        starter = next(each for each in all_of() if each.key == key)
        assert api.post("/subjects", {"name": f"my-{key}", "starter": key}).status_code == 201
        page = api.get(f"/subjects/my-{key}/draft").get_json()
        assert (page["problems"], page["unused"]) == ([], [])
        body = {
            "content": page["content"],
            "inputs": starter.sample,
            "model": "gannet-l",
            "seed": 1,
        }
        answer = api.post(f"/subjects/my-{key}/tries", body)
        assert answer.status_code == 200, answer.text
        assert answer.get_json()["finish_reason"] == "stop"
        assert answer.get_json()["shape_faults"] == []

    def test_starters_are_listed_with_when_to_use_them(self, api):
        listed = api.get("/starters").get_json()["starters"]
        assert [line["key"] for line in listed] == list(KEYS)
        assert all(line["when"].endswith(".") and line["sample"] for line in listed)
        assert_problem(
            api.post("/subjects", {"name": "x", "starter": "nope"}), 422, "starter", "There are"
        )

    def test_a_copy_begins_with_the_draft(self, api, made):
        api.post("/subjects", {"name": "second", "copy_of": "shelf-note"})
        copied = api.get("/subjects/second/draft").get_json()["content"]
        assert copied == api.get("/subjects/shelf-note/draft").get_json()["content"]

    @pytest.mark.parametrize(
        ("find", "found"),
        [
            ("shelf", ["shelf-note"]), ("SORTS notes", ["shelf-note"]), ("urgent", ["shelf-note"]),
            ("overdue hours", ["shelf-note"]), ("overdue nowhere", []), ("100%", []), ("_", []),
            ("", ["other", "shelf-note"]), ("gannet", ["other"]),
        ],
    )  # fmt: skip
    def test_search_over_name_line_tags_text_and_models(self, api, made, two_models, find, found):
        api.change(
            "/subjects/shelf-note/about", {"about": "sorts notes", "tags": ["Urgent", "urgent "]}
        )
        api.post("/subjects", {"name": "other"})
        body = {"content": user("Say hello."), "model": "gannet-l"}
        assert api.post("/subjects/other/tries", body).status_code == 200
        lines = api.get("/subjects", query_string={"find": find}).get_json()["subjects"]
        assert [line["name"] for line in lines] == found
