"""Behind TLS, as docs/operations says: the haproxy of Debian with the example's own configuration, a certificate of its own."""

from __future__ import annotations

import json
import shutil
import ssl
import subprocess
import tempfile
import time
from contextlib import contextmanager
from pathlib import Path

import httpx
import pytest

from tests.browser.conftest import ROOT, Site, free_port

pytestmark = pytest.mark.browser
EXAMPLE = ROOT / "docs" / "operations" / "haproxy.cfg"
HAPROXY = shutil.which("haproxy") or "/usr/sbin/haproxy"


@contextmanager
def proxied(folder, site_port):
    """haproxy with the example's configuration, on other ports: its plain and its encrypted port."""
    pem, plain, secure = folder / "kitchen.pem", free_port(), free_port()
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost", "-addext",
         "subjectAltName=DNS:localhost", "-keyout", folder / "key.pem", "-out", folder / "cert.pem"],
        check=True, capture_output=True,
    )  # fmt: skip
    pem.write_text((folder / "cert.pem").read_text() + (folder / "key.pem").read_text())
    text = EXAMPLE.read_text()
    for written, here in (
        ("bind :80\n", f"bind 127.0.0.1:{plain}\n"),
        ("bind :443 ", f"bind 127.0.0.1:{secure} "),
        ("/etc/haproxy/kitchen.pem", str(pem)),
        ("127.0.0.1:8750", f"127.0.0.1:{site_port}"),
    ):
        assert written in text
        text = text.replace(written, here)
    (folder / "haproxy.cfg").write_text(text)
    process = subprocess.Popen([HAPROXY, "-db", "-f", folder / "haproxy.cfg"], stderr=subprocess.DEVNULL)
    try:
        yield plain, secure
    finally:
        process.terminate()
        process.wait(10)


@pytest.fixture(scope="module")
def behind():
    """A site behind the proxy: an address, the plain port, and a context that trusts its certificate."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        secure = {}
        site = Site(folder, EMBER_PROXIES="127.0.0.1", EMBER_HOSTS="localhost", EMBER_ORIGINS="https://localhost")
        with proxied(folder, site.port) as (plain, port):
            secure = f"https://localhost:{port}"
            site.env["EMBER_ORIGINS"] = secure
            try:
                site.start()
                trusted = ssl.create_default_context(cafile=str(folder / "cert.pem"))
                end = time.monotonic() + 30
                while time.monotonic() < end:
                    with httpx.Client(verify=trusted, trust_env=False) as client:
                        if client.get(f"{secure}/healthz").status_code == 200:
                            break
                    time.sleep(0.3)
                yield secure, plain, trusted
            finally:
                site.stop()


def test_sign_in_marks_and_streams_go_through(behind):
    """Cookies over TLS only, browsers told to stay, pages kept by no shared cache, and the stream is not held back."""
    secure, _plain, trusted = behind
    with httpx.Client(base_url=secure, verify=trusted, trust_env=False, follow_redirects=True, timeout=30) as client:
        client.get("/sign-in/")
        data = {"username": "grill", "password": "brackenfold", "csrfmiddlewaretoken": client.cookies["csrftoken"]}
        reply = client.post("/sign-in/", data=data, headers={"Referer": secure})
        assert reply.status_code == 200
        assert "/k/brackenfold-hut/" in str(reply.url)
        set_cookies = [h for r in reply.history for h in r.headers.get_list("set-cookie")]
        assert any(h.startswith("sessionid=") for h in set_cookies)
        assert all("Secure" in h for h in set_cookies)
        assert "max-age=31536000" in reply.headers["strict-transport-security"]
        assert reply.headers["cache-control"] == "private, no-cache"
        assert client.get("/k/brackenfold-hut/line/state/").headers["cache-control"] == "no-store"
        with client.stream("GET", "/k/brackenfold-hut/line/stream/") as stream:
            first = next(line for line in stream.iter_lines() if line.startswith("data:"))
            assert json.loads(first.removeprefix("data:"))["whole"] is True


def test_plain_requests_are_sent_to_tls(behind):
    """And a request under another name is refused."""
    secure, plain, trusted = behind
    with httpx.Client(verify=trusted, trust_env=False) as client:
        reply = client.get(f"http://localhost:{plain}/sign-in/")
        assert reply.status_code == 301
        assert reply.headers["location"].startswith("https://")
        assert client.get(f"{secure}/sign-in/", headers={"Host": "elsewhere.example"}).status_code == 400


def test_where_a_request_comes_from_is_the_proxys_word(behind):
    """Wrong passwords with made-up addresses are counted as what they are: one sender."""
    secure, _plain, trusted = behind
    with httpx.Client(base_url=secure, verify=trusted, trust_env=False, timeout=30) as client:
        client.get("/sign-in/")
        data = {"username": "larder", "password": "wrong", "csrfmiddlewaretoken": client.cookies["csrftoken"]}
        seen = [
            client.post(
                "/sign-in/", data=data, headers={"Referer": secure, "X-Forwarded-For": f"10.9.8.{i}"}
            ).status_code
            for i in range(9)
        ]
    assert seen[-1] == 429
