"""The open plan format, ``open-ember.plan/1``: reading, checking and the values the solver needs.

Nothing heavy is imported here, so that a bad file is refused before the solver is loaded.
"""

from __future__ import annotations

import csv
import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from importlib.resources import files
from typing import Any

from ember_core.data.loader import read_text, read_toml
from ember_core.errors import FormatError, InputError, ValueRangeError

FORMAT = "open-ember.plan/1"
MAX_BYTES = 1_000_000
NEEDS_MEDIUM = frozenset({"bath", "oven", "pan", "grill", "fry", "baste", "hold", "chill", "thaw"})
FACE_KEYS = ("medium_c", "surface", "cover", "variant", "medium_from_c", "settle_minutes", "humidity")
UNTIL_KEYS = ("core_c", "surface_c", "mean_c", "log10", "rule", "peak_core_c")


@dataclass(frozen=True)
class FaceSpec:
    """What one face meets, as the plan states it."""

    kind: str
    medium_c: float | None = None
    surface: Mapping[str, Any] | None = None
    cover: str | None = None
    variant: str | None = None
    medium_from_c: float | None = None
    settle_minutes: float = 3.0
    humidity: float | None = None


@dataclass(frozen=True)
class StageSpec:
    """One stage: a kind, its longest duration, its faces and what may end it earlier."""

    kind: str
    minutes: float
    face_a: FaceSpec
    face_b: FaceSpec
    face_side: FaceSpec
    face_edge: FaceSpec  # one of a box's two long narrow sides; otherwise the same as the side
    until: str | None = None
    until_value: float = 0.0
    organism: str = "salmonella"
    load: Mapping[str, float] | None = None

    @property
    def seconds(self) -> float:
        """Longest duration, s."""
        return self.minutes * 60.0

    @property
    def all_faces(self) -> tuple[FaceSpec, FaceSpec, FaceSpec, FaceSpec]:
        """Faces a and b, the side, and the edge."""
        return self.face_a, self.face_b, self.face_side, self.face_edge


@dataclass(frozen=True)
class Plan:
    """A checked plan. ``document`` is the file as it came; the rest is what the core computes with."""

    document: Mapping[str, Any]
    title: str
    food: str | None
    composition: Mapping[str, float] | None
    properties: Mapping[str, float] | None
    form: str
    shape: Mapping[str, Any]
    start_c: float
    target_c: float | None
    stages: tuple[StageSpec, ...]
    altitude_m: float = 0.0
    air_c: float = 22.0
    rules: str | None = None
    guests: str = "general"
    report_at_s: tuple[float, ...] = ()
    forecast: Mapping[str, Any] | None = None
    serve_at: datetime | None = None
    house: Mapping[str, Any] | None = None  # the house's own rules, when the plan goes by them

    @property
    def kept_by(self) -> str:
        """The profile whose numbers for cooling, holding and keeping hold: the house's are its base's."""
        if self.rules == "house" and self.house is not None:
            return str(self.house.get("base", ""))
        return self.rules or ""

    @property
    def face_kinds(self) -> tuple[tuple[str, ...], ...]:
        """What faces a, b, the side and the edge meet in each stage: their kinds."""
        return tuple(tuple(f.kind for f in s.all_faces) for s in self.stages)


@lru_cache(maxsize=4)
def schema(name: str = "plan-1") -> dict[str, Any]:
    """A published JSON Schema as parsed JSON."""
    text = (files("ember_core.formats") / f"{name}.schema.json").read_text(encoding="utf-8")
    parsed: dict[str, Any] = json.loads(text)
    return parsed


@lru_cache(maxsize=4)
def _validator(name: str) -> Any:
    from jsonschema import Draft202012Validator

    return Draft202012Validator(schema(name))


@lru_cache(maxsize=1)
def foods() -> dict[str, dict[str, Any]]:
    """The food table by id; ``parts`` are mass %, of the edible part, raw."""
    lines = [line for line in read_text("foods.csv").splitlines() if not line.startswith("#")]
    out: dict[str, dict[str, Any]] = {}
    for raw in csv.DictReader(lines):
        row: dict[str, Any] = {k: raw[k] for k in ("id", "name", "species", "form", "ramp", "targets", "source")}
        row["parts"] = {k: float(raw[k]) for k in ("water", "protein", "fat", "carbohydrate", "fibre", "ash")}
        row |= {k: float(raw[k]) for k in ("freezing_c", "confidence")}
        out[row["id"]] = row
    return out


def food_row(food_id: str) -> dict[str, Any] | None:
    """A row of the food table, or None."""
    return foods().get(food_id)


def _reject_constant(token: str) -> float:
    raise FormatError(f"{token} is not a number a file may hold; write a plain decimal number.")


