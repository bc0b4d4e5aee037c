"""Single screens: their empty states, their errors, their keys, their addresses."""

import json
import os
import signal
from urllib.request import Request, urlopen

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from epistem.standin.faults import HEADER


def new_prompt(page, name):
    page.go("/")
    page.click("new-prompt")
    page.find("new-name").send_keys(name)
    page.click("create")
    page.until(lambda: page.path == f"/subjects/{name}/draft")
    page.find("part-0-0")


class TestFromNothing:
    def test_every_stage_says_what_to_do_first(self, page):
        new_prompt(page, "from-nothing")
        assert page.text("state-draft") == "no version yet"
        page.press("2")
        page.until(lambda: "No cases yet." in page.driver.page_source)
        page.press("3")
        page.reads("in-the-way", "Save the draft as a version first")
        assert not page.find("start-trial").is_enabled()
        page.press("4")
        page.reads("no-verdict", "no trial has run")

    def test_inputs_are_found_as_one_types(self, page):
        new_prompt(page, "inputs-found")
        assert page.text("open-inputs") == "Inputs\n1"
        page.type_into("0-0", "Answer in {{ language }}, as {{ role }}.")
        page.reads("open-inputs", "3")
        page.click("open-inputs")
        assert page.find("input-row-language")
        assert page.find("input-language")

    def test_a_template_that_does_not_parse_shows_its_line_and_bars_the_way(self, page):
        new_prompt(page, "broken-part")
        page.type_into("0-0", "One line\n{% if tired %}")
        page.reads("part-problem", "line 2")
        page.until(lambda: not page.find("save-version").is_enabled())
        assert not page.find("answer-button").is_enabled()
        marked = page.find("part-0-0", ".cm-problem-line")
        assert "tired" in marked.text
        page.type_into("0-0", "rest{% endif %}")
        page.until(lambda: not page.all("part-problem"))
        page.until(lambda: page.find("save-version").is_enabled())

    def test_an_added_case_is_kept_and_undone(self, page):
        new_prompt(page, "adding-cases")
        page.press("2")
        page.click("add-case")
        page.find("case-input-message").send_keys("First text")
        page.click("save-case")
        page.until(lambda: page.path.endswith("/cases/1"))
        page.reads("state-cases", "1 kept")
        page.click("put-away")
        page.reads("state-cases", "none yet")
        page.click("undo")
        page.reads("state-cases", "1 kept")

    def test_what_was_typed_into_a_case_is_there_after_a_look_at_another(self, page):
        page.go("/subjects/triage-message/cases/2")
        page.click("edit-case")
        page.find("case-input-message").send_keys(" And hurry")
        page.until(lambda: page.find("save-case").is_enabled())
        page.press("j")
        page.until(lambda: page.path.endswith("/cases/3"))
        page.find("edit-case")
        assert not page.all("save-case")
        page.press("k")
        page.until(lambda: page.path.endswith("/cases/2"))
        assert page.find("case-input-message").get_attribute("value").endswith(" And hurry")
        assert "not saved yet" in page.driver.page_source

    def test_a_name_that_will_not_do_says_why(self, page):
        page.go("/")
        page.click("new-prompt")
        page.find("new-name").send_keys("triage-message")
        page.click("create")
        page.until(lambda: "Choose another name" in page.driver.page_source)


class TestAddresses:
    def test_each_screen_has_its_own_and_the_back_button_goes_back(self, page):
        page.go("/subjects/triage-message/draft")
        page.reads("state-cases", "kept")
        page.press("2")
        page.until(lambda: "/cases/" in page.path)
        page.press("4")
        page.until(lambda: "/verdict/" in page.path)
        page.find("verdict-sentence")
        page.driver.back()
        page.until(lambda: "/cases/" in page.path)
        page.driver.back()
        page.until(lambda: page.path.endswith("/draft"))

    def test_a_deep_link_opens_just_what_it_names(self, page):
        page.go("/subjects/triage-message/verdict/1?arm=3&measure=0&case=12&repeat=4")
        page.reads("reader-case", "i want my mony back the bote never came")
        assert page.find("verdict-arm").get_attribute("value") == "3"
        assert "label is right" in page.one('[role="option"][aria-selected="true"]').text
        pressed = '[data-test="reader"] [title^="Repeat"][aria-pressed="true"]'
        assert page.one(pressed).text == "4"
        assert len(page.every(pressed)) == 1

    @pytest.mark.parametrize(
        ("path", "says"),
        [
            ("/subjects/no-such-prompt/draft", "There is no subject called"),
            ("/subjects/triage-message/verdict/999", "There is no trial T999"),
            ("/subjects/triage-message/cases/999", "There is no case 999 here"),
            ("/nowhere/at/all", "There is nothing at this address"),
        ],
    )
    def test_an_address_of_nothing_says_so(self, page, path, says):
        page.go(path)
        page.until(lambda: says in page.driver.page_source)


