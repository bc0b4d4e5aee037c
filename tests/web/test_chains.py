"""Drafts and versions of chains over the API: content and YAML are two views of one thing."""

from __future__ import annotations

import pytest

from epistem.core.prompts.content import Prompt
from epistem.store import models, subjects, versions
from tests.web.conftest import assert_problem

YAML = """epistem: chain/1
name: notices
inputs:
  - {name: message}
state:
  - {name: said}  # what is told
steps:
  - kind: set
    name: say it
    writes: {said: message}
outputs: {said: said}
"""


@pytest.fixture
def chain(api, database):
    with database.transaction() as tx:
        models.put(tx, models.Model("own", "http://127.0.0.1:9", None, 8_192, 20, 80))
    made = api.post("/subjects", {"name": "notices", "kind": "chain"})
    assert made.status_code == 201, made.text
    assert made.get_json()["kind"] == "chain"
    return "/subjects/notices/chain"


def put(api, path, body, revision=None):
    now = revision if revision is not None else api.get(path).get_json()["revision"]
    return api.put(path, body, etag=f'"{now}"')


class TestDraft:
    def test_a_new_one_says_what_is_wrong_at_its_place(self, api, chain):
        page = api.get(chain).get_json()
        assert [(row["at"], row["reads"], row["writes"]) for row in page["rows"]] == [
            ("1", ["message"], ["answer"])
        ]
        [fault] = [each for each in page["faults"] if each["stops"]]
        assert (fault["at"], fault["field"]) == ("1", "model")
        content = page["content"]
        content["steps"][0]["model"] = "own"
        again = put(api, chain, {"content": content}).get_json()
        assert [each for each in again["faults"] if each["stops"]] == []
        assert again["likely"]["calls"] == 1

    def test_yaml_is_kept_as_it_was_typed_and_the_steps_follow(self, api, chain):
        page = put(api, chain, {"yaml": YAML}).get_json()
        assert page["yaml"] == YAML
        assert [step["name"] for step in page["content"]["steps"]] == ["say it"]
        page["content"]["steps"][0]["name"] = "tell it"
        again = put(api, chain, {"content": page["content"]}).get_json()
        assert "name: tell it" in again["yaml"]
        assert "# what is told" in again["yaml"]

    @pytest.mark.parametrize(
        ("old", "new", "line", "says"),
        [
            ("kind: set", "kind: leap", 9, "leap"),
            ("name: notices", "name: other", None, "called “other” here"),
            ("writes: {said: message}", "writes: [", 12, "not YAML"),
        ],
    )
    def test_yaml_that_can_not_be_read_is_kept_and_the_steps_stay(
        self, api, chain, old, new, line, says
    ):
        put(api, chain, {"yaml": YAML})
        page = put(api, chain, {"yaml": YAML.replace(old, new)}).get_json()
        assert says in page["misread"]
        assert line is None or page["misread_line"] in (line - 1, line, line + 1)
        assert page["yaml"] == YAML.replace(old, new)
        assert [step["name"] for step in page["content"]["steps"]] == ["say it"]
        refused = api.post(
            f"{chain}/versions", {"note": ""}, headers={"If-Match": f'"{page["revision"]}"'}
        )
        assert_problem(refused, 422, "yaml", "can't be read")

    def test_a_fault_has_the_line_where_it_stands(self, api, chain):
        page = put(api, chain, {"yaml": YAML.replace("said: message", "said: nobody")}).get_json()
        [fault] = [each for each in page["faults"] if each["stops"]]
        assert (fault["at"], fault["line"], "nobody" in fault["message"]) == ("1", 10, True)

    def test_who_saves_second_loses_nothing(self, api, chain):
        put(api, chain, {"yaml": YAML}, revision=1)
        late = put(api, chain, {"yaml": YAML}, revision=1)
        assert late.status_code == 412
        content = api.get(chain).get_json()["content"]
        assert put(api, chain, {"content": content}, revision=1).status_code == 412

    def test_a_version_is_saved_once_and_told(self, api, chain):
        revision = put(api, chain, {"yaml": YAML}).get_json()["revision"]
        saved = api.post(
            f"{chain}/versions", {"note": "first"}, headers={"If-Match": f'"{revision}"'}
        )
        assert (saved.status_code, saved.get_json()["new"]) == (201, True)
        same = api.post(
            f"{chain}/versions", {"note": "again"}, headers={"If-Match": f'"{revision}"'}
        )
        assert (same.status_code, same.get_json()["version"]["number"]) == (200, 1)
        version = api.get(f"{chain}/versions/1").get_json()
        assert version["content"]["steps"][0]["name"] == "say it"
        assert api.get("/subjects/notices/versions").get_json()["versions"][0]["number"] == 1

    def test_a_subject_stays_what_it_is(self, api, chain, database):
        assert_problem(api.get("/subjects/notices/draft"), 422, "kind", "is a chain, not a prompt")
        assert_problem(
            put(api, "/subjects/notices/draft", {"messages": []}, 1), 422, "kind", "stays one"
        )
        api.post("/subjects", {"name": "plain"})
        assert_problem(api.get("/subjects/plain/chain"), 422, "kind", "is a prompt, not a chain")
        assert_problem(api.get("/subjects/notices/versions/1"), 404, "version", "no version 1")

    def test_what_a_step_names_is_filled_in_and_what_is_not_there_is_said(
        self, api, chain, database
    ):
        with database.transaction() as tx:
            content = Prompt.from_json(
                {"messages": [{"role": "user", "parts": [{"name": "M", "text": "{{ message }}"}]}]}
            )
            versions.save(tx, subjects.create(tx, "reply", "", content), content, "")
        step = "  - {kind: ask, name: ask, model: own, prompt: reply@1, writes: said}\n"
        text = YAML[: YAML.index("  - kind: set")] + step + "outputs: {said: said}\n"
        page = put(api, chain, {"yaml": text}).get_json()
        assert page["content"]["steps"][0]["prompt"]["messages"][0]["parts"][0]["name"] == "M"
        assert [each for each in page["faults"] if each["stops"]] == []
        gone = put(api, chain, {"yaml": text.replace("reply@1", "reply@2")}).get_json()
        assert ("1", "kept", "There is no reply@2 here.") in [
            (each["at"], each["field"], each["message"]) for each in gone["faults"]
        ]

    def test_what_is_said_of_people_is_not_sent_to_a_model_that_keeps_it_unseen(
        self, api, chain, database
    ):
        page = api.get(chain).get_json()
        content = {**page["content"], "personal": ["message"]}
        content["steps"][0]["model"] = "own"
        found = put(api, chain, {"content": content}).get_json()["faults"]
        assert any("nothing is known of what own keeps" in each["message"] for each in found)
        for policy, told in (("Kept for 30 days.", True), ("Nothing is kept.", False)):
            with database.transaction() as tx:
                model = models.Model(
                    "own", "http://127.0.0.1:9", None, 8_192, 20, 80, policy=policy
                )
                models.put(tx, model)
            found = api.get(chain).get_json()["faults"]
            assert any("own keeps it" in each["message"] for each in found) is told


