"""The pass, the wall, the handover, the strip, and what is chosen at a start."""

from __future__ import annotations

import re

import pytest

from ember_core.entry.sentence import Sentence
from ember_web.kitchens.models import Equipment
from ember_web.line.adapters import state_of
from ember_web.line.media import start_choices
from ember_web.line.models import Cook
from ember_web.line.pages import promised_at
from ember_web.line.strip import MARK_WIDE, merged, strip_marks
from ember_web.tenancy.models import User
from tests.web.acting import member, save_plan, starting
from tests.web.line.test_line import event, send
from tests.web.line.test_truth import later


@pytest.mark.parametrize("page", ["pass", "wall", "handover"])
def test_every_view_names_the_next_move_and_its_time_without_scripts(kitchen, cook, as_, page):
    """For who may only look too."""
    text = as_("viewer").get(f"/k/hut/line/{page}/").content.decode()
    due = state_of(cook).moves[1].due
    local = kitchen.now().fromtimestamp(due, kitchen.tz).strftime("%H:%M")
    shown = re.sub(r"<[^>]+>|\s+", " ", text)
    assert cook.title in shown
    assert "Turn and baste" in shown
    assert local in shown
    assert as_("stranger" if User.objects.filter(username="stranger").exists() else None).get(
        f"/k/hut/line/{page}/"
    ).status_code in {302, 404}


@pytest.mark.parametrize("page", ["pass", "wall", "handover"])
def test_an_empty_line_says_so(kitchen, as_, page):
    assert "Nothing on heat" in as_("viewer").get(f"/k/hut/line/{page}/").content.decode()


def test_a_handover_says_whose_it_is_what_was_done_and_what_was_promised(kitchen, as_):
    """Also notes, but none that was taken back."""
    document = Sentence.for_cut("bavette", altitude_m=1850.0).document() | {"serve_at": "2026-12-02T19:40"}
    plan = save_plan(kitchen, User.objects.get(username="chef"), document)
    cook = starting.start_cook(member(kitchen, User.objects.get(username="cook")), starting.StartCook(plan.public_id))
    assert promised_at(cook).astimezone(kitchen.tz).strftime("%H:%M") == "19:40"
    client = as_("cook")
    taken_back = event(kitchen, cook, "note", text="for table 9")
    send(client, event(kitchen, cook, "note", text="for <b>table 4</b>"), taken_back)
    send(client, event(kitchen, cook, "undo", supersedes=taken_back["id"]))
    later(kitchen, minutes=3)
    send(client, event(kitchen, cook, move="m1"))
    text = as_("viewer").get("/k/hut/line/handover/").content.decode()
    shown = re.sub(r"\s+", " ", text)
    assert "started by cook" in shown
    assert "Turn and baste" in shown.split("last move")[1].split("next")[0]
    assert "Pull" in shown.split("handover-next")[1][:200]
    assert "19:40" in shown
    assert "for &lt;b&gt;table 4&lt;/b&gt;" in shown
    assert "table 9" not in shown


def test_marks_of_one_moment_are_one_mark():
    """As wide as a finger at the narrowest the strip is drawn; it names all of them, in their order."""
    moves = [{"left": x, "verb": f"v{i}"} for i, x in enumerate((4.0, 4.0, 5.9, 6.4, 9.0, 40.0))]
    found = merged(moves)
    assert [m["left"] for m in found] == [4.0, 6.4, 9.0, 40.0]
    assert [m["more"] for m in found] == [2, 0, 0, 0]
    assert [m["verb"] for m in found[0]["moves"]] == ["v0", "v1", "v2"]
    assert MARK_WIDE / 100.0 * 1060 >= 24.0
    assert merged([]) == []


def test_all_that_is_late_is_one_mark(kitchen, cook, as_):
    """With how many in its words, and in the count."""
    later(kitchen, minutes=40)
    strip = strip_marks(kitchen, kitchen.now())
    assert strip["earlier"] == len(strip["marks"][0]["moves"]) == 3
    assert strip["marks"][0]["ahead"] < 0
    text = as_("viewer").get("/k/hut/line/strip/").content.decode()
    assert "3 late" in text
    assert "Serve" in text


def test_what_was_chosen_at_a_start_is_offered_the_next_time(kitchen):
    """The station, and of several ovens the one it was in; of another plan nothing."""
    for name in ("Oven 1", "Oven 2", "Oven 3"):
        Equipment.objects.create(kitchen=kitchen, kind="oven", name=name)
    chef = User.objects.get(username="chef")
    first, other = (
        save_plan(kitchen, chef, Sentence.for_cut("hake-loin", altitude_m=1850.0).document()) for _ in range(2)
    )
    command = starting.StartCook(first.public_id, "Larder", gear=("Oven 2",))
    starting.start_cook(member(kitchen, chef), command)

    def offered(plan):
        found = start_choices(kitchen, plan.pk, plan.document)
        return found.station, [(row["names"], row["last"]) for row in found.gear]

    ovens = ["Oven 1", "Oven 2", "Oven 3"]
    assert offered(first) == ("Larder", [(ovens, "Oven 2")])
    assert offered(other) == ("", [(ovens, "")])
    Equipment.objects.get(name="Oven 2").delete()
    assert offered(first) == ("Larder", [(["Oven 1", "Oven 3"], "")])


@pytest.mark.parametrize(
    ("said", "ago", "words"),
    [("", 0, ""), ("3", 180, ""), (" 2,5 ", 150, ""), ("720", 43200, ""), ("-1", 0, "0 to 720"), ("721", 0, "0 to 720"), ("soon", 0, "minutes, such as 3"), ("nan", 0, "minutes, such as 3"), ("1e999", 0, "minutes, such as 3")],
)  # fmt: skip
def test_what_is_on_heat_already_started_then(kitchen, plan, as_, said, ago, words):
    """Its moves count from there; what is no time is refused by name, and what was entered stays."""
    body = {"plan": plan.public_id, "station": "Grill", "all": "1", "since": said}
    reply = as_("cook").post("/k/hut/line/start/", body)
    if words:
        assert reply.status_code == 422
        assert words in reply.content.decode()
        assert f'value="{said}"' in reply.content.decode()
        assert not Cook.objects.exists()
        return
    assert reply.status_code == 302
    started = state_of(Cook.objects.get()).started
    assert started == pytest.approx(kitchen.now().timestamp() - ago, abs=5.0)