class TestVerdict:
    def test_keys_walk_through_cases_arms_repeats_and_checks(self, page):
        page.go("/subjects/triage-message/verdict/1")
        page.until(lambda: len(page.all("reader-answer")) == 2)
        page.press("l")
        page.until(lambda: "arm=2" in page.path)
        page.press("h")
        page.until(lambda: "arm=1" in page.path)
        page.press("r")
        page.until(lambda: "repeat=2" in page.path)
        page.press("m")
        page.until(lambda: "measure=0" in page.path)
        before = page.text("reader-case")
        page.press("j", "j", "k")
        page.until(lambda: page.text("reader-case") != before)

    def test_the_exact_request_of_a_reading_is_there(self, page):
        page.go("/subjects/triage-message/verdict/1")
        page.until(lambda: len(page.all("reader-answer")) == 2)
        page.click("show-reading-request")
        page.reads("reading-request", '"model": "tern-s"')


class TestTrouble:
    def test_two_people_editing_lose_nothing(self, page, epistem):
        new_prompt(page, "two-writers")
        api = f"{epistem.url}/api/v1/subjects/two-writers/draft"
        with urlopen(api) as answer:
            etag, body = answer.headers["ETag"], json.loads(answer.read())
        body["content"]["messages"][0]["parts"][0]["text"] = "Their text"
        headers = {"If-Match": etag, "Content-Type": "application/json"}
        urlopen(Request(api, json.dumps(body["content"]).encode(), headers, method="PUT")).close()

        page.type_into("0-0", "My text")
        page.until(lambda: "both changed it" in page.text("merge-piece"))
        assert "Their text" in page.text("merge-piece")
        assert "My text" in page.editor("0-0").text
        page.click("settle-mine")
        page.until(lambda: not page.all("stale"))
        page.reads("kept", "kept as you type")
        with urlopen(api) as answer:
            assert (
                json.loads(answer.read())["content"]["messages"][0]["parts"][0]["text"] == "My text"
            )

    def test_what_is_typed_while_the_server_is_away_is_kept(self, page, epistem):
        new_prompt(page, "server-away")
        page.set_offline(True)
        page.type_into("0-0", "Typed in the dark")
        page.reads("kept", "the server is away; kept in this browser")
        page.set_offline(False)
        page.reads("kept", "kept as you type")
        assert "Typed in the dark" in json.dumps(epistem.get("/subjects/server-away/draft"))

    def test_what_had_not_reached_the_server_is_brought_back_on_the_next_visit(self, page):
        new_prompt(page, "closed-tab")
        page.set_offline(True)
        page.type_into("0-0", "Typed before the tab was closed")
        page.reads("kept", "the server is away; kept in this browser")
        page.set_offline(False, then="/subjects/closed-tab/draft")
        page.reads("notice", "was brought back")
        assert "Typed before the tab was closed" in page.editor("0-0").text

    def test_a_model_that_cannot_be_reached_says_so_in_its_column(self, page, epistem):
        new_prompt(page, "model-away")
        page.fill("input-message", "hello")
        os.kill(epistem.pid("stand-in"), signal.SIGKILL)
        page.click("answer-button")
        page.until(lambda: page.all("column-error") or page.all("answer"))
        if page.all("column-error"):
            assert "can't be reached" in page.text("column-error")
        page.until(lambda: page.find("answer-button").is_enabled())

    def test_what_ended_while_the_window_was_out_of_sight_is_known_when_it_is_seen(
        self, page, make
    ):
        plan = {"arms": [{"version": 1, "model": "auk-slow"}], "repeats": 20}
        trial, _ = make.call("POST", "/subjects/triage-message/trials", plan)
        page.go(f"/subjects/triage-message/trial/{trial['id']}")
        page.find("stop-trial")
        seen = (
            "Object.defineProperty(document, 'visibilityState', { value: arguments[0], configurable: true });"
            "document.dispatchEvent(new Event('visibilitychange'));"
        )
        page.driver.execute_script(seen, "hidden")
        make.call("POST", f"/trials/{trial['id']}/stop")
        assert "stopped" not in page.text("trial-facts")
        page.driver.execute_script(seen, "visible")
        page.reads("trial-facts", "stopped")

    def test_a_trial_can_be_stopped_and_go_on(self, page):
        page.go("/subjects/triage-message/trial?plan=1")
        page.until(lambda: len(page.all("arm")) == 4)
        page.fill("repeats", "60")
        page.click("start-trial")
        page.click("stop-trial")
        page.reads("trial-facts", "stopped")
        page.click("go-on")
        page.until(lambda: page.find("stop-trial").is_enabled())
        page.press("s")
        page.reads("trial-facts", "stopped")
        page.click("read-verdict")
        page.reads("so-far", "The trial was stopped.")

    def test_a_plan_that_cannot_be_carried_out_names_what_is_wrong(self, page):
        page.go("/subjects/triage-message/trial?plan=1")
        page.until(lambda: len(page.all("arm")) == 4)
        page.driver.execute_script(
            "document.querySelector('[data-test=repeats]').removeAttribute('max')"
        )
        page.fill("repeats", "10000")
        page.click("start-trial")
        page.reads("plan-problem", "repeats=10,000 is more than 100")
        page.fill("repeats", "0")
        page.reads("in-the-way", "whole number from 1")
        for _ in range(4):
            page.click("remove-arm", at=-1)
        page.reads("in-the-way", "Add an arm")
        assert not page.find("start-trial").is_enabled()


