"""Nothing is lost: drafts, earlier versions, and one step back."""

from __future__ import annotations

import re

import pytest

from ember_web.plans.models import Draft, Plan
from tests.web.plans.test_plan import SENTENCE

pytestmark = pytest.mark.django_db
DRAFT, UNDO = "/k/hut/plan/draft/", "/k/hut/plan/undo/"


def keeper(page):
    """What a page sends to keep its sentence; nothing where it does not."""
    found = re.search(r'<form hidden\s+id="keeper".*?</form>', page, re.DOTALL)
    if found is None:
        return None
    pairs = re.findall(r'name="(\w+)"\s+value="([^"]*)"', found.group())
    return {k: v.replace("&amp;", "&").replace("&#x27;", "'") for k, v in pairs}


def saved(client, **more):
    """A plan that was saved."""
    assert client.post("/k/hut/plan/save/", SENTENCE | {"title": "ours"} | more).status_code == 302
    return Plan.objects.latest("id")


def test_a_changed_sentence_keeps_itself(kitchen, as_):
    """For its own cook, who is offered it again; another cook and another kitchen never see it."""
    cook = as_("cook")
    assert keeper(cook.get("/k/hut/plan/").content.decode()) is None
    sent = keeper(cook.get("/k/hut/plan/", SENTENCE | {"size_mm": "33"}).content.decode())
    assert cook.post(DRAFT, sent).status_code == 204
    again = cook.get("/k/hut/plan/").content.decode()
    assert "Not saved yet" in again
    link = re.search(r'href="/k/hut/plan/\?([^"]*)"[^>]*>\s*Resume draft', again).group(1).replace("&amp;", "&")
    assert re.search(r'name="size_mm"[^>]*value="33"', cook.get(f"/k/hut/plan/?{link}").content.decode())
    assert "Not saved yet" in cook.get("/k/hut/plan/list/").content.decode()
    assert "Not saved yet" not in as_("chef").get("/k/hut/plan/").content.decode()
    assert as_("viewer").post(DRAFT, sent).status_code == 403
    assert cook.post(DRAFT, {"drop": "1", "back": "1"}).status_code == 302
    assert not Draft.objects.exists()


def test_a_draft_of_an_egg_is_found_by_its_mass(kitchen, as_):
    """An egg's breadth is nobody's measure."""
    page = as_("cook").get("/k/hut/plan/", {"cut": "soft-egg", "mass_g": "58", "was": "soft-egg"}).content.decode()
    assert keeper(page)["words"].startswith("1 × soft egg in the shell, 58 g, ")


def test_a_draft_of_a_plan_ends_with_its_save(kitchen, as_):
    """By a save, by coming back to what is saved, and when somebody saves after it."""
    cook = as_("cook")
    plan = saved(cook)
    here = f"/k/hut/plan/{plan.public_id}/"

    def change():
        assert (
            cook.post(DRAFT, keeper(cook.get(here, SENTENCE | {"size_mm": "33"}).content.decode())).status_code == 204
        )
        assert "Not saved yet" in cook.get(here).content.decode()

    change()
    unchanged = keeper(cook.get(here, SENTENCE | {"title": "ours"}).content.decode())
    assert unchanged["drop"] == "1"
    cook.post(DRAFT, unchanged)
    assert not Draft.objects.exists()
    change()
    saved(cook, plan=plan.public_id, size_mm="33")
    assert not Draft.objects.exists()
    change()
    saved(as_("chef"), plan=plan.public_id, size_mm="20")
    assert "Not saved yet" not in cook.get(here).content.decode()


@pytest.mark.parametrize(
    "sent", [{"plan": "none"}, {"state": "x" * 4001}, {"state": "&".join("a=1" for _ in range(99))}]
)
def test_what_is_no_draft_is_refused(kitchen, as_, sent):
    """By name, and nothing is kept."""
    assert as_("cook").post(DRAFT, {"state": "cut=bavette", "words": "w", **sent}).status_code == 422
    assert not Draft.objects.exists()


