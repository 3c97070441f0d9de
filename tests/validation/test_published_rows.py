"""Every row of the safety tables entered a second time, by hand from the named clause, and compared both ways.

Nothing here is read from the data: a changed, missing or added row, form, condition or limit fails. From memory of the
named editions, as the data; where the two agree, two readings agree.
"""

from __future__ import annotations

import pytest

from ember_core.data.loader import read_toml
from ember_core.safety.forms import requirement
from ember_core.safety.lethality import for_food, organisms
from ember_core.safety.rules import profiles

ALL_FORMS = {"steak", "roast", "minced", "tenderised", "injected", "stuffed", "poultry", "game-farmed", "game-wild", "fish",
             "shellfish", "egg-now", "egg-later", "plant"}  # fmt: skip

# US FDA Food Code 2022, 3-401.11 and 3-401.13: clause, forms, rows (°C, s), forms an advisory (3-401.11(D)) can stand in for
FOOD_CODE = {
    "3-401.11(A)(1)": ({"steak", "roast", "game-farmed", "fish", "shellfish", "egg-now"}, [(63, 15)], True),
    "3-401.11(A)(2)": ({"minced", "tenderised", "injected", "egg-later"}, [(63, 180), (66, 60), (68, 17), (70, 0)], True),
    "3-401.11(A)(3)": ({"poultry", "game-wild", "stuffed"}, [(74, 0)], False),
    "3-401.11(B)(2)": (
        {"roast"},
        [(54.4, 112 * 60), (55.0, 89 * 60), (56.1, 56 * 60), (57.2, 36 * 60), (57.8, 28 * 60), (58.9, 18 * 60), (60.0, 12 * 60),
         (61.1, 8 * 60), (62.2, 5 * 60), (62.8, 4 * 60), (63.9, 134), (65.0, 85), (66.1, 54), (67.2, 34), (68.3, 22), (69.4, 14),
         (70.0, 0)],
        True,
    ),
    "3-401.13": ({"plant"}, [(57, 0)], False),
}  # fmt: skip
# UK FSA, time and temperature equivalents of 70 °C for 2 minutes; soft eggs and lightly cooked fish have words of their own
UK = {
    "core time and temperature": (
        ALL_FORMS,
        [(60, 45 * 60), (65, 600), (70, 120), (75, 30), (80, 6)],
        {"egg-now", "fish", "plant"},
    )
}
# US FSIS Appendix A, poultry, 7 log: the longest over chicken and turkey, 5 and 12 % fat
POULTRY = [
    (57.8, 81.4 * 60),
    (60.0, 35.0 * 60),
    (62.8, 13.8 * 60),
    (65.6, 4.9 * 60),
    (68.3, 78),  # turkey's, which is longer than chicken's 54 and 17 s
    (71.1, 27),
    (73.9, 10),
]
# US FSIS Appendix A, meat, 1999 table: °F, 6.5 and 7 log, in minutes to 145 °F and in seconds above
MEAT = [(130, 112, 121), (131, 89, 97), (132, 71, 77), (133, 56, 62), (134, 45, 47), (135, 36, 37), (136, 28, 32), (137, 23, 24),
        (138, 18, 19), (139, 15, 15), (140, 12, 12), (141, 9, 10), (142, 8, 8), (143, 6, 6), (144, 5, 5), (145, 4, 4)]  # fmt: skip
MEAT_SECONDS = [(146, 169, 182), (147, 134, 144), (148, 107, 115), (149, 85, 91), (150, 67, 72), (151, 54, 58), (152, 43, 46),
                (153, 34, 37), (154, 27, 29), (155, 22, 23), (156, 17, 19), (157, 14, 15), (158, 0, 0)]  # fmt: skip


def stated(profile):
    """What the data hold, in the form of the tables above."""
    return {c.id: (set(c.forms), list(c.rows), set(c.advisory)) for c in profile.clauses}


@pytest.mark.parametrize("name", ["us-food-code-2022", "house"])
def test_food_code(name):
    """FDA Food Code 2022, 3-401.11(A), (B)(2), 3-401.13; the shipped house follows it row by row."""
    ours = {k: (f, [(float(t), float(s)) for t, s in r], f if a else set()) for k, (f, r, a) in FOOD_CODE.items()}
    assert stated(profiles()[name]) == ours


def test_roasts_and_their_oven():
    """3-401.11(B)(1): 4.5 kg, 177 °C still, 163 °C convection, 121 °C from 4.5 kg and at most 121 °C over 90 % RH for an hour."""
    clauses = {c.id: c for c in profiles()["us-food-code-2022"].clauses}
    assert clauses["3-401.11(B)(2)"].oven == {
        "mass_g": 4500, "still_c": 177, "fan_c": 163, "large_c": 121, "humid_most_c": 121, "humid_share": 0.9, "humid_s": 3600
    }  # fmt: skip
    assert {k for k, c in clauses.items() if c.oven} == {"3-401.11(B)(2)"}
    assert {k for k, c in clauses.items() if c.holding_only} == {"3-401.13"}