def test_the_list_of_keys_opens_and_closes(page):
    page.go("/subjects/triage-message/draft")
    page.reads("state-cases", "kept")
    page.press("?")
    dialog = page.one('[role="dialog"]')
    assert "save version" in dialog.text
    page.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    page.until(lambda: not page.every('[role="dialog"]'))


class TestHonesty:
    """What a verdict says of itself: its main question, what came too early, what never came."""

    @pytest.fixture
    def own(self, make, request):
        """A subject of the test's own, sorting as the demo's does, with two versions and 12 cases."""
        name = f"own-{len(request.node.name)}"
        make.call("POST", "/subjects", {"name": name, "copy_of": "triage-message", "version": 1})
        make.version(name, "first")
        make.draft(name, make.call("GET", "/subjects/triage-message/versions/2")[0]["content"])
        make.version(name, "second")
        listed = make.call("GET", "/subjects/triage-message/cases")[0]["cases"]
        for case in listed[:12]:
            number = case["number"]
            content = make.call("GET", f"/subjects/triage-message/cases/{number}")[0]["content"]
            make.call("POST", f"/subjects/{name}/cases", content)
        return f"/subjects/{name}"

    def test_a_stopped_trial_says_why_its_words_are_rare(self, page, make, own):
        plan = {
            "arms": [{"version": v, "model": "auk-slow"} for v in (1, 2)],
            "repeats": 10,
        }
        trial, _ = make.call("POST", f"{own}/trials", plan)
        page.go(f"{own}/trial/{trial['id']}")
        page.until(lambda: not page.text("readings").startswith("0 "))
        page.click("stop-trial")
        page.find("go-on")
        page.go(f"{own}/verdict/{trial['id']}")
        page.reads("early", "p < 0.001")
        assert "99.9% intervals" in page.driver.page_source

    def test_a_model_that_cannot_be_asked_pauses_its_arm_in_plain_sight(self, page, make, own):
        entry = {"address": "http://127.0.0.1:9", "context_window": 1000, "input_cents": 0,
                 "output_cents": 0}  # fmt: skip
        make.call("PUT", "/models/away", entry)
        arms = [{"version": 2, "model": m} for m in ("tern-s", "away")]
        trial, _ = make.call("POST", f"{own}/trials", {"arms": arms, "repeats": 2})
        page.go(f"{own}/trial/{trial['id']}")
        page.reads("paused", "is paused. away can't be reached at http://127.0.0.1:9")
        page.reads("readings", "24 of 48 readings")
        page.click("try-now")
        page.until(lambda: make.call("GET", f"/trials/{trial['id']}")[0]["paused"][0]["times"] > 1)
        page.click("stop-trial")
        page.reads("trial-facts", "stopped")
        make.call("DELETE", "/models/away", etag='"1"')  # else it would be the cheapest of the list

    def test_answers_that_never_came_count_as_failed_or_are_left_out_and_it_is_said(
        self, page, make, own
    ):
        listed = make.call("GET", "/models")[0]["models"]
        [there] = [model["address"] for model in listed if model["name"] == "tern-s"]
        entry = {"address": there, "context_window": 1000, "input_cents": 0,
                 "output_cents": 0, "served_as": "tern-s", "headers": {HEADER: "status=400"}}  # fmt: skip
        make.call("PUT", "/models/nobody", entry)
        plan = {
            "arms": [{"version": 2, "model": m} for m in ("tern-s", "nobody")],
            "repeats": 1,
            "question": {"arm": 1, "measure": "outcome.label"},
        }
        trial, _ = make.call("POST", f"{own}/trials", plan)
        page.go(f"{own}/trial/{trial['id']}")
        page.reads("trial-facts", "finished")
        page.click("ask-again")
        page.reads("trial-facts", "finished")
        page.click("read-verdict")
        page.reads("missing", "Answers that never came (12) count as failed")
        assert "between 0 and 100: 12 answers are missing" in page.driver.page_source
        page.click("set-missing")
        page.reads("missing", "are left out")
        page.reads("verdict-sentence", "On the main question, label is right, there is nothing to")
        assert "missing=left_out" in page.path
        page.click("set-missing")
        page.reads("missing", "count as failed")
        make.call("DELETE", "/models/nobody", etag='"1"')


