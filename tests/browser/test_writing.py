"""Writing a prompt: its parts, inputs, examples, shape, fragments and versions."""

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys


def opened(page, make, name, system="Sort the note.", **more):
    make.prompt(name, system, **more)
    page.go(f"/subjects/{name}/draft")
    page.find("sheet")
    page.reads("kept", "kept as you type")


def kept(page, make, name, test):
    """Wait until the draft on the server is as it should be."""
    page.until(lambda: test(make.content(name)))


def parts(content, message=0):
    return [(part["name"], part["text"]) for part in content["messages"][message]["parts"]]


class TestParts:
    def test_split_merge_move_and_switch_off_by_keys(self, page, make):
        opened(page, make, "by-keys", "One.\n\nTwo.")
        editor = page.editor("0-0")
        editor.click()
        editor.send_keys(Keys.CONTROL, Keys.HOME)
        editor.send_keys(Keys.ARROW_DOWN, Keys.ARROW_DOWN)
        editor.send_keys(Keys.ALT, Keys.ENTER)
        kept(page, make, "by-keys", lambda c: parts(c) == [("Task", "One."), ("Task 2", "Two.")])
        page.editor("0-1").send_keys(Keys.ALT, Keys.SHIFT, Keys.ARROW_UP)
        kept(page, make, "by-keys", lambda c: parts(c) == [("Task 2", "Two."), ("Task", "One.")])
        page.editor("0-0").send_keys(Keys.CONTROL, "/")
        page.reads("part-is-off", "off, not sent")
        page.click("exact-request")
        page.until(lambda: "Two." not in page.text("request-json"))
        page.press(Keys.ESCAPE)
        page.editor("0-1").click()
        page.editor("0-1").send_keys(Keys.CONTROL, Keys.HOME)
        page.editor("0-1").send_keys(Keys.BACKSPACE)
        kept(page, make, "by-keys", lambda c: parts(c) == [("Task 2", "Two.\n\nOne.")])

    def test_a_part_is_dragged_to_another_message_and_put_back(self, page, make):
        opened(page, make, "by-drag")
        page.editor("0-0").click()
        target = page.find("part-1-0")
        drag = ActionChains(page.driver).click_and_hold(page.find("grip-0-0"))
        drag.move_to_element_with_offset(target, 0, 12).pause(0.1).release().perform()
        kept(page, make, "by-drag", lambda c: len(c["messages"]) == 1)
        assert [name for name, _ in parts(make.content("by-drag"))] == ["Message", "Task"]
        page.click("undo")
        kept(page, make, "by-drag", lambda c: len(c["messages"]) == 2)

    def test_an_input_is_completed_and_the_error_goes(self, page, make):
        opened(page, make, "completing")
        page.type_into("0-0", " In {{ mes")
        page.one(".cm-tooltip-autocomplete")
        page.until(lambda: page.find("part-problem"))
        page.editor("0-0").send_keys(Keys.ENTER)
        page.editor("0-0").send_keys(" }}")
        kept(
            page, make, "completing", lambda c: parts(c)[0][1] == "Sort the note. In {{ message }}"
        )
        page.until(lambda: not page.all("part-problem"))


