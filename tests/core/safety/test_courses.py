"""What happens before and after a piece is cooked → findings, and whether it is still met; each limit at, below and above."""

from __future__ import annotations

import pytest

from tests.core.safety.histories import ANZ, FSIS, ROAST, UK, US, at, judged, stage

GROWTH = [
    # stages, corners → codes that must be there (level), and whether it is met
    ("come-up 6 h", [stage("bath", 420)], [(0, 10), (330, 17), (360, 54.35), (361, 75), (420, 75)], {}, True),
    ("come-up 6 h, lukewarm", [stage("bath", 420)], [(0, 10), (360, 54.35), (361, 75), (420, 75)], {}, False),
    ("come-up 6 h and a minute", [stage("bath", 420)], [(0, 10), (361, 54.35), (362, 75), (420, 75)], {"come-up": "stop"}, False),
    ("20 h at 40", [stage("bath", 1260)], [(0, 4), (5, 40), (1200, 40), (1210, 80), (1260, 80)], {"come-up": "stop"}, False),
    ("20 h at 5", [stage("chill", 1200), stage("bath", 60)], [(0, 5), (1200, 5), (1210, 80), (1260, 80)], {}, True),
    ("20 h at 9", [stage("chill", 1200), stage("bath", 60)], [(0, 9), (1200, 9), (1210, 80), (1260, 80)], {"raw-too-warm": "stop"}, False),
    ("4 h at 9", [stage("chill", 240), stage("bath", 60)], [(0, 9), (240, 9), (250, 80), (300, 80)], {}, True),
    ("4 h 1 at 9", [stage("chill", 241), stage("bath", 60)], [(0, 9), (241, 9), (250, 80), (301, 80)], {"raw-too-warm": "stop"}, False),
    ("raw, chilled at 20", [stage("chill", 1200), stage("bath", 60)], [(0, 20), (1200, 20), (1210, 80), (1260, 80)],
     {"come-up": "stop", "raw-too-warm": "stop"}, False),
    ("raw, chilled at 20 for 3 h", [stage("chill", 180), stage("bath", 240)], [(0, 20), (390, 20), (400, 80), (420, 80)], {"come-up": "stop"}, False),
    ("raw at 10 for 3 h, then 4 h up", [stage("chill", 180), stage("bath", 300)], [(0, 10), (180, 10), (400, 17), (430, 54.4), (440, 80), (480, 80)], {}, True),
    ("cooled to 39 in the room, then at 20", [stage("bath", 30), stage("rest", 60), stage("chill", 1200)],
     [(0, 4), (10, 75), (30, 75), (90, 39), (150, 20), (1290, 20)], {"cooling": "stop", "warm-after-cooking": "stop"}, False),
    ("cooled, kept and reheated", [stage("bath", 30), stage("chill", 600), stage("bath", 60), stage("rest", 200)],
     [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (385, 5), (630, 4), (660, 75), (690, 75), (700, 53), (890, 53)], {"reheating": "note"}, True),
    ("warm 4 h 2 after it was reheated", [stage("bath", 30), stage("chill", 600), stage("bath", 60), stage("rest", 260)],
     [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (385, 5), (630, 4), (660, 75), (690, 75), (691, 50), (950, 50)],
     {"warm-after-cooking": "stop"}, False),
    ("warm 3 h before and 3 h after a chill", [stage("bath", 30), stage("rest", 180), stage("chill", 600), stage("bath", 10), stage("rest", 180)],
     [(0, 4), (10, 75), (30, 75), (31, 57), (205, 57), (320, 21), (560, 5), (810, 4), (820, 50), (1000, 50)], {"cooling": "stop"}, False),
    ("two first heats, the second whole", [stage("bath", 40), stage("chill", 60), stage("bath", 30), stage("chill", 60), stage("bath", 5)],
     [(0, 4), (40, 40), (80, 4), (100, 4), (110, 75), (130, 75), (150, 4), (190, 4), (195, 20)], {"interrupted-cooking": "care"}, True),
    ("two first heats, met in the third", [stage("bath", 40), stage("chill", 60), stage("bath", 30), stage("chill", 60), stage("bath", 30)],
     [(0, 4), (40, 40), (80, 4), (100, 4), (130, 40), (170, 4), (190, 4), (200, 75), (220, 75)], {"interrupted-cooking": "care"}, True),
    ("warm 4 h after", [stage("bath", 30), stage("rest", 260)], [(0, 4), (10, 75), (30, 75), (31, 53), (270, 53), (270.1, 75), (290, 75)], {}, True),
    ("warm 4 h after, where it grows", [stage("bath", 30), stage("rest", 260)], [(0, 4), (10, 75), (30, 75), (31, 50), (270, 50), (270.1, 75), (290, 75)], {}, None),
    ("warm 4 h 2 after", [stage("bath", 30), stage("rest", 260)], [(0, 4), (10, 75), (30, 75), (31, 50), (273, 50), (273.1, 75), (290, 75)],
     {"warm-after-cooking": "stop"}, False),
    ("15 h in warm air", [stage("bath", 30), stage("rest", 900)], [(0, 4), (10, 75), (30, 75), (90, 25), (930, 25)], {"warm-after-cooking": "stop"}, False),
    ("hot for long", [stage("bath", 1500)], [(0, 4), (60, 75), (90, 54.5), (1500, 54.5)], {}, True),
    ("cooled in time", [stage("bath", 30), stage("chill", 400)], [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (385, 5), (430, 4)], {"cooling": "note"}, True),
    ("first step late", [stage("bath", 30), stage("chill", 400)], [(0, 4), (10, 75), (30, 75), (31, 57), (152, 21), (385, 5), (430, 4)], {"cooling": "stop"}, False),
    ("second step late", [stage("bath", 30), stage("chill", 400)], [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (393, 5), (430, 4)], {"cooling": "stop"}, False),
    ("a dip is no chill", [stage("bath", 30), stage("chill", 29)], [(0, 4), (10, 75), (30, 75), (59, 22)], {}, True),
    ("6 h and half a second", [stage("bath", 420)], [(0, 10), (360.01, 54.35), (361, 75), (420, 75)], {"come-up": "stop"}, False),
    ("4 h and half a second raw", [stage("chill", 240.01), stage("bath", 60)], [(0, 9), (240.01, 9), (250, 80), (300, 80)], {"raw-too-warm": "stop"}, False),
    ("4 h 12 s warm", [stage("bath", 30), stage("rest", 240.25)], [(0, 4), (10, 80), (30, 80), (30.01, 50), (270.25, 50)], {"warm-after-cooking": "stop"}, False),
    ("thawed 4 h above 5, to the second", [stage("thaw", 240), stage("bath", 60)], [(0, 5.1), (240, 5.1), (250, 75), (300, 75)], {}, True),
    ("thawed 4 h above 5 and 12 s", [stage("thaw", 240.2), stage("bath", 60)], [(0, 5.1), (240.2, 5.1), (250, 75), (300, 75)], {"thaw-too-warm": "stop"}, False),
    ("held for 20 s", [stage("bath", 30), stage("hold", 1 / 3)], [(0, 4), (10, 75), (31, 75)], {"holding-hot": "note"}, True),
    ("a hold between chill and reheating", [stage("bath", 30), stage("chill", 120), stage("hold", 10), stage("bath", 60)],
     [(0, 4), (10, 75), (30, 75), (40, 4), (150, 4), (160, 10), (180, 75), (220, 75)], {}, True),
    ("half an hour is a chill", [stage("bath", 30), stage("chill", 30)], [(0, 4), (10, 75), (30, 75), (60, 22)], {"cooling": "care"}, None),
    ("a rest between chill and second heat", [stage("bath", 61), stage("chill", 60), stage("rest", 5), stage("bath", 30)],
     [(0, 4), (61, 40), (100, 4), (126, 4), (135, 75), (156, 75)], {"interrupted-cooking": "stop"}, False),
    ("a first heat counts from its start", [stage("rest", 30), stage("bath", 50), stage("chill", 60), stage("bath", 30)],
     [(0, 4), (30, 4), (80, 40), (120, 4), (140, 4), (150, 75), (170, 75)], {"interrupted-cooking": "care"}, True),
    ("hot only once it is held", [stage("bath", 30), stage("chill", 120), stage("bath", 20), stage("hold", 60), stage("chill", 1)],
     [(0, 4), (10, 75), (30, 75), (40, 4), (150, 4), (170, 60), (180, 75), (230, 75), (231, 74)], {"reheating": "stop"}, False),
    ("thawed in 21.05 °C", [stage("thaw", 60, medium_c=21.05, variant="still-water"), stage("bath", 60)], [(0, -18), (60, 2), (70, 75), (120, 75)], {}, True),
    ("thawed at 5 °C for 5 h", [stage("thaw", 300), stage("bath", 60)], [(0, -18), (10, 5), (300, 5), (310, 75), (360, 75)], {}, True),
    ("a short chill to the end", [stage("bath", 30), stage("chill", 29)], [(0, 4), (10, 75), (30, 75), (59, 21)], {"cooling": "care"}, None),
    ("a dip to the end", [stage("bath", 30), stage("chill", 10)], [(0, 4), (10, 75), (30, 75), (40, 21)], {"cooling": "care"}, True),
    ("interrupted 60 min", [stage("bath", 60), stage("chill", 60), stage("bath", 30)], [(0, 4), (60, 40), (100, 4), (120, 4), (130, 75), (150, 75)],
     {"interrupted-cooking": "care"}, True),
    ("interrupted 61 min", [stage("bath", 61), stage("chill", 60), stage("bath", 30)], [(0, 4), (61, 40), (100, 4), (121, 4), (130, 75), (151, 75)],
     {"interrupted-cooking": "stop"}, False),
    ("reheated in 2 h for holding", [stage("bath", 30), stage("chill", 120), stage("bath", 130), stage("hold", 10)],
     [(0, 4), (10, 75), (30, 75), (40, 4), (150, 4), (269, 75), (290, 75)], {"reheating": "note"}, True),
    ("reheated too slowly", [stage("bath", 30), stage("chill", 120), stage("bath", 130), stage("hold", 10)],
     [(0, 4), (10, 75), (30, 75), (40, 4), (150, 4), (279, 75), (290, 75)], {"reheating": "stop"}, False),
    ("not hot enough to hold", [stage("bath", 30), stage("chill", 120), stage("bath", 130), stage("hold", 10)],
     [(0, 4), (10, 75), (30, 75), (40, 4), (150, 4), (200, 73), (290, 73)], {"reheating": "stop"}, False),
    ("reheated to serve", [stage("bath", 30), stage("chill", 120), stage("bath", 60)], [(0, 4), (10, 75), (30, 75), (40, 4), (150, 4), (200, 50), (210, 50)],
     {"reheating": "note"}, True),
    ("held at 57", [stage("bath", 30), stage("hold", 60)], [(0, 4), (10, 75), (30, 75), (31, 57), (90, 57)], {"holding-hot": "note"}, True),
    ("held at 56.9 for 1 h", [stage("bath", 30), stage("hold", 60)], [(0, 4), (10, 75), (30, 75), (31, 56.9), (90, 56.9)], {"holding-hot": "care"}, True),
    ("held at 50 for 5 h", [stage("bath", 30), stage("hold", 300)], [(0, 4), (10, 75), (30, 75), (31, 50), (330, 50)], {"holding-hot": "stop"}, False),
    ("thawed in warm water", [stage("thaw", 60, medium_c=21.1, variant="running-water"), stage("bath", 60)], [(0, -18), (60, 2), (70, 75), (120, 75)],
     {"thaw-water": "stop"}, False),
    ("thawed in 21 °C", [stage("thaw", 60, medium_c=21, variant="running-water"), stage("bath", 60)], [(0, -18), (60, 2), (70, 75), (120, 75)], {}, True),
    ("thawed 4 h above 5", [stage("thaw", 300), stage("bath", 60)], [(0, -18), (61, 5), (300, 5.2), (310, 75), (360, 75)], {}, True),
    ("thawed 4 h 1 above 5", [stage("thaw", 300), stage("bath", 60)], [(0, -18), (58, 5), (300, 5.2), (310, 75), (360, 75)], {"thaw-too-warm": "stop"}, False),
]  # fmt: skip


