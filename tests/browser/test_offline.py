"""Without a network: the board opens, counts on, takes marks in two tabs, and each arrives once when the server is back."""

from __future__ import annotations

import time
from contextlib import closing

import pytest
from selenium.webdriver.common.by import By

from tests.browser.acting import on_the_line, signed_in, state_of

pytestmark = pytest.mark.browser
KEPT = "const done = arguments[0]; caches.keys().then(async (n) => done(n.length ? (await (await caches.open(n[0])).keys()).map((r) => new URL(r.url).pathname) : []))"


def test_the_board_opens_and_takes_marks_in_two_tabs(browser, site):
    """The server is killed; a reload and a second tab show the board; a mark of each is kept, and both arrive."""
    with (
        closing(signed_in(site, "grill")) as client,
        on_the_line(client, "Bavette for the late table", "Hake loin, hot oven") as (one, other),
    ):
        browser.sign_in(site, "grill")
        line = site.kitchen + "/line/"
        browser.get(line)
        browser.until(lambda: "/k/brackenfold-hut/line/" in browser.execute_async_script(KEPT))
        site.kill()
        try:
            browser.get(f"{line}#{one}")
            browser.until(lambda: "Turn and baste" in browser.text(".h-verb"))
            browser.until(lambda: "No connection" in browser.text("#link"))
            counted = browser.text(".h-count")
            browser.until(lambda: browser.text(".h-count") not in {"", counted})
            first = browser.current_window_handle
            browser.tap("#done")
            browser.until(lambda: browser.text(".h-verb") == "Pull")
            browser.switch_to.new_window("tab")
            browser.get(f"{line}#{other}")
            browser.until(lambda: "Hake" in browser.text(".h-piece"))
            browser.tap("#extend")
            browser.until(lambda: len(browser.marks()) == 2)
            browser.refresh()
            browser.until(lambda: "2 marks kept" in browser.text("#link"))
            browser.switch_to.window(first)
            browser.until(lambda: "2 marks kept" in browser.text("#link"))
        finally:
            site.start()
        browser.until(lambda: browser.marks() == [])
        cooks = {c["id"]: c for c in state_of(client)["cooks"]}
        assert cooks[one]["moves"][1]["done"] is not None
        assert len(cooks[one]["marks"]) == len(cooks[other]["marks"]) == 2  # the start and one more
        browser.until(lambda: browser.execute_script("return document.getElementById('link').hidden"))


def test_who_signs_out_leaves_nothing_behind(browser, site):
    """No page of the line is kept on the device."""
    with closing(signed_in(site, "grill")) as client, on_the_line(client, "Hake loin, hot oven"):
        browser.sign_in(site, "grill")
        browser.get(site.kitchen + "/line/")
        browser.until(lambda: "/k/brackenfold-hut/line/" in browser.execute_async_script(KEPT))
        browser.tap("form.out .leave")
        browser.until(lambda: "/line/" not in browser.current_url)
        browser.until(lambda: browser.execute_async_script(KEPT) == [])
        time.sleep(0.5)
        assert browser.find_elements(By.ID, "board") == []