class TestInputs:
    def test_renaming_shows_what_changes_does_it_everywhere_and_can_be_undone(self, page, make):
        opened(page, make, "renaming")
        make.call("POST", "/subjects/renaming/cases", {"inputs": {"message": "wet"}})
        page.click("open-inputs")
        page.click("rename-input")
        page.fill("rename-to", "for")
        page.click("rename-go")
        page.until(lambda: "word of the template language" in page.driver.page_source)
        page.fill("rename-to", "note")
        page.click("rename-go")
        page.reads("rename-preview", "1 line of the text will change, and the input in 1 case.")
        page.click("rename-go")
        page.until(lambda: page.find("input-row-note"))
        assert "{{ note }}" in page.editor("1-0").text
        case = make.call("GET", "/subjects/renaming/cases/1")[0]
        assert case["content"]["inputs"] == {"note": "wet"}
        page.click("undo")
        page.until(lambda: page.find("input-row-message"))

    def test_a_record_is_edited_field_by_field_and_reaches_the_request(self, page, make):
        fields = [
            {"name": "pier", "kind": "choice", "choices": ["Hollin", "Sandray"]},
            {"name": "seats", "kind": "number"},
        ]
        described = [{"name": "message", "kind": "record", "fields": fields}]
        opened(page, make, "recording", inputs=described)
        page.find("record-editor")
        page.fill("field-seats", "4\t")
        page.click("exact-request")
        page.reads("request-json", "seats: 4")

    def test_an_input_that_no_part_asks_for_is_said_to_be_unused(self, page, make):
        opened(page, make, "unused", inputs=[{"name": "ghost", "description": "gone"}])
        page.click("open-inputs")
        page.until(lambda: "No part asks for it" in page.text("input-row-ghost"))


class TestReply:
    def test_form_and_json_show_the_same_and_the_words_are_put_into_a_part(self, page, make):
        opened(page, make, "shaping", reply={"kind": "json"})
        page.click("open-reply")
        page.click("add-field")
        field = page.find("shape-field", "input")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("label\t")
        kept(
            page,
            make,
            "shaping",
            lambda c: "label" in ((c["reply"].get("json_schema") or {}).get("properties") or {}),
        )
        page.reads("shape-words", "- label (text)")
        page.click("as-json")
        editor = page.find("schema-editor", ".cm-content")
        assert '"label"' in editor.text
        editor.click()
        editor.send_keys(Keys.CONTROL, "a")
        editor.send_keys(
            Keys.DELETE, '{"type": "object", "properties": {"urgency": {"type": "integer"'
        )
        page.reads("shape-words", "- urgency (whole number, may be left out)")
        page.click("as-form")
        page.until(lambda: page.find("shape-field", "input").get_attribute("value") == "urgency")
        page.click("insert-shape")
        kept(page, make, "shaping", lambda c: "{{ reply_shape() }}" in parts(c)[0][1])


class TestExamples:
    def test_one_is_taken_from_a_case_and_sent_before_the_message(self, page, make):
        make.prompt("showing", "Sort.")
        case = {"inputs": {"message": "wet"}, "expect": {"label": "rain"}}
        make.call("POST", "/subjects/showing/cases", case)
        page.go("/subjects/showing/draft")
        page.click("open-examples")
        page.pick_case("example-from-case", 1)
        page.reads("example", "from case 1")
        page.fill("input-message", "dry")
        page.click("exact-request")
        page.until(lambda: page.text("request-json").count('"role"') == 4)
        said = page.text("request-json")
        assert said.index('"wet"') < said.index('"rain"') < said.index('"dry"')


class TestFragments:
    def test_a_part_is_kept_as_one_and_moves_up_when_there_is_a_newer_version(self, page, make):
        opened(page, make, "with-fragment", "Write kindly.")
        page.editor("0-0").click()
        page.click("part-menu")
        page.click("part-fragment")
        page.fill("fragment-name", "kind-tone")
        page.click("fragment-create")
        kept(
            page,
            make,
            "with-fragment",
            lambda c: c.get("fragments") == {"kind-tone@1": "Write kindly."},
        )
        page.click("fragments")
        page.find("fragment-text", ".cm-content").send_keys(Keys.CONTROL, Keys.END)
        page.find("fragment-text", ".cm-content").send_keys(" Be brief.")
        page.click("fragment-save")
        page.press(Keys.ESCAPE)
        page.reads("newer-fragment", "kind-tone has a newer version 2")
        page.click("save-version")
        page.click("save-confirm")
        page.reads("draft-title", "same as v1")
        page.click("versions")
        page.click("version-draft")
        page.reads("compare", "Nothing differs.")
        page.press(Keys.ESCAPE)
        page.find("newer-fragment", "button").click()
        kept(
            page,
            make,
            "with-fragment",
            lambda c: c["fragments"] == {"kind-tone@2": "Write kindly. Be brief."},
        )