@pytest.mark.parametrize(("name", "stages", "corners", "codes", "met"), GROWTH, ids=[g[0] for g in GROWTH])
def test_the_course_of_a_cook(name, stages, corners, codes, met):
    """Food Code 2022 on chicken: what happens before and after the clause is met takes met away, or only says so."""
    state, rule, found = judged(stages, corners)
    assert codes.items() <= found.items()
    assert rule["met"] is met
    assert state == {True: "met", False: "stop", None: "open"}[met]
    assert met is False or "stop" not in found.values()


@pytest.mark.parametrize(("rules", "minutes", "level"), [(UK, 30, None), (UK, 30.4, "stop"), (US, 90, None)])
def test_chilling_begins_in_time(rules, minutes, level):
    """UK cook-chill: within 30 minutes of the heat; the Food Code has its own clock."""
    stages = [stage("bath", 30), stage("rest", minutes), stage("chill", 85)]
    corners = [(0, 4), (10, 75), (30, 75), (30 + minutes, 60), (60 + minutes, 3), (115 + minutes, 2)]
    assert judged(stages, corners, rules=rules)[2].get("begin-of-chilling") == level


@pytest.mark.parametrize(("hotter", "level"), [(0.0, "note"), (20.0, "stop")])
def test_the_hottest_place_cools_and_the_coldest_is_cooked(hotter, level):
    """Cooling is judged where it is warmest; cooking and holding where it is coldest."""
    stages = [stage("bath", 30), stage("chill", 400)]
    corners = [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (385, 5), (430, 4)]
    assert judged(stages, corners, hotter=hotter)[2]["cooling"] == level
    assert judged([stage("bath", 30)], at(73), hotter=5.0)[1]["met"] is False
    assert (
        judged([stage("bath", 30), stage("hold", 300)], [*at(75, 20), (31, 50), (330, 50)], hotter=20)[2]["holding-hot"]
        == "stop"
    )


