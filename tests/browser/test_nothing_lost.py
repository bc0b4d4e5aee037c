"""What is typed is never lost, put elsewhere, or shown as what it is not."""

import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.test_writing import kept, opened, parts

EVERY_EDITOR = {
    "labels": ["open", "shut"],
    "inputs": [{"name": "message", "kind": "choice", "choices": ["a"], "default": "x", "example": "y"}],
    "tools": [{"name": "look", "by_example": [{"arguments": {"a": 1}, "answer": "b"}]}],
    "examples": [{"inputs": {"message": "m"}, "answer": "n"}],
    "reply": {"kind": "json", "json_schema": {"type": "object", "properties": {"label": {"type": "string"}}}},
}  # fmt: skip


class TestUndo:
    def test_it_takes_back_what_was_done_last_wherever_that_was(self, page, make):
        opened(page, make, "undoing", "One.")
        page.type_into("0-0", " Two.")
        kept(page, make, "undoing", lambda c: parts(c) == [("Task", "One. Two.")])
        page.editor("0-0").send_keys(Keys.ALT, "n")
        page.until(lambda: len(parts(make.content("undoing"))) == 2)
        page.editor("0-1").send_keys("Three.")
        kept(page, make, "undoing", lambda c: parts(c)[1][1] == "Three.")
        page.editor("0-1").send_keys(Keys.ALT, Keys.SHIFT, Keys.ARROW_UP)
        kept(page, make, "undoing", lambda c: parts(c)[0][1] == "Three.")
        states = [["One. Two.", "Three."], ["One. Two.", ""], ["One. Two."], ["One."]]
        for state in states:
            page.driver.switch_to.active_element.send_keys(Keys.CONTROL, "z")
            kept(page, make, "undoing", lambda c, s=state: [text for _, text in parts(c)] == s)
        for state in [*states[2::-1], ["Three.", "One. Two."]]:
            page.driver.switch_to.active_element.send_keys(Keys.CONTROL, Keys.SHIFT, "z")
            kept(page, make, "undoing", lambda c, s=state: [text for _, text in parts(c)] == s)

    def test_it_goes_on_over_other_screens_and_drawers(self, page, make):
        opened(page, make, "undo-far", "One.")
        page.type_into("0-0", " Two.")
        kept(page, make, "undo-far", lambda c: parts(c)[0][1] == "One. Two.")
        page.click("open-examples")
        page.click("add-example")
        kept(page, make, "undo-far", lambda c: len(c.get("examples", [])) == 1)
        page.press("2")
        page.find("add-case")
        page.press("1")
        page.editor("0-0")
        page.press(Keys.CONTROL, "z")
        kept(page, make, "undo-far", lambda c: not c.get("examples"))
        page.press(Keys.CONTROL, "z")
        kept(page, make, "undo-far", lambda c: parts(c)[0][1] == "One.")

    def test_a_notice_takes_back_just_its_own_step(self, page, make):
        examples = [{"inputs": {}, "answer": "old"}]
        opened(page, make, "undo-one", "One.", examples=examples)
        page.click("open-examples")
        page.click_on('[aria-label="Remove example 1"]')
        kept(page, make, "undo-one", lambda c: not c.get("examples"))
        page.type_into("0-0", " Two.")
        kept(page, make, "undo-one", lambda c: parts(c)[0][1] == "One. Two.")
        page.click("undo")
        kept(
            page,
            make,
            "undo-one",
            lambda c: [e["answer"] for e in c.get("examples", [])] == ["old"],
        )
        assert parts(make.content("undo-one"))[0][1] == "One. Two."


