"""What a quick entry names: its cut, way, rules and doneness, or the calculator of eggs that answers it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import lru_cache
from typing import Any

from ember_core.book.book import Book, Row, suits
from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.entry.entry_text import FILLERS, NO_NAMES, SAID, EntryText, Reading, one_of

GEAR: dict[str, Any] = SAID["gear"]
FROZEN_C: float = SAID["starts"]["frozen"]
NO_CUT = "none"
SPECIES = {word: row["species"] for row in SAID["animals"] for word in row["names"]}
CUT_SYNONYMS = {row["cut"]: row["names"] for row in SAID["also_called"]}
WAY_SYNONYMS = {row["way"]: row["names"] for row in SAID["ways_also_called"]}
NO_EGG_NEEDED = frozenset({"scrambled", "omelette", "coddled", "sauce"})
# what may stand between two words of a way: what was read already, numbers, a comma, and words that join
BETWEEN = r"(?:[\s,\0+&-]|\b(?:then|and|at|to|in|for|\d+(?:[.,]\d+)?)\b)+"
WORD = r"[a-zéè']{2,}"
JOINING = frozenset({"then", "and", "", "+", "&"})


def read_names(left: EntryText, out: Reading, book: Book) -> None:
    """Take out what the entry names, by the names of a book."""
    by_animal = _cut(left, out, book)
    cut = book.cuts.get(out.parts.get("cut", ""))
    if cut is None or cut["shape"] == "egg":
        cut = _eggs(left, out, book, cut)
        if out.eggs:
            return
    if cut is not None and by_animal:
        cut = _whole_bird(out, book, cut)
    _ways(left, out, book, cut)
    _skin(left, out)
    _rules(left, out, book.rules.values())
    if cut is not None and "target_c" not in out.parts:
        _doneness(left, out, book.doneness_names(cut["food"], cut["id"]))
    if cut is not None and "way" not in out.parts:
        _chosen_way(out, book, cut)
    out.parts.pop("gear", None)
    out.parts.pop("skin", None)


def singular(word: str) -> str:
    """A word without the ending of its plural."""
    return re.sub(r"(?<=[sxo])es$|(?<!s)s$", "", word) if len(word) > 3 else word


@lru_cache(4096)
def words_of(name: str) -> frozenset[str]:
    """The words of a name that tell something, without endings."""
    return frozenset(singular(w) for w in re.findall(WORD, name.lower())) - FILLERS


def species_of(cut: Row) -> str:
    """The species of a cut's food."""
    return str((food_row(cut["food"]) or {}).get("species", ""))


def _names_of(name: str, cut: Row, book: Book) -> list[str]:
    """All names of a cut, in full; the first part of its name where no other cut is called that."""
    short = cut["name"].split(",")[0]
    shared = any(other["name"] == short for i, other in book.cuts.items() if i != name)
    return [cut["name"], *([] if shared else [short]), *cut.get("aliases", ()), name.replace("-", " ")]


def _cut(left: EntryText, out: Reading, book: Book) -> bool:
    """The cut of which most words stand in the entry; of several the one whose name stands there in full, else a beginning of a name.

    Nothing is a cut of another animal than one that is named. True: nothing but the animal was named.
    """
    entry_words = [(m.start(), m.end(), singular(m[0])) for m in re.finditer(WORD, left.rest)]
    heard = {word for _, _, word in entry_words}
    named_species = {SPECIES[word] for word in heard if word in SPECIES}
    if NO_CUT in named_species:
        return False
    cuts = {i: c for i, c in book.cuts.items() if not named_species or species_of(c) in named_species}
    methods = {n for w in book.ways.values() for n in (w["id"], *(w.get("aliases") or ())) if " " not in n}
    ranked: list[tuple[int, int, str, set[str]]] = []
    for name, cut in cuts.items():
        complete = [n for n in _names_of(name, cut, book) if _stands_in_full(n, heard)]
        synonyms = [n for n in CUT_SYNONYMS.get(name, ()) if words_of(n) <= heard]
        longest = max(map(len, [*complete, *synonyms]), default=0)
        matched = (_all_words([*_names_of(name, cut, book), *synonyms]) - NO_NAMES) & heard
        if matched or longest:
            ranked.append((len(matched), longest, name, matched | (_all_words([*complete, *synonyms]) - methods)))
    ranked.sort(key=lambda r: r[:2], reverse=True)
    if ranked and (len(ranked) == 1 or ranked[0][:2] > ranked[1][:2]):
        name, words = ranked[0][2:]
        out.parts["cut"] = name
        words |= _all_words([cuts[name]["name"], name.replace("-", " ")])
        taken: set[str] = set()
        for begin, end, word in entry_words:
            if word in words - taken:
                left.out(begin, end, "cut")
                taken.add(word)
        return taken <= SPECIES.keys() | {"fowl"}
    for begin, end, word in entry_words:
        starts = {i for i, c in cuts.items() for n in (c["name"], *c.get("aliases", ())) if n.lower().startswith(word)}
        if len(word) > 2 and len(starts) == 1:
            out.parts["cut"] = starts.pop()
            left.out(begin, end, "cut")
            return False
    return False


def _all_words(names: Iterable[str]) -> set[str]:
    return {word for name in names for word in words_of(name)}


def _stands_in_full(name: str, heard: set[str]) -> bool:
    """Whether all words of a name were heard; a single word that is of any cut is no name."""
    words = words_of(name)
    return bool(words) and words <= heard and (len(words) > 1 or not words <= NO_NAMES)


