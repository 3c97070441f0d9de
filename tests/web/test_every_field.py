"""Every field of every form of every page: emptied, doubled, absurd, in other alphabets, left out; never a 5xx.

``EMBER_FUZZ`` sends that many requests in place of the sample; what once failed is kept by name in :data:`KEPT`.
"""

from __future__ import annotations

import os
import random
from html.parser import HTMLParser
from urllib.parse import parse_qsl, urlencode, urlsplit

import pytest
from django.db import connection, transaction

from ember_web.line.models import Cook
from tests.web.line.test_line import event, send

pytestmark = pytest.mark.django_db
MANY = int(os.environ.get("EMBER_FUZZ", "330"))
ABSURD = (
    "", " ", "0", "-1", "-0.0001", "1e308", "1e-300", "99999999999999999999", "NaN", "inf", "١٢", "四十", "ⅷ", "½", "1,5", "1.2.3", "0x1F", "+7", "7_5",
    "a\x00b", "‮abc", "🍳" * 50, "x" * 5000, "<script>alert(1)</script>", "=cmd|' /C calc'!A0", "{{7*7}}", "../../etc/passwd", "'; --",
    "true", "null", "[]", "\r\nSet-Cookie: a=b", "25:99", "2026-02-30", "-", "\\", "%", "٣:٤٥", "１９：４０", "İ", "ß", "\u0301",
)  # fmt: skip
PAGES = (
    "plan/", "plan/?cut=bavette", "plan/?cut=guinea-fowl-whole&way=roast-hot", "plan/list/", "plan/import/", "plan/what-if/?cut=bavette", "plan/schools/?cut=bavette",
    "plan/thumb/", "plan/{plan}/", "plan/{plan}/earlier/", "eggs/", "eggs/?water=bath", "eggs/open/poached/", "eggs/open/omelette/", "eggs/open/scrambled/",
    "eggs/breakfast/", "line/", "line/{cook}/sheet/", "line/simulation/", "line/set-out/?plan={plan}", "log/", "log/{record}/", "book/", "book/ways/", "book/time/",
    "book/cuts/bavette/", "book/ways/bath/", "book/doneness/", "book/change/way/hot-pan-basted/", "book/change/cut/bavette/", "book/change/doneness/red-meat/",
    "book/import/", "book/foods/", "book/foods/new/", "book/rules/", "kitchen/", "kitchen/trail/", "preferences/",
)  # fmt: skip
PARTS = (
    "eggs/map/",
    "eggs/sizes/",
    "eggs/pairs/",
    "eggs/where/",
    "plan/forecast/",
    "plan/doubt/",
    "plan/to-meet/",
    "plan/papers/",
    "plan/quick/",
)
KEPT = (
    ("GET", "eggs/", {"mass_g": ""}),
    ("GET", "eggs/map/", {"mass_g": ""}),
    ("GET", "eggs/sizes/", {"mass_g": ""}),
    ("GET", "eggs/pairs/", {"mass_g": ""}),
    ("GET", "eggs/where/", {"mass_g": ""}),
    ("GET", "eggs/", {"species": "", "mass_g": "", "water": "bath", "heat_c": ""}),
    ("GET", "plan/{plan}/", {"cut": ""}),
    ("GET", "plan/{plan}/", {"cut": "", "way": "", "size_mm": ""}),
    ("GET", "plan/", {"cut": ""}),
    ("GET", "plan/{plan}/", {"cut": "0x1F"}),
    ("POST", "line/{cook}/do/", {"kind": "baste", "seconds": "-"}),
    ("POST", "line/{cook}/do/", {"kind": "door", "seconds": "٣:٤٥"}),
    ("GET", "plan/forecast/", {"plan": "{plan}", "cut": ""}),
)


