"""Server-sent events against the real server."""

from __future__ import annotations

import json
import queue
import statistics
import threading
import time
import urllib.error
import urllib.request
from contextlib import closing

import httpx
import pytest

from tests.browser.acting import on_the_line, signed_in

pytestmark = pytest.mark.browser


LAST = ",6.25]"  # the last reading of the test


@pytest.fixture
def piece(site):
    """One piece with a probe on the line: a client who may mark, and the piece's id."""
    with (
        closing(signed_in(site, "chef")) as client,
        on_the_line(client, "Bavette for the late table", probe="p3") as (cook,),
    ):
        yield client, cook


def test_stream_tells_what_changed(site, piece):
    """The whole at the opening; within 2 s of a reading (median of three) that reading, and nothing else of what was there."""
    chef, cook = piece
    heard = queue.Queue()

    def listen():
        with (
            closing(signed_in(site, "viewer")) as client,
            client.stream("GET", "/k/brackenfold-hut/line/stream/") as reply,
        ):
            for line in reply.iter_lines():
                if line.startswith("data:"):
                    heard.put((time.monotonic(), json.loads(line[5:])))
                    if LAST in line:
                        return

    threading.Thread(target=listen, daemon=True).start()
    first = heard.get(timeout=60)[1]
    assert first["whole"]
    assert cook in first["ids"]
    page = chef.get("/k/brackenfold-hut/line/state/").json()
    delays, posted = [], []
    for number in range(3):
        at = page["now"] + number
        reading = {"probe": "p3", "boot": "stream", "sequence": at, "core_c": 4.25 + number, "at": iso(at)}
        request = urllib.request.Request(
            site.address + "/api/v1/readings",
            json.dumps({"readings": [reading]}).encode(),
            {"Authorization": f"Bearer {site.token}", "Content-Type": "application/json"},
        )
        sent = time.monotonic()
        answers = json.loads(urllib.request.urlopen(request, timeout=60).read())["answers"]
        posted.append(time.monotonic() - sent)
        assert answers[0]["status"] == "taken"
        while True:
            when, told = heard.get(timeout=60)
            mine = [c for c in told["cooks"] if c["id"] == cook and "lastReading" in c]
            if mine and mine[0]["lastReading"][1] == 4.25 + number:
                break
        assert not told["whole"]
        assert "trace" not in mine[0]
        delays.append(when - sent)
    assert statistics.median(delays) < 2 + 20 * statistics.median(posted)  # two seconds where a post takes none


def iso(milliseconds):
    """ISO time of an epoch."""
    from datetime import UTC, datetime

    return datetime.fromtimestamp(milliseconds / 1000, UTC).isoformat()


@pytest.mark.parametrize(("name", "status"), [("other-chef", 404), (None, 401)])
def test_stream_is_for_members(site, name, status):
    """Strangers and nobody hear nothing."""
    with closing(signed_in(site, name) if name else httpx.Client(base_url=site.address, trust_env=False)) as client:
        assert client.get("/k/brackenfold-hut/line/stream/").status_code == status


def test_the_api_describes_itself(site):
    """The schema is served without a token, the data are not."""
    described = json.loads(urllib.request.urlopen(site.address + "/api/v1/openapi.json", timeout=10).read())
    assert "/api/v1/readings" in described["paths"]
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(site.address + "/api/v1/probes", timeout=10)
    refused.value.close()
    assert refused.value.code == 401


def test_many_streams_leave_room_for_the_rest(site):
    """60 streams of one viewer: eight are heard, the others told to ask now and then; pages and marks go on; places come back."""
    with closing(signed_in(site, "viewer")) as viewer, closing(signed_in(site, "chef")) as chef:
        opened = []
        for _ in range(60):
            request = viewer.build_request("GET", "/k/brackenfold-hut/line/stream/")
            opened.append(viewer.send(request, stream=True))
        statuses = [r.status_code for r in opened]
        assert statuses.count(200) == 8
        assert statuses.count(429) == 52
        assert all(r.headers["Retry-After"] for r in opened if r.status_code == 429)
        for path in ("plan/", "line/state/", "log/", "book/") * 5:
            assert chef.get(f"/k/brackenfold-hut/{path}").status_code == 200
        for reply in opened:
            reply.close()
        end = time.monotonic() + 20
        while time.monotonic() < end:
            again = viewer.send(viewer.build_request("GET", "/k/brackenfold-hut/line/stream/"), stream=True)
            again.close()
            if again.status_code == 200:
                break
            time.sleep(0.2)
        assert again.status_code == 200