class TestChecks:
    def test_one_is_added_by_words_tuned_and_seen_in_the_text(self, page, make):
        make.prompt("checked", "Say something.")
        page.go("/subjects/checked/draft")
        page.reads("to-checks", "1 check")
        page.press("c")
        page.reads("checks-title", "What every answer must be")
        page.press("a")
        page.find("add-check").send_keys("short")
        page.click("add-structure.length")
        page.reads("to-checks", "2 checks")
        page.fill("bench-text", "One two three. You will get a refund.")
        page.until(lambda: "60 words at most" in page.texts("check-row")[-1])
        page.fill("option-most", "4")
        page.until(lambda: page.texts("check-row")[-1].startswith("4 words at most"))
        page.reads("bench-answer", "8 words; 4 words at most")
        marked = '[data-test="bench-answer"] mark'
        page.until(lambda: [each.text for each in page.every(marked)] == ["will get a refund"])
        page.find("own-examples")
        # What is chosen here goes with the next try, and is taken off again.
        page.until(
            lambda: make.call("GET", "/subjects/checked")[0]["checks"][-1]["options"] == {"most": 4}
        )
        page.click("remove-structure.length")
        page.reads("to-checks", "1 check")

    def test_options_that_cannot_be_say_why_and_others_still_judge(self, page, make):
        make.prompt("wrongly", "Say something.")
        page.go("/subjects/wrongly/checks")
        page.find("add-check").send_keys("regex")
        page.click("add-structure.matches")
        page.find("bench-text").send_keys("rest assured")
        page.fill("option-pattern", "(a")
        page.reads("check-fault", "can't be used")
        page.press("x")  # all checks, not the one that is being tuned
        page.reads("bench-answer", "stock phrase")

    def test_a_past_trial_tells_what_a_check_would_have_said(self, page):
        page.go("/subjects/triage-message/checks")
        page.until(lambda: len(page.all("check-row")) == 3)
        page.click("check-outcome.label")
        page.click("over-which")
        for each in page.find("over-1").find_elements(By.XPATH, "..//li"):
            # T1 alone, whatever other tests tried here.
            if ("✓" in each.text) != (each.get_attribute("data-test") == "over-1"):
                each.click()
        page.click("over-which")
        page.click("would-have-said")
        page.reads("rejudged", "T1 Of 1,200 answers, 0 are judged otherwise than in the trial")
        page.fill("option-at", "urgency")
        page.until(lambda: not page.all("rejudged"))
        page.click("would-have-said")
        page.until(lambda: int(page.text("rejudged").split()[4].replace(",", "")) > 100)
        page.find("option-at").clear()
        page.find("option-at").send_keys("label")
        page.until(lambda: "kept as you change" in page.text("checks-kept"))

    def test_a_trial_is_judged_anew_by_a_check_that_was_tuned_and_its_verdict_changes(
        self, page, make
    ):
        make.prompt("anew", "Answer in one short sentence.")
        make.version("anew", "")
        make.call("POST", "/subjects/anew/cases", {"inputs": {"message": "When is the boat?"}})
        plan = {"arms": [{"version": 1, "model": "tern-s"}], "repeats": 3}
        other, then = (make.call("POST", "/subjects/anew/trials", plan)[0] for _ in range(2))
        for each in (other, then):
            page.until(
                lambda id=each["id"]: make.call("GET", f"/trials/{id}")[0]["status"] == "finished"
            )
        page.go("/subjects/anew/checks")
        page.find("add-check").send_keys("short")
        page.click("add-structure.length")
        page.fill("option-most", "1")
        page.until(lambda: page.texts("check-row")[-1].startswith("1 word at most"))
        page.click("over-which")
        page.click(f"over-{other['id']}")
        page.click("over-which")
        page.click("would-have-said")
        page.reads("rejudged-all", "In all, 6 of 6 answers")
        page.until(lambda: len(page.all("rejudged")) == 2)
        page.click("over-which")
        page.click(f"over-{other['id']}")
        page.click("over-which")
        page.until(lambda: not page.all("rejudged"))
        page.click("would-have-said")
        page.reads("rejudged", "3 fail it; the trial did not have it")
        page.click("judge-anew")
        page.reads("rests-on", f"Rests on the answers of T{then['id']}, judged anew")
        page.until(lambda: "0.0%" in page.text("evidence"))
        page.go(f"/subjects/anew/verdict/{then['id']}")
        page.reads("rests-on", "Judged anew since: T")
        page.until(lambda: "1 word at most" not in page.text("evidence"))
        # A judge says its price first.
        page.go("/subjects/anew/checks")
        page.find("add-check").send_keys("rubric")
        page.click("add-judge.rubric")
        page.choose("option-model", "plover-judge")
        page.until(lambda: "plover-judge" in page.texts("check-row")[-1])
        page.click("judge-anew")
        page.reads("anew-price", "Judges would be asked 3 times at most")
        page.click("anew-sure")
        page.reads("rests-on", "judged anew")


