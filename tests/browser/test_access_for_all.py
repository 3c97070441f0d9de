"""Every page by axe-core's rules, by day and by night, at three sizes; nothing sticks out, and no other host is asked."""

from __future__ import annotations

from pathlib import Path

import pytest

pytestmark = pytest.mark.browser
AXE = (Path(__file__).parent / "vendor/axe-core/axe.min.js").read_text()
SIZES = ((1280, 800), (820, 1180), (390, 844))
RUN = """
const [rules, done] = [arguments[0], arguments[arguments.length - 1]];
axe.run(document, { resultTypes: ["violations"], ...(rules ? { runOnly: rules } : {}) }).then((found) =>
  done(found.violations.map((v) => [v.id, v.impact, v.nodes.map((n) => n.html.slice(0, 160) + " … " + (n.any[0] || n.all[0] || n.none[0] || {}).message)])),
);
"""
PLAN = "plan/?cut=bavette&size_mm=28&target_c=55&way=hot-pan-basted"
PAGES = (
    "line/", "line/pass/", "line/wall/", "line/handover/", "plan/", f"{PLAN}&size_mm=wide", f"{PLAN}&count=3&sizes=22+28+34", "plan/?cut=brisket-point", "plan/?cut=soft-egg",
    "plan/quick/?q=bavete+28mm+moon", "plan/schools/", "plan/times/?cut=bavette", "plan/what-if/", "plan/thumb/", "plan/thumb/?rule=4+min+a+side+to+medium&food=beef-lean",
    "plan/list/", "plan/list/?q=zzz", "plan/list/?archived=1", "plan/import/", "log/", "book/", "book/ways/", "book/time/",
    "book/cuts/bavette/", "book/ways/hot-pan-basted/", "book/change/way/hot-pan-basted/", "book/change/cut/bavette/", "book/import/", "book/foods/new/", "book/foods/", "book/doneness/", "book/rules/",
    "kitchen/", "preferences/", "eggs/", "eggs/?mass_g=3000",
    "eggs/breakfast/", "eggs/open/fried/", "eggs/open/custard/",
)  # fmt: skip


def faults(browser, rules=None):
    """What axe-core finds on the page that is shown, by some of its rules or all."""
    if not browser.execute_script("return 'axe' in window"):
        browser.execute_script(AXE)
    browser.set_script_timeout(60)
    return browser.execute_async_script(RUN, rules)


@pytest.mark.parametrize("size", SIZES, ids=lambda s: f"{s[0]}")
def test_pages(browser, site, size):
    """Signed in as a chef, who sees most."""
    browser.size(*size)
    wrong = []
    browser.get(f"{site.address}/sign-in/")
    wrong += [("sign-in", *f) for f in faults(browser)]
    browser.sign_in(site, "chef")
    for page in PAGES:
        browser.get(f"{site.kitchen}/{page}")
        browser.until(lambda: browser.execute_script("return document.readyState === 'complete'"))
        status = browser.execute_script("return performance.getEntriesByType('navigation')[0].responseStatus")
        assert status == 200, page
        assert browser.execute_script("return document.documentElement.scrollWidth") <= size[0], page
        hosts = browser.execute_script(
            "return performance.getEntriesByType('resource').map((e) => new URL(e.name).host)"
        )
        assert set(hosts) <= {f"127.0.0.1:{site.port}"}, page
        first = browser.execute_script("return document.documentElement.dataset.bsTheme")
        wrong += [(page, first, *f) for f in faults(browser)]
        other = "day" if first == "night" else "night"
        browser.execute_script("document.documentElement.dataset.bsTheme = arguments[0]", other)
        wrong += [
            (page, other, *f) for f in faults(browser, ["color-contrast", "link-in-text-block"])
        ]  # a mode is colours, nothing else
    assert browser.execute_script("return document.fonts.ready.then(() => document.fonts.check('16px Archivo'))")
    assert wrong == []