def loads(text: str | bytes) -> Plan:
    """Parse and check a plan file.

    Raises
    ------
    FormatError, ValueRangeError
        With the JSON pointer of the place and what to do.
    """
    if len(text) > MAX_BYTES:
        raise FormatError(
            f"The file has {len(text):,} bytes; a plan may have {MAX_BYTES:,}. Remove notes or report times.",
            code="too-large",
        )
    try:
        document = json.loads(text, parse_constant=_reject_constant)
    except (ValueError, RecursionError) as error:
        raise FormatError(f"Not readable as JSON: {error}. Check commas, quotes and brackets.", code="json") from None
    return parse(document)


def pointer(parts: Any) -> str:
    """JSON pointer (RFC 6901) of a path."""
    return "".join("/" + str(p).replace("~", "~0").replace("/", "~1") for p in parts)


def _explain(error: Any) -> InputError:
    """Turn a schema violation into an error that names the field and the remedy."""
    path = pointer(error.absolute_path)
    name = str(error.absolute_path[-1]) if error.absolute_path else "the plan"
    value = error.instance
    kind, limit = error.validator, error.validator_value
    if kind == "additionalProperties":
        known = set(error.schema.get("properties", {}))
        unknown = sorted(k for k in value if k not in known and not k.startswith("x-"))
        where = f"{path}/{unknown[0]}" if unknown else path
        return FormatError(
            f"Unknown key {', '.join(map(repr, unknown))}. Known here: {', '.join(sorted(known))}; "
            "own keys begin with x-.",
            path=where,
            code="unknown-key",
        )
    if kind == "required":
        missing = [k for k in limit if k not in value]
        return FormatError(f"{name} lacks {', '.join(missing)}; add it.", path=f"{path}/{missing[0]}", code="missing")
    if kind in {"minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum"}:
        word = {
            "minimum": "at least",
            "maximum": "at most",
            "exclusiveMinimum": "more than",
            "exclusiveMaximum": "less than",
        }[kind]
        return ValueRangeError(f"{name} is {value}; give {word} {limit}.", path=path)
    if kind == "type":
        return FormatError(f"{name} must be a {limit}, not {json.dumps(value)[:40]}.", path=path, code="type")
    if kind == "enum":
        return FormatError(
            f"{name} is {json.dumps(value)[:40]}; choose one of {', '.join(map(str, limit))}.", path=path, code="choice"
        )
    if kind == "const":
        return FormatError(f"{name} must be {json.dumps(limit)}.", path=path, code="choice")
    return FormatError(f"{name}: {error.message[:200]}", path=path)


def check(document: Any, name: str = "plan-1") -> None:
    """Validate a document against a published schema; the deepest, first violation is reported."""
    _finite(document, ())
    errors = sorted(_validator(name).iter_errors(document), key=lambda e: (-len(e.absolute_path), str(e.absolute_path)))
    if errors:
        raise _explain(errors[0])


def _finite(node: Any, path: tuple[Any, ...]) -> None:
    if isinstance(node, float) and not math.isfinite(node):
        raise ValueRangeError("The number is too large to be one; write a plain decimal number.", path=pointer(path))
    if isinstance(node, int) and not isinstance(node, bool) and abs(node) > 10**15:
        raise ValueRangeError("The number is too large; check its digits.", path=pointer(path))
    if isinstance(node, Mapping):
        for key, value in node.items():
            _finite(value, (*path, key))
    elif isinstance(node, list):
        for i, value in enumerate(node):
            _finite(value, (*path, i))


def parse(document: Any) -> Plan:
    """Check a parsed document and build the plan; raises as :func:`loads`."""
    check(document)
    piece = document["piece"]
    row = None
    if "food" in piece:
        row = food_row(piece["food"])
        if row is None:
            ids = ", ".join(foods())
            raise FormatError(
                f"Unknown food {piece['food']!r}; choose one of {ids}.", path="/piece/food", code="choice"
            )
    elif "composition" not in piece and "properties" not in piece:
        raise FormatError("piece needs food, composition or properties; add one.", path="/piece/food", code="missing")
    composition = piece.get("composition")
    if composition is not None:
        total = math.fsum(v for k, v in composition.items() if not k.startswith("x-"))
        if not 0.97 <= total <= 1.03:
            raise ValueRangeError(
                f"The parts sum to {total:.3f}; mass fractions must sum to 1 (within 0.03).", path="/piece/composition"
            )
    form = piece.get("form") or (row["form"] if row else "steak")
    stages = tuple(_stage(s, i, faces_of(piece["shape"])) for i, s in enumerate(document["stages"]))
    peaks = [i for i, s in enumerate(stages) if s.until == "peak_core_c"]
    if len(peaks) > 1:
        raise FormatError(
            "Only one stage may be solved for a peak; leave peak_core_c in one.",
            path=f"/stages/{peaks[1]}/until/peak_core_c",
            code="two-pulls",
        )
    kitchen = document.get("kitchen", {})
    target = document.get("target", {}).get("core_c")
    return Plan(
        document=document,
        title=document.get("title", ""),
        food=piece.get("food"),
        composition=composition,
        properties=piece.get("properties"),
        form=form,
        shape=piece["shape"],
        start_c=float(piece["start_c"]),
        target_c=None if target is None else float(target),
        stages=stages,
        altitude_m=float(kitchen.get("altitude_m", 0.0)),
        air_c=float(kitchen.get("air_c", 22.0)),
        rules=document.get("rules"),
        guests=document.get("guests", "general"),
        report_at_s=tuple(sorted(float(t) for t in document.get("report_at_s", ()))),
        forecast=document.get("forecast"),
        serve_at=_serve_at(document.get("serve_at")),
        house=_house(document),
    )


