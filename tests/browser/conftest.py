"""A real server with the demo data, the simulated hub, and headless Chromium."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait
from tools import chromium

ROOT = Path(__file__).resolve().parents[2]


def free_port():
    """A free loopback port."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


class Site:
    """The application as it runs in production, on a database of its own."""

    def __init__(self, folder: Path, **more: str) -> None:
        self.folder = folder
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.kitchen = f"{self.address}/k/brackenfold-hut"
        # not EMBER_TEST: production settings, so that the shipped configuration is what is tested
        self.env = {k: v for k, v in os.environ.items() if k != "EMBER_TEST"} | {
            "EMBER_DB_NAME": f"browser_{self.port}", "EMBER_STATIC_ROOT": str(folder / "static"), **more,
        }  # fmt: skip
        self.server: subprocess.Popen | None = None
        self.hub: subprocess.Popen | None = None
        token = folder / "token"
        subprocess.run(
            [sys.executable, "-m", "ember_web.manage", "prepare", "--demo", "--hub-token-file", str(token)],
            env=self.env, check=True, timeout=120,
        )  # fmt: skip
        self.token = token.read_text()

    def launch(self, log):
        """The server's process."""
        proxies = self.env.get("EMBER_PROXIES")
        trusted = ["--proxy-headers", "--forwarded-allow-ips", proxies] if proxies else ["--no-proxy-headers"]
        return subprocess.Popen(
            [sys.executable, "-m", "uvicorn", "ember_web.config.asgi:application", "--host", "127.0.0.1", "--port", str(self.port),
             "--lifespan", "off", "--timeout-graceful-shutdown", "2", *trusted],
            env=self.env, stdout=log, stderr=log,
        )  # fmt: skip

    def start(self):
        """Start the server and wait until it answers."""
        with (self.folder / "server.log").open("ab") as log:
            self.server = self.launch(log)

        end = time.monotonic() + 120
        while time.monotonic() < end:
            try:
                if urllib.request.urlopen(self.address + "/healthz", timeout=2).status == 200:
                    return
            except OSError:
                time.sleep(0.2)
        raise AssertionError((self.folder / "server.log").read_text()[-3000:])

    def start_hub(self):
        """Start the simulated probe hub."""
        self.hub = subprocess.Popen(
            [sys.executable, "-m", "ember_sim.hub", "--url", self.address, "--token-file", str(self.folder / "token"), "--spool",
             str(self.folder / "spool.sqlite")],
            env=self.env,
        )  # fmt: skip

    def kill(self):
        """Kill the server, as a power cut would."""
        self.server.kill()
        self.server.wait()

    def stop(self):
        """Stop everything."""
        for process in (self.hub, self.server):
            if process is not None and process.poll() is None:
                process.terminate()
                process.wait(60)  # it ends after the step it is in


@pytest.fixture(scope="session")
def site():
    """One running site for all browser tests of a worker."""
    with tempfile.TemporaryDirectory() as folder:
        running = Site(Path(folder))
        try:
            running.start()
            running.start_hub()
            yield running
        finally:
            running.stop()


PATIENCE = 3  # waiting costs nothing where it is not needed


MARKS = """
const [put, done] = arguments;
const opened = indexedDB.open("ember-marks", 1);
opened.onsuccess = () => {
  const held = opened.result.transaction("waiting", "readwrite");
  const store = held.objectStore("waiting");
  const kitchen = document.getElementById("board").dataset.kitchen;
  for (const value of put) store.put({ id: value.id, kitchen, at: 0, value });
  const all = store.index("kitchen").getAll(kitchen);
  held.oncomplete = () => {
    opened.result.close();
    done(all.result.map((row) => row.value).sort((a, b) => a.occurred_at - b.occurred_at));
  };
};
"""


class Browser(webdriver.Chrome):
    """Chromium with a few short words."""

    def size(self, width, height):
        """Set the exact viewport."""
        self.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 500},
        )

    def one(self, css):
        """The first element, waited for."""
        return WebDriverWait(self, 60).until(lambda d: d.find_element(By.CSS_SELECTOR, css))

    def until(self, check, seconds=60):
        """Wait until ``check`` is true; on a busy machine for longer than the seconds it takes alone."""
        return WebDriverWait(self, PATIENCE * seconds, ignored_exceptions=[Exception]).until(lambda _d: check())

    def tap(self, css):
        """Click an element once it takes clicks; elements may be drawn anew at any moment."""
        self.until(lambda: self.find_element(By.CSS_SELECTOR, css).click() is None)

    def text(self, css):
        """Text of an element."""
        return self.execute_script("const e = document.querySelector(arguments[0]); return e ? e.textContent : ''", css)

    def marks(self, put=()):
        """The marks that wait in this browser, in their order, after some more were put in as another tab would."""
        return self.execute_async_script(MARKS, list(put))

    def finish(self):
        """End the cook that is shown, where moves are still open."""
        self.tap("#finish")
        self.tap("#ask-finish")
        self.until(lambda: "/log/" in self.current_url)

    def sign_in(self, site, name):
        """Sign in as a person of the demo."""
        self.get(site.address + "/sign-in/")
        self.one("[name=username]").send_keys(name)
        self.one("[name=password]").send_keys("brackenfold")
        self.tap("form.stack button")
        self.until(lambda: "/sign-in/" not in self.current_url)  # who has several kitchens chooses one


# what a browser logs when a server that was stopped on purpose does not answer: its own words, and htmx's
OF_THE_NETWORK = ("net::", "status of", "htmx:sendError", "htmx:sendAbort", "htmx:afterRequest")


def open_browser(folder, *, scripts=True):
    """A fresh Chromium."""
    options = chromium.options(folder)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    if not scripts:
        options.add_experimental_option("prefs", {"profile.managed_default_content_settings.javascript": 2})
    browser = Browser(options=options, service=chromium.service())
    browser.size(1280, 800)
    still = {
        "features": [{"name": "prefers-reduced-motion", "value": "reduce"}]
    }  # a page that scrolls by itself is at once there
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", still)
    return browser


@pytest.fixture
def browser(tmp_path):
    """Chromium with scripts; no script error may have been logged at the end."""
    opened = open_browser(tmp_path / "a")
    yield opened
    severe = [
        e["message"]
        for e in opened.get_log("browser")
        if e["level"] == "SEVERE" and not any(words in e["message"] for words in OF_THE_NETWORK)
    ]
    opened.quit()
    assert severe == []


@pytest.fixture
def second(tmp_path):
    """Another screen."""
    opened = open_browser(tmp_path / "b")
    yield opened
    opened.quit()


@pytest.fixture
def plain(tmp_path):
    """Chromium without scripts."""
    opened = open_browser(tmp_path / "c", scripts=False)
    yield opened
    opened.quit()