class TestVersions:
    def test_each_has_its_score_of_the_newest_trial_that_it_was_in(self, page):
        page.go("/subjects/triage-message/draft")
        page.find("sheet")
        page.click("versions")
        for version in ("version-1", "version-2"):
            page.until(lambda v=version: "label is right" in page.text(v) and "%" in page.text(v))

    def test_two_are_compared_stepped_through_restored_and_branched(self, page, make):
        make.prompt("versioned", "Sort the note.")
        make.version("versioned", "first")
        content = make.content("versioned")
        content["messages"][0]["parts"][0]["text"] = "Sort the long note."
        content["settings"]["temperature"] = 0.9
        content["tools"] = [{"name": "look_up"}]
        make.draft("versioned", content)
        make.version("versioned", "second")
        page.go("/subjects/versioned/draft")
        page.find("sheet")
        page.click("versions")
        page.reads("differs-parts", "Sort the long note.")
        inserted = page.find("differs-parts", "ins")
        assert inserted.text.strip() == "long"
        assert "0.9" in page.text("differs-settings")
        assert "look_up" in page.text("differs-tools")
        page.find("version-2").send_keys("[")
        page.until(lambda: "bg-kelp-wash" in page.find("version-1").get_attribute("class"))
        page.click("restore")
        page.until(lambda: page.editor("0-0").text == "Sort the note.")
        page.click("versions")
        page.click("version-1")
        page.click("branch")
        page.until(lambda: page.path == "/subjects/versioned-v1/draft")
        page.until(lambda: page.editor("0-0").text == "Sort the note.")


class TestMerging:
    def test_what_each_changed_is_taken_from_each(self, page, make):
        opened(page, make, "merging")
        theirs = make.content("merging")
        theirs["messages"][1]["parts"][0]["text"] = "Theirs: {{ message }}"
        make.draft("merging", theirs)
        page.type_into("0-0", " Mine.")
        page.until(lambda: len(page.all("merge-piece")) == 2)
        page.click("settle-merged")
        kept(page, make, "merging", lambda c: parts(c)[0][1] == "Sort the note. Mine.")
        assert parts(make.content("merging"), 1)[0][1] == "Theirs: {{ message }}"


class TestDesk:
    def test_a_starter_is_begun_answered_found_exported_and_taken_in(self, page, make, tmp_path):
        page.go("/")
        page.click("new-prompt")
        page.fill("new-name", "rewriting")
        page.click("starter-rewrite")
        page.click("create")
        page.until(lambda: "17:40" in page.find("input-text").get_attribute("value"))
        page.click("answer-button")
        page.until(lambda: len(page.all("answer")) == 2)
        page.go("/")
        page.fill("desk-find", "hurry fact")
        page.until(lambda: not page.all("subject-triage-message"))
        assert page.find("subject-rewriting")
        text = page.driver.execute_async_script(
            "fetch('/api/v1/subjects/rewriting/file').then((r) => r.text()).then(arguments[0])"
        )
        (tmp_path / "again.yaml").write_text(text.replace("name: rewriting", "name: again", 1))
        (tmp_path / "wrong.yaml").write_text("epistem: prompt/1\nname: x\ncolour: red\n")
        page.fill("desk-find", Keys.BACKSPACE)
        page.click("import")
        chosen = "\n".join(str(tmp_path / name) for name in ("again.yaml", "wrong.yaml"))
        page.until(lambda: page.all("import-files"))[0].send_keys(chosen)
        page.until(lambda: len(page.all("import-line")) == 2)
        assert "Line 3: There is no field “colour”" in page.texts("import-line")[1]
        page.click("import-go")
        page.until(lambda: page.find("subject-again"))
        assert make.content("again") == make.content("rewriting")
