"""The sentence of a plan: its parts, and the plan document they stand for."""

from __future__ import annotations

import copy
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from ember_core.book.book import Book, Row, shipped, usual_mass, usual_size
from ember_core.entry.coldest import lead_core
from ember_core.entry.compiling import Known, give_store, main_kind, set_heat, shift_heat, stages_of
from ember_core.entry.shared_pieces import lay_beside
from ember_core.errors import FormatError
from ember_core.formats.plan import FORMAT, PART_TARGETS
from ember_core.heat.geometry.bird import bird_mass, breast_mm
from ember_core.heat.geometry.egg_outline import egg_breadth_mm, egg_mass, egg_sizes, room_g, species_of
from ember_core.plan.plan import unread_of
from ember_core.plan.shapes import BY_MASS
from ember_core.wording.message import say

HANDLING = frozenset({"scored", "marinated", "rolled", "frozen", "pellet-fed", "cleanest-waters"})
"""Words of what was done to a piece that are no form of it."""

LEAD_MOVES_K = 0.5  # a core's lead over its coldest place may have been another by so much when a plan was kept

OWN_WAY = "file"
"""The way of a plan whose stages were written by hand or came in a file."""


@dataclass(frozen=True)
class OwnFood:
    """A kitchen's own food: its mass fractions, and the row of the food table it is otherwise like.

    Species, rules, doneness names and freezing point are those of ``like``.
    """

    id: str
    name: str
    like: str
    composition: Mapping[str, float]

    @classmethod
    def of_piece(cls, piece: Mapping[str, Any]) -> OwnFood | None:
        """The own food of a plan's piece; None when it has a food of the table."""
        if "composition" not in piece or "food" not in piece:
            return None
        known = piece.get("x-food", {})
        known = known if isinstance(known, Mapping) else {}
        return cls(
            str(known.get("id", "of-the-file")),
            str(known.get("name", "own composition")),
            piece["food"],
            piece["composition"],
        )


