"""Screens can be read and worked by everybody: checked by axe, and walked by keys alone."""

from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys

AXE = Path(__file__).parents[2] / "frontend/node_modules/axe-core/axe.min.js"
LOOK = """
const done = arguments[0];
axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21aa"], resultTypes: ["violations"] }).then(
  (found) => done(found.violations.flatMap((each) => each.nodes.map(
    (node) => `${each.id}: ${node.target.join(" ")}: ${(node.any[0] ?? node.all[0] ?? node.none[0])?.message}`))));
"""
SUBJECT = "/subjects/triage-message"
SCREENS = {
    "/": "subject-triage-message",
    f"{SUBJECT}/draft": "try-case",
    f"{SUBJECT}/cases/5": "case-row",
    f"{SUBJECT}/trial": "matrix-row",
    f"{SUBJECT}/trial?plan=new": "shown",
    f"{SUBJECT}/verdict": "evidence-row",
    "/subjects/lost-item/cases/17": "said-by-rules",
    "/subjects/lost-item/verdict?case=17": "talk-rows",
    "/subjects/lost-item/cases/37": "said-by-model",
    "/subjects/fare-record/cases/13": "must-move",
    "/subjects/fare-record/verdict?measure=0": "pair-rows",
    f"{SUBJECT}/draft?cases=1,2,3": "several-row",
    "/models": "model-row",
    "/knowledge/desk-handbook/fare-rules?at=fare-rules%234": "passage",
    "/subjects/handbook-answer/verdict?case=1": "found",
    "/tools/booking": "by-hand",
    "/tools?show=source&name=timetable": "tables",
    "/tools?show=addresses": "addresses",
    "/subjects/crossing-help/verdict?case=1": "tool-use",
    "/subjects/timetable-answer/draft": "rung",
    "/subjects/timetable-answer/verdict": "trial-walks",
    "/subjects/timetable-answer/trial?plan=new": "arm-subject",
}
OPENED = [
    "open-inputs", "open-examples", "open-reply", "open-tools", "open-settings", "versions",
    "fragments", "history", "keep-case", "exact-request",
]  # fmt: skip


def faults(page):
    page.driver.execute_script(AXE.read_text("utf-8"))
    return page.driver.execute_async_script(LOOK)


@pytest.mark.parametrize("path", SCREENS)
def test_a_screen_has_no_fault_that_axe_finds(page, path):
    page.go(path)
    page.find(SCREENS[path])
    page.until(lambda: not page.every('[aria-label="Loading"]'))
    assert faults(page) == []


def test_drawers_and_dialogs_of_a_draft_have_none_either(page):
    page.go(f"{SUBJECT}/draft")
    page.click("answer-button")
    page.until(lambda: len(page.all("show-request")) == 2)
    for name in OPENED:
        page.click(name)
        inside = (
            "[role=dialog]" if not name.startswith("open-") else f"[data-test=drawer-{name[5:]}]"
        )
        page.one(inside)
        assert (name, faults(page)) == (name, [])
        page.press(Keys.ESCAPE)
        page.until(lambda: not page.every("[role=dialog]"))


def test_what_opens_over_cases_has_none_either(page, tmp_path):
    def found():
        """Hints of keys that do nothing while one types are dim on purpose."""
        return [each for each in faults(page) if "opacity-40" not in each]

    page.go("/subjects/lost-item/cases/17")
    page.until(lambda: page.all("choose-case"))
    page.click("choose-case")
    page.find("chosen-bar")
    page.find("find-cases").send_keys("ta")
    assert ("terms", found()) == ("terms", [])
    page.press("w")
    page.until(lambda: "six cases" in page.text("review"))
    assert ("review", found()) == ("review", [])
    page.click("case-row")
    page.click("edit-case")
    page.find("rules")
    assert ("fields", found()) == ("fields", [])
    page.press("b")
    file = tmp_path / "a.csv"
    file.write_text("message,sort\nWhere is it?,x\n,y\nIs it full?,z,too many")
    page.find("case-file")
    assert ("files", found()) == ("files", [])
    page.find("case-file").send_keys(str(file))
    page.find("bad-rows")
    assert ("look", found()) == ("look", [])


def test_from_a_new_prompt_to_a_verdict_by_keys_alone(page, make):
    """No pointer is used, and nothing is found by its place on the screen."""

    def focus():
        return page.driver.switch_to.active_element

    def press(*keys):
        focus().send_keys(*keys)

    page.go("/")
    page.find("new-prompt")
    press("n")
    page.find("new-name")
    press("by-keys-alone")
    press(Keys.ENTER)
    page.until(lambda: page.path == "/subjects/by-keys-alone/draft")
    page.until(lambda: "cm-content" in (focus().get_attribute("class") or ""))
    press("Answer with one word: tide or wind.")
    press(Keys.CONTROL, "s")
    page.until(lambda: focus().get_attribute("data-test") == "version-note")
    press("first", Keys.ENTER)
    page.reads("draft-title", "Draft, same as v1")
    page.until(lambda: "cm-content" in (focus().get_attribute("class") or ""))
    press(Keys.ESCAPE)
    press("2")
    page.find("add-case")
    for number in range(1, 8):
        press("a")
        page.until(lambda: focus().get_attribute("data-test") == "case-input-message")
        press(f"Have {number} of 2 seats")
        press(Keys.CONTROL, Keys.ENTER)
        page.until(lambda n=number: page.path.endswith(f"/cases/{n}"))
        press(Keys.ESCAPE)
    press("3")
    page.reads("calls", "7 cases")
    press(Keys.CONTROL, Keys.ENTER)
    page.reads("trial-facts", "finished")
    press("4")
    page.find("verdict-sentence")
    press("0")
    page.find("subject-by-keys-alone")
