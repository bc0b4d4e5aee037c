"""Take the pictures in docs/screenshots from the demo: `make screenshots`."""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from tests.browser.page import Page, start_chromium
from tests.kit.epistem import EpistemProcess

PROMPT = "/subjects/triage-message"


def draft(page: Page) -> None:
    page.pick_case("try-case", 6)
    page.click("answer-button")
    page.until(lambda: len(page.all("answer")) == 2)
    for _ in range(4):
        page.click("answer-button")
        page.until(lambda: page.find("answer-button").is_enabled())


def case(page: Page) -> None:
    page.until(lambda: len(page.all("case-row")) > 10)


def bring_in(page: Page) -> None:
    """A table as people have them: some rows can't be taken."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "desk-log.csv"
        file.write_text(
            "Ticket;What was written;Sort;Week\n"
            '901;"Where is my umbrella; I left it on the 9:10?";lost_item;first week\n'
            "902;Is the evening boat full already?;delay;first week\n"
            "903;Money back for the cancelled trip please!;REFUND;first week\n"
            "904;Can I take 40 sheep?;freight;\n905;Something odd;complaint;\n906;;;\n"
            "907;Two wishes: a ramp, and my money;access | refund;hard\n"
        )
        page.click("bring-in")
        page.find("case-file").send_keys(str(file))
        page.find("bad-rows")


def plan(page: Page) -> None:
    page.until(lambda: len(page.all("arm")) == 4)
    page.fill("repeats", "10")


def started(page: Page) -> None:
    """A trial as it runs: many repeats, so that it is still running when the picture is taken."""
    plan(page)
    page.click("start-trial")
    page.until(lambda: "a second" in page.text("trial-facts"))
    page.until(lambda: int(page.text("readings").split(" ")[0].replace(",", "")) > 500)


def request(page: Page) -> None:
    page.pick_case("try-case", 6)
    page.click("exact-request")
    page.find("token-bar")


def models(page: Page) -> None:
    page.until(lambda: len(page.all("model-row")) == 5)
    page.click("greet")
    page.find("greeted")


def starters(page: Page) -> None:
    page.click("new-prompt")
    page.fill("new-name", "found bag")
    page.click("starter-collect")


def talk(page: Page) -> None:
    """A talk of two turns, replayed after an edit of the prompt."""
    starters(page)
    page.click("create")
    page.until(lambda: "lost something" in page.find("input-message").get_attribute("value"))
    page.click("answer-button")
    page.until(lambda: len(page.all("answer")) == 2 and page.find("answer-button").is_enabled())
    page.fill("next-turn", "A blue umbrella, on the 9:40 this morning")
    page.find("next-turn").send_keys(Keys.ENTER)
    page.until(lambda: len(page.all("user-turn")) == 2 and page.find("replay").is_enabled())
    page.type_into("0-1", " Use their own words.")
    page.click("replay")
    page.until(lambda: page.find("replay").is_enabled() and page.all("before-after"))


def versions(page: Page) -> None:
    page.click("versions")
    page.find("compare")
    page.reads("version-2", "label is right")


def tools(page: Page) -> None:
    page.fill("arg-number", "4821")
    page.click("call")
    page.find("came")


def verdict(page: Page) -> None:
    page.until(lambda: len(page.all("reader-answer")) == 2)
    page.find("on-models")


def checks(page: Page) -> None:
    page.find("add-check").send_keys("promise")
    page.click("add-safety.promises")
    page.find("bench-text").send_keys(
        "Thank you! You will get your money back today, whatever the clerk says."
    )
    page.find("own-examples")
    page.until(lambda: "promises something" in page.texts("bench-answer")[0])


def judge(page: Page) -> None:
    page.click("check-judge.rubric")
    page.click("test-judge")
    page.find("known-answers")
    page.scroll_to("judge-trust")


def knowledge(page: Page) -> None:
    page.fill("question", "How much is a bicycle to Sandray and back?")
    page.until(lambda: len(page.all("hit")) > 3)


def scores(page: Page) -> None:
    page.until(lambda: len(page.all("reader-answer")) == 2)
    page.find("scores")
    page.scroll_to("scores")


def chain(page: Page) -> None:
    """A walk with a second round."""
    page.pick_case("walk-case", 13)
    for _ in range(6):
        page.click("begin-walk")
        page.reads("walk-status", "call")
        if len(page.all("bar")) > 8:
            break
    page.all("bar")[2].click()
    page.find("step-in-walk")


SHOTS: list[tuple[str, str, Callable[[Page], None]]] = [
    ("desk", "/", lambda page: page.reads("desk-sentence", "desk-reply")),
    ("draft", f"{PROMPT}/draft", draft),
    ("request", f"{PROMPT}/draft", request),
    ("chain", "/subjects/timetable-answer/draft", chain),
    ("tools", "/tools/booking", tools),
    ("versions", f"{PROMPT}/draft", versions),
    ("talk", "/", talk),
    ("cases", f"{PROMPT}/cases/6", case),
    ("bring-in", f"{PROMPT}/cases", bring_in),
    ("dialogue", "/subjects/lost-item/verdict/3?case=30", lambda page: page.find("talk-rows")),
    ("pair", "/subjects/fare-record/verdict/4?measure=0", lambda page: page.find("pair-rows")),
    ("verdict", f"{PROMPT}/verdict/1?measure=0&case=6", verdict),
    ("plan", f"{PROMPT}/trial?plan=1", plan),
    ("models", "/models/plover-judge", models),
    ("knowledge", "/knowledge/desk-handbook/fare-rules", knowledge),
    ("trial", f"{PROMPT}/trial?plan=1", started),
    ("checks", f"{PROMPT}/checks", checks),
    ("judge", "/subjects/desk-reply/checks", judge),
    ("scores", "/subjects/desk-reply/verdict/2?measure=0", scores),
]


def main(folder: Path) -> None:
    with tempfile.TemporaryDirectory() as scratch:
        epistem = EpistemProcess(Path(scratch) / "home", "demo").wait_until_up().wait_until_done()
        driver = start_chromium(Path(scratch) / "chromium")
        page = Page(driver, epistem.url)
        for name, path, prepare in SHOTS:
            page.go(path)
            prepare(page)
            driver.execute_script("document.activeElement && document.activeElement.blur()")
            driver.save_screenshot(str(folder / f"{name}.png"))
            print(f"  {name}.png")
        driver.quit()
        epistem.stop()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
