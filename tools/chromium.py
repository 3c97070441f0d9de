"""How Chromium is started for pictures and for tests: headless, quiet, one pixel a pixel."""

from __future__ import annotations

from pathlib import Path

from selenium import webdriver

FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
    "--hide-scrollbars",
    "--force-device-scale-factor=1",
]


def options(profile: str | Path) -> webdriver.ChromeOptions:
    """Debian's Chromium with a profile of its own in a folder."""
    out = webdriver.ChromeOptions()
    out.binary_location = "/usr/bin/chromium"
    for flag in [*FLAGS, f"--user-data-dir={profile}"]:
        out.add_argument(flag)
    return out


def service() -> webdriver.ChromeService:
    """Debian's driver."""
    return webdriver.ChromeService("/usr/bin/chromedriver")
