"""Eggs in a real browser: twelve soft ones for half past seven on a phone, scrubbing, a point of the map, a poached one on the desk.

After the main path, which counts what is on its board.
"""

from __future__ import annotations

import time

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

pytestmark = pytest.mark.browser


def minutes(browser):
    """What the page shows, min."""
    m, s = browser.text(".egg-clock").split(":")
    return int(m) + int(s) / 60


def changed(browser, before):
    browser.until(lambda: browser.text(".egg-clock") not in {"", before})


def test_twelve_soft_eggs_for_half_past_seven_on_a_phone(browser, site):
    """From the place to the line by thumb: the count, the time, and Start; no slower than forty plain pages, about twenty seconds."""
    browser.sign_in(site, "morning")
    browser.size(390, 844)
    began = time.monotonic()
    browser.get(site.kitchen + "/line/")
    page_s = time.monotonic() - began
    began = time.monotonic()
    browser.find_element(By.LINK_TEXT, "Eggs").click()
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, ".egg-clock"))
    browser.one(".say [name=count]").send_keys(Keys.CONTROL + "a" + Keys.NULL + "12" + Keys.TAB)
    browser.until(lambda: "count=12" in browser.current_url)
    browser.one(".say [name=serve]").send_keys("7:30" + Keys.TAB)
    browser.until(lambda: "serve=" in browser.current_url and "07" in browser.text(".when"))
    browser.tap("#start")
    browser.tap("#all-there")
    browser.until(lambda: "/line/" in browser.current_url and browser.find_element(By.ID, "done"))
    assert time.monotonic() - began < 40.0 * max(page_s, 0.5)
    assert "12 ×" in browser.page_source
    assert "eggs, jammy" in browser.page_source
    browser.finish()  # the kitchen is left as it was found


def test_scrubbed_by_the_minute_and_chosen_on_the_map(browser, site):
    """A yolk by its word, a minute by the slider, a point of the map in a bath; back and forward stay in step."""
    browser.sign_in(site, "morning")
    browser.size(1280, 800)
    browser.get(site.kitchen + "/eggs/")
    jammy = browser.text(".egg-clock")
    browser.tap('[data-set="yolk"][data-value="dry"]')
    changed(browser, jammy)
    assert minutes(browser) > 9
    dry = browser.text(".egg-clock")
    browser.execute_script(
        "const r = document.querySelector('[data-scrub]'); r.value = 6; r.dispatchEvent(new Event('change', {bubbles: true}))"
    )
    changed(browser, dry)
    assert minutes(browser) == pytest.approx(6.0, abs=0.06)
    assert "minutes=6" in browser.current_url
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, "[data-egg-map] image"))
    browser.execute_script(
        "const box = document.querySelector('.map-frame').getBoundingClientRect();"
        "document.querySelector('.map-frame').dispatchEvent(new MouseEvent('click', {bubbles: true,"
        " clientX: box.left + box.width * 0.9, clientY: box.top + box.height * 0.7}))"
    )
    browser.until(lambda: "water=bath" in browser.current_url)
    browser.until(lambda: "temperature of the bath" in browser.text(".egg-map-holder"))
    assert minutes(browser) > 8
    browser.back()
    browser.until(lambda: "water=bath" not in browser.current_url)


def test_poached_on_the_desk(browser, site):
    browser.sign_in(site, "morning")
    browser.size(1280, 800)
    browser.get(site.kitchen + "/eggs/open/poached/")
    runny = browser.text(".egg-clock")
    browser.execute_script(
        "const s = document.querySelector('[name=yolk]'); s.value = 'jammy'; s.dispatchEvent(new Event('change', {bubbles: true}))"
    )
    changed(browser, runny)
    assert "As eaten: yolk jammy" in browser.text(".egg-lines")
    field = browser.one("[name=mass_g]")
    field.send_keys(Keys.CONTROL + "a" + Keys.NULL + "3000" + Keys.TAB)
    browser.until(lambda: "give at most" in browser.text("#eggs"))
    assert browser.one("[name=mass_g]").get_attribute("value") == "3000"