@dataclass(frozen=True)
class Sentence:
    """*One bavette, 28 mm, 310 g, from 4 °C, to 55 °C, by hot pan, at 19:40, under a rule.*

    Sizes in mm, mass in g, temperatures in °C; ``base`` is the document whose stages and other keys
    are kept when the way is :data:`OWN_WAY`. ``heat_c`` is what its pan, oven, grill, fat or bath is at in place of the way's own;
    ``minutes`` the time of its main heat, which then waits for no target; ``sizes_mm`` the pieces' own sizes, of which
    ``size_mm`` is the mean; ``temper_min`` how long it stands in the kitchen's air before; ``apart_s`` how far apart the pieces are laid into gear that
    holds a finite heat; ``beside`` other pieces that lie in the same medium (:func:`ember_core.entry.shared_pieces.other`); ``gear`` the
    kitchen's own that the main heat comes from: its ``name``, and ``offset_c``, what it really is less what it shows, K. ``done`` is
    what was done to the piece beside what its cut says: words of handling, and forms that ask for more; ``unread`` the words of a quick
    entry that nobody understood. Cut, way and spreads are the newest in the ``book`` unless a version is given.
    """

    cut: str
    size_mm: float
    start_c: float
    target_c: float
    way: str
    mass_g: float | None = None
    count: int = 1
    serve_at: datetime | None = None
    rules: str = "us-food-code-2022"
    guests: str = "general"
    altitude_m: float = 0.0
    air_c: float = 22.0
    title: str = ""
    heat_c: float | None = None
    minutes: float | None = None
    sizes_mm: tuple[float, ...] = ()
    temper_min: float = 0.0
    apart_s: float = 0.0
    beside: tuple[Mapping[str, Any], ...] = ()
    gear: Mapping[str, Any] | None = None
    own_food: OwnFood | None = None
    done: tuple[str, ...] = ()
    unread: tuple[str, ...] = ()
    house: Mapping[str, Any] | None = None
    base: Mapping[str, Any] = field(default_factory=dict)
    way_version: int | None = None
    cut_version: int | None = None
    spreads_version: int | None = None
    book: Book = field(default_factory=shipped, repr=False, compare=False)

    @classmethod
    def for_cut(cls, cut_id: str, *, book: Book | None = None, **known: Any) -> Sentence:
        """A sentence that starts from the cut's usual values, with what is known in place of them; size and mass follow each other."""
        book = book or shipped()
        cut = book.cuts[cut_id]
        usual = cut.get("doneness_c") or book.usual_doneness(cut["food"])[1]
        mass, size = known.get("mass_g"), known.get("size_mm")
        if mass and not size and cut["shape"] != "egg":
            size = usual_size(cut, mass)
        start = cls(
            cut=cut_id,
            size_mm=size or cut["size_mm"],
            mass_g=usual_mass(cut, size or cut["size_mm"]),
            start_c=(book.way(known.get("way") or cut["way"]) or {}).get("start_c", 4.0),
            target_c=usual,
            way=cut["way"],
            book=book,
        )
        return replace(start, **{k: v for k, v in known.items() if v is not None})

    def by_way(self, way: Row) -> Sentence:
        """The same piece by another way, at that way's own heat and for its own time.

        Gear of the kitchen's own goes with it only where it gives the main heat there too.

        Parameters
        ----------
        way : mapping
            A row of the book.
        """
        now = self.book.way(self.way, self.way_version)
        same = now is not None and main_kind(now) == main_kind(way)
        return replace(
            self,
            way=way["id"],
            way_version=way["version"],
            heat_c=None,
            minutes=None,
            gear=self.gear if same else None,
        )

    def document(self) -> dict[str, Any]:
        """The plan document, ``open-ember.plan/1``.

        Raises
        ------
        FormatError
            When the way cannot cook this shape.
        """
        kept = copy.deepcopy(dict(self.base)) if self.way == OWN_WAY else {}
        cut = self.book.cut(self.cut, self.cut_version)
        piece = self._piece(kept.get("piece", {}), cut)
        shape = piece["shape"]["kind"]
        stated = self.base.get("target", {})
        by_yolk = self.way == OWN_WAY and shape == "egg" and "core_c" not in stated
        target = (
            dict(stated)
            if by_yolk
            else {"core_c": self.target_c} | (self._part_targets(cut) if shape == "bird" else {})
        )
        out: dict[str, Any] = kept | {"format": FORMAT, "piece": piece, "target": target}
        names = [
            n for n, c in self.book.doneness_names(piece.get("food", ""), self.cut) if abs(c - self.target_c) < 0.05
        ]
        if names and not by_yolk:
            out["target"]["doneness"] = names[0]
        if self.title:
            out["title"] = self.title
        self._heated(out, shape)
        out["rules"], out["guests"] = self.rules, self.guests
        out.pop("x-unread", None)
        if self.unread:
            out["x-unread"] = list(self.unread)
        out.pop("x-house", None)
        if self.rules == "house" and self.house is not None:
            out["x-house"] = dict(self.house)
        out.pop("x-spreads-version", None)
        spreads = self.book.spreads_version if self.spreads_version is None else self.spreads_version
        if spreads > 1:
            out["x-spreads-version"] = spreads
        out.pop("serve_at", None)
        if self.serve_at is not None:
            out["serve_at"] = self.serve_at.isoformat(timespec="minutes")
        return out

    def _piece(self, piece: dict[str, Any], cut: Row | None) -> dict[str, Any]:
        """The piece: food, shape, sizes, mass, start; ``piece`` as the file has it where it keeps its own stages."""
        if cut is not None:
            food, shape = cut["food"], cut["shape"]
            if self.way != OWN_WAY:
                piece |= {"food": food, "form": cut["form"], "shape": {"kind": shape}}
            self._done(piece, cut)
            piece["cut"] = self.cut
            piece.pop("x-cut-version", None)
            if cut["version"] > 1:
                piece["x-cut-version"] = cut["version"]
        if self.own_food is not None:
            own = self.own_food
            piece |= {
                "food": own.like,
                "composition": dict(own.composition),
                "x-food": {"id": own.id, "name": own.name},
            }
        elif "food" in piece:  # a file without a food keeps its composition
            for key in ("composition", "x-food"):
                piece.pop(key, None)
        shape = piece["shape"]["kind"]
        if cut is not None and self.way != OWN_WAY:
            lengths = {
                "cylinder": ("length_mm",),
                "box": ("length_mm", "width_mm"),
                "ellipsoid": ("length_mm", "width_mm"),
            }
            piece["shape"] |= {k: cut[k] for k in lengths.get(shape, ()) if k in cut}
        if shape in BY_MASS:
            usual = egg_mass if shape == "egg" else bird_mass
            piece["shape"]["mass_g"] = round(self.mass_g or usual(self.size_mm), 1)
            if cut is not None and "cavity" in cut and self.way != OWN_WAY:
                piece["shape"]["cavity"] = cut["cavity"]
                if "build" in cut:
                    piece["shape"]["build"] = cut["build"]
        else:
            piece["shape"]["thickness_mm" if shape in {"slab", "box", "ellipsoid"} else "diameter_mm"] = self.size_mm
        piece["start_c"], piece["count"] = self.start_c, self.count
        piece.pop("x-sizes-mm", None)
        if len(set(self.sizes_mm)) > 1:
            piece["x-sizes-mm"] = list(self.sizes_mm)
        if self.mass_g is not None:
            piece["mass_g"] = self.mass_g
        return piece

    def _done(self, piece: dict[str, Any], cut: Row) -> None:
        """What was done to it: the cut's own handling and form, and what the sentence says besides."""
        piece.pop("handling", None)
        handling = [*cut.get("handling", ()), *(d for d in self.done if d in HANDLING)]
        if handling:
            piece["handling"] = list(dict.fromkeys(handling))
        forms = [d for d in self.done if d not in HANDLING]
        if forms:
            piece["form"] = forms[0]
        elif "form" in piece:
            piece["form"] = cut["form"]

    def _heated(self, out: dict[str, Any], shape: str) -> None:
        """The way with its stages, in the kitchen's own gear, and what lies beside it; put into the document.

        Raises
        ------
        FormatError
            When the way cannot cook this shape.
        """
        out["kitchen"] = {"altitude_m": self.altitude_m, "air_c": self.air_c}
        if self.way == OWN_WAY:
            for stage in out["stages"]:
                if "peak_core_c" in stage.get("until", {}):
                    peak = stage["until"]["peak_core_c"]
                    moved_k = self.target_c - self.base.get("target", {}).get("core_c", peak)
                    stage["until"]["peak_core_c"] = round(peak + moved_k, 2)
            return
        way = self._way()
        if shape not in way["shapes"]:
            raise FormatError(
                say(
                    "The way {name!r} is for {choices}; this piece has another shape: {shape}. Choose another way.",
                    name=way["name"],
                    choices=", ".join(way["shapes"]),
                    shape=shape,
                ),
                path="/way",
                code="choice",
            )
        out["way"] = {"id": way["id"], "version": way["version"]}
        known = Known(self.size_mm, self.start_c, self.target_c, self.altitude_m)
        out["stages"] = stages_of(way, out, known)
        set_heat(out["stages"], self.heat_c, self.minutes, self.target_c)
        if self.gear is not None:
            shift_heat(out["stages"], float(self.gear["offset_c"]))
            if "store" in self.gear and "mass_g" in out["piece"]:
                give_store(out["stages"], self.gear["store"], self.count, self.apart_s)
            out["x-gear"] = dict(self.gear)
        lay_beside(out, self.beside)
        for key, value in (
            ("x-heat-c", self.heat_c),
            ("x-minutes", self.minutes),
            ("x-temper-min", self.temper_min or None),
            ("x-apart-s", self.apart_s or None),
        ):
            if value is not None:
                out[key] = value
        if self.temper_min:
            out["stages"].insert(0, {"kind": "rest", "minutes": self.temper_min, "cover": "bare", "x-say": "temper"})
        lead_core(out)

    def _part_targets(self, cut: Row | None) -> dict[str, float]:
        """The targets of a bird's parts: as far from the bird's as the cut's are; as the file has them where it keeps its own."""
        if self.way == OWN_WAY or cut is None:
            kept = self.base.get("target", {})
            return {k: float(kept[k]) for k in PART_TARGETS if k in kept}
        usual = cut.get("doneness_c", self.target_c)
        return {k: round(self.target_c + cut[k] - usual, 2) for k in PART_TARGETS if k in cut}

    def _way(self) -> Row:
        found = self.book.way(self.way, self.way_version)
        if found is None:
            version = "" if self.way_version is None else f", version {self.way_version}"
            raise FormatError(
                say(
                    "The book has no way {way!r}{version}; choose one of {choices}.",
                    way=self.way,
                    version=version,
                    choices=", ".join(self.book.ways),
                ),
                path="/way",
                code="choice",
            )
        return found


