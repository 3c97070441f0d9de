"""Something goes wrong unseen in the simulated kitchen, and the board asks: an oven's open door, two probes that were swapped."""

from __future__ import annotations

import pytest
from selenium.webdriver.common.by import By

from tests.browser.test_main_path import due, rate, start

pytestmark = pytest.mark.browser


def wrong(browser, site, name, kind, on=True):
    """Switch a fault."""
    browser.get(site.kitchen + "/line/simulation/")
    button = f'//input[@name="name"][@value="{name}"]/../input[@name="kind"][@value="{kind}"]/../button'
    browser.execute_script("arguments[0].click()", browser.find_element(By.XPATH, button))
    browser.until(lambda: (browser.find_element(By.XPATH, button).get_attribute("aria-pressed") == "true") is on)
    browser.get(site.kitchen + "/line/")


def finish_all(browser):
    """Nothing stays on the line for the tests that follow."""
    while browser.find_elements(By.ID, "finish"):
        browser.finish()
        browser.get(browser.current_url.split("/log/")[0] + "/line/")


def test_an_open_oven_is_asked_about(browser, site):
    """The thermometer falls; the board asks; it is so: the pull comes later, and the history says what was read."""
    browser.sign_in(site, "chef")
    start(browser, site, "hake 45mm", "p1", "Oven 2, lower")
    try:
        rate(browser, site, 10)
        browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, ".core-now"))
        wrong(browser, site, "oven-2", "door")
        browser.until(lambda: browser.find_elements(By.ID, "medium-so"), 60)
        assert "Oven 2, lower reads" in browser.text(".h-ask")
        before = due(browser)
        browser.tap("#medium-so")
        browser.until(lambda: not browser.find_elements(By.CSS_SELECTOR, ".h-ask"), 30)
        rate(browser, site, 1)
        browser.until(lambda: (due(browser) or 0) > before, 60)
        browser.tap("#open-sheet")
        browser.until(lambda: "heat is now" in browser.text("#sheet-body .sheet-history"))
        browser.execute_script("document.getElementById('sheet').close()")
    finally:
        wrong(browser, site, "oven-2", "door", on=False)
        rate(browser, site, 1)
        finish_all(browser)


def test_swapped_probes_are_asked_about(browser, site):
    """Two pieces in the bath of which one was begun later: their probes are swapped, and each board asks."""
    browser.sign_in(site, "chef")
    start(browser, site, "guinea fowl supreme", "p1")
    try:
        rate(browser, site, 60)
        browser.until(lambda: (browser.execute_script("return emberNow()") or 0) > 0)
        browser.until(lambda: "°" in browser.text(".core-now") and float(browser.text(".core-now").split()[0]) > 20, 60)
        rate(browser, site, 10)
        start(browser, site, "guinea fowl supreme", "p2")
        first = browser.execute_script("return emberNow()")
        browser.until(lambda: browser.execute_script("return emberNow()") > first + 150_000, 60)
        wrong(browser, site, "p1", "swapped")
        browser.until(lambda: "swapped" in browser.text("#hero"), 60)
        browser.tap("#open-sheet")
        browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, "#sheet-body [name=is][value=out]"))
        browser.tap("#sheet-body [name=is][value=out]")
        browser.until(lambda: "the probe is out of it" in browser.text("#sheet-body .sheet-history"))
        browser.execute_script("document.getElementById('sheet').close()")
        browser.until(lambda: "swapped" not in browser.text(".h-cue"), 30)
    finally:
        wrong(browser, site, "p1", "swapped", on=False)
        rate(browser, site, 1)
        finish_all(browser)
