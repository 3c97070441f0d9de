"""The API's answers are typed: its published description is the served one, and every route says what it answers."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.web.conftest import TOKEN

PUBLISHED = Path(__file__).resolve().parents[2] / "docs" / "formats" / "openapi.json"
pytestmark = pytest.mark.django_db


def test_the_published_description_is_the_served_one(client):
    """Renewed by ``python -m tools.formats``."""
    served = client.get("/api/v1/openapi.json").json()
    assert json.loads(PUBLISHED.read_text()) == served


def test_every_route_says_what_it_answers():
    """A schema for 200, none of them empty."""
    described = json.loads(PUBLISHED.read_text())
    for path, methods in described["paths"].items():
        for method, route in methods.items():
            answer = route["responses"]["200"]["content"]["application/json"]["schema"]
            assert answer.get("$ref"), (path, method)


def test_answers_fit_their_schemas(kitchen, cook, client):
    """Nothing that was answered before is lost by the schema; a wrong body is answered with where and what to do."""
    headers = {"Authorization": f"Bearer {TOKEN}"}
    line = client.get("/api/v1/line", headers=headers).json()
    assert {"id", "probe", "plan", "started", "moves", "second", "parts", "devices"} <= set(line["cooks"][0])
    assert client.get("/api/v1/probes", headers=headers).json()["probes"]
    wrong = client.post(
        "/api/v1/readings", {"readings": [{"probe": "p1"}]}, content_type="application/json", headers=headers
    )
    assert (wrong.status_code, wrong.json()["error"]["code"]) == (422, "format")
