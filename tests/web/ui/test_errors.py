"""What nobody foresaw in a view: the database away, a busy solver, two who did the same at once; by page, fragment and script."""

from __future__ import annotations

import logging

import pytest
from django.db import IntegrityError, InterfaceError, OperationalError

from ember_core.wording.message import say
from ember_web.book import pages
from ember_web.config.logs import ForeseenInOneLine
from ember_web.jobs.waiting import Busy
from ember_web.kitchens import kitchen_page

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize(
    ("error", "status", "says"),
    [
        (OperationalError("gone"), 503, "does not answer"),
        (InterfaceError("gone"), 503, "does not answer"),
        (Busy(say("Too much is being computed at once.")), 503, "Too much"),
        (IntegrityError("twice"), 409, "twice at once"),
        (RuntimeError("a secret of ours"), 500, "Something broke"),
    ],
)
def test_the_answer_fits_what_failed(kitchen, as_, monkeypatch, error, status, says):
    """A page that comes back by itself, a notice in the place for it, JSON for a script; a form is told to be sent again."""

    def fail(*_a, **_k):
        raise error

    monkeypatch.setattr(kitchen_page, "boiling_point", fail)
    monkeypatch.setattr(kitchen_page, "set_service", fail)
    client = as_("chef")
    client.raise_request_exception = False
    page = client.get("/k/hut/kitchen/")
    assert page.status_code == status
    assert says in page.content.decode()
    assert ('http-equiv="refresh"' in page.content.decode()) == (status == 503)
    assert ("Retry-After" in page) == (status == 503)
    fragment = client.get("/k/hut/kitchen/", headers={"HX-Request": "true"})
    assert (fragment.status_code, fragment["HX-Retarget"], fragment["HX-Reswap"]) == (status, "#notice", "textContent")
    script = client.get("/k/hut/kitchen/", headers={"Accept": "application/json"})
    assert says in script.json()["error"]["message"]
    form = client.post("/k/hut/kitchen/service/", {"name": "x", "begins": "10:00", "ends": "11:00"})
    assert form.status_code == status
    assert "refresh" not in form.content.decode()
    assert "Go back" in form.content.decode() or status == 409
    assert "secret" not in page.content.decode()


def test_a_busy_solver_on_a_page_of_the_book(kitchen, as_, monkeypatch):
    """503 with what to do, as everywhere."""

    def busy(*_a, **_k):
        raise Busy(say("Too much is being computed at once."))

    monkeypatch.setattr(pages.solver, "run", busy)
    monkeypatch.setattr(pages.solver, "each", busy)
    client = as_("cook")
    client.raise_request_exception = False
    for address in ("book/time/?minutes=25", "book/cuts/bavette/", "book/ways/bath/"):
        assert client.get(f"/k/hut/{address}").status_code in {200, 503}


@pytest.mark.parametrize(
    "page", ["plan/", "line/", "line/state/", "log/", "book/", "eggs/", "kitchen/", "preferences/", "plan/list/"]
)
def test_head_works(kitchen, as_, page):
    """Like GET without the body."""
    assert as_("chef").head(f"/k/hut/{page}").status_code == 200
    assert as_(None).head("/sign-in/").status_code == 200


def test_what_is_foreseen_is_logged_in_one_line():
    """And what is not, with all of it."""
    for error, whole in ((OperationalError("gone\nfar away"), False), (RuntimeError("new"), True)):
        record = logging.LogRecord(
            "django.request", logging.ERROR, "", 0, "%s: %s", ("Error", "/k/"), (type(error), error, None)
        )
        assert ForeseenInOneLine().filter(record)
        assert bool(record.exc_info) == whole
        assert "\n" not in record.getMessage()


def test_a_kitchen_is_opened_once(kitchen, as_):
    """The same form sent twice."""
    sent = {"name": "Lower Hut", "altitude_m": "3", "zone": "UTC"}
    assert as_("chef").post("/k/hut/kitchen/another/", sent).status_code == 302
    reply = as_("chef").post("/k/hut/kitchen/another/", sent)
    assert reply.status_code == 422
    assert "already" in reply.content.decode()
