"""What a newcomer and a new kitchen's chef can do, scripted; each act of theirs is counted."""

from __future__ import annotations

import re
import time
import urllib.request

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

pytestmark = pytest.mark.browser


class Person:
    """Somebody at a browser, whose acts are counted: a field filled, a choice made, a button pressed."""

    def __init__(self, browser) -> None:
        self.browser, self.acts = browser, 0

    def fill(self, css, text, within=""):
        """Write into a field and leave it."""
        field = self.browser.one(f"{within} {css}".strip())
        field.clear()
        field.send_keys(text)
        self.acts += 1
        return field

    def change(self, css, text):
        """Write into a part of the sentence; all of the page answers."""
        before = self.browser.execute_script("return location.href")
        field = self.browser.one(css)
        field.send_keys(Keys.CONTROL + "a")
        field.send_keys(text + Keys.TAB)
        self.acts += 1
        self.browser.until(lambda: self.browser.execute_script("return location.href") != before)

    def choose(self, css, words, within=""):
        """Choose from a list."""
        Select(self.browser.one(f"{within} {css}".strip())).select_by_visible_text(words)
        self.acts += 1

    def press(self, css, within=""):
        """Press a button."""
        self.browser.tap(f"{within} {css}".strip())
        self.acts += 1


def fetch(browser, address):
    """What an address answers, with the browser's session."""
    cookie = "; ".join(f"{c['name']}={c['value']}" for c in browser.get_cookies())
    return urllib.request.urlopen(urllib.request.Request(address, headers={"Cookie": cookie}), timeout=60).read()


def took(browser, word):
    """How long answers took whose address has a word in it, s, as the browser measured them."""
    script = "return performance.getEntriesByType('resource').filter((e) => e.name.includes(arguments[0])).map((e) => e.duration)"
    return [ms / 1000 for ms in browser.execute_script(script, word)]


def test_a_newcomers_first_plan(browser, site):
    """A 26 mm cutlet for two hours from now in at most five acts from sign-in, the reason of the pull on the same screen."""
    browser.sign_in(site, "larder")
    new = Person(browser)
    browser.until(lambda: "1 / 5" in browser.text("#tour"))
    new.press("#tour [data-done]")
    browser.until(lambda: not browser.find_elements(By.ID, "tour"))
    before = browser.execute_script("return location.href")
    new.choose("[name=cut]", "veal cutlet")
    browser.until(lambda: browser.execute_script("return location.href") != before)
    new.change("[name=size_mm]", "26")
    hour = int(browser.text("time.now")[:2])
    serve = f"{(hour + 2) % 24:02d}:30"  # in time: that it is late stands above the moves
    new.change("[name=serve]", serve)
    assert new.acts <= 5
    browser.until(lambda: "coasts to" in browser.text(".moves, .right"))
    assert re.search(r"\d\d:\d\d", browser.text(".pull .clock"))
    assert serve in browser.text(".right")
    shown = browser.execute_script(
        "const box = [...document.querySelectorAll('.right *')].find((e) => !e.children.length && e.textContent.includes('coasts to')).getBoundingClientRect();"
        "return [box.top, box.bottom, innerHeight]"
    )
    assert 0 <= shown[0] < shown[1] <= shown[2], shown
    browser.get(site.kitchen + "/plan/")
    assert not browser.find_elements(By.ID, "tour")  # skipped is skipped
    # and typed short: one act
    field = browser.one("#q")
    field.send_keys("cutlet 26mm 19:30" + Keys.ENTER)
    browser.until(lambda: "Quick entry read in full" in browser.text("#plan"))
    assert "26" in browser.one("[name=size_mm]").get_attribute("value")


def test_a_new_kitchen_within_ten_minutes(browser, site):
    """A chef opens it, adds an oven that runs 8 °C low, edits a way and prints four cards."""
    browser.sign_in(site, "chef")
    chef = Person(browser)
    browser.get(site.kitchen + "/kitchen/")
    open_it = "form[action$='/kitchen/another/']"
    chef.fill("[name=name]", "Valley House", open_it)
    chef.fill("[name=altitude_m]", "420", open_it)
    chef.press("button", open_it)
    browser.until(lambda: browser.text("h1") == "Valley House")
    valley = browser.current_url.removesuffix("kitchen/")
    oven = "form.gear-row:has([name=pk][value=''])"
    chef.fill("[name=name]", "Old oven", oven)
    chef.fill("[name=true_offset_c]", "-8", oven)
    chef.press("button", oven)
    browser.until(lambda: "Saved: Old oven" in browser.text("#main"))
    browser.get(valley + "book/change/way/hot-oven/")
    chef.fill("[name=gains]", "Here with the door ajar at the end.")
    chef.press("[name=look]")
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, "#effect .effect-total"))
    chef.press("[name=keep]")
    browser.until(lambda: "Saved as version 2" in browser.text("#main"))
    for entry in ("hake 32mm oven 19:30", "bavette 28mm mr", "guinea fowl bath 63", "4 veal cutlets 20mm"):
        browser.get(valley + "plan/")
        chef.fill("#q", entry + Keys.ENTER)
        browser.until(lambda: "Quick entry read" in browser.text("#plan"))
        if "oven" in entry:
            chef.choose("[name=gear]", "Old oven")
            browser.until(lambda: "gear=Old" in browser.current_url)
            chef.change("[name=heat_c]", "190")
        chef.press("#save")
        browser.until(lambda: "Saved:" in browser.text("#main"))
    browser.get(valley + "plan/list/")
    ids = [e.get_attribute("value") for e in browser.find_elements(By.CSS_SELECTOR, "#bulk [name=plan]")]
    chef.acts += len(ids) + 1
    assert len(ids) == 4
    pdf = fetch(browser, f"{valley}plan/papers/?what=cards&paper=a5&" + "&".join(f"plan={i}" for i in ids))
    assert pdf.startswith(b"%PDF")
    hake = next(d for d in (fetch(browser, f"{valley}plan/{i}/file/").decode() for i in ids) if "Old oven" in d)
    assert '"medium_c": 182.0' in hake
    assert chef.acts < 60  # at ten seconds each, what a person takes


