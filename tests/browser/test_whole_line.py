"""The whole line as a person walks it: edit, try, save, keep a case, run a trial, read the verdict."""

from selenium.webdriver.common.keys import Keys


def test_from_a_prompt_to_a_verdict(page, epistem):
    # The desk tells where the demo's prompt stands.
    page.go("/")
    assert "triage-message" in page.text("subject-triage-message")
    page.click("subject-triage-message")
    page.click("stage-draft")

    # Edit a part: the draft is kept while typing.
    page.reads("draft-title", "Draft, same as v2")
    page.type_into("0-1", " When in doubt, think of who waits at the pier.")
    page.reads("draft-title", "Draft after v2")
    page.reads("kept", "kept as you type")
    page.reads("state-draft", "after v2, edited")

    # Try it on typed text in two columns, and look at what was sent.
    page.pick_case("try-case", None)
    page.fill("input-message", "My blue scarf stayed on the 10:20, can you look?")
    page.click("answer-button")
    page.until(lambda: len(page.all("answer")) == 2)
    assert all("label" in text for text in page.texts("answer"))
    assert {select.get_attribute("value") for select in page.all("column-model")} == {
        "tern-s",
        "gannet-l",
    }
    page.click("exact-request")
    page.reads("request-json", "think of who waits at the pier")
    page.reads("request-json", "My blue scarf stayed on the 10:20")
    page.find("request-json").send_keys(Keys.ESCAPE)
    page.until(lambda: not page.all("request-json"))

    # Keep it as a case, with the label that is right.
    page.click("keep-case")
    page.choose("expected-label", "lost item")
    page.click("keep-confirm")
    page.reads("notice", "Kept as case 61.")
    page.reads("state-cases", "61 kept")

    # Save a version.
    page.click("save-version")
    page.find("version-note").send_keys("Think of who waits")
    page.click("save-confirm")
    page.reads("draft-title", "Draft, same as v3")
    page.reads("state-draft", "v3, no edits")

    # The case is in the list, and opens.
    page.press("2")
    page.until(lambda: len(page.all("case-row")) > 10)
    page.one("input[type=search]").send_keys("blue scarf")
    page.until(lambda: len(page.all("case-row")) == 1)
    page.click("case-row")
    page.until(lambda: page.path.endswith("/cases/61"))
    assert page.text("said-message").startswith("My blue scarf")

    # Plan a trial of the old version against the new one.
    page.press("3")
    page.click("plan-another")
    page.until(lambda: len(page.all("arm")) == 4)
    for _ in range(2):
        page.click("remove-arm", at=-1)
    page.choose("arm-version", "2", at=0)
    page.choose("arm-version", "3", at=1)
    page.fill("repeats", "3")
    page.reads("calls", "2 arms × 61 cases × 3 repeats = 366 calls")

    # What it can show follows what is planned; the likeliest main question stands there.
    page.until(lambda: len(page.all("shown")) == 4)
    assert "main question" in page.texts("shown")[0]
    assert page.find("question-measure").get_attribute("value") == "outcome.label"
    page.choose("question-measure", "tone.stock_phrases")
    page.until(lambda: "main question" in page.texts("shown")[3])
    page.choose("question-measure", "outcome.label")
    page.until(lambda: "main question" in page.texts("shown")[0])
    page.click("start-trial")

    # Watch it run to its end, ticks landing.
    page.reads("readings", "366 readings")
    page.reads("trial-facts", "finished")
    page.until(lambda: len(page.all("matrix-row")) > 10)
    page.one('[data-test="matrix"] rect')

    # Read the verdict, and the answers behind it.
    page.click("read-verdict")
    page.reads("verdict-sentence", "ain question, label is right")
    page.reads("verdict-sentence", "v3")
    page.reads("verdict-sentence", "v2")
    page.until(lambda: len(page.all("evidence-row")) == 4)
    page.until(lambda: len(page.all("reader-answer")) == 2)
    first = page.text("reader-case")
    page.press("j")
    page.until(lambda: page.text("reader-case") != first)
    assert "case=" in page.path

    # What the screen says is what the API says.
    trial = int(page.path.split("/verdict/")[1].split("?")[0])
    verdict = epistem.get(f"/trials/{trial}/verdict")
    said = "".join(segment["text"] for segment in verdict["sentences"][1]).strip()
    assert page.text("verdict-sentence") == " ".join(said.split())
    word = next(c["word"] for c in verdict["comparisons"] if c["measure"] == 0)
    assert word in page.text("state-verdict")