def test_pieces_seared_outside():
    """Food Code 3-401.11(C): whole-muscle intact beef steak, top and bottom 63 °C. UK: whole beef and lamb, all the outside."""
    steak, whole = profiles()["us-food-code-2022"].exceptions[0], profiles()["uk-fsa"].exceptions[0]
    assert (set(steak.forms), set(steak.species), steak.rows, steak.top_and_bottom) == (
        {"steak"},
        {"beef"},
        ((63.0, 0.0),),
        True,
    )
    assert (set(whole.forms), set(whole.species), whole.top_and_bottom) == ({"steak", "roast"}, {"beef", "lamb"}, False)
    assert list(whole.rows) == [(60.0, 2700.0), (65.0, 600.0), (70.0, 120.0), (75.0, 30.0), (80.0, 6.0)]
    assert [len(p.exceptions) for p in profiles().values()] == [1, 0, 1, 0, 1]


@pytest.mark.parametrize("log", [6.5, 7])
def test_fsis(log):
    """FSIS Appendix A: the one-degree table for meat, the longest poultry row; both with moisture, neither with an advisory."""
    minutes = [((f - 32) / 1.8, 60.0 * (a if log == 6.5 else b)) for f, a, b in MEAT]
    seconds = [((f - 32) / 1.8, float(a if log == 6.5 else b)) for f, a, b in MEAT_SECONDS]
    moist = {"humid_share": 0.9, "of_heat": 0.25, "humid_s": 3600, "mass_g": 4500, "large_c": 121}
    profile = profiles(log)["us-fsis-appendix-a"]
    assert stated(profile) == {
        "Appendix A, meat": ({"steak", "roast", "minced", "tenderised", "injected", "game-farmed"}, minutes + seconds, set()),
        "Appendix A, poultry 7 log": ({"poultry"}, [(c, pytest.approx(s)) for c, s in POULTRY], set()),
    }  # fmt: skip
    assert all(c.moisture == moist for c in profile.clauses)


def test_uk_and_anz():
    """UK FSA equivalents; FSANZ 3.2.2 has no clause, and guidance of 75 °C or 70 °C for 2 minutes."""
    assert stated(profiles()["uk-fsa"]) == {
        k: (f, [(float(t), float(s)) for t, s in r], a) for k, (f, r, a) in UK.items()
    }
    anz = profiles()["anz-fsanz-3.2.2"]
    assert (anz.clauses, anz.guidance_rows) == ((), ((70.0, 120.0), (75.0, 0.0)))
    assert anz.guidance_below == {"beef", "veal", "lamb", "fish", "egg", "plant"}
    assert set(profiles()) == {"us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2", "house"}
    assert [p.id for p in profiles().values() if p.guidance_rows] == ["anz-fsanz-3.2.2"]