class TestJudgesAndRules:
    def test_a_rule_in_the_prompts_own_words_gets_its_check(self, page):
        new_prompt(page, "own-words")
        page.type_into("0-0", "Answer in at most 40 words.")
        page.reads("kept", "kept")
        page.go("/subjects/own-words/checks")
        page.reads("own-words", "1 rule that no check watches over")
        page.click("offer-structure.length")
        page.reads("to-checks", "2 checks")
        page.reads("own-words", "every rule found has its check")

    def test_a_judge_is_put_to_the_test_on_the_screen(self, page):
        page.go("/subjects/desk-reply/checks")
        page.click("check-judge.rubric")
        page.reads("trust-word", "To be trusted")
        page.click("test-judge")
        page.reads("known-answers", "Of course your dog may come")
        page.find("use-form")

    def test_scores_stand_beside_pass_rates_in_the_verdict(self, page, make):
        subjects = make.call("GET", "/subjects")[0]["subjects"]
        [line] = [each for each in subjects if each["name"] == "desk-reply"]
        page.go(f"/subjects/desk-reply/verdict/{line['latest_trial']}")
        page.reads("verdict-sentence", "worse")
        rows = page.until(lambda: page.all("score-row"))
        assert [row.text.split("\n")[0] for row in rows[:2]] == [
            "all checks, weighted",
            "Tone, 4 of 5 at least (plover-judge)",
        ]
        assert "better" in rows[1].text
        rows[1].click()
        page.until(lambda: "measure=0" in page.driver.current_url)