def _size_of(shape: Mapping[str, Any]) -> float:
    """The size, mm, of what is told by its mass: an egg's breadth, the height of one that was opened, a bird's breast."""
    if shape["kind"] != "egg":
        return round(breast_mm(shape["mass_g"]), 1)
    if shape.get("opened"):
        return round(1000.0 * min(egg_sizes(room_g(shape), shape_index=species_of(shape)["shape"])), 1)
    return round(egg_breadth_mm(shape["mass_g"]), 1)


def _done_of(piece: Mapping[str, Any], cut: Row | None) -> tuple[str, ...]:
    """What was done to a piece beside what its cut says: its form where it is another, then its handling."""
    if cut is None:
        return ()
    form = piece.get("form", cut["form"])
    more = [h for h in piece.get("handling", ()) if h not in cut.get("handling", ())]
    return tuple(([form] if form != cut["form"] else []) + more)


def from_document(document: Mapping[str, Any], altitude_m: float, air_c: float, book: Book | None = None) -> Sentence:
    """The sentence of a checked plan document; what it cannot say is kept as its base.

    It reads back with the versions of cut and way that the plan names, from a ``book`` (default the shipped one).

    Parameters
    ----------
    document : mapping
    altitude_m, air_c : float
        Of the kitchen, for a plan that does not say it: m, °C.
    book : Book, optional
    """
    book = book or shipped()
    piece = document["piece"]
    shape = piece["shape"]
    stated = document.get("way", {})
    way, version = stated.get("id", ""), stated.get("version")
    kitchen = document.get("kitchen", {})
    serve = document.get("serve_at")
    cut = piece.get("cut", "")
    peak = next((s["until"]["peak_core_c"] for s in document["stages"] if "peak_core_c" in s.get("until", {})), None)
    sentence = Sentence(
        cut=cut,
        size_mm=shape.get("thickness_mm", shape.get("diameter_mm", 0.0)) or _size_of(shape),
        start_c=piece["start_c"],
        target_c=document.get("target", {}).get("core_c", peak if peak is not None else 55.0),
        way=way,
        mass_g=piece.get("mass_g", shape.get("mass_g")),
        count=piece.get("count", 1),
        serve_at=datetime.fromisoformat(serve) if serve else None,
        rules=document.get("rules", "us-food-code-2022"),
        guests=document.get("guests", "general"),
        altitude_m=kitchen.get("altitude_m", altitude_m),
        air_c=kitchen.get("air_c", air_c),
        title=document.get("title", ""),
        own_food=OwnFood.of_piece(piece),
        done=_done_of(piece, book.cut(cut, piece.get("x-cut-version", 1))),
        unread=unread_of(document),
        house=document.get("x-house"),
        base=document,
        heat_c=document.get("x-heat-c"),
        minutes=document.get("x-minutes"),
        sizes_mm=tuple(piece.get("x-sizes-mm", ())),
        temper_min=document.get("x-temper-min", 0.0),
        apart_s=document.get("x-apart-s", 0.0),
        beside=tuple(o for s in document["stages"] for o in s.get("also", ())),
        gear=document.get("x-gear"),
        way_version=version,
        cut_version=piece.get("x-cut-version", 1),
        spreads_version=document.get("x-spreads-version", 1),
        book=book,
    )
    rebuilt = None
    row = book.cut(cut, sentence.cut_version)
    if (
        book.way(way, version) is not None
        and row is not None
        and row["shape"] == shape["kind"]
        and (sentence.own_food is not None or row["food"] == piece.get("food"))
    ):
        try:
            rebuilt = sentence.document()
        except FormatError:
            rebuilt = None
    if rebuilt is None or not _same_stages(rebuilt["stages"], document["stages"]):
        sentence = replace(sentence, way=OWN_WAY)
    return sentence


def _same_stages(rebuilt: Sequence[Mapping[str, Any]], kept: Sequence[Mapping[str, Any]]) -> bool:
    """Whether stages are the same but for what a core's lead over its coldest place came to when they were made."""
    if len(rebuilt) != len(kept):
        return False
    for a, b in zip(rebuilt, kept, strict=True):
        peaks = [s.get("until", {}).get("peak_core_c") for s in (a, b)]
        if None in peaks or abs(peaks[0] - peaks[1]) > LEAD_MOVES_K:
            if a != b:
                return False
        elif {**a, "until": None} != {**b, "until": None}:
            return False
    return True