@pytest.mark.parametrize(
    ("rules", "hours", "level"),
    [
        (US, 4.0, None),
        (US, 4.1, "stop"),
        (UK, 2.0, None),
        (UK, 2.1, "stop"),
        (FSIS, 6.0, None),
        (FSIS, 6.1, "stop"),
        (ANZ, 4.0, None),
        (ANZ, 4.1, "stop"),
    ],
)
def test_raw_food_out_of_the_cold(rules, hours, level):
    """Time as a control where the profile has it, else the come-up's limit; above the profile's own cold holding."""
    stages = [stage("rest", hours * 60), stage("bath", 30)]
    corners = [(0, 9.5), (hours * 60, 9.5), (hours * 60 + 5, 80), (hours * 60 + 30, 80)]
    assert judged(stages, corners, rules=rules)[2].get("raw-too-warm") == level
    cold = [(0, 4.4), (hours * 60, 4.4), *corners[2:]]
    assert "raw-too-warm" not in judged(stages, cold, rules=rules)[2]


@pytest.mark.parametrize(("rules", "minutes", "level"), [(UK, 120, None), (UK, 122, "stop"), (FSIS, 90, None), (FSIS, 92, "stop"), (ANZ, 240, None), (ANZ, 242, "stop")])  # fmt: skip
def test_warm_after_cooking_by_profile(rules, minutes, level):
    """UK 2 h, FSANZ 4 h, FSIS the first step of its cooling; a roast may stand at 54 °C under the Food Code."""
    stages = [stage("bath", 30), stage("rest", minutes)]
    corners = [(0, 4), (10, 80), (30, 80), (30.01, 50), (30 + minutes, 50)]
    assert judged(stages, corners, rules=rules)[2].get("warm-after-cooking") == level
    warm = [(0, 4), (10, 80), (30, 80), (31, 54.1), (400, 54.1)]
    kept = [
        judged([stage("bath", 30), stage("rest", 370)], warm, **what)[2].get("warm-after-cooking")
        for what in (ROAST, {"food": "beef-lean"})
    ]
    assert kept == [None, "stop"]


