"""Chains that converse, in the browser; a chain that a model writes; what a step should have written."""

from selenium.webdriver.common.keys import Keys

from tests.browser.test_chains import blank, done, steps  # noqa: F401


def begin_with(page, make, name, pattern):
    make.call("POST", "/subjects", {"name": name, "kind": "chain", "pattern": pattern})
    page.go(f"/subjects/{name}/draft")
    page.find("begin-walk")


def walk_anew(page):
    """Until the new walk is done, whatever the one before came to."""
    before = page.find("walks").get_attribute("value") if page.all("walks") else ""
    page.click("begin-walk")
    page.until(lambda: page.find("walks").get_attribute("value") not in ("", before))
    done(page)


def says(page, number):
    page.until(lambda: len(page.all("says")) == number)
    return page.texts("says")[-1]


def test_facts_are_found_out_by_talk_with_the_state_beside_it(page, make):
    begin_with(page, make, "books-seats", "collect-do")
    page.until(lambda: page.find("played").is_selected())
    page.click("played")
    page.click("begin-walk")
    assert says(page, 1) == "Which pier do you leave from?"
    for words, question in (
        ("the old one", "I could not make that out. Which pier"),
        ("Old Quay", "On which day?"),
        ("3 May 2027, for four seats", "Is there a phone number"),
        ("I'd rather not say", "We only call when"),
    ):
        before = len(page.all("says"))
        page.find("talk-text").send_keys(words, Keys.ENTER)
        page.until(lambda before=before: len(page.all("says")) > before)
        page.until(lambda question=question: question in page.texts("says")[-1])
    page.until(lambda: '"seats": 4' in page.text("talk-state"))
    page.find("talk-text").send_keys("no", Keys.ENTER)
    page.until(lambda: "I noted" in page.texts("says")[-1] or "Is there" in page.texts("says")[-1])
    page.click("stop-walk")
    done(page, "stopped")

    page.click("played")
    walk_anew(page)
    page.until(lambda: "Your reference is" in page.texts("says")[-1])
    assert "booked" in page.text("talk-state")
    page.click("bar")
    page.reads("step-said", "Which pier")


def test_turns_go_on_from_the_state_and_silence_ends_them(page, make):
    begin_with(page, make, "remembers", "talk-memory")
    page.until(lambda: page.find("played").is_selected())
    page.click("played")
    page.click("begin-walk")
    says(page, 1)
    page.find("talk-text").send_keys("And for a child of six?", Keys.ENTER)
    says(page, 2)
    page.until(lambda: "turn 2" in " ".join(page.texts("bar")))
    page.click("talk-silent")
    page.reads("talk-over", "Nothing more was said.")
    page.click("whole")
    assert page.find("converses").is_selected()
    assert page.find("keeps-summary").is_selected()
    page.click("converses")
    page.until(lambda: not page.all("talk-words"))
    page.press(Keys.CONTROL, "z")
    page.find("talk-words")


def test_a_model_writes_a_chain_and_it_is_taken_as_a_difference(page, blank):  # noqa: F811
    blank("described")
    page.press("e")
    page.find("describe").send_keys(
        "Sort the message into fares and lost things, then write a short reply"
    )
    page.click("propose")
    page.reads("line-diff", "what it is about")
    page.click("take-proposal")
    page.until(lambda: steps(page)[0] == "what it is about" and len(steps(page)) == 2)
    page.press(Keys.CONTROL, "z")
    page.until(lambda: steps(page) == ["answer"])


def test_what_a_step_should_have_written_is_followed_and_a_step_is_tried_alone(page):
    page.go("/subjects/notice-writer/draft")
    page.until(lambda: len(page.all("rung")) >= 4)
    walk_anew(page)
    page.click("bar")
    page.click("right-answer")
    page.fill("right-draft", "The noon boat is late.")
    page.click("right-on")
    page.reads("differs-first", "differs first")
    page.until(lambda: "The noon boat is late." in " ".join(page.texts("walk-pair")))
    page.press(Keys.ESCAPE)
    page.click("bar")
    page.click("walk-alone")
    page.until(lambda: len(page.all("bar")) == 1)
    done(page)


def test_a_way_is_chosen_by_a_model_and_votes_are_merged(page, blank):  # noqa: F811
    blank("chooses")
    page.click("branch-step")
    page.until(lambda: len(steps(page)) == 2)
    page.choose("chosen-by", "model")
    page.fill("way-about", "questions about boats")
    page.until(lambda: not page.all("walk-blocked"))
    page.fill("input-message", "When does the boat leave?")
    page.click("begin-walk")
    done(page)
    page.click("add-step")
    page.click("new-vote")
    page.choose("step-model", "tern-s")
    page.choose("vote-how", "merged")
    page.find("merge-told")
    page.until(lambda: not page.all("walk-blocked"))


def test_a_check_looks_at_a_step_of_the_chain(page):
    page.go("/subjects/notice-writer/checks")
    page.until(lambda: len(page.all("check-row")) >= 4)
    page.click("check-row", "[data-test^=check-]", at=1)
    page.choose("use-step", "draft it")
    page.until(lambda: ", at “draft it”" in " ".join(page.texts("check-row")))
    page.choose("use-step", "")
    page.until(lambda: ", at “draft it”" not in " ".join(page.texts("check-row")))


def test_a_step_is_tried_alone_on_what_it_was_given_in_walks(page):
    page.go("/subjects/notice-writer/draft")
    page.pick_case("walk-case", 1)
    walk_anew(page)
    page.click("bar")
    page.click("keep-step-case")
    page.reads("notice", "a case of the step “draft it”")
    page.go("/subjects/notice-writer/trial?plan=new")
    page.click("as-recorded")
    page.go("/subjects/notice-writer/trial?plan=new")
    page.until(lambda: page.find("as-recorded").is_selected())  # a plan is remembered whole
    page.choose("plan-alone", "draft it")
    page.until(lambda: not page.all("as-recorded"))
    page.reads("calls", "1 case")
    page.click("start-trial")
    page.reads("trial-facts", "finished")
    page.click("read-verdict")
    page.reads("rests-on", "The step “draft it” was tried alone")


def test_a_talk_that_waits_is_listed_on_the_desk_and_gone_on_with(page, make):
    begin_with(page, make, "waits-for-words", "collect-do")
    page.until(lambda: page.find("played").is_selected())
    page.click("played")
    page.fill("input-message", "Two seats, please")
    page.click("begin-walk")
    page.find("talk-text")
    page.go("/")
    page.until(lambda: any("waits-for-words" in text for text in page.texts("waiting-talk")))
    page.click("waiting-talk")
    page.find("talk-text")
