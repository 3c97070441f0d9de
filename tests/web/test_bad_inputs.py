"""Whatever is sent is taken or refused with words: no address ever answers 5xx, and a batch never falls with one of its events."""

from __future__ import annotations

import json
import random
import uuid

import pytest

from ember_core.errors import FormatError
from ember_core.formats.plan import loads, parse
from ember_core.formats.usable import DEEPEST, MOST_TEXT
from ember_web.line.models import Cook, Event, Reading
from tests.web.conftest import TOKEN
from tests.web.line.test_line import event, readings, send

pytestmark = pytest.mark.django_db


def nested(depth):
    """Lists in lists."""
    return json.loads("[" * depth + "]" * depth)


STRANGE = [
    "\x00", "a\x00b", "\ud800", "ab\udfffcd", "x" * 400_000, "\u202eabc", "🍳" * 300, "'; DROP TABLE line_event; --", "%00", "../../etc/passwd",
    "<script>alert(1)</script>", "{{ 7*7 }}", "NaN", "-inf", "1e999", "٣٤", "\r\nSet-Cookie: a=b", "", " ", "\\", "\ufeff", "null",
    None, True, -1, 0, 1e308, -9e13, 9e13, 253402300800000, 10**400, 2**63, 1.5, [], {}, [[]], ["\x00"], {"\x00": 1}, {"\ud800": "\ud800"}, nested(800),
]  # fmt: skip


def as_text(value):
    """As a form sends it."""
    text = value if isinstance(value, str) else json.dumps(value)
    return text.encode("utf-8", "replace").decode()


def event_fields():
    """One strange value in one field of an event: 200 and more events."""
    for key in ("id", "cook", "kind", "move", "text", "seconds", "supersedes", "occurred_at", "device"):
        for value in STRANGE:
            yield key, value


@pytest.mark.parametrize("kind", ["move", "note", "extend", "undo", "baste", "door"])
def test_strange_events_are_refused_one_by_one(kitchen, cook, as_, kind):
    """Each stands in a batch with a good one: that one is taken, and the strange one answered by its status."""
    client = as_("cook")
    for key, value in event_fields():
        good = event(kitchen, cook, "note", text="fine")
        answers = send(client, event(kitchen, cook, kind) | {key: value}, good)
        assert answers[0]["status"] in {"taken", "refused"}, (key, str(value)[:40])
        assert answers[0]["status"] == "taken" or answers[0]["message"]
        assert answers[1] == {"id": good["id"], "status": "taken"}
        if key == "kind" and value == "finish":
            break


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"text": "a\x00"}, "null character"), ({"text": "\ud83d"}, "surrogate"), ({"text": "x" * 501}, "shorten it to 500"),
        ({"occurred_at": -9e13}, "two days"), ({"device": "\ud800"}, "device"), ({"text": ["a"]}, "text must be text"),
    ],
)  # fmt: skip
def test_the_reason_names_the_field_and_the_remedy(kitchen, cook, as_, change, word):
    """Nothing is cut short or dropped in silence."""
    answer = send(as_("cook"), event(kitchen, cook, "note", text="n") | change)[0]
    assert answer["status"] == "refused"
    assert word in answer["message"]
    assert not Event.objects.filter(kind="note").exists()


def test_an_id_of_another_cooks_event_is_not_known(kitchen, plan, cook, as_):
    """The same id on another cook is refused by name: ``known`` would say that it is stored."""
    client = as_("cook")
    mark = event(kitchen, cook)
    assert send(client, mark)[0]["status"] == "taken"
    client.post("/k/hut/line/start/", {"plan": plan.public_id, "all": "1"})
    other = Cook.objects.exclude(pk=cook.pk).get()
    answer = send(client, mark | {"cook": other.public_id})[0]
    assert (answer["status"], answer["path"]) == ("refused", "id")
    assert other.events.filter(kind="move").count() == 0
    assert send(client, mark)[0]["status"] == "known"


def strange_plans(plan):
    """Strange values under own keys and under the plan's own."""
    for value in STRANGE:
        yield {**plan, "x-mine": value}
        yield {**plan, "title": value}
        yield {**plan, "piece": {**plan["piece"], "x-deep": {"a": [value]}}}
        yield {**plan, "kitchen": value}
        yield {**plan, "stages": value}
        yield {**plan, "piece": {**plan["piece"], "start_c": value}}