@pytest.mark.parametrize("rules", [FSIS, UK])
def test_interrupted_without_a_clause_for_it(rules):
    """Only under the kitchen's own written plan."""
    stages, corners = (
        [stage("bath", 30), stage("chill", 60), stage("bath", 30)],
        [(0, 4), (30, 40), (80, 3), (90, 3), (100, 80), (120, 80)],
    )
    assert judged(stages, corners, rules=rules)[2]["interrupted-cooking"] == "care"


def test_a_sear_is_not_a_cooked_piece():
    """A beef steak seared, chilled and finished: cooking is interrupted though its faces meet the clause for intact pieces."""
    stages = [stage("pan", 4), stage("chill", 60), stage("bath", 60)]
    _, rule, codes = judged(
        stages, [(0, 4), (4, 10), (30, 4), (64, 4), (100, 55), (124, 55)], food="beef-lean", faces=(70, 70)
    )
    assert (rule["clause"], rule["met"], codes["interrupted-cooking"]) == ("3-401.11(C)", True, "care")
    assert "reheating" not in codes


NOT_SAID = [
    # what must not be said: stages, corners, codes
    ([stage("bath", 61), stage("chill", 60)], [(0, 4), (61, 40), (90, 5), (121, 4)], {"interrupted-cooking"}),
    ([stage("bath", 30), stage("chill", 600), stage("bath", 60)], [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (385, 5), (630, 4), (660, 75), (690, 75)],
     {"interrupted-cooking", "warm-after-cooking", "come-up"}),
    ([stage("bath", 30), stage("chill", 300)], [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (330, 10)], {"warm-after-cooking"}),
    ([stage("bath", 30), stage("rest", 200), stage("bath", 200)], [(0, 4), (30, 40), (430, 40)], {"warm-after-cooking"}),
]  # fmt: skip


