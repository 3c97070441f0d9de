"""Keys, focus, what is said, and any width of the line."""

from __future__ import annotations

import time
from contextlib import closing

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.acting import mark, on_the_line, signed_in, state_of
from tests.browser.test_main_path import rate

pytestmark = pytest.mark.browser
SIZES = ((320, 640), (390, 844), (640, 400), (768, 1024), (820, 1180), (1280, 800))  # 640 × 400 is 1280 × 800 at 200 %
BIG = """
const [least, marks] = [arguments[0], [...document.querySelectorAll('.strip-mark, .board button:not(.plain), .board .row-card')]];
return marks.filter((e) => e.offsetParent).map((e) => [e.textContent.trim().slice(0, 30), e.getBoundingClientRect()])
  .filter(([, r]) => r.width < least || r.height < least).map(([t, r]) => [t, r.width, r.height]);
"""
LAPPED = """
const all = [...document.querySelectorAll('.strip-mark')].map((e) => e.getBoundingClientRect().left).sort((a, b) => a - b);
return all.slice(1).filter((x, i) => x - all[i] < 23.5);
"""
LATE = 12
TITLES = (
    *("Bavette for the late table", "Bavette, turned often", "Guinea fowl supreme, bath", "Hake loin, hot oven"),
    "Bavette straight from frozen",
)


def test_what_has_the_focus_stays_and_keys_do_it(browser, site):
    """Readings come every second; Enter on the page is *done*, on a button it is that button; each move is said once."""
    with (
        closing(signed_in(site, "grill")) as client,
        on_the_line(client, TITLES[0], TITLES[3], probe="p1") as (one, other),
    ):
        browser.sign_in(site, "chef")
        browser.get(f"{site.kitchen}/line/#{one}")
        browser.until(lambda: browser.text(".h-verb") == "Turn and baste")
        browser.execute_script("document.getElementById('ago40').focus(); window.node = document.activeElement")
        mark(client, one, "extend", seconds=60)
        mark(client, other, "note", text="window table")
        browser.until(lambda: any(len(c["readings"]) > 2 for c in state_of(client)["cooks"]))
        time.sleep(1.5)
        assert browser.execute_script("return document.activeElement === window.node && window.node.isConnected")
        browser.execute_script("document.activeElement.blur()")
        body = browser.find_element(By.TAG_NAME, "body")
        body.send_keys(Keys.ENTER)
        browser.until(lambda: browser.text(".h-verb") == "Pull")
        assert browser.title.startswith(("Turn", "Pull"))
        body.send_keys("u")
        browser.until(lambda: browser.text(".h-verb") == "Turn and baste")
        number = [c["id"] for c in state_of(client)["cooks"]].index(other) + 1
        body.send_keys(str(number))
        browser.until(lambda: "Hake" in browser.text(".h-piece"))
        body.send_keys("t")
        browser.until(lambda: browser.find_elements(By.ID, "ask-time"))
        field = browser.one("#ask-time")
        field.clear()
        field.send_keys("soon" + Keys.ENTER)
        browser.until(lambda: "twelve hours" in browser.text("#ask-wrong"))
        field.send_keys(Keys.ESCAPE)
        browser.until(lambda: not browser.find_elements(By.CSS_SELECTOR, "#ask[open]"))
        body.send_keys("c")
        browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, "#sheet[open] .sheet"))
        browser.one("#sheet").send_keys(Keys.ESCAPE)
    with closing(signed_in(site, "chef")) as client, on_the_line(client, TITLES[0]) as (one,):
        browser.get(f"{site.kitchen}/line/#{one}")
        browser.execute_script(
            "window.said = []; new MutationObserver(() => said.push(document.getElementById('news').textContent))"
            ".observe(document.getElementById('news'), {childList: true, characterData: true, subtree: true})"
        )
        rate(browser, site, 60)
        browser.get(f"{site.kitchen}/line/#{one}")
        browser.until(lambda: browser.title.startswith("Late:"))
        rate(browser, site, 1)
        browser.until(lambda: browser.find_elements(By.ID, "alarm-heard"))
        browser.tap("#alarm-heard")
        browser.until(lambda: not browser.find_elements(By.ID, "alarm-heard"))
        assert not browser.find_elements(By.CSS_SELECTOR, ".overdue-flash")


def test_any_width_with_twenty_pieces_that_are_late(browser, site):
    """Nothing sticks out, nothing is too small for a finger, marks of one moment are one; the strip comes after the page by keys."""
    with closing(signed_in(site, "chef")) as client, on_the_line(client, *TITLES * 4):
        browser.sign_in(site, "chef")
        wrong = []
        for late in (False, True):
            if late:
                browser.size(1280, 800)
                browser.get(f"{site.kitchen}/line/")
                rate(browser, site, 60)
                browser.until(lambda: int(browser.one(".strip-count.left").text.split()[0]) >= LATE)
                rate(browser, site, 1)
            for page in ("", "pass/", "wall/"):
                for size in SIZES:
                    browser.size(*size)
                    browser.get(f"{site.kitchen}/line/{page}")
                    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, "#board [data-due]"))
                    browser.until(lambda: browser.text("#board [data-due]"))
                    wide = browser.execute_script("return document.documentElement.scrollWidth")
                    wrong += [(page, size, late, "sticks out", wide)] if wide > size[0] else []
                    for name, found in (
                        ("on one another", browser.execute_script(LAPPED)),
                        ("small", browser.execute_script(BIG, 23.5)),
                    ):
                        wrong += [(page, size, late, name, found)] if found else []
        assert not wrong, "; ".join(map(str, wrong))
        order = browser.execute_script(
            "return document.querySelector('main').compareDocumentPosition(document.querySelector('.strip')) & 4"
        )
        assert order == 4
