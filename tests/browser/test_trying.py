"""Trying a prompt: columns, talks and their replay, tools, trees, cases and history."""

import pytest
from selenium.webdriver.common.keys import Keys

TOOL = {
    "name": "sailings",
    "description": "Times of sailings from a pier",
    "parameters": {
        "type": "object",
        "properties": {"pier": {"type": "string"}},
        "required": ["pier"],
    },
    "answer": "08:10 and 17:40",
}
COLLECT = "You take reports of lost items.\nYou need: item, colour, sailing.\nAsk for one thing at a time."


def opened(page, make, name, system, words="", **more):
    make.prompt(name, system, **more)
    page.go(f"/subjects/{name}/draft")
    page.find("sheet")
    page.until(lambda: len(page.all("column")) == 2)
    if words:
        page.fill("input-message", words)


def answered(page, columns=2):
    page.click("answer-button")
    page.until(
        lambda: len(page.all("answer")) == columns and page.find("answer-button").is_enabled()
    )


def test_the_tokens_follow_as_one_types(page, make):
    opened(page, make, "counting", "Sort.", "hello")
    page.reads("tokens-now", "tokens")
    before = int(page.text("tokens-now").split()[0])
    page.type_into("0-0", " Then say why, in one short sentence.")
    page.until(lambda: int(page.text("tokens-now").split()[0]) > before + 5)


def test_a_column_holds_another_version(page, make):
    make.prompt("two-versions", "Sort, the first way.")
    make.version("two-versions", "")
    content = make.content("two-versions")
    content["messages"][0]["parts"][0]["text"] = "Sort, the second way."
    make.draft("two-versions", content)
    page.go("/subjects/two-versions/draft")
    page.until(lambda: len(page.all("column")) == 2)
    page.fill("input-message", "hello")
    page.choose("column-version", "1", at=1)
    answered(page)
    for column, said in enumerate(("the second way", "the first way")):
        page.click("show-request", at=column)
        page.reads("request-json", said)
        page.find("request-json").send_keys(Keys.ESCAPE)
        page.until(lambda: not page.all("request-json"))


class TestTalk:
    @pytest.fixture
    def talk(self, page, make, request):
        name = f"talk-{request.node.name[5:20].replace('_', '-').strip('-')}"
        hot = {"temperature": 1, "max_tokens": 100}
        opened(page, make, name, COLLECT, "I lost something on the boat", settings=hot)
        answered(page)
        page.fill("next-turn", "A blue umbrella")
        page.find("next-turn").send_keys(Keys.ENTER)
        page.until(lambda: len(page.all("user-turn")) == 2 and page.find("replay").is_enabled())
        return page

    def test_all_columns_go_on_and_the_request_has_the_talk(self, talk):
        assert talk.texts("user-turn") == ["A blue umbrella"] * 2
        talk.click("exact-request")
        talk.until(lambda: talk.text("request-json").count('"role"') == 4)

    def test_after_an_edit_of_the_prompt_a_replay_shows_old_and_new_turn_by_turn(self, talk):
        talk.type_into("0-0", "\nEnd every answer with the words: Fair winds.")
        talk.click("replay")
        talk.until(lambda: talk.find("replay").is_enabled() and talk.all("before-after"))
        assert any("before" in text and "now" in text for text in talk.texts("before-after"))
        assert len(talk.all("exchange")) == 4

    def test_an_edited_turn_is_replayed_from_there(self, talk):
        talk.click("edit-turn")
        talk.fill("edit-turn-text", "A red glove, on the 9:40")
        talk.click("edit-turn-go")
        talk.until(lambda: talk.texts("user-turn") == ["A red glove, on the 9:40"] * 2)
        talk.until(lambda: talk.find("replay").is_enabled())
        assert "red" in " ".join(talk.texts("exchange")).lower()


def test_the_next_turn_is_taken_from_the_case(page, make):
    make.prompt("case-turns", COLLECT)
    case = {"inputs": {"message": "I lost something"}, "turns": ["A scarf", "Red"]}
    make.call("POST", "/subjects/case-turns/cases", case)
    page.go("/subjects/case-turns/draft")
    page.until(lambda: page.find("input-message").get_attribute("value") == "I lost something")
    answered(page)
    page.reads("take-turn", "1 of 2")
    page.click("take-turn")
    page.until(lambda: page.texts("user-turn") == ["A scarf"] * 2)
    page.reads("take-turn", "2 of 2")