@pytest.mark.parametrize(("stages", "corners", "codes"), NOT_SAID)
def test_what_is_not_said(stages, corners, codes):
    """A chill to the end interrupts nothing; cooling in time is no warm food; heat that goes on is no keeping."""
    assert not codes & set(judged(stages, corners)[2])


def test_a_chill_that_ends_warm_keeps_nothing():
    """At 10.5 °C after 5 h its time counts as warm; long steps of a computed cook are no holes."""
    stages = [stage("bath", 30), stage("chill", 300)]
    assert (
        judged(stages, [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (330, 10.5)])[2]["warm-after-cooking"]
        == "stop"
    )
    cooled = [(0, 4), (10, 75), (30, 75), (31, 57), (150, 21), (385, 5), (430, 4)]
    assert judged([stage("bath", 30), stage("chill", 400)], cooled, apart=2700.0)[1]["needs"] == "Met."


def test_words_of_findings():
    """Hours, temperatures and times as the clause has them; half a second of come-up in them."""
    thaw = judged(
        [stage("thaw", 300), stage("bath", 60)], [(0, -18), (58, 5), (300, 5.2), (310, 75), (360, 75)], words=True
    )[2]
    assert "above 5 °C for more than 4 h" in thaw["thaw-too-warm"]
    assert "(-20 °C 168 h; -35 °C 15 h)" in judged([stage("bath", 30)], at(50), food="hake", words=True)[2]["parasites"]
    for seconds, said in ((59.7, False), (59.2, True)):
        corners = [(0, 4), (10, 60), (10 + seconds / 60, 60), (10.001 + seconds / 60, 30), (30, 30)]
        assert ("parasites" in judged([stage("bath", 20)], corners, rules=UK, food="hake")[2]) is said
        corners = [(0, 4), (10, 90), (10.5 + seconds / 60, 90), (10.501 + seconds / 60, 30), (30, 30)]
        assert ("bivalves" in judged([stage("boil", 20)], corners, rules=UK, food="mussel", kitchen={})[2]) is said


def test_the_last_heat_before_a_chill_counts_for_its_beginning():
    """UK: 20 minutes after the second heat, 65 after the first."""
    stages = [stage("bath", 30), stage("rest", 5), stage("bath", 10), stage("rest", 20), stage("chill", 85)]
    corners = [(0, 4), (10, 75), (65, 70), (95, 3), (150, 2)]
    assert "begin-of-chilling" not in judged(stages, corners, rules=UK)[2]