US, FSIS, GB, ANZ, EU = "us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2", "eu-853-2004"
H = 3600
KEEPING = {
    "come_up": [(FSIS, {"from_c": 10.0, "to_c": 54.4, "within_s": 6 * H})],
    "cooling": [
        (US, {"steps": [{"from_c": 57.0, "to_c": 21.0, "within_s": 2 * H}, {"from_c": 57.0, "to_c": 5.0, "within_s": 6 * H}]}),
        (FSIS, {"steps": [{"from_c": 54.4, "to_c": 26.7, "within_s": 5400}, {"from_c": 26.7, "to_c": 4.4, "within_s": 5 * H}]}),
        (GB, {"after_heat": [{"to_c": 3.0, "within_s": 2 * H, "begin_s": 1800}]}),
        (ANZ, {"steps": [{"from_c": 60.0, "to_c": 21.0, "within_s": 2 * H}, {"from_c": 21.0, "to_c": 5.0, "within_s": 4 * H}]}),
    ],
    "holding": [
        (US, {"hot_c": 57.0, "hot_roast_c": 54.0, "cold_c": 5.0}), (FSIS, {"hot_c": 60.0, "cold_c": 4.4}),
        (GB, {"hot_c": 63.0, "cold_c": 8.0}), (ANZ, {"hot_c": 60.0, "cold_c": 5.0}),
    ],
    "reheating": [
        (US, {"within_s": 2 * H, "immediate": [], "hot-holding": [[74.0, 15]], "commercial": [[57.0, 0]]}),
        (GB, {k: [[70.0, 120], [75.0, 30], [80.0, 6]] for k in ("immediate", "hot-holding", "commercial")}),
        (ANZ, {"immediate": [], "hot-holding": [[60.0, 0]], "commercial": [[60.0, 0]]}),
    ],
    "time_control": [(US, {"most_s": 4 * H, "cool_c": 21.0, "cool_most_s": 6 * H}), (ANZ, {"most_s": 4 * H}), (GB, {"most_s": 2 * H})],
    "shelf": [
        (US, {"keep": "ready-to-eat", "rows": [(5.0, 7)]}), (US, {"keep": "pouch", "rows": [(5.0, 7), (1.0, 30)]}),
        (GB, {"keep": "ready-to-eat", "rows": [(3.0, 5)]}), (GB, {"keep": "pouch", "rows": [(8.0, 10)]}),
    ],
    "thawing": [(US, {"water_c": 21.0, "raw_above_c": 5.0, "raw_above_s": 4 * H})],
    "parasites": [
        (US, {"freeze": [{"at_c": -20.0, "hours": 168}, {"at_c": -35.0, "hours": 15}, {"at_c": -35.0, "hours": 24, "then_c": -20.0}],
              "cook": [[63.0, 15]]}),
        (EU, {"freeze": [{"at_c": -20.0, "hours": 24}, {"at_c": -35.0, "hours": 15}], "cook": [[60.0, 60]], "kept_in": ["uk-fsa"]}),
    ],
    "bivalves": [(EU, {"rows": [[90.0, 90]], "kept_in": ["uk-fsa"]})],
    "egg_products": [
        (FSIS, {"whole": [[60.0, 210]], "yolk": [[60.0, 372], [61.1, 210]], "salted-yolk": [[62.2, 372], [63.3, 210]],
                "white": [[55.6, 372], [56.7, 210]]}),
        (ANZ, {"whole": [[64.0, 150]], "yolk": [[60.0, 210]], "white": [[55.0, 570]]}),
    ],
    "interrupted": [(US, {"first_heat_s": H})],
    "guests": [(US, {})],
}  # fmt: skip
WORDS = {"profile", "clause", "authority", "confidence", "remedy", "needs", "exempt", "susceptible", "advisory", "note"}


@pytest.mark.parametrize("table", sorted(KEEPING))
def test_keeping(table):
    """3-501.13 to .19, 3-402.11, 3-403.11, 3-502.12(D), 3-401.14; Appendix B; UK cook-chill, hot and cold; FSANZ 3.2.2; 853/2004;
    9 CFR 590.570; FSANZ 4.2.5: every number, and no other."""

    def plain(row):
        kept = {k: v for k, v in row.items() if k not in WORDS}
        if table == "shelf":
            kept["rows"] = [(r["at_c"], r["days"]) for r in kept["rows"]]
        return row["profile"], kept

    assert [plain(r) for r in read_toml("keeping.toml")[table]] == KEEPING[table]


def test_no_table_beside_these():
    """All tables of the file are entered above; the floor of house plans is 54.4 °C and 5 log, 52.4 °C with a shown reduction."""
    tables = read_toml("keeping.toml")
    assert set(tables) == {*KEEPING, "floor", "standing_in"}
    assert tables["floor"] == {"least_c": 54.4, "growth_c": 52.4, "log10": 5.0}
    assert tables["standing_in"] == {"house": US, "come_up": "us-fsis-appendix-a", "guests": US}


def test_organisms():
    """Goodfellow & Brown 1978 and Juneja 2001; the UK basis; Juneja 1997 and Doyle & Schoeni 1984; 90 °C 10 min for 6 log, z 9."""
    table = {k: (o.at_c, o.d_s / 60, o.d_upper_s / 60, o.d_lower_s / 60, o.z_c) for k, o in organisms().items()}
    assert table == {
        "salmonella": pytest.approx((60, 1.26, 5.5, 1.20, 5.6)),
        "listeria": pytest.approx((70, 0.33, 0.33, 0.33, 7.5)),
        "e-coli-o157": pytest.approx((60, 3.17, 3.17, 0.75, 6.0)),
        "c-botulinum-np": pytest.approx((90, 10 / 6, 10 / 6, 10 / 6, 9.0), rel=1e-3),
    }
    assert [o.id for o in for_food("chicken")] == ["salmonella", "listeria"]
    for species in ("beef", "veal", "lamb", "venison", None):
        assert [o.id for o in for_food(species)] == ["salmonella", "listeria", "e-coli-o157"]