def _whole_bird(out: Reading, book: Book, cut: Row) -> Row:
    """The whole bird, where only the animal was named and the mass is no part's."""
    mass, usual = out.parts.get("mass_g"), SAID["usual"]
    birds = [c for c in book.cuts.values() if c.get("kind") == "bird" and species_of(c) == species_of(cut)]
    plain = [c for c in birds if c.get("cavity") != "stuffed" and c.get("build") != "spread"]
    if mass is None or out.parts.get("in_all") or cut.get("kind") == "bird" or not plain:
        return cut
    if mass < usual["bird_by_part"] * cut["mass_g"] or mass < usual["bird_by_bird"] * plain[0]["mass_g"]:
        return cut
    out.parts["cut"] = plain[0]["id"]
    return plain[0]


def _eggs(left: EntryText, out: Reading, book: Book, cut: Row | None) -> Row | None:
    """Whether a calculator of eggs answers the entry; an egg that lies in warm water, or is hard, is a plan."""
    for name, words in ((row["calculator"], row["names"]) for row in SAID["eggs"]):
        if (cut is not None or name in NO_EGG_NEEDED) and left.take(one_of(words), "eggs"):
            out.eggs = name
            out.parts.pop("cut", None)
            return None
    if cut is None:
        return None
    if left.take(one_of(SAID["slow_eggs"]["names"]), "way"):
        out.parts["way"] = "bath"
    if re.search(r"(?<!\d)\d\d[- ]?(?:°|degree)", left.raw):  # an egg is named by its water
        out.parts["way"] = "bath"
    if "target_c" not in out.parts and left.take("hard", "target"):
        out.parts["target_c"] = max(core_c for _, core_c in book.doneness_names(cut["food"], cut["id"]))
    return cut


def _skin(left: EntryText, out: Reading) -> None:
    if left.take(r"skinless|skin[- ]off|without (?:the )?skin|no skin", "skin"):
        out.parts["skin"] = False
    elif left.take(r"skin[- ]?on|with (?:the )?skin|skin", "skin"):
        out.parts["skin"] = True


def _steps(name: str) -> list[str]:
    """The words of a way's name, without those that join."""
    return [t for t in re.split(r"[\s,+&-]+", name.lower()) if t not in JOINING]


def _ways(left: EntryText, out: Reading, book: Book, cut: Row | None) -> None:
    """A way by a name of it; of several with the same name the one that suits the cut."""
    named: dict[str, list[Row]] = {}
    for way in book.ways.values():
        synonyms = WAY_SYNONYMS.get(way["id"], ())
        names = {way["name"].lower(), way["id"].replace("-", " "), *map(str.lower, way.get("aliases") or ()), *synonyms}
        names |= {re.sub(r"\bbath\b", words, n) for n in names for words in SAID["words"]["of_a_bath"]}
        for name in names:
            named.setdefault(name, []).append(way)
    for name in sorted(named, key=lambda n: (-len(_steps(n)), -len(n))):
        if "way" in out.parts and "gear" not in out.parts:
            return
        steps = [re.escape(step) for step in _steps(name)]
        if left.take(BETWEEN.join(f"({step})" for step in steps), "way", with_cut=len(steps) > 1):
            fits = [w for w in named[name] if cut is None or suits(w, cut)]
            out.parts["way"] = (
                fits or [w for w in named[name] if cut is None or cut["shape"] in w["shapes"]] or named[name]
            )[0]["id"]
            out.parts.pop("gear", None)


def _chosen_way(out: Reading, book: Book, cut: Row) -> None:
    """A way that nobody named but that what was said asks for: by gear, by skin, from frozen."""
    gear, skin, size = out.parts.get("gear"), out.parts.get("skin"), out.parts.get("size_mm")
    fits = book.ways_for(cut, size)
    if gear:
        known = {w["id"] for w in book.ways.values() if cut["shape"] in w["shapes"] and (w.get("skin") or not skin)}
        others = [w["id"] for w in fits if gear in w.get("gear", ())]
        chosen = [w for w in (GEAR[gear]["usual"], *others) if w in known]
        out.parts |= {"way": chosen[0]} if chosen else {}
    elif out.parts.get("start_c") == FROZEN_C and any(w["id"] == "from-frozen" for w in fits):
        out.parts["way"] = "from-frozen"
    elif skin:
        usual = book.ways[cut["way"]]
        kept = [w for w in fits if w.get("skin") and set(w["gear"]) >= {"bath"} & set(usual.get("gear", ()))]
        if kept and not usual.get("skin"):
            out.parts["way"] = kept[-1 if "bath" in usual.get("gear", ()) else 0]["id"]


def _rules(left: EntryText, out: Reading, rules: Iterable[Mapping[str, Any]]) -> None:
    named = {n: r["id"] for r in rules for n in (r["id"].replace("-", " "), *r.get("aliases", ()))}
    for name in sorted(named, key=lambda n: -len(n)):
        if left.take(re.escape(name), "rules"):
            out.parts["rules"] = named[name]
            return


def _doneness(left: EntryText, out: Reading, names: tuple[tuple[str, float], ...]) -> None:
    known = dict(names)
    for name in sorted(known, key=len, reverse=True):
        pattern = re.escape(name).replace("\\ ", "[ -]").replace("medium", r"med(?:ium)?\.?")
        if left.take(rf"(?:to )?{pattern}", "target"):
            out.parts["target_c"] = known[name]
            return
    for short, name in sorted(read_toml("doneness.toml")["abbreviations"].items(), key=lambda a: -len(a[0])):
        if name in known and left.take("[/-]?".join(map(re.escape, short)), "target"):
            out.parts["target_c"] = known[name]
            return
