"""What tests do to a running site beside their browsers."""

from __future__ import annotations

import re
import uuid
from contextlib import contextmanager

import httpx

LINE = "/k/brackenfold-hut/line/"


def signed_in(site, name):
    """A person of the demo, without a browser."""
    client = httpx.Client(base_url=site.address, trust_env=False, follow_redirects=True, timeout=60.0)
    client.get("/sign-in/")
    data = {"username": name, "password": "brackenfold", "csrfmiddlewaretoken": client.cookies["csrftoken"]}
    assert client.post("/sign-in/", data=data, headers={"Referer": site.address}).status_code == 200
    return client


def post(client, path, **what):
    """Send a form or JSON to the line."""
    headers = {"X-CSRFToken": client.cookies["csrftoken"], "Referer": str(client.base_url)}
    return client.post(LINE + path, headers=headers, **what)


def state_of(client):
    """The state document."""
    return client.get(f"{LINE}state/").json()


def mark(client, cook, kind, **more):
    """One event of a piece, now unless it is said."""
    event = {"id": str(uuid.uuid4()), "cook": cook, "kind": kind, "occurred_at": state_of(client)["now"], "device": "t"}
    answer = post(client, "events/", json={"events": [event | more]}).json()["answers"][0]
    assert answer["status"] == "taken", answer


@contextmanager
def on_the_line(client, *titles, probe=""):
    """Saved plans of the demo on the line, by their titles; the ids of their pieces. They are finished at the end."""
    listed = client.get("/k/brackenfold-hut/plan/list/").text
    before = {c["id"] for c in state_of(client)["cooks"]}
    ids = []
    try:
        for i, title in enumerate(titles):
            plan = re.search(rf'/plan/([\w-]+)/"[^>]*>\s*{re.escape(title)}\s*<', listed)[1]
            said = {
                "plan": plan,
                "probe": "" if i else probe,
                "station": "Grill",
                "all": "1",
                "event": str(uuid.uuid4()),
            }
            assert post(client, "start/", data=said).url.path == LINE
            (new,) = {c["id"] for c in state_of(client)["cooks"]} - before
            before.add(new)
            ids.append(new)
        yield ids
    finally:
        for cook in ids:
            if any(c["id"] == cook for c in state_of(client)["cooks"]):
                mark(client, cook, "finish")
