"""Typing faster than the plan answers: no key is lost, nothing is swapped in under a finger, tables and focus stay."""

from __future__ import annotations

import time
from urllib.parse import parse_qs, urlsplit

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

pytestmark = pytest.mark.browser


def typed(browser, keys, pause_s):
    """Keys, one at a time, to whatever has the focus."""
    for key in keys:
        ActionChains(browser, duration=0).send_keys(key).perform()
        time.sleep(pause_s)


def value(browser, name):
    """What a field of the sentence holds."""
    return browser.execute_script(f"return document.querySelector('#sentence [name={name}]').value")


def asked(browser):
    """What the address says was asked."""
    return {k: v[0] for k, v in parse_qs(urlsplit(browser.current_url).query).items()}


def settled(browser, **wanted):
    """Wait until the plan of what was typed is there."""
    browser.until(lambda: {k: asked(browser).get(k) for k in wanted} == wanted and not browser.find_elements(By.CSS_SELECTOR, ".htmx-request"))  # fmt: skip


def test_no_key_is_lost_between_two_fields(browser, site):
    """33 in the thickness, Tab, 450 in the mass, Tab, 6 in the start: whenever the answers come, it is what was typed."""
    browser.sign_in(site, "grill")
    for pause_s in (0.0, 0.04, 0.1, 0.2, 0.35):
        browser.get(site.kitchen + "/plan/?cut=bavette")
        browser.execute_script("const f = document.querySelector('#sentence [name=size_mm]'); f.focus(); f.select();")
        typed(browser, ["3", "3", Keys.TAB, "4", "5", "0", Keys.TAB, "6", Keys.TAB], pause_s)
        settled(browser, size_mm="33", mass_g="450", start_c="6")
        assert [value(browser, n) for n in ("size_mm", "mass_g", "start_c")] == ["33", "450", "6"], pause_s


def test_a_field_is_not_replaced_while_it_is_typed_in(browser, site):
    """The answer to the first field comes in the middle of the second: text, caret and focus stay, and it is asked on leaving."""
    browser.sign_in(site, "grill")
    browser.get(site.kitchen + "/plan/?cut=bavette")
    browser.execute_script("const f = document.querySelector('#sentence [name=size_mm]'); f.focus(); f.select();")
    typed(browser, ["3", "1", Keys.TAB, "4", "5"], 0.0)
    settled(browser, size_mm="31")
    time.sleep(0.5)
    assert value(browser, "mass_g") == "45"
    assert browser.switch_to.active_element.get_attribute("name") == "mass_g"
    typed(browser, [Keys.ARROW_LEFT, "2"], 0.0)
    assert value(browser, "mass_g") == "425"
    typed(browser, [Keys.TAB], 0.0)
    settled(browser, size_mm="31", mass_g="425")


def test_typed_in_full_before_the_answer_and_left_after_it(browser, site):
    """The browser tells of no change then, for its field is a new one: it is asked all the same."""
    browser.sign_in(site, "grill")
    browser.get(site.kitchen + "/plan/?cut=bavette")
    browser.execute_script("const f = document.querySelector('#sentence [name=size_mm]'); f.focus(); f.select();")
    typed(browser, ["3", "2", Keys.TAB, "4", "6", "0"], 0.0)
    settled(browser, size_mm="32")
    time.sleep(0.5)
    typed(browser, [Keys.TAB], 0.0)
    settled(browser, size_mm="32", mass_g="460")
    assert value(browser, "mass_g") == "460"


def test_the_table_stays_open_and_the_focus_where_it_was(browser, site):
    """Over a doneness button, a temper button, a step back and a field."""
    browser.sign_in(site, "grill")
    browser.get(site.kitchen + "/plan/?cut=bavette")
    browser.execute_script("for (const d of document.querySelectorAll('#plan details')) d.open = true")
    many = browser.execute_script("return document.querySelectorAll('#plan details[open]').length")
    assert many >= 2
    for css, key, wanted in (
        ('.names [data-set="target_c"]', "target_c", None),
        ('[data-set="temper_min"][data-value="20"]', "temper_min", "20"),
    ):
        address = browser.current_url
        button = browser.find_element(By.CSS_SELECTOR, css)
        described = button.get_attribute("data-value")
        button.send_keys(Keys.ENTER)
        browser.until(lambda before=address: browser.current_url != before)
        time.sleep(0.4)
        assert wanted is None or asked(browser)[key] == wanted
        focus = browser.switch_to.active_element
        assert (focus.get_attribute("data-set"), focus.get_attribute("data-value")) == (key, described)
        assert browser.execute_script("return document.querySelectorAll('#plan details[open]').length") >= many - 1
    address = browser.current_url
    browser.find_element(By.CSS_SELECTOR, '[data-step="-1"]').send_keys(Keys.ENTER)
    browser.until(lambda: browser.current_url != address)
    time.sleep(0.4)
    assert browser.switch_to.active_element.get_attribute("data-step") in {"-1", "1"}


def test_a_choice_made_before_the_answer_is_not_lost(browser, site):
    """Another way chosen, and another doneness before its answer came: both hold."""
    browser.sign_in(site, "grill")
    browser.get(site.kitchen + "/plan/?cut=bavette")
    browser.execute_script(
        "const set = (n, v) => { const f = document.querySelector(`#sentence [name=${n}]`); f.value = v;"
        " f.dispatchEvent(new Event('change', {bubbles: true})); };"
        "set('size_mm', '30'); setTimeout(() => set('guests', 'susceptible'), 120); setTimeout(() => set('start_c', '7'), 180);"
    )
    settled(browser, size_mm="30", guests="susceptible", start_c="7")
    assert [value(browser, n) for n in ("size_mm", "guests", "start_c")] == ["30", "susceptible", "7"]


def test_eggs_keep_what_is_typed_too(browser, site):
    """Count, Tab, mass: the same on Eggs."""
    browser.sign_in(site, "morning")
    browser.get(site.kitchen + "/eggs/")
    browser.execute_script("const f = document.querySelector('.say [name=count]'); f.focus(); f.select();")
    typed(browser, ["1", "2", Keys.TAB], 0.05)
    browser.execute_script("const f = document.querySelector('.say [name=mass_g]'); f.focus(); f.select();")
    typed(browser, ["6", "3", Keys.TAB], 0.1)
    browser.until(lambda: asked(browser).get("count") == "12" and asked(browser).get("mass_g") == "63")
