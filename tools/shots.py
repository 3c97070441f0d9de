"""Renews docs/screenshots from the demo data: ``./ember shots`` runs it against a throw-away demo."""

from __future__ import annotations

import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.expected_conditions import staleness_of
from selenium.webdriver.support.ui import Select, WebDriverWait

from tools import chromium

HERE = Path(__file__).resolve().parents[1] / "docs" / "screenshots"
WIDE, PHONE = (1280, 800), (390, 844)


class Camera:
    """A signed-in browser that takes pictures of exact size."""

    def __init__(self, address: str) -> None:
        self.address, self.kitchen = address, f"{address}/k/brackenfold-hut"
        self.profile = tempfile.TemporaryDirectory()
        self.page = webdriver.Chrome(options=chromium.options(self.profile.name), service=chromium.service())

    def size(self, size: tuple[int, int]) -> None:
        """Set the viewport."""
        metrics = {"width": size[0], "height": size[1], "deviceScaleFactor": 1, "mobile": size[0] < 500}
        self.page.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)

    def one(self, css: str):
        """The first element, waited for."""
        return WebDriverWait(self.page, 60).until(lambda d: d.find_element(By.CSS_SELECTOR, css))

    def take(self, name: str) -> None:
        """Save the picture."""
        self.page.execute_script("return document.fonts.ready.then(() => true)")
        time.sleep(1.2)
        HERE.mkdir(exist_ok=True)
        self.page.save_screenshot(str(HERE / f"{name}.png"))
        print(HERE / f"{name}.png")

    def start(self, title: str, station: str, probe: str, shot: str = "") -> None:
        """Start a saved plan of the demo; what it needs set out is taken as ``shot``."""
        self.page.get(f"{self.kitchen}/plan/list/")
        self.page.find_element(By.LINK_TEXT, title).click()
        field = self.one("[name=station]")
        field.clear()
        field.send_keys(station)
        if probe:
            Select(self.one("[name=probe]")).select_by_value(probe)
        else:
            Select(self.one("[name=probe]")).select_by_index(0)
        self.one("#start").click()
        everything = self.one("#all-there")
        if shot:
            self.take(shot)
        everything.click()
        WebDriverWait(self.page, 60).until(lambda d: d.current_url.endswith("/line/"))
        time.sleep(0.5)


def post_readings(camera: Camera, token: str, until_s: float) -> None:
    """Readings of probe 1 near the plan, so that the pictures do not wait for a simulated cook."""
    with httpx.Client(
        base_url=f"{camera.address}/api/v1", headers={"Authorization": f"Bearer {token}"}, trust_env=False
    ) as client:
        line = client.get("/line").json()
        cook = next(c for c in line["cooks"] if c["probe"] == "p1")
        from ember_sim.piece import Piece, stage_at

        piece, rows, at, sequence = Piece(cook["plan"], "shot"), [], float(cook["started"]), 0
        while at < min(float(line["now"]), cook["started"] + until_s):
            entered = [stage for since, stage in stage_at(cook["moves"], at)]
            piece.advance(5.0, entered[-1] if entered else None)
            at += 5.0
            moment = datetime.fromtimestamp(at, UTC).isoformat()
            rows.append({"probe": "p1", "boot": "shot", "sequence": sequence, "at": moment, "core_c": piece.core_c})
            sequence += 1
        client.post("/readings", json={"readings": rows}).raise_for_status()


def wait_kitchen(camera: Camera, seconds: float) -> None:
    """Let the kitchen's clock run fast for ``seconds`` of its time."""
    camera.page.get(f"{camera.kitchen}/line/")
    for rate, wait_s in ((60, seconds / 60.0), (1, 0.5)):
        button = camera.one(f'.clock-form button[value="{rate}"]')
        button.click()
        WebDriverWait(camera.page, 60).until(staleness_of(button))  # the page is the one with that rate
        time.sleep(wait_s)