def _house(document: Mapping[str, Any]) -> Mapping[str, Any] | None:
    """The house's own rules a document carries as ``x-house``; their rows are checked where they are used."""
    house = document.get("x-house")
    if document.get("rules") != "house" or house is None:
        return None
    if not isinstance(house, Mapping) or not isinstance(house.get("base"), str):
        raise FormatError(
            "x-house needs base, the id of the rules it follows, and may have rows and written_plan.",
            path="/x-house",
            code="house",
        )
    return house


def _serve_at(text: str | None) -> datetime | None:
    if text is None:
        return None
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise FormatError(
            f"serve_at is {text!r}; write a date and time such as 2026-12-05T19:40+01:00.",
            path="/serve_at",
            code="time",
        ) from None


def faces_of(shape: Mapping[str, Any]) -> tuple[str, ...]:
    """The faces a stage may describe one by one: a slab's two; the side of a box or a short cylinder; a box's edge."""
    kind = shape["kind"]
    if kind == "sphere" or (kind == "cylinder" and "length_mm" not in shape):
        return ("a",)
    if kind == "box":
        return ("a", "b", "side", "edge")
    return ("a", "b", "side") if kind == "cylinder" else ("a", "b")


def _stage(raw: Mapping[str, Any], index: int, known: tuple[str, ...]) -> StageSpec:
    at = f"/stages/{index}"
    kind = raw["kind"]
    shared = {k: raw[k] for k in FACE_KEYS if k in raw}
    faces = raw.get("faces")
    for name in faces or ():
        if name not in known:
            words = "one face; describe it as a" if known == ("a",) else f"the faces {', '.join(known)}"
            raise FormatError(f"This shape has {words}.", path=f"{at}/faces/{name}", code="face")
    specs: list[FaceSpec] = []
    lidded = raw.get("cover") == "lidded"
    for name in ("a", "b", "side", "edge"):
        described = name if name in known else "a"
        if name == "edge" and (faces is None or "edge" not in faces):
            specs.append(specs[2])
            continue
        own = None if faces is None else faces.get(described)
        if (
            faces is not None
            and own is None
            and (lidded or not any(k in shared for k in ("medium_c", "surface", "cover")))
        ):
            specs.append(FaceSpec("rest", cover="lidded" if lidded else "bare"))
            continue
        merged = {**shared, **{k: v for k, v in (own or {}).items() if not k.startswith("x-")}}
        face_kind = merged.pop("kind", kind)
        where = f"{at}/faces/{described}/medium_c" if own is not None else f"{at}/medium_c"
        if face_kind in NEEDS_MEDIUM and "medium_c" not in merged:
            raise FormatError(
                f"A {face_kind} stage needs medium_c, the temperature of what the face meets; add it.",
                path=where,
                code="missing",
            )
        _check_variant(face_kind, merged.get("variant"), at)
        if "humidity" in merged and face_kind not in {"oven", "hold", "grill"}:
            raise FormatError(
                f"humidity belongs to an oven, a grill or a hold stage, not to {face_kind}; leave it out.",
                path=f"{at}/humidity", code="choice",
            )  # fmt: skip
        specs.append(FaceSpec(face_kind, **merged))
    if "load" in raw and kind != "bath":
        raise FormatError("load describes a bath's water and heater; leave it out.", path=f"{at}/load", code="choice")
    until, value, organism = _until(raw.get("until"), at)
    return StageSpec(
        kind, float(raw["minutes"]), specs[0], specs[1], specs[2], specs[3], until, value, organism, raw.get("load")
    )


def _check_variant(kind: str, variant: str | None, at: str) -> None:
    if variant is None:
        return
    known = [
        k for k in read_toml("surroundings.toml")[kind] if k not in {"default", "bare", "tented", "wrapped", "lidded"}
    ]
    if variant not in known:
        hint = f"choose one of {', '.join(known)}" if known else "leave it out"
        raise FormatError(f"A {kind} stage has no variant {variant!r}; {hint}.", path=f"{at}/variant", code="choice")


def _until(raw: Mapping[str, Any] | None, at: str) -> tuple[str | None, float, str]:
    if raw is None:
        return None, 0.0, "salmonella"
    keys = [k for k in UNTIL_KEYS if k in raw]
    if len(keys) != 1:
        raise FormatError(
            f"until needs exactly one of {', '.join(UNTIL_KEYS)}; it has {len(keys)}.", path=f"{at}/until", code="until"
        )
    return keys[0], float(raw[keys[0]]), raw.get("organism", "salmonella")
