"""Pairs made and judged, cases held out, several tried at once, sets, and a talk that plays itself."""

from tests.browser.test_cases import undo

RATES = """If kind is day, the price is 10. If kind is week, the price is 50. For each of bags, add 4 to the price.
Answer in JSON with the key price."""
PRICED = {
    "kind": "json",
    "send_schema": True,
    "json_schema": {
        "type": "object",
        "properties": {"price": {"type": "number"}},
        "required": ["price"],
    },
}


def rates(make, name, **record):
    """A prompt that reckons from a record, with one case."""
    make.prompt(
        name,
        RATES,
        user="Booking:\n{{ booking }}",
        reply=PRICED,
        inputs=[{"name": "booking", "kind": "record"}],
    )
    booking = {"kind": "day", "bags": 1, **record}
    make.call("POST", f"/subjects/{name}/cases", {"inputs": {"booking": booking}})


def finished(page, make, trial):
    page.until(lambda: make.call("GET", f"/trials/{trial}")[0]["status"] == "finished")


def start(make, name, **plan):
    arms = [{"version": 1, "model": "gannet-l"}]
    made, _ = make.call("POST", f"/subjects/{name}/trials", {"arms": arms, "repeats": 2, **plan})
    return made["id"]


def test_a_pair_is_made_in_two_steps_and_judged_on_both_answers(page, make):
    rates(make, "pairing")
    page.go("/subjects/pairing/cases/1")
    page.find("pairs")
    page.press("p")
    page.fill("pair-kind", "week")
    page.click("pair-next")
    page.reads("changed-line", "day → week")
    page.choose("move-must", "up")
    page.click("pair-next")
    page.until(lambda: page.path.endswith("/cases/2"))
    page.reads("must-move", "price goes up")
    kept = make.call("GET", "/subjects/pairing/cases/2")[0]["content"]
    assert kept["pair"] == {"of": 1, "moves": [{"what": "price", "must": "up"}]}
    assert kept["inputs"]["booking"] == {"kind": "week", "bags": 1}
    checks = make.call("GET", "/subjects/pairing")[0]["checks"]
    assert "outcome.moves" in [use["check"] for use in checks]
    make.version("pairing", "first")
    trial = start(make, "pairing", steadiness=["other name"])
    finished(page, make, trial)
    page.go(f"/subjects/pairing/verdict/{trial}?case=2")
    page.reads("pair-rows", "price goes up")
    page.reads("pair-rows", '{"price": 14.0}')
    page.reads("answer-pane", "moves as it must")
    page.go("/subjects/pairing/cases/1")
    page.reads("paired", "Case 2 changes, and price goes up")


def test_cases_held_out_are_seen_only_after_a_look_that_is_recorded(page, make):
    rates(make, "held")
    for bags in range(2, 5):
        booking = {"kind": "day", "bags": bags}
        make.call("POST", "/subjects/held/cases", {"inputs": {"booking": booking}})
    page.go("/subjects/held/cases")
    page.until(lambda: len(page.all("choose-case")) == 4)
    page.click("choose-case", at=1)
    page.choose("hold-out", "1")
    page.reads("notice", "1 case held out")
    make.version("held", "first")
    trial = start(make, "held")
    finished(page, make, trial)
    page.go(f"/subjects/held/verdict/{trial}")
    page.reads("holdout", "1 case held out, and in none of these numbers. Nobody has looked yet.")
    page.until(lambda: len(page.all("matrix-row")) == 3)
    page.click("look")
    page.fill("look-why", "to decide")
    page.click("look-now")
    page.reads("looking", "You are looking at 1 case held out")
    page.until(lambda: len(page.all("matrix-row")) == 1)
    page.reads("reader-case", "kind: day, bags: 2")
    page.click("stop-looking")
    page.reads("holdout", "“to decide”")
    page.until(lambda: len(page.all("matrix-row")) == 3)


def test_several_cases_are_tried_at_once_before_and_after_an_edit(page, make):
    rates(make, "several")
    booking = {"kind": "week", "bags": 0}
    make.call("POST", "/subjects/several/cases", {"inputs": {"booking": booking}})
    page.go("/subjects/several/cases")
    page.until(lambda: len(page.all("choose-case")) == 2)
    for box in page.all("choose-case"):
        box.click()
    page.click("try-chosen")
    page.until(lambda: len(page.all("several-row")) == 2)
    page.until(lambda: page.find("answer-several").is_enabled())
    page.click("answer-several")
    page.until(lambda: all("price" in row.text for row in page.all("several-row")))
    page.reads("several", "now 2 of 2")
    make.draft(
        "several", {**make.content("several"), "settings": {"temperature": 0, "max_tokens": 3}}
    )
    page.go("/subjects/several?cases=2")
    page.until(lambda: len(page.all("several-row")) == 1)
    page.until(lambda: page.find("answer-several").is_enabled())
    page.click("answer-several")
    page.until(lambda: "fits the reply shape" in page.all("several-row")[0].text)


def test_a_set_is_kept_from_what_was_narrowed_and_planned_with(page, make):
    rates(make, "in-sets")
    tagged = {"inputs": {"booking": {"kind": "week", "bags": 2}}, "tags": ["smoke"]}
    make.call("POST", "/subjects/in-sets/cases", tagged)
    make.version("in-sets", "first")
    page.go("/subjects/in-sets/cases")
    page.fill("find-cases", "tag:smoke")
    page.until(lambda: len(page.all("case-row")) == 1)
    page.click("case-sets")
    page.fill("set-name", "few")
    page.click("keep-set")
    page.reads("case-set", "1 case, tag:smoke")
    page.go("/subjects/in-sets/trial?plan=new")
    page.click("plan-set")
    page.reads("calls", "1 case")


def test_a_played_person_is_written_and_the_talk_plays_itself(page, make):
    make.prompt("played", "Collect these details: item, colour. One question at a time.")
    make.call("POST", "/subjects/played/cases", {"inputs": {"message": "I lost something"}})
    page.go("/subjects/played/cases/1")
    page.click("edit-case")
    page.click("add-persona")
    page.choose("persona-model", "gannet-l")
    page.fill("persona-facts", "item: kite\ncolour: red")
    page.fill("case-collect", "colour: red")
    page.click("save-case")
    page.reads("said-by-model", "item: kite; colour: red")
    kept = make.call("GET", "/subjects/played/cases/1")[0]["content"]
    assert kept["person"]["persona"]["facts"] == [
        {"what": "item", "value": "kite"},
        {"what": "colour", "value": "red"},
    ]
    assert kept["expect"]["collect"] == [{"what": "colour", "value": "red"}]
    page.go("/subjects/played")
    page.click("play-talk")
    page.until(lambda: len(page.all("column-ended")) == 2)
    assert {each.text for each in page.all("column-ended")} == {"The talk ended: done"}
    assert page.all("user-turn")
    for column in page.all("column"):
        page.until(lambda it=column: "colour" in it.text and "Told once" not in it.text)


def test_what_a_case_was_before_can_be_so_again(page, make):
    make.prompt("before", "Answer.")
    make.call("POST", "/subjects/before/cases", {"inputs": {"message": "first words"}})
    page.go("/subjects/before/cases/1")
    page.click("edit-case")
    page.fill("case-input-message", "second words")
    page.click("save-case")
    page.reads("said-message", "second words")
    page.click("earlier-versions")
    page.reads("earlier-version", "first words")
    page.click("be-so-again")
    page.reads("said-message", "first words")
    undo(page)
    page.reads("said-message", "second words")