def test_what_if_on_the_picture(browser, site):
    """A grip is dragged: the plan follows while it is held, is entered once when let go, and steps back as one."""
    browser.sign_in(site, "grill")
    browser.get(site.kitchen + "/plan/")
    browser.until(lambda: "likely" in browser.text("#likely"))
    browser.execute_script("performance.clearResourceTimings()")
    steps = browser.execute_script("return history.length")
    grip = browser.one('[data-grip="target_c"]')
    hand = ActionChains(browser, duration=20)
    hand.move_to_element(grip).click_and_hold()
    for _ in range(12):
        hand.move_by_offset(0, -2).pause(0.06)
    hand.perform()
    browser.until(lambda: "medium" in browser.text(".eats") and "rare" not in browser.text(".eats"))
    time.sleep(0.8)  # the last answer
    while_held = browser.one("[name=target_c]").get_attribute("value")
    assert float(while_held) > 58
    assert browser.execute_script("return history.length") == steps
    ActionChains(browser).release().perform()
    browser.until(lambda: f"target_c={while_held}" in browser.current_url)
    browser.until(lambda: "likely" in browser.text("#likely"))
    assert browser.execute_script("return history.length") == steps + 1
    assert len(took(browser, "live=1")) >= 3
    assert took(browser, "/forecast/")
    browser.tap('[data-key="u"]')
    browser.until(lambda: browser.one("[name=target_c]").get_attribute("value") == "55")
    browser.tap('[data-key="U"]')
    browser.until(lambda: browser.one("[name=target_c]").get_attribute("value") == while_held)
    # by keys: the focus stays on the grip
    grip = browser.one('[data-grip="size_mm"]')
    browser.execute_script("arguments[0].focus()", grip)
    grip.send_keys(Keys.ARROW_UP)
    browser.until(lambda: browser.one("[name=size_mm]").get_attribute("value") == "28.5")
    browser.until(lambda: browser.execute_script("return document.activeElement.dataset.grip") == "size_mm")
    # what was changed keeps itself
    time.sleep(1.5)
    browser.get(site.kitchen + "/plan/")
    assert "28.5 mm" in browser.text(".drafted")


@pytest.mark.parametrize(("size", "part", "usual"), [((820, 1180), "target_c", "61"), ((390, 844), "size_mm", "22")])
def test_by_touch_a_number_is_changed_on_a_sheet(browser, site, size, part, usual):
    """No keyboard over the answer: steps of a thumb's size, the usual values, typing where it is wanted."""
    browser.execute_cdp_cmd("Emulation.setTouchEmulationEnabled", {"enabled": True, "maxTouchPoints": 5})
    browser.size(*size)
    browser.sign_in(site, "morning")
    browser.get(site.kitchen + "/plan/")

    def value():
        return browser.one(f"[name={part}]").get_attribute("value")

    first = float(browser.until(value))
    assert browser.one(f"[name={part}]").get_attribute("inputmode") == "none"
    browser.tap(f"[name={part}]")
    for _ in range(3):
        browser.tap("#stepper [data-by='1']")
    browser.until(lambda: float(value()) == first + 1.5 and f"{part}={first + 1.5:g}" in browser.current_url)
    box = browser.execute_script("return document.querySelector('#stepper [data-by]').getBoundingClientRect().toJSON()")
    assert min(box["width"], box["height"]) >= 56
    browser.tap(f"#stepper [data-value='{usual}']")
    browser.until(lambda: value() == usual and f"{part}={usual}" in browser.current_url)
    browser.tap("#stepper [data-type]")
    browser.until(lambda: browser.one(f"[name={part}]").get_attribute("inputmode") == "decimal")
    browser.switch_to.active_element.send_keys("57" + Keys.TAB)
    browser.until(lambda: value() == "57" and f"{part}=57" in browser.current_url)
    browser.tap("#show-keys")  # elsewhere: the sheet is gone
    assert browser.execute_script("return document.getElementById('stepper').hidden")
