"""Tools in the browser: a source in, a tool on it, called by hand, used in a prompt, asked before it changes things."""

import sqlite3
from contextlib import closing

import pytest


@pytest.fixture
def piers(tmp_path):
    file = tmp_path / "piers.sqlite"
    with closing(sqlite3.connect(file)) as made:
        made.executescript(
            "CREATE TABLE piers (pier TEXT, boats INTEGER); INSERT INTO piers VALUES ('Hollin', 3), ('Ness', 1)"
        )
    return file


def test_a_source_and_a_tool_on_it_are_made_and_used(page, make, piers):
    page.go("/tools?show=new-source")
    page.find("source-file").send_keys(str(piers))
    page.until(lambda: page.find("source-name").get_attribute("value") == "piers")
    page.click("put-source")
    page.reads("tables", "CREATE TABLE piers")
    page.fill("statement", "DELETE FROM piers")
    page.click("run-statement")
    page.reads("statement-problem", "Only reading is allowed")
    page.fill("statement", "SELECT pier, boats FROM piers ORDER BY boats")
    page.click("run-statement")
    page.reads("rows", "Ness")

    page.click("new-tool")
    page.fill("new-tool-name", "pier-boats")
    page.fill("new-tool-about", "How many boats a pier has")
    page.choose("work-kind", "sql")
    page.choose("sql-source", "piers")
    page.choose("work-trials", "live")
    page.click("make-tool")
    page.reads("tool-title", "pier-boats")
    page.fill("arg-query", "SELECT boats FROM piers WHERE pier = 'Hollin'")
    page.click("call")
    page.reads("came", "3")
    page.fill("arg-query", "SELECT seats FROM piers")
    page.click("call")
    page.reads("came", "no such column: seats")
    page.reads("calls-before", "2 calls by hand before")

    make.prompt("boats", "Answer with the tools.")
    page.go("/subjects/boats/draft")
    page.click("open-tools")
    page.choose("take-tool", "pier-boats")
    page.reads("kept-as", "pier-boats@1")
    page.choose("choice", "must")
    page.fill("input-message", "How many boats has Hollin?")
    page.click("answer-button")
    page.reads("tool-use", "pier_boats")
    page.go("/tools/pier-boats")
    page.reads("used-by", "boats")


def test_a_call_that_changes_something_waits_for_a_yes(page):
    page.go("/subjects/crossing-help/draft")
    page.until(lambda: page.all("tool") or page.find("input-message"))
    page.fill("input-message", "Please hold 2 seats for me on the 12:30 sailing.")
    page.click("answer-button")
    page.until(lambda: len(page.all("allow")) == 2)
    assert "hold_seats" in page.texts("allow")[0]
    page.click("allow-no", at=1)
    page.click("allow-yes")
    page.until(lambda: len(page.all("answer")) == 2)
    done, not_done = page.texts("tool-use")
    assert '"held": true' in done
    assert "did not allow" in not_done


def test_a_verdict_shows_which_tools_were_called(page):
    page.go("/subjects/crossing-help/verdict?case=1")
    page.until(lambda: len(page.all("tool-use")) >= 1)
    assert "timetable" in page.texts("tool-use")[0]


def test_addresses_are_allowed_and_taken_back(page):
    page.go("/tools?show=addresses&add=https://boats.example:443")
    page.click("allow-address")
    page.reads("addresses", "https://boats.example:443")
    page.click_on('[aria-label="Remove https://boats.example:443"]')
    page.until(lambda: "boats.example" not in page.text("addresses"))
