"""Doors: whose a request is, and whether its body is one that anything can keep."""

import base64
import io
import json
import zipfile
from contextlib import ExitStack

import pytest

from epistem.core.prompts.yaml_read import MOST_ENTRIES
from epistem.web import events, models
from tests.web.conftest import assert_problem


def raw(api, path, body, kind="application/json", method="post", **headers):
    send = getattr(api.client, method)
    return send(f"/api/v1{path}", data=body, content_type=kind, headers=headers)


class TestOwnPage:
    @pytest.mark.parametrize(
        "headers",
        [
            {"Origin": "http://localhost:9999"},
            {"Origin": "http://evil.example"},
            {"Origin": "null"},
            {"Origin": "http://localhost.evil.example"},
            {"Sec-Fetch-Site": "cross-site"},
            {"Sec-Fetch-Site": "same-site"},
        ],
    )
    @pytest.mark.parametrize(
        ("method", "path"),
        [
            ("post", "/trials/1/go-on"),
            ("post", "/trials/1/stop"),
            ("post", "/models/greet/tern-s"),
            ("get", "/models/offered/tern-s"),
            ("delete", "/models/own"),
            ("get", "/subjects"),
        ],
    )
    def test_another_page_is_turned_away_also_without_a_body(self, api, headers, method, path):
        answer = getattr(api.client, method)(f"/api/v1{path}", headers=headers)
        assert_problem(answer, 403, None, "another site or port")

    @pytest.mark.parametrize(
        "headers",
        [
            {},
            {"Origin": "http://localhost", "Sec-Fetch-Site": "same-origin"},
            {"Sec-Fetch-Site": "none"},
        ],
    )
    def test_our_own_page_and_a_command_line_are_let_in(self, api, headers):
        assert api.post("/subjects", {"name": "own-page"}, headers=headers).status_code == 201

    def test_the_pages_themselves_can_be_opened_from_anywhere(self, api):
        assert api.client.get("/", headers={"Sec-Fetch-Site": "cross-site"}).status_code == 200


class TestBodies:
    @pytest.mark.parametrize(
        ("body", "field"),
        [
            (r'{"name": "x", "about": "a\ud800b"}', "about"),
            (b'{"name": "x", "about": "\xed\xa0\x80"}', "about"),
            ('{"name": "x", "about": NaN}', "about"),
            ('{"name": "x", "about": 1e999}', "about"),
            ('{"name": "x", "about": 12345678901234567890}', "about"),
            (r'{"name": "x", "\udfff": 1}', None),
            ("[" * 100_000, None),
            ('{"a":' * 300 + "1" + "}" * 300, "a.a.a.a"),
            ('{"a":' * 9_000 + "1" + "}" * 9_000, None),
            ("{", None),
            ("", None),
            (b"\xff\xfe", None),
        ],
        ids=range(12),
    )
    def test_what_nothing_can_keep_is_400_with_its_field(self, api, body, field):
        answer = raw(api, "/subjects", body)
        if body == "":
            assert answer.status_code == 422
            return
        assert_problem(answer, 400, field, "")
        assert api.get("/subjects").get_json()["subjects"] == []

    def test_a_draft_with_half_a_character_is_refused_and_the_old_one_stays_readable(self, api):
        api.post("/subjects", {"name": "halves"})
        draft = api.get("/subjects/halves/draft")
        content = draft.get_json()["content"]
        content["messages"][0]["parts"][0]["text"] = "HALF"
        body = json.dumps(content).replace("HALF", r"a\ud83d")
        answer = raw(
            api, "/subjects/halves/draft", body, method="put", **{"If-Match": draft.headers["ETag"]}
        )
        assert_problem(answer, 400, "messages.0.parts.0.text", "half a character")
        assert api.get("/subjects/halves/draft").status_code == 200

    def test_a_number_too_large_for_the_canonical_form_is_told_by_field(self, api):
        api.post("/subjects", {"name": "large"})
        draft = api.get("/subjects/large/draft")
        content = draft.get_json()["content"]
        content["reply"] = {"kind": "json", "json_schema": {"maximum": 2**63}}
        answer = api.put("/subjects/large/draft", content, etag=draft.headers["ETag"])
        assert_problem(answer, 400, "reply.json_schema.maximum", "too large")

    @pytest.mark.parametrize(
        "path",
        [
            f"/subjects/{'x' * 300}",
            "/subjects/caf%C3%A9",
            "/subjects/%00",
            "/subjects/%F0%9F%9B%B6/cases",
            f"/subjects/x/versions/{'9' * 40}",
            f"/trials/{'9' * 40}",
            f"/readings/{'9' * 40}/x",
        ],
    )
    def test_an_odd_path_is_no_more_than_not_there(self, api, path):
        assert api.get(path).status_code in (404, 422)

    @pytest.mark.parametrize("path", ["x" * 300, "a%00b", "assets/" + "y" * 5_000])
    def test_an_odd_page_is_the_page_or_not_there(self, api, path):
        assert api.client.get(f"/{path}").status_code in (200, 404)

    def test_names_that_differ_in_case_say_which_one_they_meet(self, api, two_models):
        api.post("/subjects", {"name": "shelf-note"})
        assert_problem(api.get("/subjects/Shelf-Note"), 404, "name", "There is “shelf-note”")
        entry = {"address": "http://127.0.0.1:9", "context_window": 100,
                 "input_cents": 0, "output_cents": 0}  # fmt: skip
        assert_problem(api.change("/models/Tern-S", entry), 409, "name", "meets the model “tern-s”")

    def test_long_tags_and_many_headers_are_told_by_field(self, api):
        api.post("/subjects", {"name": "tagged"})
        answer = api.change("/subjects/tagged/about", {"about": "", "tags": ["ok", "x" * 100_000]})
        assert_problem(answer, 422, "tags.1", "at most 60")
        entry = {"address": "http://127.0.0.1:9", "context_window": 100, "input_cents": 0,
                 "output_cents": 0, "headers": {f"X-{n}": "y" for n in range(5_000)}}  # fmt: skip
        assert_problem(api.change("/models/m", entry), 422, "headers", "at most 40")


