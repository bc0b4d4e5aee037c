"""Cases as a list and as a page: brought in from a file, narrowed, tagged together, read and edited in place."""

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

TABLE = """Ticket;What was written;Tags
901;"Where is my umbrella;
it is black?";odd, wet
902;When is the last boat?;
903;;empty
904;A row;with;too;many
"""


def undo(page):
    """Once it is offered: what was done may show before that."""
    page.click("undo")


def test_a_file_is_looked_at_put_right_kept_and_taken_back(page, make, tmp_path):
    make.prompt("bring", "Answer.")
    file = tmp_path / "log.csv"
    file.write_text(TABLE)
    page.go("/subjects/bring/cases")
    page.click("bring-in")
    page.find("case-file").send_keys(str(file))
    page.reads("import-counts", "2 new cases; 2 rows can’t be taken.")
    assert "line 6" in page.text("bad-rows")
    assert page.find("column-What was written").get_attribute("value") == "input message"
    # Read with another separator it is another table, and back again.
    page.choose("separator", ",")
    page.until(lambda: len(page.find("columns").find_elements(By.TAG_NAME, "li")) != 3)
    page.choose("separator", ";")
    page.until(lambda: len(page.find("columns").find_elements(By.TAG_NAME, "li")) == 3)
    page.choose("column-Ticket", "note")
    page.until(lambda: page.find("column-Ticket").get_attribute("value") == "note")
    page.find("import-tags").send_keys("june", Keys.TAB)
    page.reads("import-rows", "june")
    page.click("keep-import")
    page.reads("notice", "2 cases kept from log.csv.")
    page.until(lambda: len(page.all("case-row")) == 2)
    first = make.call("GET", "/subjects/bring/cases/1")[0]["content"]
    assert (first["note"], first["tags"]) == ("901", ["odd", "wet", "june"])
    assert first["inputs"] == {"message": "Where is my umbrella;\nit is black?"}
    undo(page)
    page.until(lambda: not page.all("case-row"))


def test_a_pasted_list_is_a_case_a_line(page, make):
    make.prompt("pasting", "Answer.")
    page.go("/subjects/pasting/cases")
    page.press("b")
    page.find("pasted").send_keys("Is it late, or not?\nIs it full?")
    page.click("read-pasted")
    page.reads("import-counts", "2 new cases.")
    page.click("keep-import")
    page.until(lambda: len(page.all("case-row")) == 2)


def test_the_list_is_narrowed_by_terms_that_are_offered_and_sorted_by_results(page):
    page.go("/subjects/triage-message/cases")
    page.until(lambda: len(page.all("case-row")) > 10)
    page.find("find-cases").send_keys("-ta")
    page.click("term--tag:")
    page.click("term--tag:plain")
    page.find("find-cases").send_keys("flips:")
    page.click("term-flips:v1..v2")
    page.until(lambda: " of 6" in page.text("case-count"))
    assert page.find("find-cases").get_attribute("value") == "-tag:plain flips:v1..v2 "
    assert "plain" not in " ".join(page.texts("case-row"))
    page.find("find-cases").send_keys(Keys.CONTROL, "a")
    page.find("find-cases").send_keys("passes:v2 passes:v1", Keys.ENTER)
    page.until(lambda: page.text("case-count").startswith(("0 of", "1 of", "2 of", "3 of", "4 of")))


def test_several_are_tagged_at_once_and_that_is_undone(page, make):
    make.prompt("bulk", "Answer.")
    for number in range(1, 6):
        make.call("POST", "/subjects/bulk/cases", {"inputs": {"message": f"number {number}"}})
    page.go("/subjects/bulk/cases")
    page.until(lambda: len(page.all("choose-case")) == 5)
    page.click("choose-case", at=1)
    page.press("x")  # the first, which is the one that is open
    page.reads("chosen-bar", "2 cases chosen")
    page.find("chosen-tags").send_keys("june", Keys.ENTER)
    page.reads("notice", "june: given to 2 cases.")

    def tagged():
        listed = make.call("GET", "/subjects/bulk/cases")[0]["cases"]
        return [case["number"] for case in listed if case["tags"] == ["june"]]

    assert tagged() == [1, 2]
    undo(page)
    page.until(lambda: tagged() == [])
    page.click("choose-all")
    page.reads("chosen-bar", "5 cases chosen")
    page.click("away-chosen")
    page.until(lambda: "No cases yet" in page.driver.page_source)
    page.go("/subjects/bulk/cases/3")
    page.click("bring-back")
    page.until(lambda: page.text("case-count") == "1 case")


def test_a_case_is_a_page_that_says_how_it_fared_and_opens_where_one_points(page):
    page.go("/subjects/triage-message/cases/12")
    page.until(lambda: len(page.all("met")) >= 4)
    assert "Its label is refund." in page.text("expected")
    assert "v1 tern-s" in page.texts("met")[0]
    page.click("expected")
    page.until(
        lambda: page.driver.switch_to.active_element.get_attribute("data-test") == "expected-label"
    )
    page.click("leave-case-edit")
    page.click("met")
    page.until(lambda: "/verdict/" in page.path and "case=12" in page.path)


def test_a_person_who_answers_by_rules_is_written_and_tried_turn_by_turn(page, make):
    make.prompt("rules", "Ask for the colour of the coat, then for the date.")
    make.call("POST", "/subjects/rules/cases", {"inputs": {"message": "I lost a coat"}})
    page.go("/subjects/rules/cases/1")
    page.click("edit-case")
    page.click("add-rule")
    page.find("rule-asked").send_keys("colour | color")
    page.find("rule-say").send_keys("It is red.")
    page.click("add-rule")
    page.find("rule-asked", at=1).send_keys("COLOUR")
    page.reads("rule-doubt", "Rules 1 and 2 are both met by “colour”")
    page.find("rule-asked", at=1).send_keys(Keys.CONTROL, "a")
    page.find("rule-asked", at=1).send_keys("date | when")
    page.find("rule-say", at=1).send_keys("Tuesday.\nI told you: Tuesday.")
    page.find("rule-otherwise").send_keys("Hm?")
    page.until(lambda: not page.all("rule-doubt"))
    page.choose("case-ends", "too long")
    page.click("save-case")
    page.reads("said-by-rules", "Asked for date | when: “Tuesday.” then “I told you: Tuesday.”")
    person = make.call("GET", "/subjects/rules/cases/1")[0]["content"]["person"]
    assert person["rules"][1]["say"] == ["Tuesday.", "I told you: Tuesday."]
    assert person["otherwise"] == ["Hm?"]
    checks = [use["check"] for use in make.call("GET", "/subjects/rules")[0]["checks"]]
    assert "outcome.ends" in checks  # what the case expects is judged from now on
    page.until(lambda: "talk by rules" in page.texts("case-row")[0])
    page.go("/subjects/rules/draft")
    page.until(lambda: page.find("input-message").get_attribute("value") == "I lost a coat")
    page.click("answer-button")
    page.until(lambda: page.find("take-turn").is_enabled())
    page.click("take-turn")
    page.until(
        lambda: (
            page.texts("user-turn")[0] in ("It is red.", "Tuesday.", "Hm?", "It is red. Tuesday.")
        )
    )
