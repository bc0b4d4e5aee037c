"""Chains in the browser: built by keys, walked, replayed, held side by side; a pause that a person ends."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

KINDS = (
    "ask",
    "look_up",
    "tool",
    "set",
    "check",
    "route",
    "repeat",
    "each",
    "both",
    "vote",
    "pause",
)


def steps(page):
    return [each.find_element(By.TAG_NAME, "b").text for each in page.all("rung")]


def add_by_keys(page, kind):
    """A, and the kind in the menu."""
    page.press("a")
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("role") == "menu")
    menu = page.driver.switch_to.active_element
    menu.send_keys(*[Keys.ARROW_DOWN] * (1 + KINDS.index(kind)))
    menu.send_keys(Keys.ENTER)
    page.until(lambda: not page.all(f"new-{kind}"))


def done(page, words="done"):
    page.reads("walk-status", words)


@pytest.fixture
def blank(page):
    """A new chain of one step that asks."""
    names = iter(range(100))

    def blank(name):
        page.go("/")
        page.find("new-chain")
        page.press("c")
        page.fill("new-name", f"{name}-{next(names)}")
        page.click("create")
        page.until(lambda: steps(page) == ["answer"])
        page.choose("step-model", "tern-s")
        page.until(lambda: not page.all("walk-blocked"))

    return blank


def test_three_steps_by_keys_walked_and_replayed_with_a_change(page, blank):
    blank("shout")
    add_by_keys(page, "set")
    page.until(lambda: len(steps(page)) == 2)
    page.fill("step-name", "louder")
    field = page.find("writes-row", "textarea")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("answer + '!'")
    add_by_keys(page, "check")
    page.until(lambda: len(steps(page)) == 3)
    page.fill("step-name", "is it short")
    field = page.find("expression")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("answer")
    page.until(lambda: steps(page) == ["answer", "louder", "is it short"])
    page.until(lambda: "kept" in page.text("kept"))

    page.press(Keys.ALT, Keys.ARROW_UP)
    page.until(lambda: steps(page) == ["answer", "is it short", "louder"])
    page.press(Keys.CONTROL, "z")
    page.until(lambda: steps(page) == ["answer", "louder", "is it short"])

    page.fill("input-message", "When does the boat leave?")
    page.press(Keys.CONTROL, Keys.ENTER)
    done(page)
    page.until(lambda: len(page.all("bar")) == 3)
    page.click("bar", at=1)
    page.reads("step-in-walk", "answer")
    first = page.text("wrote")
    assert first.endswith("!")

    page.click("change-replay")
    page.fill("edit-answer", "Later")
    page.click("replay-edited")
    page.until(lambda: "edited before louder" in page.find("walks").text)
    done(page)
    page.click("bar", at=1)
    page.until(lambda: page.text("wrote").endswith("Later!"))

    page.click("compare-walks")
    page.reads("differs-first", "differs first")
    page.until(lambda: "Later!" in " ".join(page.texts("walk-pair")))
    page.press(Keys.ESCAPE)

    page.press(Keys.CONTROL, "s")
    page.click("save-confirm")
    page.reads("draft-title", "Draft, same as v1")


def test_a_mistake_is_said_at_its_step_and_yaml_is_the_same_thing(page, blank):
    blank("both-views")
    page.fill("only-if", "nobody == 1")
    page.reads("rung-fault", "It reads nobody, which there is not.")
    page.reads("walk-blocked", "Step 1")
    page.fill("only-if", "size(message) > 0")
    page.until(lambda: not page.all("rung-fault"))
    page.click("loop-step")
    page.until(lambda: steps(page) == ["until answer is right", "answer"])

    page.press("y")
    editor = page.find("yaml-sheet", ".cm-content")
    page.until(lambda: "until answer is right" in editor.text)
    editor.click()
    editor.send_keys(Keys.CONTROL, Keys.HOME)
    editor.send_keys("# mine\n")
    page.until(lambda: "kept" in page.text("kept"))
    editor.send_keys("  oops: [\n")
    page.reads("misread", "not YAML")
    for _ in range(len("  oops: [") + 1):
        editor.send_keys(Keys.BACKSPACE)
    page.until(lambda: not page.all("misread"))
    page.press("y")
    page.until(lambda: steps(page) == ["until answer is right", "answer"])
    page.driver.refresh()
    page.until(
        lambda: steps(page) == ["until answer is right", "answer"]
    )  # a key before that goes nowhere
    page.press("y")
    page.until(lambda: "# mine" in page.find("yaml-sheet", ".cm-content").text)
    # What was typed a moment before the sheet is closed is kept, too.
    page.find("yaml-sheet", ".cm-content").click()
    page.find("yaml-sheet", ".cm-content").send_keys(Keys.CONTROL, Keys.HOME)
    page.find("yaml-sheet", ".cm-content").send_keys("# at the last moment\n")
    page.click("yaml")
    page.driver.refresh()
    page.until(
        lambda: steps(page) == ["until answer is right", "answer"]
    )  # a key before that goes nowhere
    page.press("y")
    page.until(lambda: "last moment" in page.find("yaml-sheet", ".cm-content").text)


def test_a_pause_is_ended_on_the_desk(page, blank):
    blank("asks-first")
    add_by_keys(page, "pause")
    page.until(lambda: len(steps(page)) == 2)
    page.choose("pause-edits", "answer")
    page.fill("input-message", "When does the boat leave?")
    page.until(lambda: "kept" in page.text("kept"))
    page.click("begin-walk")
    done(page, "waits for a person")
    page.find("pause")

    page.go("/")
    page.until(lambda: "ask a person" in page.text("waiting-pauses"))
    page.fill("pause-value", "At nine.")
    page.fill("pause-note", "shorter")
    page.click("approve")
    page.until(lambda: not page.all("pause"))  # talks of other tests may still wait
    page.driver.back()
    done(page)
    page.click("bar", at=1)
    page.until(lambda: "At nine." in " ".join(page.texts("wrote")))


def test_a_trial_of_a_chain_tells_where_walks_went_and_which_step_is_to_blame(page):
    page.go("/subjects/timetable-answer/verdict")
    page.reads("verdict-sentence", "better")
    page.reads("trial-walks", "of loops")
    page.click("show-better") if page.all("show-better") else None
    page.choose("verdict-arm", "1")
    page.click("reading-walk")
    page.until(lambda: len(page.all("bar")) >= 3)
    page.press(Keys.ESCAPE)
    page.go("/subjects/timetable-answer/trial?plan=new")
    page.until(lambda: len(page.all("arm")) == 2)
    page.click("add-arm")
    page.choose("arm-step", "write the query", at=2)
    page.choose("arm-model", "gannet-l")
    page.reads("calls", "3 arms")
    page.reads("calls", "readings in about")
