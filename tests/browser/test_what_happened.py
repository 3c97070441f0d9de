"""What happens to a piece, on the board: checks by the sheet, a cooler heat, a pull too late, one that is not done and goes back."""

from __future__ import annotations

import time

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from tests.browser.test_main_path import due, rate, start

pytestmark = pytest.mark.browser


def sheet(browser):
    browser.tap("#open-sheet")
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, "#sheet-body .sheet-word"))


def said(browser, value):
    browser.tap(f'#sheet-body [name=said][value="{value}"]')
    browser.until(lambda: value.split("|")[1] in browser.text("#sheet-body .sheet-history"))


def closed(browser):
    browser.execute_script("window.confirm = () => true; document.getElementById('sheet').close()")


def test_checked_cooler_late_and_back(browser, site):
    """A steak without a probe: tester and cut answered on the sheet, its heat found lower, pulled late; then one pulled too soon, put back on."""
    browser.sign_in(site, "chef")
    start(browser, site, "bavette 28mm mr", probe="")
    first = due(browser)
    sheet(browser)
    browser.execute_script("document.querySelector('#sheet-body [name=width][value=trained]').click()")
    said(browser, "tester|cold")
    assert "still under" in browser.text("#sheet-body .sheet-word")
    browser.one("#sheet-body [name=medium_c]").send_keys("150")
    browser.tap("#sheet-body [name=kind][value=medium]")
    browser.until(lambda: "heat is now 150 °C" in browser.text("#sheet-body .sheet-history"))
    closed(browser)
    assert first is not None
    rate(browser, site, 60)
    browser.until(lambda: (due(browser) or 99) <= 0, 60)
    browser.tap("#done")
    browser.until(lambda: browser.text(".h-verb") == "Pull")
    browser.until(lambda: (due(browser) or 99) <= -240, 90)  # four minutes late
    rate(browser, site, 1)
    browser.until(lambda: "Off now" in browser.text(".h-cue"), 60)
    browser.tap("#done")
    browser.until(lambda: "It will reach" in browser.text(".h-cue"), 30)
    sheet(browser)
    said(browser, "cut|pink|0.45")
    assert browser.find_elements(By.CSS_SELECTOR, "#sheet-body .care")
    browser.tap("#sheet-body .sheet-history li:first-child button")  # taken back again
    browser.until(lambda: "pink" not in browser.text("#sheet-body .sheet-history"))
    closed(browser)
    browser.finish()


def test_cut_and_not_done_it_goes_back_on_a_phone(browser, site):
    browser.sign_in(site, "chef")
    browser.size(390, 844)
    start(browser, site, "bavette 28mm mr", probe="")
    for verb in ("Pull", "Serve"):  # turned and pulled at once: far too soon
        browser.tap("#done")
        browser.until(lambda v=verb: browser.text(".h-verb") == v)
        time.sleep(0.8)
    browser.until(lambda: "Back into the pan" in browser.text(".h-cue"), 30)
    sheet(browser)
    said(browser, browser.one('#sheet-body [name=said][value^="cut|raw|"]').get_attribute("value"))
    assert "still under" in browser.text("#sheet-body .sheet-word")
    browser.tap("#sheet-body [name=back] ~ button")
    browser.until(lambda: "/line/" in browser.current_url and browser.find_elements(By.ID, "open-sheet"))
    browser.until(lambda: browser.text(".h-verb") == "Pull" and due(browser) > 60, 20)  # once more
    sheet(browser)
    assert "put into pan" in browser.text("#sheet-body .sheet-history")
    closed(browser)
    browser.one("body").send_keys(Keys.ESCAPE)
    browser.finish()