class TestTyping:
    @pytest.mark.parametrize("drawer", ["inputs", "examples", "reply", "tools"])
    def test_fast_typing_loses_nothing_in_any_field(self, page, make, drawer):
        """Through every field of a drawer, without a pause, while the server answers between."""
        name = f"fast-{drawer}"
        opened(page, make, name, **{k: v for k, v in EVERY_EDITOR.items() if k != "labels"})
        page.click(f"open-{drawer}")
        css = '[data-undo="draft"] [data-test^="drawer-"] :is(input:not([type]), textarea)'
        fields = page.until(lambda: page.every(css))
        typed = []
        for at, field in enumerate(fields):
            if (field.get_attribute("aria-label") or "").startswith("Name of field"):
                continue
            text = f"zq{at}" + "abcdefgh" * 2
            field.send_keys(Keys.END)
            for letter in text:
                field.send_keys(letter)
            assert field.get_attribute("value").endswith(text)
            typed.append(text)
        assert len(typed) >= 2
        kept(page, make, name, lambda c: all(text in repr(c) for text in typed))

    def test_a_case_that_was_only_looked_at_is_not_changed_by_saving_another_field(
        self, page, make
    ):
        make.prompt("kinds", "Sort.", user="{{ message }} {{ seats }} {{ trip }}")
        before = {
            "inputs": {"message": '["not", "a list"]', "seats": 4, "trip": {"pier": "Hollin"}},
            "turns": ["One\ntwo", "three"],
            "tags": ["plain"],
            "expect": {"answer": " kept as it is "},
        }
        made = make.call("POST", "/subjects/kinds/cases", before)[0]["content"]
        page.go("/subjects/kinds/cases/1")
        page.click("edit-case")
        field = page.find("case-input-seats")
        assert not page.find("save-case").is_enabled()
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("5")
        page.click("save-case")
        page.until(lambda: make.call("GET", "/subjects/kinds/cases/1")[0]["revision"] == 2)
        after = make.call("GET", "/subjects/kinds/cases/1")[0]["content"]
        assert after == {**made, "inputs": {**made["inputs"], "seats": 5}}

    def test_two_who_edit_one_case_lose_nothing(self, page, make):
        make.prompt("two-edit", "Sort.")
        make.call("POST", "/subjects/two-edit/cases", {"inputs": {"message": "one"}})
        page.go("/subjects/two-edit/cases/1")
        page.click("said-message")  # it opens where one points
        page.find("case-input-message").send_keys(" mine")
        body = {"inputs": {"message": "one"}, "tags": ["theirs"]}
        make.call("PUT", "/subjects/two-edit/cases/1", body, '"1"')
        page.click("save-case")
        page.until(lambda: "changed elsewhere" in page.driver.page_source)
        page.click("save-case")
        page.until(lambda: make.call("GET", "/subjects/two-edit/cases/1")[0]["revision"] == 3)
        after = make.call("GET", "/subjects/two-edit/cases/1")[0]["content"]
        assert (after["inputs"], after["tags"]) == ({"message": "one mine"}, ["theirs"])


class TestTrueToWhatWasAsked:
    def test_an_answer_says_what_it_was_asked_with(self, page, make):
        opened(page, make, "older", "Answer with the word tide.")
        page.fill("input-message", "First")
        page.click("answer-button")
        page.until(lambda: len(page.all("show-request")) == 2)
        assert not page.all("answers-older")
        page.fill("input-message", "Second")
        page.until(lambda: len(page.all("answers-older")) == 2)
        assert "text changed since" in page.texts("answers-older")[0]
        page.click("as-example")
        kept(
            page,
            make,
            "older",
            lambda c: [e["inputs"] for e in c.get("examples", [])] == [{"message": "First"}],
        )

    def test_a_changed_case_expects_nothing(self, page, make):
        make.prompt("changed", "Say: no.", reply={"kind": "label", "labels": ["yes", "no"]})
        case = {"inputs": {"message": "x"}, "expect": {"label": "yes"}}
        make.call("POST", "/subjects/changed/cases", case)
        page.go("/subjects/changed/draft")
        page.pick_case("try-case", 1)
        page.until(lambda: "expects yes" in page.driver.page_source)
        page.find("input-message").send_keys(" y")
        page.until(lambda: "nothing is expected" in page.driver.page_source)


def test_a_screen_stays_when_what_it_shows_can_not_be_fetched_anew(page, make):
    opened(page, make, "staying", "One.")
    page.driver.execute_cdp_cmd("Network.enable", {})
    exactly = f"{page.url}/api/v1/subjects/staying"
    blocked = {"urlPatterns": [{"urlPattern": exactly, "block": True}]}
    page.driver.execute_cdp_cmd("Network.setBlockedURLs", blocked)
    try:
        page.type_into("0-0", " Two.")
        kept(page, make, "staying", lambda c: parts(c)[0][1] == "One. Two.")
        failures = (
            "return performance.getEntriesByType('resource')"
            ".filter((e) => e.name.endsWith('/subjects/staying') && e.responseStatus === 0).length"
        )
        page.until(lambda: page.driver.execute_script(failures) >= 4)  # it was given up
        assert page.editor("0-0").text == "One. Two."
        page.type_into("0-0", " Three.")
        kept(page, make, "staying", lambda c: parts(c)[0][1] == "One. Two. Three.")
    finally:
        page.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urlPatterns": []})


def test_what_is_typed_into_a_model_waits_while_one_looks_at_another(page):
    page.go("/models")
    page.click("add-model")
    page.find("model-name").send_keys("half-written")
    page.find("model-address").send_keys("https://models.example")
    page.click("model-row")
    page.until(lambda: not page.all("model-name"))
    page.click("add-model")
    assert page.find("model-name").get_attribute("value") == "half-written"
    assert page.find("model-address").get_attribute("value") == "https://models.example"
