"""How quick the Draft screen is, in a real browser on a whole Epistem.

    python bench/draft.py [--presses 60] [--answers 30]

Key press: from the key to the request built anew and its tokens on the screen, in a prompt of 200 parts
and 60 KB. Beside it stands the same with a prompt of two short parts, since the machine bounds both.
First token: from the model server's sending it to its being on the screen; beside it stands how long a
plain HTTP client waits for it from the same server.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import statistics
import sys
import tempfile
import time
from pathlib import Path
from urllib.request import Request, urlopen

from aiohttp import web
from selenium import webdriver
from selenium.webdriver.common.keys import Keys

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.browser.making import Maker
from tests.browser.page import Page, start_chromium
from tests.kit.epistem import EpistemProcess
from tests.kit.servers import served

PARTS, KB = 200, 60
SENTENCE = "Keep to what the notice says of the pier, and name the sailing. "
WATCH_BUILT = """
window.taken = [];
const line = document.querySelector('[data-test=tokens-now]');
let pressed = 0;
addEventListener('keydown', (event) => { if (event.key.length === 1) pressed = performance.now(); }, true);
new MutationObserver(() => requestAnimationFrame(() => {
  if (pressed) window.taken.push(performance.now() - pressed);
  pressed = 0;
})).observe(line, {attributes: true, attributeFilter: ['data-built']});
"""
WATCH_FIRST = """
window.shown = [];
new MutationObserver(() => {
  const coming = document.querySelector('[data-test=coming]');
  if (coming && coming.textContent && !window.seen) {
    window.seen = true;
    requestAnimationFrame(() => window.shown.push(Date.now()));
  }
}).observe(document.body, {subtree: true, childList: true, characterData: true});
"""


def long_prompt() -> dict[str, object]:
    text = (SENTENCE * 20)[: KB * 1000 // PARTS]
    parts = [{"name": f"Rule {n}", "text": f"{n}. {text}"} for n in range(1, PARTS)]
    user = {"role": "user", "parts": [{"name": "Message", "text": "{{ message }}"}]}
    return {"messages": [{"role": "system", "parts": parts}, user]}


class TimedServer:
    """Streams an answer, and remembers when its first token was sent."""

    def __init__(self) -> None:
        self.sent: list[float] = []

    def app(self) -> web.Application:
        app = web.Application(client_max_size=10_000_000)
        app.router.add_post("/v1/chat/completions", self._answer)
        return app

    async def _answer(self, request: web.Request) -> web.StreamResponse:
        await request.read()
        response = web.StreamResponse(headers={"Content-Type": "text/event-stream"})
        await response.prepare(request)
        await asyncio.sleep(0.15)
        for at in range(6):
            if at == 0:
                self.sent.append(time.time() * 1000)
            choice = {
                "delta": {"content": f"word{at} "},
                "finish_reason": "stop" if at == 5 else None,
            }
            await response.write(f"data: {json.dumps({'choices': [choice]})}\n\n".encode())
            await asyncio.sleep(0.08)
        await response.write(b"data: [DONE]\n\n")
        return response


def key_presses(page: Page, driver: webdriver.Chrome, name: str, count: int) -> list[float]:
    """Milliseconds from each key to the request built anew on the screen."""
    page.go(f"/subjects/{name}/draft")
    page.find("sheet")
    page.fill("input-message", "hello")
    page.reads("tokens-now", "token")
    editor = page.editor("0-0")
    editor.click()
    editor.send_keys(Keys.CONTROL, Keys.END)
    driver.execute_script(WATCH_BUILT)
    for number in range(count):
        editor.send_keys("x" if number % 4 else " ")
        page.until(lambda n=number: driver.execute_script("return window.taken.length") > n)
        time.sleep(0.03 * (number % 5))  # not always at the same moment of keeping the draft
    return list(driver.execute_script("return window.taken"))


def first_tokens(
    page: Page, driver: webdriver.Chrome, server: TimedServer, count: int
) -> list[float]:
    """Milliseconds from the server's sending the first token to its being on the screen."""
    page.go("/subjects/short/draft")
    page.find("sheet")
    page.fill("input-message", "hello")
    while len(page.all("column")) > 1:
        page.click("remove-column")
    page.choose("column-model", "timed")
    driver.execute_script(WATCH_FIRST)
    server.sent.clear()
    for number in range(count):
        driver.execute_script("window.seen = false")
        page.click("answer-button")
        page.until(lambda n=number: driver.execute_script("return window.shown.length") > n)
        page.until(lambda: page.all("answer") and page.find("answer-button").is_enabled())
    shown = driver.execute_script("return window.shown")
    return [there - sent for there, sent in zip(shown, server.sent, strict=True)]


def plain_client(url: str, server: TimedServer, count: int) -> list[float]:
    """The same wait with nothing between."""
    server.sent.clear()
    got = []
    for _ in range(count):
        request = Request(f"{url}/v1/chat/completions", b"{}", {"Content-Type": "application/json"})
        with urlopen(request) as answer:
            answer.readline()
            got.append(time.time() * 1000)
            answer.read()
    return [there - sent for there, sent in zip(got, server.sent, strict=True)]


def told(values: list[float]) -> str:
    ordered = sorted(values)
    high = ordered[min(len(ordered) - 1, int(0.95 * len(ordered)))]
    return f"{statistics.median(ordered):.0f} ms in the median, {high:.0f} ms at the 95th of 100"


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawTextHelpFormatter
    )
    parser.add_argument("--presses", type=int, default=60)
    parser.add_argument("--answers", type=int, default=30)
    wanted = parser.parse_args()
    server = TimedServer()
    with tempfile.TemporaryDirectory() as scratch, served(server.app()) as url:
        epistem = EpistemProcess(Path(scratch) / "home", "up").wait_until_up()
        driver = start_chromium(Path(scratch) / "chromium")
        try:
            make = Maker(epistem.url)
            make.prompt("short", "Answer.")
            make.call("POST", "/subjects", {"name": "long"})
            make.draft("long", long_prompt())
            entry = {"address": url, "context_window": 10_000, "input_cents": 1, "output_cents": 1}
            make.call("PUT", "/models/timed", entry)
            page = Page(driver, epistem.url)
            short = key_presses(page, driver, "short", wanted.presses)
            long = key_presses(page, driver, "long", wanted.presses)
            print(f"key press, 2 short parts: {told(short)}")
            print(f"key press, {PARTS} parts and {KB} KB: {told(long)}")
            ratio = statistics.median(long) / statistics.median(short)
            print(f"key press, long / short: {ratio:.2f}")
            print(
                f"first token, on the screen: {told(first_tokens(page, driver, server, wanted.answers))}"
            )
            print(f"first token, plain client: {told(plain_client(url, server, wanted.answers))}")
        finally:
            driver.quit()
            epistem.stop()


if __name__ == "__main__":
    main()