def test_the_coldest_place_decides_for_fish_and_bivalves_and_the_warmest_face_for_keeping():
    """A place 20 K hotter changes nothing; a chill of which one face meets 6 °C keeps nothing for the Food Code."""
    assert judged([stage("bath", 30)], at(50), food="hake", hotter=20)[2]["parasites"] == "care"
    assert judged([stage("boil", 30)], at(85), rules=UK, food="mussel", hotter=20)[2]["bivalves"] == "care"
    chill = {"kind": "chill", "minutes": 400, "faces": {"a": {"medium_c": 2}, "b": {"medium_c": 6}}}
    corners = [(0, 4), (10, 75), (30, 75), (40, 4), (430, 4)]
    assert judged([stage("oven", 30), chill], corners)[2]["shelf-life"] == "care"


FISH = [
    (US, "hake", [stage("bath", 30)], at(50), "care"), (US, "hake", [stage("bath", 30)], at(63), None), (UK, "hake", [stage("bath", 30)], at(60), None),
    (UK, "hake", [stage("bath", 30)], at(59.9), "care"), (US, "hake", [stage("bath", 30)], at(60), "care"),
    (US, "hake", [stage("chill", 168 * 60, medium_c=-20), stage("bath", 30)], [(0, -20), (168 * 60, -20), (168 * 60 + 2, 50), (168 * 60 + 30, 50)], None),
    (US, "hake", [stage("chill", 167 * 60, medium_c=-20), stage("bath", 30)], [(0, -20), (167 * 60, -20), (167 * 60 + 2, 50), (167 * 60 + 30, 50)], "care"),
    (UK, "hake", [stage("chill", 24 * 60, medium_c=-20), stage("bath", 30)], [(0, -20), (24 * 60, -20), (24 * 60 + 2, 50), (24 * 60 + 30, 50)], None),
    (US, "beef-lean", [stage("bath", 30)], at(50), None), (ANZ, "hake", [stage("bath", 30)], at(50), None),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "food", "stages", "corners", "level"), FISH)
def test_parasites(rules, food, stages, corners, level):
    """3-402.11 and 853/2004: frozen long enough, or cooked by the rows, or said."""
    assert judged(stages, corners, rules=rules, food=food)[2].get("parasites") == level


OTHER = [
    (UK, "mussel", [stage("boil", 30)], [(0, 4), (5, 90), (6.5, 90), (30, 90)], {"bivalves": None}), (UK, "mussel", [stage("boil", 30)], at(89.9), {"bivalves": "care"}),
    (US, "mussel", [stage("boil", 30)], at(70), {"bivalves": None}),
    (FSIS, "egg-white", [stage("bath", 10)], [(0, 4), (1, 56.7), (4.5, 56.7), (10, 56.7)], {"egg-product": "note"}),
    (FSIS, "egg-white", [stage("bath", 4)], [(0, 4), (1, 56.7), (4, 56.7)], {"egg-product": "care"}), (US, "egg-white", [stage("bath", 10)], at(57), {"egg-product": None}),
    (US, "chicken-breast", [stage("oven", 30), stage("chill", 400)], [(0, 4), (10, 75), (30, 75), (40, 4), (430, 4)], {"shelf-life": "note", "chilled-pouch": None}),
    (US, "chicken-breast", [stage("bath", 30), stage("chill", 400)], [(0, 4), (10, 75), (30, 75), (40, 4), (430, 4)], {"shelf-life": "note", "chilled-pouch": "care"}),
    (US, "chicken-breast", [stage("bath", 30), stage("chill", 400, medium_c=5.1)], [(0, 4), (10, 75), (30, 75), (40, 4), (430, 4)], {"shelf-life": "care"}),
    (FSIS, "chicken-breast", [stage("bath", 30), stage("chill", 400)], [(0, 4), (10, 75), (30, 75), (40, 4), (430, 4)], {"shelf-life": "care"}),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "food", "stages", "corners", "codes"), OTHER)
def test_what_else_is_said(rules, food, stages, corners, codes):
    """Bivalves, liquid egg, chilled food: by the profile that has words for them."""
    found = judged(stages, corners, rules=rules, food=food)[2]
    assert {k: found.get(k) for k in codes} == codes
