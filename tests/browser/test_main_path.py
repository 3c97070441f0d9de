"""The main job in a real browser, against the real server, with the kitchen's clock running fast."""

from __future__ import annotations

import json
import statistics
import time
import urllib.request
import uuid

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from ember_core.formats import log as log_format
from ember_core.safety.measured import judge_log

pytestmark = pytest.mark.browser


def rate(browser, site, value):
    """Set the demo kitchen's clock."""
    if "/line/" not in browser.current_url:
        browser.get(site.kitchen + "/line/")
    browser.tap(f'.clock-form button[value="{value}"]')
    browser.until(
        lambda: (
            browser.find_element(By.CSS_SELECTOR, f'.clock-form button[value="{value}"]').get_attribute("aria-current")
            == "true"
        )
    )


def download(browser, url):
    """Fetch an address with the browser's session."""
    cookie = "; ".join(f"{c['name']}={c['value']}" for c in browser.get_cookies())
    return urllib.request.urlopen(urllib.request.Request(url, headers={"Cookie": cookie}), timeout=20).read().decode()


def start(browser, site, text, probe="p1", into=""):
    """Quick entry, save, start; ``into`` a piece of gear where there are several."""
    browser.get(site.kitchen + "/plan/")
    field = browser.one("#q")
    field.clear()
    field.send_keys(text + Keys.ENTER)
    browser.until(lambda: "Quick entry read in full" in browser.text("#plan"))
    browser.tap("#save")
    browser.until(lambda: browser.find_element(By.ID, "start"))
    Select(browser.one("[name=probe]")).select_by_value(probe)
    if into:
        Select(browser.one(".start [name=into]")).select_by_value(into)
    browser.tap("#start")
    browser.tap("#all-there")
    browser.until(lambda: "/line/" in browser.current_url and browser.find_element(By.ID, "done"))
    return browser.current_url


def due(browser):
    """Seconds to the hero's move, by the page's own clock."""
    return browser.execute_script(
        "const e = document.querySelector('.h-count'); return e && e.dataset.due ? (Number(e.dataset.due) - emberNow()) / 1000 : null"
    )


def test_from_quick_entry_to_the_judged_csv(browser, site):
    """Sign in → quick entry → change thickness → save → start → readings → turn → pull → rest → log → CSV."""
    browser.sign_in(site, "chef")
    browser.get(site.kitchen + "/plan/")
    browser.one("#q").send_keys("bavette 28mm mr 19:40" + Keys.ENTER)
    browser.until(lambda: "Quick entry read in full" in browser.text("#plan"))
    assert browser.text(".clock") == "19:32"  # eight minutes of rest before 19:40
    before = browser.text(".moves .m-time")
    browser.one(".say [name=size_mm]").send_keys(Keys.CONTROL + "a" + Keys.NULL + "22" + Keys.TAB)
    browser.until(lambda: browser.text(".moves .m-time") not in {"", before})
    assert "size_mm=22" in browser.current_url
    browser.until(lambda: "likely" in browser.text("#likely"))
    assert browser.find_element(By.CSS_SELECTOR, "#ribbon").get_attribute("d").startswith("M")
    browser.execute_script("document.getElementById('moment').focus()")
    at = browser.text("#r-time")
    browser.one("#moment").send_keys(Keys.ARROW_RIGHT)
    assert browser.text("#r-time") != at
    assert "at=" in browser.current_url
    browser.tap("#save")
    browser.until(lambda: browser.find_element(By.ID, "start"))
    Select(browser.one("[name=probe]")).select_by_value("p1")
    browser.tap("#start")
    browser.tap("#all-there")
    browser.until(lambda: browser.text(".h-verb") == "Turn and baste")
    rate(browser, site, 60)
    verbs = []
    for _ in range(3):
        browser.until(lambda: (due(browser) or 99) <= 1, 60)
        verbs.append(browser.text(".h-verb"))
        time.sleep(0.75)
        browser.tap("#done")
        browser.until(lambda: browser.text(".h-verb") not in {"", verbs[-1]})
    assert verbs == ["Turn and baste", "Pull", "Serve"]
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, ".h-spark .dot"))
    time.sleep(0.8)
    browser.tap("#done")
    browser.until(lambda: browser.current_url.endswith("/log/"))
    rate(browser, site, 1)
    browser.get(site.kitchen + "/log/")
    browser.tap("table a")
    browser.until(lambda: "readings" in browser.text(".record"))
    text = download(browser, browser.one("#csv").get_attribute("href"))
    log = log_format.loads(text)
    assert len(log.t_s) > 20
    assert max(log.core_c) > 30
    judged = judge_log(log, rules="us-food-code-2022", food="beef-lean", form="steak")
    assert judged["rule"]["profile"] == "us-food-code-2022"