def test_earlier_versions_come_back_and_none_is_lost(kitchen, as_):
    """A viewer sees them; a cook brings one back as the newest."""
    cook = as_("cook")
    plan = saved(cook)
    saved(cook, plan=plan.public_id, size_mm="33", title="thicker")
    page = as_("viewer").get(f"/k/hut/plan/{plan.public_id}/earlier/").content.decode()
    assert page.index("33") < page.index("28 mm")
    assert "Restore" not in page
    restore = f"/k/hut/plan/{plan.public_id}/restore/"
    assert as_("viewer").post(restore, {"number": "1"}).status_code == 403
    assert cook.post(restore, {"number": "1"}).status_code == 302
    plan.refresh_from_db()
    assert (plan.title, plan.document["piece"]["shape"]["thickness_mm"]) == ("ours", 28.0)
    assert [r.document["piece"]["shape"]["thickness_mm"] for r in plan.revisions.order_by("number")] == [
        28.0,
        33.0,
        28.0,
    ]
    for wrong in ("7", "x", ""):
        assert "no such version" in cook.post(restore, {"number": wrong}, follow=True).content.decode()


def test_undo_of_a_save(kitchen, as_):
    """A changed plan is as before; a new one is archived; it is offered once, on that plan."""
    cook = as_("cook")
    plan = saved(cook)
    other = saved(cook, title="other")
    assert "Undo: save" not in cook.get(f"/k/hut/plan/{plan.public_id}/").content.decode()
    assert "Undo: save" in cook.get(f"/k/hut/plan/{other.public_id}/").content.decode()
    cook.post(UNDO)
    other.refresh_from_db()
    assert other.archived_at is not None
    saved(cook, plan=plan.public_id, size_mm="33")
    cook.post(UNDO)
    plan.refresh_from_db()
    assert plan.document["piece"]["shape"]["thickness_mm"] == 28.0
    saved(cook, plan=plan.public_id, size_mm="33")
    saved(as_("chef"), plan=plan.public_id, size_mm="20")
    assert "Somebody saved this plan meanwhile" in cook.post(UNDO, follow=True).content.decode()
    plan.refresh_from_db()
    assert plan.document["piece"]["shape"]["thickness_mm"] == 20.0
    assert "nothing to undo" in cook.post(UNDO, follow=True).content.decode()


@pytest.mark.parametrize(
    ("do", "more"),
    [
        ("archive", {}),
        ("tag", {"tag": "Night"}),
        ("untag", {"tag": "day"}),
        ("duplicate", {}),
        ("serve", {"serve": "19:40"}),
    ],
)
def test_undo_of_what_was_done_to_several(kitchen, as_, do, more):
    """As it was before, with what some of them already had."""
    cook = as_("cook")
    plans = [saved(cook, title="one", serve="12:00"), saved(cook, title="two", serve="13:00")]
    Plan.objects.filter(pk=plans[0].pk).update(tags=["day", "night"])
    Plan.objects.filter(pk=plans[1].pk).update(tags=["day"])

    def state():
        rows = Plan.objects.filter(archived_at=None).order_by("title", "id")
        return [(p.title, sorted(p.tags), p.document["serve_at"]) for p in rows]

    before = state()
    cook.post("/k/hut/plan/arrange/", {"do": do, "plan": [p.public_id for p in plans], **more})
    assert state() != before
    assert "Undo" in cook.get("/k/hut/plan/list/").content.decode()
    assert cook.post(UNDO).status_code == 302
    assert state() == before


def test_while_it_is_dragged_only_the_plan_is_asked_for(kitchen, as_):
    """No forecast, no changes that would meet the rule, no draft: they wait for the value that is let go."""
    cook = as_("cook")
    asked = SENTENCE | {"cut": "chicken-breast", "way": "bath", "target_c": "60", "size_mm": "30"}
    held, let_go = (cook.get("/k/hut/plan/", asked | more).content.decode() for more in ({"live": "1"}, {}))
    assert keeper(held) is None
    assert keeper(let_go) is not None
    for later in ("/plan/forecast/", "/plan/to-meet/"):
        assert f'hx-get="/k/hut{later}' in let_go
        assert f'hx-get="/k/hut{later}' not in held
    assert "live" not in keeper(let_go)["state"]