class TestFiles:
    def taken(self, api, *files, **more):
        body = {"files": [{"path": "a.yaml", "text": text} for text in files], **more}
        return api.post("/files", body)

    @pytest.mark.parametrize(
        ("text", "line"),
        [
            ("epistem: prompt/1\nname: a\nmessages: [[[", 3),
            ("epistem: prompt/1\nname: &a x\nabout: *a\n", 3),
            (
                "epistem: prompt/1\nname: a\nreply:\n  json_schema: {maximum: 99999999999999999}\n",
                4,
            ),
            ("epistem: prompt/1\nname: a\nabout: !!binary aGk=\n", 3),
            ("epistem: prompt/1\nname: a\nsettings: {temperature: 1e999}\n", 3),
            ("epistem: prompt/1\nname: a\n" + "inputs: " + "[" * 90 + "]" * 90, 3),
            ("epistem: prompt/1\nname: a\ntags: [" + "t" * 100 + "]\n", 3),
            ("epistem: prompt/1\nname: a\n---\nname: b\n", 3),
            ("- x\n" * (MOST_ENTRIES + 10), MOST_ENTRIES),
        ],
        ids=range(9),
    )
    def test_a_mistake_is_told_with_its_line(self, api, text, line):
        [result] = self.taken(api, text).get_json()["results"]
        assert (result["outcome"], result["line"]) == ("refused", line)

    def test_five_megabytes_are_read_or_refused(self, api):
        block = "      some words here\n" * 18_000
        parts = "".join(f"  - name: P{n}\n    text: |\n{block}" for n in range(12))
        text = f"epistem: prompt/1\nname: large\nmessages:\n- role: user\n  parts:\n{parts}"
        assert 4_000_000 < len(text) <= 5_000_000
        [result] = self.taken(api, text).get_json()["results"]
        assert result["outcome"] == "new"
        assert_problem(
            self.taken(api, text + "#" * 1_000_000), 422, "files.0.text", "at most 5000000"
        )

    @pytest.mark.parametrize("harm", ["bytes", "method", "crc", "name", "none", "truncated"])
    def test_a_bad_zip_or_member_is_told(self, api, harm):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as out:
            out.writestr("a.yaml", "epistem: prompt/1\nname: zipped\n" + "# x\n" * 500)
        content = bytearray(packed.getvalue())
        if harm == "bytes":
            content[45:60] = b"\xff" * 15
        elif harm == "method":
            content[8] = 97
            at = content.index(b"PK\x01\x02")
            content[at + 10] = 97
        elif harm == "crc":
            content[14] ^= 0xFF
            content[content.index(b"PK\x01\x02") + 16] ^= 0xFF
        elif harm == "name":
            content = bytearray(b"PK\x05\x06" + b"\x00" * 18)
        elif harm == "truncated":
            content = content[:80]
        told = "not base64" if harm == "none" else base64.b64encode(bytes(content)).decode()
        answer = api.post("/files", {"zip": told})
        assert answer.status_code == 422
        assert answer.get_json()["field"] in ("zip", "files")


class TestPermits:
    def test_only_so_many_windows_watch_and_each_gives_its_place_back(self, api):
        for _ in range(events.STREAMS + 4):
            stream = api.get("/events", buffered=False)
            assert stream.status_code == 200
            stream.close()
        api.get("/health")  # the test's client lets go of an answer when it asks the next
        with ExitStack() as held:
            for _ in range(events.STREAMS):
                assert events._open_streams.acquire(blocking=False)
                held.callback(events._open_streams.release)
            assert_problem(api.get("/events"), 503, None, "windows are watching")

    def test_only_so_many_wait_for_a_stalled_model(self, api, two_models):
        with ExitStack() as held:
            for _ in range(models.QUESTIONS):
                assert models._questions.acquire(blocking=False)
                held.callback(models._questions.release)
            answer = api.post("/models/greet/tern-s", {})
            assert_problem(answer, 503, None, "have not answered")
            assert_problem(api.get("/models/offered/tern-s"), 503, None, "have not answered")
        assert api.post("/models/greet/tern-s", {}).status_code == 200
