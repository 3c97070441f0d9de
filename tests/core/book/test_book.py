"""The book: versions of its rows, and plans that were made with old ones."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.book.book import Book, shipped, usual_mass, usual_size
from ember_core.book.foods import food_row
from ember_core.entry.sentence import Sentence, from_document
from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute, spreads_of

HOT_PAN = shipped().ways["hot-pan-basted"]


def second(**changed):
    """The next version of the hot pan, with other minutes."""
    stages = [{k: v for k, v in HOT_PAN["stage"][0].items() if k != "until"} | {"minutes": 3}, *HOT_PAN["stage"][1:]]
    return {**HOT_PAN, "version": 3, "stage": stages} | changed


def test_a_plan_made_with_an_old_version_stays_as_it_was():
    """It reads back as that way, computes to the same, and says that there is a newer one; a new plan takes that."""
    made = Sentence.for_cut("bavette", size_mm=28)
    document = made.document()
    before = compute(parse(document)).result
    newer = shipped().with_rows(way=[second(name="hotter pan")])
    again = from_document(document, 0.0, 22.0, newer)
    assert (again.way, again.way_version) == ("hot-pan-basted", 2)
    assert again.document() == document
    after = compute(parse(again.document()), book=newer).result
    said = [f for f in after["findings"] if f["code"] == "newer-version"]
    assert [f["level"] for f in said] == ["note"]
    assert "version 3" in said[0]["message"]
    assert after | {"findings": []} == before | {"findings": []}
    assert [f for f in after["findings"] if f not in said] == before["findings"]
    fresh = Sentence.for_cut("bavette", size_mm=28, book=newer).document()
    assert (fresh["way"]["version"], fresh["stages"][0]["minutes"]) == (3, 3)
    assert newer.way_name(document["way"]) == "hot pan, basted"
    assert newer.way_name(fresh["way"]) == "hotter pan"
    assert shipped().way("hot-pan-basted", 3) is None  # the shipped book is as it was


def test_spreads_in_a_new_version():
    """A plan keeps those it was made with; a newer one goes by the newer ones, unless it states its own."""
    document = Sentence.for_cut("bavette", size_mm=28).document()
    wide = {**{k: v for k, v in shipped().spreads(1).items() if k != "drift_share"}, "thickness_mm": 4.0}
    newer = shipped().with_rows(spread=[{"id": "usual", "version": 2, **wide}])
    fresh = Sentence.for_cut("bavette", size_mm=28, book=newer).document()
    assert (fresh["x-spreads-version"], "x-spreads-version" in document) == (2, False)
    assert from_document(document, 0.0, 22.0, newer).document() == document
    assert from_document(fresh, 0.0, 22.0, newer).document() == fresh
    pulls = {}
    for name, plan, book in (("old", document, shipped()), ("kept", document, newer), ("new", fresh, newer)):
        result = compute(parse(plan | {"forecast": {"members": 32}}), book=book).result
        pulls[name] = result["forecast"]["pull_s"]
        assert ("newer-version" in {f["code"] for f in result["findings"]}) is (name == "kept")
    assert pulls["kept"] == pulls["old"]
    assert pulls["new"]["p95"] - pulls["new"]["p5"] > 2 * (pulls["old"]["p95"] - pulls["old"]["p5"])
    own = fresh | {"forecast": {"spreads": {"thickness_mm": 0.5}}}
    assert spreads_of(own, newer) == wide | {"thickness_mm": 0.5}
    assert spreads_of(document, newer) is None
    for version in (3, 0, "2", None):
        with pytest.raises(FormatError, match="The book has no spreads"):
            spreads_of(fresh | {"x-spreads-version": version}, newer)


def test_a_cut_in_a_new_version():
    """A new plan starts from the new one; one made before keeps its own, and says so."""
    document = Sentence.for_cut("bavette").document()
    newer = shipped().with_rows(cut=[{**shipped().cuts["bavette"], "version": 2, "size_mm": 22}])
    fresh = Sentence.for_cut("bavette", book=newer)
    assert (fresh.size_mm, fresh.document()["piece"]["x-cut-version"]) == (22, 2)
    assert from_document(fresh.document(), 0.0, 22.0, newer).cut_version == 2
    assert "x-cut-version" not in from_document(document, 0.0, 22.0, newer).document()["piece"]
    codes = {f["code"] for f in compute(parse(document), book=newer).result["findings"]}
    assert "newer-version" in codes


@pytest.mark.parametrize(
    ("rows", "path"),
    [
        ({"way": [HOT_PAN]}, "/way/hot-pan-basted"),
        ({"way": [second(), second()]}, "/way/hot-pan-basted"),
        ({"cut": [{"name": "no id"}]}, "/cut"),
        ({"cut": [{"id": "x", "version": 0}]}, "/cut"),
    ],
)
def test_rows_are_only_added(rows, path):
    """The same version twice, or none, is refused by name."""
    with pytest.raises(FormatError) as caught:
        shipped().with_rows(**rows)
    assert caught.value.path == path


def test_a_way_or_version_that_is_not_there_is_refused():
    """By name, with what there is."""
    for change in ({"way": "no-such"}, {"way_version": 9}):
        with pytest.raises(FormatError, match="The book has no way") as caught:
            Sentence.for_cut("bavette", **change).document()
        assert caught.value.path == "/way"


@given(st.lists(st.integers(1, 40), unique=True, min_size=1))
def test_the_newest_is_the_highest_version(versions):
    """In whatever order rows come; every one stays reachable."""
    book = Book.of(way=[{"id": "a", "version": v} for v in versions])
    assert book.ways["a"]["version"] == max(versions)
    assert all(book.way("a", v) is not None for v in versions)
    assert book.newer("way", "a", max(versions)) is None
    assert book.newer("way", "a", max(versions) - 1) == max(versions)


CUTS = shipped().cuts
KINDS = {"beef", "veal", "lamb", "pork", "rabbit", "venison", "chicken", "guinea fowl", "turkey", "duck", "goose", "pheasant", "pigeon", "quail", "fish", "shellfish", "plant"}  # fmt: skip


def test_the_book_has_every_kind_of_cut():
    """At least 80, of every species a kitchen buys; no name means two of them."""
    assert len(CUTS) >= 80
    assert {food_row(c["food"])["species"] for c in CUTS.values()} >= KINDS
    names = [n.lower() for c in CUTS.values() for n in (c["name"], *c.get("aliases", ()))]
    assert len(names) == len(set(names))


@pytest.mark.parametrize("cut", CUTS.values(), ids=lambda c: c["id"])
def test_a_cut_knows_what_a_cook_asks(cut):
    """Where the probe goes, what is done before, salt, allergens, what goes wrong; its mass is what its lengths hold."""
    assert all(cut[k] for k in ("probe", "salt_when", "wrong"))
    assert cut.get("prep") or cut.get("drying")
    assert set(cut.get("bind", ())) <= {"string", "skewers"}
    assert 0 <= cut["salt_g_kg"] <= 20
    assert 0 < cut["spread_mm"] < cut["size_mm"] / 3
    kind = food_row(cut["food"])["species"]
    assert (cut["allergens"] != []) is (
        kind in {"fish", "shellfish", "egg"} or cut["id"] in {"meatball", "sausage", "tofu"}
    )
    size = cut["size_mm"]
    volume = {
        **dict.fromkeys(("slab", "box"), size * cut.get("length_mm", 0) * cut.get("width_mm", 0)), "sphere": math.pi / 6 * size**3,
        "cylinder": math.pi / 4 * size**2 * cut.get("length_mm", 1.2 * size), "egg": cut["mass_g"] / 1.06e-3, "bird": cut["mass_g"] / 1.06e-3,
    }[cut["shape"]]  # fmt: skip
    share = cut["mass_g"] / (1.06e-3 * volume)  # no piece fills its box, and none is more than it
    # a cylinder without a length is computed as a long one: what it weighs says nothing of it
    assert 0.45 < share < 1.3 or (cut["shape"], "length_mm" in cut) == ("cylinder", False), share


@given(st.sampled_from(sorted(CUTS)), st.floats(0.5, 2.0))
def test_size_and_mass_follow_each_other(name, times):
    """There and back."""
    cut = CUTS[name]
    size = round(cut["size_mm"] * times, 1)
    assert usual_size(cut, usual_mass(cut, size)) == pytest.approx(size, rel=0.02, abs=0.2)
    if cut["shape"] != "egg":
        made = Sentence.for_cut(name, mass_g=usual_mass(cut, size))
        assert made.size_mm == pytest.approx(size, rel=0.02, abs=0.2)
