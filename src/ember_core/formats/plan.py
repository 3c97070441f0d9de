"""The open plan format, ``open-ember.plan/1``: reading, checking and the values the solver needs.

Nothing heavy is imported here, so that a bad file is refused before the solver is loaded.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import lru_cache
from importlib.resources import files
from typing import Any

from ember_core.book.foods import doneness_of, food_row, foods
from ember_core.errors import FormatError, InputError, ValueRangeError
from ember_core.formats.shapes import check_mass, check_shape, shapes_of
from ember_core.formats.sharing import also_of, check_one_at_a_time, check_store
from ember_core.formats.stages import OF_YOLK, read_stage
from ember_core.formats.usable import check_usable, pointer
from ember_core.heat.geometry.bird import build_of, cavity_of, leading, parts_of
from ember_core.heat.geometry.egg_outline import FOODS as EGGS
from ember_core.heat.geometry.egg_outline import species_of
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.stores import kinds as stores
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan, pieces_kg
from ember_core.plan.requirement import JUICELESS
from ember_core.plan.shapes import BY_MASS
from ember_core.plan.stages import StageSpec
from ember_core.safety.forms import OPENS, as_it_is, requirement
from ember_core.wording.message import say

FORMAT = "open-ember.plan/1"

MAX_BYTES = 1_000_000

HOUSE_KEYS = ("base", "rows", "written_plan", "validated")


PART_TARGETS = ("breast_c", "leg_c", "stuffing_c")

DONE_THROUGH_C = 74.0  # of a stuffing, and of a bird that states nothing: US FDA, Food Code 2022, 3-401.11(A)(3)


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


def _reject_constant(token: str) -> float:
    raise FormatError(say("{token} is not a number a file may hold; write a plain decimal number.", token=token))


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object whose keys stand once: of two values one would be ignored."""
    out: dict[str, Any] = {}
    for key, value in pairs:
        if key in out:
            raise FormatError(
                say("The key {value!r} stands twice in one object; keep one.", value=key[:40]), code="duplicate-key"
            )
        out[key] = value
    return out


def loads(text: str | bytes) -> Plan:
    """Parse and check a plan file.

    Raises
    ------
    FormatError, ValueRangeError
        With the JSON pointer of the place and what to do.
    """
    return parse(loads_document(text))


def loads_document(text: str | bytes) -> Any:
    """A file of one of the open formats as JSON: no larger than may be, every key once, plain numbers only.

    Raises
    ------
    FormatError
    """
    if len(text) > MAX_BYTES:
        raise FormatError(
            say(
                "The file has {many:,} bytes; a plan may have {MAX_BYTES:,}. Remove notes or report times.",
                many=len(text),
                MAX_BYTES=MAX_BYTES,
            ),
            code="too-large",
        )
    try:
        return json.loads(text, parse_constant=_reject_constant, object_pairs_hook=_no_doubles)
    except (ValueError, RecursionError) as error:
        raise FormatError(
            say("Not readable as JSON: {error}. Check commas, quotes and brackets.", error=error), code="json"
        ) from None


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
            say(
                "Unknown key {choices}. Known here: {choices2}; own keys begin with x-.",
                choices=", ".join(map(repr, unknown)),
                choices2=", ".join(sorted(known)),
            ),
            path=where,
            code="unknown-key",
        )
    if kind == "required":
        missing = [k for k in limit if k not in value]
        return FormatError(
            say("{name} lacks {choices}; add it.", name=name, choices=", ".join(missing)),
            path=f"{path}/{missing[0]}",
            code="missing",
        )
    if kind in {"minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum"}:
        word = {
            "minimum": "at least",
            "maximum": "at most",
            "exclusiveMinimum": "more than",
            "exclusiveMaximum": "less than",
        }[kind]
        return ValueRangeError(
            say("{name} is {value}; give {word} {limit}.", name=name, value=value, word=word, limit=limit), path=path
        )
    if kind == "type":
        return FormatError(
            say("{name} must be a {limit}, not {value}.", name=name, limit=limit, value=json.dumps(value)[:40]),
            path=path,
            code="type",
        )
    if kind == "enum":
        return FormatError(
            say(
                "{name} is {value}; choose one of {choices}.",
                name=name,
                value=json.dumps(value)[:40],
                choices=", ".join(map(str, limit)),
            ),
            path=path,
            code="choice",
        )
    if kind == "const":
        return FormatError(say("{name} must be {value}.", name=name, value=json.dumps(limit)), path=path, code="choice")
    return FormatError(say("{name}: {value}", name=name, value=error.message[:200]), path=path)


