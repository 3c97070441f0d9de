"""The main job in a language in which every word is changed, in °F, inches and ounces: nothing hangs on a word or a unit."""

from __future__ import annotations

import calendar
import os
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Site
from tests.browser.test_main_path import due, rate

pytestmark = pytest.mark.browser

LANGUAGE = "en-xa"  # the usual code of accented English
PLAIN = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
MARKED = "åƀçðéƒĝĥîĵķļɱñöþɋŕšţûṽŵẋýžÅƁÇÐÉƑĜĤÎĴĶĻṀÑÖÞɊŔŠŢÛṼŴẊÝŽ"
KEPT = re.compile(r"(\{[^{}]*\}|%\(\w+\)s|<[^>]*>|&\w+;)")

# what is no word of ours: proper names of rules and organisms, units, clauses
NAMES = {
    "Open", "Ember", "Food", "Code", "FSIS", "Appendix", "FSA", "FSANZ", "HACCP", "log10", "JSON", "CSV", "UTF", "FDA", "English",
    # Django's own catalogues have these
    *calendar.month_abbr, *calendar.month_name, *calendar.day_abbr, *calendar.day_name,
    "Bavette",  # the name of a plan, which its cook gave it
}  # fmt: skip

WORDS = """
const out = [];
const seen = (e) => e && e.getClientRects().length && !e.closest('[translate=no],script,style');
const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
while (walk.nextNode()) {
  const n = walk.currentNode;
  const e = n.parentElement;
  if (!e.closest('[translate=no]') && seen(e.tagName === 'OPTION' ? e.closest('select') : e)) out.push(n.data);
}
for (const e of document.querySelectorAll('[aria-label],[title],[placeholder]'))
  if (!e.closest('[translate=no]')) for (const a of ['aria-label', 'title', 'placeholder'])
    if (e.getAttribute(a)) out.push(e.getAttribute(a));
return out;
"""


def pseudo(text):
    """Every letter marked; fields, tags and entities as they are."""
    parts = KEPT.split(text)
    table = str.maketrans(PLAIN, MARKED)
    return "".join(p if i % 2 else p.translate(table) for i, p in enumerate(parts))


@pytest.fixture(scope="module")
def foreign():
    """A site that knows the language."""
    with tempfile.TemporaryDirectory() as folder:
        made = "from tools.catalogue import *; from tests.browser.test_pseudo_language import pseudo; import django, pathlib; "
        made += f"django.setup(); write(pathlib.Path({folder!r}) / 'locale', 'en_XA', pseudo)"
        env = os.environ | {"DJANGO_SETTINGS_MODULE": "ember_web.config.settings"}
        subprocess.run([sys.executable, "-c", made], env=env, check=True, timeout=60)
        running = Site(Path(folder), EMBER_LOCALE=str(Path(folder) / "locale"))
        try:
            running.start()
            running.start_hub()
            yield running
        finally:
            running.stop()


def english(browser):
    """Words on the page that were not changed."""
    found = set()
    for text in browser.execute_script(WORDS):
        found |= set(re.findall(r"[A-Za-z]{3,}\d*", text)) - NAMES
    return found


class Checked:
    """Looks at page after page, and gathers what is still in English."""

    def __init__(self, browser):
        self.browser, self.left = browser, {}

    def __call__(self, where):
        """Look at the page that is shown; what loads behind it gets a moment."""
        end = time.monotonic() + 5
        while (found := english(self.browser)) and time.monotonic() < end:
            time.sleep(0.2)
        page = self.browser.execute_script("return document.body.innerText")
        found |= set(re.findall(r"\d °C|\d mm\b|°C", page)) if where != "preferences" else set()
        if found:
            self.left[where] = found


def test_every_word_and_unit_changed(browser, foreign):
    """Sign-in, preferences, plan, line with the probe's pull, finish, record, book."""
    look = Checked(browser)
    browser.sign_in(foreign, "chef")
    browser.get(foreign.kitchen + "/preferences/")
    for name, value in (
        ("language", LANGUAGE),
        ("temperature", "F"),
        ("length", "in"),
        ("mass", "oz"),
        ("clock", "12"),
    ):
        Select(browser.one(f"[name={name}]")).select_by_value(value)
    browser.tap("#save")
    browser.until(lambda: browser.find_element(By.TAG_NAME, "html").get_attribute("lang") == LANGUAGE)
    look("preferences")

    browser.get(foreign.kitchen + "/plan/?cut=bavette")
    browser.until(lambda: "–" in browser.text("#likely"))
    assert browser.one("[name=size_mm]").get_attribute("value") == "1.1"  # 28 mm
    assert browser.one("[name=target_c]").get_attribute("value") == "131"
    assert "°F" in browser.text(".pull-core")
    size = browser.one(".say [name=size_mm]")
    size.send_keys(Keys.CONTROL + "a" + Keys.NULL + "0.90" + Keys.TAB)
    browser.until(lambda: "size_mm=0.90" in browser.current_url)
    browser.until(lambda: "–" in browser.text("#likely"))
    assert browser.one("[name=size_mm]").get_attribute("value") == "0.90"
    look("plan")
    browser.tap("#save")
    browser.until(lambda: browser.find_element(By.ID, "start"))
    browser.get(browser.current_url)  # as stored, and shown as it was entered
    assert browser.one("[name=size_mm]").get_attribute("value") == "0.90"
    look("saved plan")
    Select(browser.one("[name=probe]")).select_by_value("p1")
    browser.tap("#start")
    browser.tap("#all-there")

    browser.until(lambda: "/line/" in browser.current_url and browser.find_element(By.ID, "done"))
    look("line")
    rate(browser, foreign, 60)
    browser.until(lambda: "°F" in browser.text(".core-now"))
    browser.until(lambda: (due(browser) or 99) <= 1)
    browser.tap("#done")
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, ".h-learned"))  # the pull by the probe
    look("line with learning")
    for _ in range(2):
        verb = browser.text(".h-verb")
        time.sleep(0.8)
        browser.tap("#done")
        browser.until(lambda verb=verb: browser.text(".h-verb") not in {"", verb})
    time.sleep(0.8)
    browser.tap("#done")
    browser.until(lambda: browser.current_url.endswith("/log/"))
    look("log")
    browser.tap("table a")
    browser.until(lambda: browser.find_elements(By.CSS_SELECTOR, ".record .compare"))
    assert "°F" in browser.text(".pull")
    look("record")
    for place in (
        *(
            "book/",
            "book/ways/",
            "book/cuts/bavette/",
            "book/ways/hot-oven/",
            "book/doneness/",
            "book/foods/",
            "book/rules/",
        ),
        *(
            "book/foods/new/",
            "plan/list/",
            "plan/import/",
            "plan/schools/?cut=bavette",
            "plan/times/?cut=bavette",
            "plan/what-if/?cut=bavette",
            "kitchen/",
        ),
    ):
        browser.get(f"{foreign.kitchen}/{place}")
        look(place)
    browser.get(foreign.kitchen + "/plan/?cut=bavette&units=F-in-oz-qt-12&size_mm=99")
    assert pseudo("give at most").split()[0] in browser.text(".errors")
    look("an error")
    assert not look.left, "; ".join(f"{where}: {sorted(found)}" for where, found in look.left.items())