class Forms(HTMLParser):
    """The forms of a page: method, action and fields with what they hold."""

    def __init__(self):
        super().__init__()
        self.forms = []
        self.select = None

    def handle_starttag(self, tag, attrs):
        """Collect."""
        a = dict(attrs)
        if tag == "form":
            self.forms.append((a.get("method", "get").upper(), a.get("action") or "", []))
        elif not self.forms:
            return
        elif tag in {"input", "textarea", "button"} and a.get("name"):
            kind = a.get("type", "")
            if kind not in {"checkbox", "radio"} or "checked" in a:
                self.forms[-1][2].append((a["name"], a.get("value") or ""))
        elif tag == "select":
            self.select = a.get("name")
            if self.select:
                self.forms[-1][2].append((self.select, ""))
        elif tag == "option" and self.select and ("selected" in a or self.forms[-1][2][-1][1] == ""):
            self.forms[-1][2][-1] = (self.select, a.get("value") or "")


def ids_of(kitchen, plan, as_):
    """What addresses are filled in with: a plan, a running cook, a record."""
    from ember_web.logbook.models import Record
    from ember_web.tenancy.models import User
    from tests.web.acting import start_cook

    person = User.objects.get(username="cook")
    done = start_cook(kitchen, person, plan)
    send(as_("cook"), event(kitchen, done, kind="finish"))
    running = start_cook(kitchen, person, plan)
    assert Cook.objects.filter(finished=False).get() == running
    return {"plan": plan.public_id, "cook": running.public_id, "record": Record.objects.get().public_id}


def fetched(client, method, address, pairs):
    """The status of one request, on rows that are left as they were."""
    with transaction.atomic():
        if method == "GET":
            path, _, query = address.partition("?")
            kept = [(k, v) for k, v in parse_qsl(query, keep_blank_values=True) if k not in dict(pairs)]
            reply = client.get(f"{path}?{urlencode([*kept, *pairs], errors='replace')}")
        else:
            body = urlencode(pairs, errors="replace")
            reply = client.post(address, body, content_type="application/x-www-form-urlencoded")
        transaction.set_rollback(True)
    connection.needs_rollback = False
    return reply.status_code


def changed(fields, name, value):
    """The fields with one of them emptied, doubled, changed (a text), or left out."""
    rest = [f for f in fields if f[0] != name]
    if value is None:
        return rest
    if value is Ellipsis:
        return [*fields, *[f for f in fields if f[0] == name]]
    return [*rest, (name, value)]


def test_every_field_of_every_form(kitchen, plan, as_):
    """A seeded sample of all pages' forms and fields, each broken in one way or two."""
    chef, ids = as_("chef"), ids_of(kitchen, plan, as_)
    forms = []
    for page in PAGES:
        address = f"/k/hut/{page.format(**ids)}"
        reply = chef.get(address)
        assert reply.status_code == 200, address
        parser = Forms()
        parser.feed(reply.content.decode())
        for method, action, fields in parser.forms:
            where = action or address
            if fields and not urlsplit(where).path.endswith("/sign-out/"):
                forms.append((method, where, [f for f in fields if f[0] != "csrfmiddlewaretoken"]))
    eggs = next(fields for _m, where, fields in forms if where.endswith("/eggs/"))
    plans = next(fields for _m, where, fields in forms if "/plan/" in where and any(n == "size_mm" for n, _ in fields))
    forms += [("GET", f"/k/hut/{part}", eggs if part.startswith("eggs") else plans) for part in PARTS]
    rng = random.Random(3412)  # noqa: S311 - test data
    failed = []
    for _ in range(MANY):
        method, where, fields = rng.choice(forms)
        sent = list(fields)
        for _again in range(rng.choice((1, 1, 2))):
            if sent:
                sent = changed(sent, rng.choice(sent)[0], rng.choice((*ABSURD, None, ...)))
        try:
            status = fetched(chef, method, where, sent)
        except Exception as error:
            status = repr(error)[:200]
        if not isinstance(status, int) or status >= 500:
            failed.append((method, where, sorted(set(sent) ^ set(fields)), status))
    assert failed == [], "\n".join(map(str, failed))


@pytest.mark.parametrize(("method", "page", "sent"), KEPT)
def test_what_once_failed(kitchen, plan, as_, method, page, sent):
    """Kept for good."""
    ids = ids_of(kitchen, plan, as_)
    pairs = [(k, v.format(**ids)) for k, v in sent.items()]
    assert fetched(as_("chef"), method, f"/k/hut/{page.format(**ids)}", pairs) < 500