def check(document: Any, name: str = "plan-1") -> None:
    """Validate a document against a published schema; the deepest, first violation is reported."""
    check_usable(document)
    errors = sorted(_validator(name).iter_errors(document), key=lambda e: (-len(e.absolute_path), str(e.absolute_path)))
    if errors:
        raise _explain(errors[0])


def parse(document: Any) -> Plan:
    """Check a parsed document and build the plan; raises as :func:`loads`."""
    check(document)
    piece = document["piece"]
    row = _food_of(piece)
    _check_sentence(document)
    check_shape(piece["shape"])
    stuffed = piece["shape"]["kind"] == "bird" and cavity_of(piece["shape"]) == "stuffed"
    if stuffed and build_of(piece["shape"]) == "spread":
        raise FormatError(
            say("A bird that is laid flat has no cavity to stuff; leave build out, or cavity."),
            path="/piece/shape/build",
            code="choice",
        )
    opened = [h for h in piece.get("handling", ()) if h in OPENS]
    required = as_it_is(requirement(row, "stuffed" if stuffed else piece.get("form"), opened), row, document)
    check_mass(piece)
    kitchen = document.get("kitchen", {})
    altitude_m = float(kitchen.get("altitude_m", 0.0))
    stages = tuple(
        read_stage(s, i, shape, altitude_m)
        for i, (s, shape) in enumerate(zip(document["stages"], shapes_of(document), strict=True))
    )
    _check_stages(document, stages)
    _check_egg(document, stages)
    if "salt" in piece and (piece.get("properties") is not None or required.form in JUICELESS):
        raise FormatError(
            say("salt says how much juice meat, poultry or fish keeps; of this piece it says nothing. Leave it out."),
            path="/piece/salt",
            code="choice",
        )
    check_one_at_a_time(stages, any("also" in s for s in document["stages"]))
    target = _target(document.get("target", {}), row)
    targets = _targets(document, row, target)
    plan = Plan(
        document=document,
        title=document.get("title", ""),
        food=piece.get("food"),
        composition=piece.get("composition"),
        properties=piece.get("properties"),
        form=required.form,
        required=required,
        shape=piece["shape"],
        start_c=float(piece["start_c"]),
        target_c=target,
        stages=stages,
        altitude_m=altitude_m,
        air_c=float(kitchen.get("air_c", 22.0)),
        rules=document.get("rules"),
        guests=document.get("guests", "general"),
        report_at_s=tuple(sorted(float(t) for t in document.get("report_at_s", ()))),
        forecast=document.get("forecast"),
        serve_at=_serve_at(document.get("serve_at")),
        house=_house(document),
        targets=targets,
        also=also_of(document, stages, parse),
    )
    return plan if targets is None else plan.of_part(_leading(plan, targets))


def _food_of(piece: Mapping[str, Any]) -> dict[str, Any] | None:
    """The row of a piece's food; None of one that is told by its composition or properties, which are checked."""
    row = None
    if "food" in piece:
        row = food_row(piece["food"])
        if row is None:
            ids = ", ".join(foods())
            raise FormatError(
                say("Unknown food {food!r}; choose one of {ids}.", food=piece["food"], ids=ids),
                path="/piece/food",
                code="choice",
            )
    elif "composition" not in piece and "properties" not in piece:
        raise FormatError(
            say("piece needs food, composition or properties; add one."), path="/piece/food", code="missing"
        )
    total = math.fsum(v for k, v in piece.get("composition", {}).items() if not k.startswith("x-"))
    if "composition" in piece and not 0.97 <= total <= 1.03:
        raise ValueRangeError(
            say("The parts sum to {total:.3f}; mass fractions must sum to 1 (within 0.03).", total=total),
            path="/piece/composition",
        )
    return row


