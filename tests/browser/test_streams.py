"""Answers that come piece by piece, reasoning first, and can be stopped."""

import pytest

DRAFT = "/subjects/triage-message/draft"


def one_column(page, model):
    """Draft on a case, with one column of this model."""
    page.go(DRAFT)
    page.pick_case("try-case", 6)
    page.find("column")
    while len(page.all("column")) > 1:
        page.click("remove-column")
    page.choose("column-model", model)
    # What is asked is what stands there: the case's text, once it has come.
    page.until(lambda: "My bag AND" in page.find("input-message").get_attribute("value"))
    page.until(lambda: page.find("answer-button").is_enabled())
    return page


@pytest.fixture
def slow(page):
    return one_column(page, "auk-slow")


def test_reasoning_is_read_as_it_comes_and_folded_away_by_the_answer(slow):
    slow.click("answer-button")
    slow.reads("reasoning", "The text turns on")
    assert slow.find("reasoning").get_attribute("open")
    assert not slow.all("answer")
    slow.reads("coming", "{")
    assert not slow.find("reasoning").get_attribute("open")
    slow.until(lambda: slow.all("answer"))
    assert "label" in slow.text("answer")
    assert "first token after" in slow.text("column")


def test_a_stop_keeps_what_has_come_and_says_so(slow):
    slow.click("answer-button")
    slow.reads("reasoning", "The text")
    slow.click("stop-answer")
    slow.reads("stopped", "Stopped here")
    assert "The text" in slow.driver.execute_script(
        "return document.querySelector('[data-test=reasoning]').textContent"
    )
    assert slow.find("answer-button").is_enabled()
    assert not slow.all("answer")


def test_a_stopped_column_can_be_asked_again(slow):
    slow.click("answer-button")
    slow.until(lambda: slow.all("stop-answer"))
    slow.click("stop-answer")
    slow.choose("column-model", "tern-s")
    slow.click("answer-button")
    slow.until(lambda: slow.all("answer"))
    assert not slow.all("stopped")


def test_columns_are_asked_several_times_with_one_seed(page):
    one_column(page, "tern-s")
    page.click("duplicate-column")
    page.until(lambda: len(page.all("column")) == 2)
    page.click("one-seed")
    page.choose("try-repeats", "5")
    page.click("answer-button")
    page.until(lambda: all("5 answers to just this" in text for text in page.texts("column")))
    first, second = page.texts("answer")
    assert first == second


def test_what_had_come_of_a_stopped_answer_is_in_the_history(slow, make):
    slow.click("answer-button")
    slow.until(lambda: slow.all("coming"))
    slow.click("stop-answer")
    slow.reads("stopped", "Stopped here")
    path = "/subjects/triage-message/tries"
    slow.until(lambda: make.call("GET", path)[0]["tries"][0]["model"] == "auk-slow")
    slow.click("history")
    slow.until(lambda: "stopped" in slow.find("bring-try").find_element("xpath", "..").text)