MAY_BE = {
    # form of the food: the forms that may be stated, and all whose clauses must then be met (our reading of 3-401.11's classes)
    "steak": {"steak": "steak", "roast": "roast", "tenderised": "tenderised", "injected": "injected", "minced": "minced",
              "stuffed": "stuffed steak", "game-farmed": "game-farmed", "game-wild": "game-wild"},
    "roast": {"steak": "steak", "roast": "roast", "tenderised": "tenderised", "injected": "injected", "minced": "minced",
              "stuffed": "stuffed steak"},
    "minced": {"minced": "minced", "stuffed": "stuffed minced", "game-wild": "game-wild minced"},
    "game-farmed": {"game-farmed": "game-farmed", "steak": "game-farmed steak", "tenderised": "tenderised game-farmed",
                    "injected": "injected game-farmed", "minced": "minced game-farmed", "stuffed": "stuffed game-farmed",
                    "game-wild": "game-wild"},
    "game-wild": {"game-wild": "game-wild", "stuffed": "stuffed game-wild"},
    "poultry": {"poultry": "poultry", "stuffed": "stuffed poultry", "game-wild": "game-wild poultry", "tenderised": "tenderised poultry",
                "injected": "injected poultry", "minced": "minced poultry"},
    "fish": {"fish": "fish", "tenderised": "tenderised fish", "injected": "injected fish", "minced": "minced fish", "stuffed": "stuffed fish"},
    "shellfish": {"shellfish": "shellfish", "minced": "minced shellfish", "stuffed": "stuffed shellfish"},
    "egg-now": {"egg-now": "egg-now", "egg-later": "egg-later egg-now"},
    "egg-later": {"egg-later": "egg-later"},
    "plant": {"plant": "plant", "stuffed": "stuffed plant"},
}  # fmt: skip
FOOD_OF = {"steak": "pork-loin", "roast": "ham-cured", "minced": "beef-mince", "game-farmed": "rabbit", "game-wild": "wild-boar",
           "poultry": "chicken-mince", "fish": "hake", "shellfish": "prawn", "egg-now": "egg-whole", "egg-later": "custard",
           "plant": "potato"}  # fmt: skip


def test_forms_by_food():
    """Every pair of a food's form and a stated one: judged by these forms, or refused; offal and bivalves by name."""
    from ember_core.book.foods import food_row, foods
    from ember_core.errors import FormatError

    for own, allowed in MAY_BE.items():
        row = food_row(FOOD_OF[own])
        assert row["form"] == own
        assert requirement(row, None).forms == tuple(allowed[own].split())
        for form in ALL_FORMS:
            if form in allowed:
                assert requirement(row, form).forms == tuple(allowed[form].split())
            else:
                with pytest.raises(FormatError) as caught:
                    requirement(row, form)
                assert (caught.value.code, caught.value.path) == ("form-against-food", "/piece/form")
    assert {row["form"] for row in foods().values()} <= set(MAY_BE)
    data = read_toml("forms.toml")
    assert set(data["offal"]["foods"]) == {
        k for k in foods() if k.endswith(("-heart", "-tongue", "-liver", "-sweetbread", "-kidney"))
    }
    assert set(data["bivalves"]["foods"]) == {"mussel", "oyster", "scallop"}


SPECIES_FORM = {
    "poultry": {"chicken", "turkey", "duck", "goose", "guinea fowl", "pigeon", "quail"}, "fish": {"fish"}, "shellfish": {"shellfish"},
    "plant": {"plant"},
}  # fmt: skip


def test_the_food_table_knows_its_species():
    """No bird, fish or shellfish of the table has a milder form than its species; mince is minced; what is wild is wild."""
    from ember_core.book.foods import foods

    for key, row in foods().items():
        for form, species in SPECIES_FORM.items():
            if row["species"] in species:
                assert row["form"] == form, key
        if "mince" in key or "sausage" in key:
            assert row["form"] in {"minced", "poultry"}, key
        if "wild" in key and row["species"] not in {"fish"}:
            assert row["form"] == "game-wild", key
    assert foods()["pheasant"]["form"] == "game-wild"


def test_what_is_unknown_and_what_is_whole():
    """Unknown species: all of poultry, mince and meat, said as care. Whole: steaks and roasts that nothing has opened, no offal."""
    from ember_core.book.foods import food_row

    for stated, forms in ((None, ("poultry", "minced", "steak")), ("fish", ("fish", "poultry", "minced", "steak"))):
        unknown = requirement(None, stated)
        assert (unknown.form, unknown.forms, unknown.species, unknown.whole) == (
            stated or "unknown",
            forms,
            None,
            False,
        )
        assert [(n.code, n.level) for n in unknown.notes] == [("species-unknown", "care")]
    for food, form, handling, whole in (
        ("beef-lean", None, (), True), ("beef-lean", "roast", (), True), ("beef-lean", "tenderised", (), False), ("beef-lean", None, ("scored",), False),
        ("beef-liver", None, (), False), ("hake", None, (), False), ("ham-cured", None, (), True),
    ):  # fmt: skip
        found = requirement(food_row(food), form, handling)
        assert (found.whole, found.notes) == (whole, ())