def _check_stages(document: Mapping[str, Any], stages: Sequence[StageSpec]) -> None:
    """What stages ask of one another, of the rules and of the piece: one pull, a profile, a store, what an oven or bath holds."""
    piece = document["piece"]
    peaks = [i for i, s in enumerate(stages) if s.until == "peak_core_c"]
    if len(peaks) > 1:
        raise FormatError(
            say("Only one stage may be solved for a peak; leave peak_core_c in one."),
            path=f"/stages/{peaks[1]}/until/peak_core_c",
            code="two-pulls",
        )
    for i, stage in enumerate(stages):
        if stage.until == "rule" and "rules" not in document:
            raise FormatError(
                say("until rule needs rules, the profile whose clause is waited for; add it."),
                path=f"/stages/{i}/until/rule",
                code="missing",
            )
        check_store(stage, i, piece)
        if stage.load is not None and stage.kind == "oven":
            own = pieces_kg(piece) or 0.0
            if stage.load.get("kg", own) < own:
                raise ValueRangeError(
                    say(
                        "The oven holds {kg:g} kg, and these pieces alone weigh {own:g} kg; kg is everything in it, these "
                        "included. Give at least what they weigh.",
                        kg=stage.load["kg"],
                        own=own,
                    ),
                    path=f"/stages/{i}/load/kg",
                )
        elif stage.load is not None and "mass_g" not in piece:
            raise FormatError(
                say("A bath's load needs piece.mass_g, what one piece weighs; add it, or leave load out."),
                path="/piece/mass_g",
                code="missing",
            )


def _check_egg(document: Mapping[str, Any], stages: Sequence[StageSpec]) -> None:
    """An egg has a mass that its species has; a yolk and a white are waited for, and wanted, of an egg in its shell only."""
    piece = document["piece"]
    shape = piece["shape"]
    if shape["kind"] == "egg":
        row = species_of(shape)
        if not row["least_g"] <= shape["mass_g"] <= row["most_g"]:
            raise ValueRangeError(
                say(
                    "An egg of a {species} weighs {least:mass} to {most:mass}, not {mass:mass}. Correct the mass, or choose another species.",
                    species=say(row["name"]),
                    least=row["least_g"],
                    most=row["most_g"],
                    mass=shape["mass_g"],
                ),
                path="/piece/shape/mass_g",
            )
    own = shape["kind"] == "egg" and piece.get("food") in EGGS
    if own and piece.get("properties") is None and piece.get("composition") is None:
        return
    paths = [f"/target/{k}" for k in ("yolk", "white") if k in document.get("target", {})]
    paths += [f"/stages/{i}/until/{s.until}" for i, s in enumerate(stages) if s.until in OF_YOLK]
    if paths:
        raise FormatError(
            say(
                "Yolk and white are known of an egg in its shell: shape.kind egg and food egg-whole or egg-duck. Leave this out."
            ),
            path=paths[0],
            code="choice",
        )


def _leading(plan: Plan, targets: Mapping[str, float]) -> str:
    """The part of a bird that is cooked last, in the hottest of what it meets."""
    heats = [s.face_a.medium_c for s in plan.stages if s.kind in HEAT_KINDS and s.face_a.medium_c is not None]
    return leading(plan.shape, targets, plan.start_c, max(heats, default=boiling_point(plan.altitude_m)))


def _targets(
    document: Mapping[str, Any], row: Mapping[str, Any] | None, core_c: float | None
) -> dict[str, float] | None:
    """The targets of a bird's parts, °C: their own, else the bird's; None of what is no bird.

    Raises
    ------
    FormatError
        A part's target of what has no such part, or without the bird's own.
    """
    shape, stated = document["piece"]["shape"], document.get("target", {})
    own = {k.removesuffix("_c"): float(v) for k, v in stated.items() if k in PART_TARGETS}
    bird = shape["kind"] == "bird"
    for part in own:
        if not bird or part not in parts_of(shape):
            why = say("A {kind} has no {part}", kind=say(shape["kind"]), part=say(part))
            if bird:
                why = say("This bird's cavity is not stuffed")
            raise FormatError(
                say("{why}; leave {key} out.", why=why, key=f"{part}_c"), path=f"/target/{part}_c", code="choice"
            )
    if not bird:
        return None
    if own and core_c is None:
        raise FormatError(
            say("A part's target stands beside the bird's, for which stages wait; add target.core_c."),
            path="/target/core_c",
            code="missing",
        )
    usual = core_c if core_c is not None else DONE_THROUGH_C
    stuffing = {"stuffing": max(usual, DONE_THROUGH_C)}
    return {part: own.get(part, stuffing.get(part, usual)) for part in parts_of(shape)}