def test_a_tool_is_called_and_what_it_said_is_shown(page, make):
    words = "When are the sailings from Hollin?"
    opened(
        page,
        make,
        "with-tools",
        "Look sailings up with the tool. Answer with the times.",
        words,
        tools=[TOOL],
    )
    answered(page)
    assert all("sailings(pier = Hollin)" in text for text in page.texts("tool-use"))
    assert "in 2 calls" in page.text("column")


def test_json_is_a_tree_with_the_fault_at_its_field(page, make):
    schema = {"type": "object", "properties": {"label": {"enum": ["whale"]}}, "required": ["label"]}
    reply = {"kind": "json", "labels": ["rain", "sun"], "json_schema": schema}
    opened(
        page,
        make,
        "a-tree",
        "Sort into rain or sun. Answer in JSON with the key label. Write the JSON alone.",
        "It pours",
        reply=reply,
    )
    answered(page)
    page.until(lambda: page.all("shape-fault"))
    assert "is not one of" in page.text("shape-fault")
    page.click("raw")
    page.until(lambda: '"label":' in page.text("answer"))


def test_words_that_must_not_be_said_are_kept_with_the_case_and_checked(page, make):
    cold = {"temperature": 0, "max_tokens": 60}
    opened(page, make, "ruled-out", "Answer in one sentence.", "Is there a boat?", settings=cold)
    answered(page)
    said = " ".join(page.texts("answer")[0].strip().split()[:3])
    page.click("keep-case")
    page.click("keep-not")
    page.fill("must-not-say", said)
    page.click("keep-confirm")
    page.reads("notice", "Kept as case 1.")
    page.pick_case("try-case", 1)
    answered(page)
    page.until(
        lambda: any(
            "says none of the words it must not: It says" in text for text in page.texts("finding")
        )
    )
    assert page.find("answer", "mark").text.split() == said.split()


def test_any_try_of_the_history_can_be_gone_back_to(page, make):
    opened(page, make, "remembered", "Answer with the one word: harbour", "first words")
    answered(page)
    page.type_into("0-0", " and nothing else")
    page.fill("input-message", "other words")
    answered(page)
    page.click("history")
    page.until(lambda: len(page.all("try-line")) == 4)
    page.click("try-line", at=-1)
    page.until(lambda: "first words" in page.find("bring-try").find_element("xpath", "..").text)
    page.click("bring-try")
    page.until(lambda: page.editor("0-0").text == "Answer with the one word: harbour")
    assert page.find("input-message").get_attribute("value") == "first words"
    page.until(lambda: len(page.all("answer")) == 1)


def test_what_the_same_text_was_answered_before_the_last_edit_stands_below(page, make):
    opened(page, make, "earlier", "Answer with the word tide.", "Hello")
    answered(page)
    assert not page.all("earlier")
    page.editor("0-0").send_keys(Keys.CONTROL, "a")
    page.editor("0-0").send_keys("Answer with the word ebb.")
    page.until(lambda: len(page.all("answers-older")) == 2)
    answered(page)
    page.until(lambda: len(page.all("earlier")) == 2)
    assert page.texts("earlier")[0].startswith("Before the draft changed")
    assert "tide" in page.texts("earlier")[0]
    page.fill("input-message", "Another text")
    answered(page)
    assert not page.all("earlier")


def test_the_choices_of_the_label_field_are_the_labels_of_the_cases(page, make):
    schema = {
        "type": "object",
        "properties": {"label": {"enum": ["ebb", "flood"]}},
        "required": ["label"],
    }
    reply = {"kind": "json", "labels": ["old", "ones"], "json_schema": schema}
    examples = [{"inputs": {"message": "x"}, "answer": "ebb"}]
    opened(page, make, "one-list", "Sort.", "Hello", reply=reply, examples=examples)
    page.reads("open-examples", "look")
    page.click("open-examples")
    page.reads("example-doubt", "not JSON")
    page.click("open-reply")
    page.reads("labels-are", "ebb, flood")
    page.press("k")
    page.until(
        lambda: page.text("expected-label").split() == ["nothing", "expected", "ebb", "flood"]
    )