def test_strange_plan_files(kitchen, plan, as_):
    """Imported or refused with the place; never slow."""
    client = as_("cook")
    for document in strange_plans(plan.document):
        try:
            text = json.dumps(document)
        except RecursionError:
            continue
        reply = client.post("/k/hut/plan/import/", {"text": text})
        assert reply.status_code in {302, 422}, text[:80]
    for text in (
        "[" * 100_000,
        '{"a":' * 960 + "1" + "}" * 960,
        "\x00",
        '"\\ud800"',
        "9" * 500_000,
        '{"x-a":"' + "b" * 900_000 + '"}',
    ):
        assert client.post("/k/hut/plan/import/", {"text": text}).status_code == 422


@pytest.mark.parametrize(
    ("value", "code"),
    [
        (nested(DEEPEST + 3), "too-deep"), ("x" * (MOST_TEXT + 1), "text"), (["abc"] * 4000, "too-large"), ("a\x00", "text"),
        ({"\udc00": 1}, "text"), ([0] * 30_000, "too-large"),
    ],
)  # fmt: skip
def test_own_keys_have_bounds_too(plan, value, code):
    """What stands under an x- key is kept, so it must be storable: depth, length and characters are checked, by its place."""
    with pytest.raises(FormatError) as refused:
        parse({**plan.document, "x-mine": value})
    assert refused.value.code == code
    assert refused.value.path.startswith("/x-mine") or code == "too-large"
    assert loads(json.dumps({**plan.document, "x-mine": {"a": [1, "two"] * 50}})).document["x-mine"]["a"][1] == "two"


FORMS = {
    "/k/hut/plan/": ("cut", "size_mm", "start_c", "target_c", "way", "serve", "rules", "count", "mass_g", "food", "at", "was", "title"),
    "/k/hut/plan/quick/": ("q",), "/k/hut/plan/list/": ("q", "page"), "/k/hut/log/": ("q", "page"), "/k/hut/book/foods/": ("q",),
    "/k/hut/plan/schools/": ("cut", "size_mm", "ways", "heat_c", "minutes", "sizes", "temper_min", "plan"), "/k/hut/book/": ("q",),
    "/k/hut/plan/what-if/": ("across", "down", "by", "size_mm", "way"), "/k/hut/plan/thumb/": ("text", "food"), "/k/hut/plan/to-meet/": ("target_c",),
    "/k/hut/book/ways/": ("q", "gear"), "/k/hut/book/time/": ("minutes", "species", "gear"), "/k/hut/book/rules/": ("base",), "/k/hut/plan/forecast/": ("plan", "cut", "size_mm"),
}  # fmt: skip


@pytest.mark.parametrize("address", FORMS)
def test_strange_addresses(kitchen, plan, as_, address):
    """Every part of every address that takes one."""
    client = as_("chef")
    for key in FORMS[address]:
        for value in STRANGE[:22]:
            assert client.get(address, {key: as_text(value)[:3000]}).status_code < 500, (key, value[:40])


def test_random_bodies(kitchen, plan, cook, as_, client):
    """2,000 bodies made by breaking good ones: answered below 500, and what is answered as taken is stored."""
    rng = random.Random(1207)  # noqa: S311 - test data
    person = as_("cook")

    def broken(value):
        kind = rng.random()
        if isinstance(value, dict) and value and kind < 0.6:
            key = rng.choice(list(value))
            return {**value, key: broken(value[key])}
        if isinstance(value, list) and value and kind < 0.6:
            return [*value[:-1], broken(value[-1])]
        if kind < 0.65:
            return [value, value]
        return rng.choice(STRANGE)

    for i in range(2000):
        where = i % 3
        if where == 0:
            body = broken(
                {
                    "events": [
                        event(
                            kitchen,
                            cook,
                            rng.choice(["move", "note", "extend", "undo"]),
                            text="t",
                            supersedes=str(uuid.uuid4()),
                        )
                    ]
                }
            )
            reply = person.post("/k/hut/line/events/", json.dumps(body), content_type="application/json")
        elif where == 1:
            body = broken(
                {
                    "readings": [
                        {"probe": "p1", "boot": f"b{i}", "sequence": i, "at": kitchen.now().isoformat(), "core_c": 20.0}
                    ]
                }
            )
            reply = client.post(
                "/api/v1/readings", json.dumps(body), content_type="application/json", headers={"Authorization": f"Bearer {TOKEN}"}
            )  # fmt: skip
        else:
            text = json.dumps(broken(plan.document))
            cut = rng.randrange(len(text)) if rng.random() < 0.3 else len(text)
            reply = person.post("/k/hut/plan/import/", {"text": text[:cut]})
        assert reply.status_code < 500, body
        if where == 1 and reply.status_code == 200:
            for answer in reply.json()["answers"]:
                assert (
                    answer["status"] != "taken"
                    or Reading.objects.filter(boot_id=answer["boot"], sequence=answer["sequence"]).exists()
                )
    assert readings(client).status_code < 500