def _house(document: Mapping[str, Any]) -> Mapping[str, Any] | None:
    """The house's own rules a document carries as ``x-house``; their rows are checked where they are used."""
    house = document.get("x-house")
    if house is None:
        return None
    if document.get("rules") != "house":
        raise FormatError(
            say(
                "x-house holds the house's own rules, and rules is not house; set rules to house, or leave x-house out."
            ),
            path="/x-house",
            code="house",
        )
    if not isinstance(house, Mapping) or not isinstance(house.get("base"), str):
        raise FormatError(
            say("x-house needs base, the id of the rules it follows, and may have rows, written_plan and validated."),
            path="/x-house",
            code="house",
        )
    unknown = sorted(k for k in house if k not in HOUSE_KEYS and not k.startswith("x-"))
    if unknown:
        raise FormatError(
            say("Unknown key {value!r}. Known here: {choices}.", value=unknown[0], choices=", ".join(HOUSE_KEYS)),
            path=f"/x-house/{unknown[0]}",
            code="unknown-key",
        )
    return house


SENTENCE = {
    "x-heat-c": (-60.0, 400.0),
    "x-minutes": (0.0, 20160.0),
    "x-temper-min": (0.0, 1440.0),
    "x-apart-s": (0.0, 600.0),
}
MOST_SIZES = 200
MOST_OFFSET_K = 60.0


def _check_sentence(document: Mapping[str, Any]) -> None:
    """What the sentence of a plan keeps beside its stages: numbers in their range."""
    for key, (least, most) in SENTENCE.items():
        value = document.get(key)
        if value is not None and (
            isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most
        ):
            raise ValueRangeError(
                say(
                    "{key} is a number from {least:g} to {most:g}; correct it, or leave it out.",
                    key=key,
                    least=least,
                    most=most,
                ),
                path=f"/{key}",
            )
    gear = document.get("x-gear")
    if gear is not None:
        offset = gear.get("offset_c") if isinstance(gear, Mapping) else None
        if isinstance(offset, bool) or not isinstance(offset, int | float) or abs(offset) > MOST_OFFSET_K:
            raise ValueRangeError(
                say(
                    "x-gear has a name and offset_c, from -{most:g} to {most:g} K; correct it, or leave it out.",
                    most=MOST_OFFSET_K,
                ),
                path="/x-gear",
            )
        store = gear.get("store", {"kind": "pan"})
        places = store.get("places", 1) if isinstance(store, Mapping) else None
        if not isinstance(store, Mapping) or store.get("kind") not in stores() or not isinstance(places, int):
            raise FormatError(
                say(
                    "x-gear's store is an object whose kind is one of {choices} and whose places is a whole number; correct it, or "
                    "leave it out.",
                    choices=", ".join(stores()),
                ),
                path="/x-gear/store",
                code="choice",
            )
    sizes = document["piece"].get("x-sizes-mm", ())
    good = isinstance(sizes, list | tuple) and len(sizes) <= MOST_SIZES
    if not good or any(isinstance(s, bool) or not isinstance(s, int | float) or not 1.0 <= s <= 400.0 for s in sizes):
        raise ValueRangeError(
            say(
                "x-sizes-mm is a list of at most {most} sizes from 1 to 400 mm; correct it, or leave it out.",
                most=MOST_SIZES,
            ),
            path="/piece/x-sizes-mm",
        )
    if sizes and document["piece"]["shape"]["kind"] in BY_MASS:
        raise FormatError(
            say("An egg's or a bird's size is its mass; leave x-sizes-mm out, and make a plan for each size."),
            path="/piece/x-sizes-mm",
            code="choice",
        )


def _target(target: Mapping[str, Any], row: Mapping[str, Any] | None) -> float | None:
    """The core asked for, °C: as stated, else that of the doneness named for the food."""
    core, name = target.get("core_c"), target.get("doneness")
    if core is not None or name is None:
        return None if core is None else float(core)
    names = doneness_of(row)
    if name not in names:
        known = f"choose one of {', '.join(names)}, or " if names else ""
        raise FormatError(
            say(
                "target.doneness is {value!r}, which has no temperature for this food; {known}give target.core_c.",
                value=name[:40],
                known=known,
            ),
            path="/target/doneness",
            code="choice",
        )
    return names[name]


def _serve_at(text: str | None) -> datetime | None:
    if text is None:
        return None
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise FormatError(
            say("serve_at is {text!r}; write a date and time such as 2026-12-05T19:40+01:00.", text=text),
            path="/serve_at",
            code="time",
        ) from None