def test_the_same_plan_without_scripts(plain, site):
    """Sign in, change the sentence by its form, save, start, do the moves and finish: no JavaScript."""
    plain.sign_in(site, "chef")
    plain.get(site.kitchen + "/plan/?cut=bavette&serve=19:40")
    assert plain.one("image").get_attribute("href").startswith("data:image/png")
    thickness = plain.one("[name=size_mm]")
    thickness.clear()
    thickness.send_keys("22")
    plain.tap("[name=go]")

    def shows(css, text):
        """Pages follow each other: what was found may be gone at the next look."""
        return plain.until(lambda: text in plain.find_element(By.CSS_SELECTOR, css).text)

    assert plain.until(lambda: "size_mm=22" in plain.current_url)
    assert plain.until(lambda: plain.find_element(By.CSS_SELECTOR, "[name=size_mm]").get_attribute("value") == "22")
    assert shows(".moves", "Pull")
    plain.tap("#save")
    plain.tap("#start")
    plain.tap("#all-there")
    assert shows("#rows", "Turn and baste")
    plain.tap('#rows button[value="move"]')
    assert shows("#rows", "Pull")
    plain.tap('#rows button[value="undo"]')
    assert shows("#rows", "Turn and baste")
    plain.tap('#rows button[value="finish"]')
    assert plain.until(lambda: "/log/" in plain.current_url)


def delays(browser, second, buttons):
    """Seconds from each press on one screen to its showing on the other, both stamped inside the pages."""
    browser.execute_script("addEventListener('click', () => { window.pressed = Date.now() }, true)")
    second.execute_script(
        "window.seen = []; new MutationObserver(() => seen.push([Date.now(), document.querySelector('#rows').textContent]))"
        ".observe(document.body, {subtree: true, childList: true, characterData: true})"
    )
    find = (
        "const hit = seen.find(([at, text]) => at >= arguments[0] && text.includes(arguments[1])); return hit && hit[0]"
    )
    found = []
    for button in buttons:
        before = browser.text(".h-verb")
        time.sleep(0.8)
        browser.tap(button)
        verb = browser.until(lambda before=before: (v := browser.text(".h-verb")) not in {"", before} and v)
        pressed = browser.execute_script("return pressed")
        found.append((second.until(lambda p=pressed, v=verb: second.execute_script(find, p, v)) - pressed) / 1000)
    return found


def test_two_screens_a_dead_server_and_marks_that_arrive_once(browser, second, site):
    """The second screen follows within 2 s; with the server killed marks are kept, also over a reload, and arrive once."""
    browser.sign_in(site, "chef")
    line = start(browser, site, "hake 32mm", probe="p2")
    second.sign_in(site, "viewer")
    second.get(line)
    second.until(lambda: "Hake loin" in second.text("#board"))
    mine = "Hake loin"
    browser.until(lambda: mine in browser.text("#hero"))
    assert statistics.median(delays(browser, second, ["#done", "#undo-button", "#done"])) < 2.0
    assert second.find_elements(By.ID, "done") == []
    site.kill()
    browser.until(lambda: "No connection" in browser.text("#link"))
    verb = browser.text(".h-verb")
    time.sleep(0.8)
    browser.tap("#extend")
    browser.tap("#done")
    browser.until(lambda: browser.text(".h-verb") != verb)
    kept = browser.marks()
    assert [e["kind"] for e in kept] == ["extend", "move"]
    site.start()
    browser.until(lambda: browser.marks() == [], 30)
    state = json.loads(download(browser, site.kitchen + "/line/state/"))
    hake = next(c for c in state["cooks"] if mine in c["title"])
    assert sum(m["done"] is not None for m in hake["moves"]) == 3
    done_at = hake["moves"][2]["done"]
    assert abs(done_at - kept[1]["occurred_at"]) < 2000  # the time it was done, not the time it arrived
    browser.refresh()
    browser.until(lambda: mine in browser.text("#board"))
    time.sleep(0.8)
    browser.tap("#done")
    browser.until(lambda: browser.current_url.endswith("/log/"))


def test_signed_out_line_keeps_its_queue_and_goes_on(browser, site):
    """The session ends: Line says so and keeps the mark; signed in again, the mark arrives; what is refused is shown until seen."""
    browser.sign_in(site, "grill")
    start(browser, site, "bavette 27mm mr", "p2")
    verb = browser.text(".h-verb")
    browser.delete_cookie("sessionid")
    time.sleep(0.8)
    browser.tap("#done")
    browser.until(lambda: "Signed out" in browser.text("#link") and "1 mark kept" in browser.text("#link"))
    assert browser.text(".h-verb") != verb  # shown as done all the same
    browser.tap("#link a")
    browser.one("[name=username]").send_keys("grill")
    browser.one("[name=password]").send_keys("brackenfold")
    browser.tap("form.stack button")
    browser.until(lambda: "/line/" in browser.current_url and browser.find_element(By.ID, "done"))
    browser.until(lambda: browser.marks() == [])
    state = json.loads(download(browser, site.kitchen + "/line/state/"))
    mine = next(c for c in state["cooks"] if c["title"].startswith("Bavette, 27"))
    assert mine["moves"][1]["done"] is not None
    # one that can never be taken, in front of a good one, holds up nothing
    browser.marks(
        {"id": str(uuid.uuid4()), "cook": mine["id"], "kind": "note", "occurred_at": now, "device": "t", "text": text}
        for now, text in ((round(1000 * time.time()), "bad \x00 text"), (round(1000 * time.time()) + 1, "good text"))
    )
    browser.refresh()
    browser.until(lambda: "null character" in browser.text("#refused"))
    browser.until(lambda: browser.marks() == [])
    browser.refresh()
    browser.until(lambda: "null character" in browser.text("#refused"))
    browser.tap("#refused-seen")
    assert browser.execute_script("return document.getElementById('refused').hidden")
    browser.until(lambda: browser.find_element(By.ID, "finish"))
    browser.tap(f"[id='{mine['id']}']")
    browser.finish()