def main(address: str, token_file: str) -> int:
    """Take every picture."""
    token = Path(token_file).read_text(encoding="utf-8").strip()
    c = Camera(address)
    try:
        c.size(WIDE)
        c.page.get(f"{address}/sign-in/")
        c.one("[name=username]").send_keys("chef")
        c.one("[name=password]").send_keys("brackenfold" + Keys.ENTER)
        c.one("#tour [data-done]").click()
        WebDriverWait(c.page, 20).until(lambda d: not d.find_elements(By.ID, "tour"))
        serve = (datetime.now(UTC) + timedelta(hours=2)).strftime("%H:40")
        c.page.get(f"{c.kitchen}/plan/?serve={serve}")
        c.take("plan")
        c.size(PHONE)
        c.take("plan-phone")
        c.size(WIDE)
        c.page.get(f"{c.kitchen}/plan/?cut=whole-guinea-fowl&serve={serve}")
        c.take("plan-bird")
        c.page.get(f"{c.kitchen}/eggs/?count=12&serve=07:30")
        c.one("[data-egg-map]")
        c.take("eggs")
        c.size(PHONE)
        c.page.get(f"{c.kitchen}/eggs/?count=12&yolk=syrupy&serve=07:30")
        c.take("eggs-phone")
        c.size(WIDE)
        c.page.get(f"{c.kitchen}/eggs/open/fried/?count=2&school=lidded")
        c.take("eggs-fried")
        c.page.get(f"{c.kitchen}/plan/list/")
        c.take("plans")
        c.page.get(f"{c.kitchen}/book/")
        c.take("book")
        c.page.get(f"{c.kitchen}/kitchen/")
        c.take("kitchen")
        c.page.get(f"{c.kitchen}/plan/schools/?cut=bavette&serve={serve}")
        c.take("schools")
        c.page.get(f"{c.kitchen}/plan/what-if/?cut=bavette&serve={serve}")
        c.take("what-if")
        c.page.get(f"{c.kitchen}/book/rules/")
        c.take("book-rules")
        c.start("Bavette for the late table", "Grill", "p1")
        c.start("Guinea fowl supreme, bath", "Bath", "")
        c.start("Hake loin, hot oven", "Oven", "")
        wait_kitchen(c, 118)
        c.page.find_elements(By.CSS_SELECTOR, ".row-card")[0].click() if "Bavette" not in c.one(
            ".h-piece"
        ).text else None
        time.sleep(0.8)
        c.one("#done").click()
        time.sleep(0.8)
        wait_kitchen(c, 150)
        post_readings(c, token, 1e9)
        c.page.get(f"{c.kitchen}/line/")
        # what the probe says about the pull is worked out beside the page
        WebDriverWait(c.page, 60).until(lambda d: d.find_elements(By.CSS_SELECTOR, ".h-learned"))
        c.take("line")
        c.one("#open-sheet").click()
        c.one("#sheet-body .sheet-word")
        c.take("line-sheet")
        c.one("#sheet-close").click()
        for view in ("pass", "handover"):
            c.page.get(f"{c.kitchen}/line/{view}/")
            c.take(f"line-{view}")
        c.page.get(f"{c.kitchen}/line/")
        c.size(PHONE)
        c.take("line-phone")
        c.size(WIDE)
        wait_kitchen(c, 90)
        for _ in range(3):
            for card in c.page.find_elements(By.CSS_SELECTOR, ".row-card"):
                if "Bavette" in card.text:
                    card.click()
                    break
            time.sleep(0.8)
            c.one("#done").click()
            time.sleep(1.2)
            if "/log/" in c.page.current_url:
                break
            wait_kitchen(c, 470 if c.one(".h-verb").text == "Serve" else 1)
            post_readings(c, token, 1e9)
            c.page.get(f"{c.kitchen}/line/")
            time.sleep(0.5)
        c.page.get(f"{c.kitchen}/log/")
        c.take("log")
        c.one("table a").click()
        c.one(".compare")
        c.take("record")
    finally:
        c.page.quit()
        c.profile.cleanup()
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:3]))