class TestPicturesAndPatterns:
    def test_a_picture_of_the_draft(self, api, chain):
        assert api.get(f"{chain}/picture.svg").text.startswith("<svg")
        assert api.get(f"{chain}/picture.mmd").text.startswith("flowchart TD")
        assert api.get(f"{chain}/picture.bmp").status_code in (404, 422)

    def test_a_chain_begins_with_a_pattern_and_its_cases(self, api, chain):
        listed = api.get("/patterns").get_json()["patterns"]
        assert len(listed) >= 8
        for each in listed:
            made = api.post(
                "/subjects", {"name": each["key"], "kind": "chain", "pattern": each["key"]}
            )
            assert made.status_code == 201, made.text
            assert made.get_json()["cases"] == each["cases"]
        page = api.get("/subjects/map-merge/chain").get_json()
        assert [fault for fault in page["faults"] if fault["stops"]] == []
        unknown = api.post("/subjects", {"name": "x", "kind": "chain", "pattern": "nope"})
        assert_problem(unknown, 404, "pattern", "no pattern")

    def test_files_of_chains_go_out_and_come_in(self, api, chain):
        put(api, chain, {"yaml": YAML})
        text = api.get("/subjects/notices/file").text
        assert text.startswith("epistem: chain/1\nname: notices\n")
        body = {
            "files": [{"path": "a.yaml", "text": text.replace("notices", "again")}],
            "apply": True,
        }
        [result] = api.post("/files", body).get_json()["results"]
        assert (result["outcome"], result["name"]) == ("new", "again")
        assert api.get("/subjects/again").get_json()["kind"] == "chain"
