"""The stages of a plan: what each face meets, and what ends it.

Every key that a stage states is used by its kind or refused by name (``data/stage_kinds.toml``); nothing is ignored.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.errors import FormatError, ValueRangeError
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.stores import kinds as stores
from ember_core.heat.physics.stores import lies_in
from ember_core.plan.shapes import faces_of
from ember_core.plan.stages import FaceSpec, StageSpec
from ember_core.wording.message import say

FACE_KEYS = ("medium_c", "surface", "cover", "variant", "medium_from_c", "settle_minutes", "humidity")

UNTIL_KEYS = ("core_c", "surface_c", "surface_b_c", "mean_c", "log10", "rule", "peak_core_c", "yolk_edge_c", "yolk")
OF_YOLK = frozenset({"yolk_edge_c", "yolk"})

SAYS = ("verb", "cue", "why", "caution")

MOST_SAID = 300  # letters of a move's text

BOILING_SLACK_C = 0.5  # a boil or steam stage may state the local boiling point, within this

UNDER_LID_K = 12.0  # so far below the boiling point is the moist air under a lid; an estimate


def kinds() -> dict[str, dict[str, Any]]:
    """What may be stated of each kind of stage."""
    return read_toml("stage_kinds.toml")


def read_stage(raw: Mapping[str, Any], index: int, shape: Mapping[str, Any], altitude_m: float) -> StageSpec:
    """One stage of a plan that has passed its schema.

    Parameters
    ----------
    raw : mapping
        The stage as the file states it.
    index : int
        Its place in the plan, for errors.
    shape : mapping
        ``piece.shape``.
    altitude_m : float
        Of the kitchen, m: decides the boiling point.

    Raises
    ------
    FormatError, ValueRangeError
        A key that the stage's kind has no use for, or a missing or impossible one; named, with the remedy.
    """
    at, kind, known = f"/stages/{index}", raw["kind"], faces_of(shape)
    lidded = raw.get("cover") == "lidded"
    shared = {k: raw[k] for k in FACE_KEYS if k in raw and not (k == "cover" and lidded)}
    faces = raw.get("faces")
    for name in faces or ():
        if name not in known:
            words = (
                say("one face; describe it as a")
                if known == ("a",)
                else say("the faces {choices}", choices=", ".join(known))
            )
            raise FormatError(say("This shape has {words}.", words=words), path=f"{at}/faces/{name}", code="face")
    if lidded:
        _check_lid(kind, at)
    specs: list[FaceSpec] = []
    under: list[int] = []
    for name in ("a", "b", "side", "edge"):
        described = name if name in known else "a"
        if name == "edge" and (faces is None or "edge" not in faces):
            specs.append(specs[2])
            continue
        own = None if faces is None else faces.get(described)
        meets_air = not any(k in shared for k in ("medium_c", "surface", "cover"))
        if faces is not None and own is None and (lidded or meets_air):
            under.append(len(specs))
            specs.append(FaceSpec("rest", cover="bare"))
            continue
        stated = {k: v for k, v in (own or {}).items() if not k.startswith("x-")}
        where = {k: f"{at}/faces/{described}/{k}" if k in stated else f"{at}/{k}" for k in FACE_KEYS}
        if own is not None:
            where["missing"] = f"{at}/faces/{described}/medium_c"
        specs.append(_face({**shared, **stated}, kind, where, altitude_m, "store" in raw))
    if lidded:
        hottest = max(s.medium_c or 0.0 for i, s in enumerate(specs) if i not in under)
        for i in under:
            specs[i] = FaceSpec("rest", cover="lidded", medium_c=min(hottest, boiling_point(altitude_m) - UNDER_LID_K))
        if not under:
            raise FormatError(
                say("Every face lies in the pan, so a lid changes nothing; leave cover out, or name the faces in the pan."),
                path=f"{at}/cover", code="choice",
            )  # fmt: skip
    _unnamed(raw, faces, known, shared, at)
    if not any(s.kind == kind for s in specs):
        raise FormatError(
            say("No face of this stage meets {kind}; name the stage after what its faces meet.", kind=kind),
            path=f"{at}/kind",
            code="choice",
        )
    _load(raw, kind, at)
    support = _support(raw, kind, shape, at)
    if support is not None:
        specs[1] = replace(specs[1], support=support)
    _vapour(raw, kind, specs, at)
    until, value, organism = _until(raw.get("until"), at)
    if until == "surface_b_c" and "b" not in known:
        raise FormatError(
            say("This shape has one face, and no face b to wait for; use surface_c."),
            path=f"{at}/until/surface_b_c",
            code="face",
        )
    return StageSpec(
        kind, float(raw["minutes"]), specs[0], specs[1], specs[2], specs[3], until, value, organism, raw.get("load"), raw.get("vent", "open"),
        _said(raw.get("x-say"), at), _store(raw, specs, at), str(raw.get("until", {}).get("yolk", "")), raw.get("portion"),
    )  # fmt: skip


def _said(stated: Any, at: str) -> str | Mapping[str, str] | None:
    """What the stage's move says: a name of ``data/moves.toml``, or the house's own texts."""
    known = read_toml("moves.toml")["say"]
    if stated is None or (isinstance(stated, str) and stated in known):
        return stated
    known_parts = isinstance(stated, Mapping) and bool(stated) and set(stated) <= set(SAYS)
    if known_parts and all(
        isinstance(v, str) and len(v) <= MOST_SAID and not set(v) & {"{", "}"} for v in stated.values()
    ):
        return dict(stated)
    raise FormatError(
        say(
            "x-say is a name of a move's texts ({choices}) or an object of {parts}, each a text of at most {most} letters "
            "without braces.",
            choices=", ".join(known),
            parts=", ".join(SAYS),
            most=MOST_SAID,
        ),
        path=f"{at}/x-say",
        code="choice",
    )


def _check_lid(kind: str, at: str) -> None:
    if not kinds()[kind].get("lid"):
        raise FormatError(
            say(
                "cover lidded belongs to a pan stage, not to {kind}. {instead}",
                kind=kind,
                instead=kinds()[kind]["instead"],
            ),
            path=f"{at}/cover",
            code="choice",
        )


def _unnamed(
    raw: Mapping[str, Any], faces: Mapping[str, Any] | None, known: tuple[str, ...], shared: Mapping[str, Any], at: str
) -> None:
    """With faces named, a key of the whole stage must still reach one that does not state its own."""
    if faces is None:
        return
    for key in shared:
        named = [f for f in faces.values() if key not in f]
        reaches = bool(named) or (
            len(faces) < len(known) and any(k in shared for k in ("medium_c", "surface", "cover"))
        )
        if not reaches:
            raise FormatError(
                say("{key} of the stage reaches no face: each states its own. Leave it out.", key=key),
                path=f"{at}/{key}",
                code="choice",
            )


def _face(
    merged: dict[str, Any], stage_kind: str, where: Mapping[str, str], altitude_m: float, in_pot: bool
) -> FaceSpec:
    """One face from what the stage and the face state together; water ``in_pot`` may begin cold."""
    kind = merged.pop("kind", stage_kind)
    rules = kinds()[kind]
    cover, surface = merged.get("cover"), merged.get("surface")

    def refuse(key: str, why: str) -> FormatError:
        return FormatError(why, path=where[key], code="choice")

    if rules.get("needs_medium") and "medium_c" not in merged:
        raise FormatError(
            say("A {kind} stage needs medium_c, the temperature of what the face meets; add it.", kind=kind),
            path=where.get("missing", where["medium_c"]),
            code="missing",
        )
    for key in merged:
        if key not in rules["keys"] and key != "cover":
            raise refuse(key, f"{key} has no meaning in a {kind} stage; leave it out. {rules['instead']}")
    _check_variant(kind, merged.get("variant"), where["variant"])
    in_water = merged.get("variant") in rules.get("water", ())
    if cover is not None and (cover not in rules["covers"] or (in_water and cover != "bare")):
        known = ", ".join(rules["covers"]) or "none"
        raise refuse("cover", f"A {kind} stage has no cover {cover!r} (known: {known}). {rules['instead']}")
    if kind == "rest" and merged.get("variant") is not None and cover is not None:
        raise refuse(
            "cover", "A face lies on or under something, or under a cover, not both; leave variant or cover out."
        )
    if surface is not None:
        for key in ("variant", "cover"):
            if key in merged:
                raise refuse(key, f"surface replaces the kind's own surroundings, {key} too; leave one of them out.")
    if "humidity" in merged:
        sealed = cover in {"wrapped", "bag"}
        dry = surface is not None and not surface.get("wet")
        if sealed or dry:
            why = (
                f"the oven's moisture does not reach a {cover} face"
                if sealed
                else "surface says that the face is not wet"
            )
            raise refuse("humidity", f"humidity counts for nothing here: {why}. Leave it out.")
    if "settle_minutes" in merged and "medium_from_c" not in merged:
        raise refuse("settle_minutes", "settle_minutes says how medium_from_c becomes medium_c; add medium_from_c.")
    _boiling(kind, rules, merged, where, altitude_m, in_pot and kind == "boil")
    return FaceSpec(kind, **merged)


def _boiling(
    kind: str,
    rules: Mapping[str, Any],
    merged: Mapping[str, Any],
    where: Mapping[str, str],
    altitude_m: float,
    in_pot: bool,
) -> None:
    """Water and steam keep to the local boiling point; a pot's water may begin below it."""
    boil_c = boiling_point(altitude_m)
    stated = merged.get("medium_c")
    cold_pot = in_pot and stated is not None and stated < boil_c
    if rules.get("at_boiling") and stated is not None and abs(stated - boil_c) > BOILING_SLACK_C and not cold_pot:
        raise FormatError(
            say(
                "A {kind} stage is at the local boiling point, {boil_c:temp1} here, not {stated:temp}; leave medium_c "
                "out. {instead}",
                kind=kind,
                boil_c=boil_c,
                stated=stated,
                instead=rules["instead"],
            ),
            path=where["medium_c"],
            code="boiling",
        )
    if kind == "simmer" and stated is not None and stated > boil_c + BOILING_SLACK_C:
        raise ValueRangeError(
            say(
                "Water boils at {boil_c:temp1} here; a simmer of {stated:temp} is none. Give at most the boiling point.",
                boil_c=boil_c,
                stated=stated,
            ),
            path=where["medium_c"],
        )
    begins = merged.get("medium_from_c")
    if (rules.get("liquid") or rules.get("at_boiling")) and begins is not None and begins > boil_c + BOILING_SLACK_C:
        raise ValueRangeError(
            say(
                "Water boils at {boil_c:temp1} here; medium_from_c is {begins:g}. Give at most the boiling point.",
                boil_c=boil_c,
                begins=begins,
            ),
            path=where["medium_from_c"],
        )


def _check_variant(kind: str, variant: str | None, path: str) -> None:
    if variant is None:
        return
    known = [
        k
        for k in read_toml("surroundings.toml")[kind]
        if k not in {"default", "bare", "tented", "wrapped", "lidded", "cloth"}
    ]
    if variant not in known:
        hint = f"choose one of {', '.join(known)}" if known else "leave it out"
        raise FormatError(
            say("A {kind} stage has no variant {variant!r}; {hint}.", kind=kind, variant=variant, hint=hint),
            path=path,
            code="choice",
        )


def _load(raw: Mapping[str, Any], kind: str, at: str) -> None:
    """What loads a bath or an oven, each by its own numbers; not a bath that settles by the cook's word as well."""
    if "load" not in raw:
        return
    known = kinds()[kind].get("load")
    if known is None:
        raise FormatError(
            say(
                "load describes a bath's water and heater or an oven's food; a {kind} stage has none. Leave it out.",
                kind=kind,
            ),
            path=f"{at}/load",
            code="choice",
        )
    for key in raw["load"]:
        if key not in known and not key.startswith("x-"):
            raise FormatError(
                say(
                    "The load of {kind} is told by {value}, not by {key}; leave {key} out.",
                    kind=kind,
                    value=" and ".join(known),
                    key=key,
                ),
                path=f"{at}/load/{key}",
                code="choice",
            )
    if kind == "oven":
        return
    for key in known:
        if key not in raw["load"]:
            raise FormatError(
                say("A bath's load needs {key}; add it.", key=key), path=f"{at}/load/{key}", code="missing"
            )
    if "medium_from_c" in raw or any("medium_from_c" in f for f in raw.get("faces", {}).values()):
        raise FormatError(
            say("load says how far the bath falls, and medium_from_c says it too; leave one of them out."),
            path=f"{at}/load",
            code="choice",
        )


def _store(raw: Mapping[str, Any], specs: list[FaceSpec], at: str) -> Mapping[str, Any] | None:
    """The store of a stage's medium: of a kind that a face meets, told by that kind's own numbers."""
    stated = raw.get("store")
    if stated is None:
        return None
    kind, row = stated["kind"], stores()[stated["kind"]]
    own = [s for s in specs if lies_in(kind, s.kind, s.variant)]

    def refuse(key: str, why: str) -> FormatError:
        return FormatError(say("{why} Leave {key} out.", why=why, key=key), path=f"{at}/store/{key}", code="choice")

    if not own:
        of = " or ".join(row["of"])
        raise FormatError(
            say("A store of {kind} is met by faces that lie in {of}; this stage has none.", kind=kind, of=of)
            if "variant" not in row
            else say(
                "A {kind} is met by faces whose variant is {variant}; this stage has none.",
                kind=kind,
                variant=row["variant"],
            ),
            path=f"{at}/store/kind",
            code="choice",
        )
    for key in stated:
        if key not in row["keys"] and key != "kind" and not key.startswith("x-"):
            choices = ", ".join(row["keys"])
            raise refuse(key, say("A store of {kind} is told by {choices}.", kind=kind, choices=choices))
    if "set_c" in stated and own[0].kind == "boil":
        raise refuse("set_c", say("A boil aims at the boiling point."))
    _doors(stated, float(raw["minutes"]), at)
    if kind == "bath" and "load" in raw:
        raise FormatError(
            say("load is a bath's store by other words; leave one of them out."), path=f"{at}/load", code="choice"
        )
    if any(s.medium_from_c is not None for s in own):
        raise FormatError(
            say("store says how the medium goes, and medium_from_c says it too; leave one of them out."),
            path=f"{at}/medium_from_c",
            code="choice",
        )
    if len({s.medium_c for s in own}) > 1:
        raise FormatError(
            say("One store has one temperature; give its faces the same medium_c."), path=f"{at}/store", code="choice"
        )
    return dict(stated)


def _doors(stated: Mapping[str, Any], minutes: float, at: str) -> None:
    """A door is opened within the stage, and closed before it is opened again."""
    free = 0.0
    for j, door in enumerate(stated.get("doors", ())):
        shut = door["at_s"] + door["open_s"]
        if door["at_s"] < free or shut > 60.0 * minutes:
            raise ValueRangeError(
                say(
                    "Doors are opened one after another within the stage, each closed before the next; give at_s from {free:g} s, "
                    "closed by {end:g} s.",
                    free=free,
                    end=60.0 * minutes,
                ),
                path=f"{at}/store/doors/{j}/at_s",
            )
        free = shut


def _support(raw: Mapping[str, Any], kind: str, shape: Mapping[str, Any], at: str) -> str | None:
    """What lies under face b in an oven: as stated, or the usual."""
    stated = raw.get("support")
    if kind != "oven":
        if stated is not None:
            raise FormatError(
                say("support is what lies under a piece in an oven; a {kind} stage has none. Leave it out.", kind=kind),
                path=f"{at}/support",
                code="choice",
            )
        return None
    flat, known = shape["kind"] in {"slab", "box", "cylinder"}, faces_of(shape)
    told = "faces" in raw or "surface" in raw
    if stated is None:
        return "tray" if flat and "b" in known and not told else None
    if told or "b" not in known:
        why = "its faces are described one by one" if "faces" in raw else "surface says what every face meets" if told else (
            "this shape is computed with the same all round"
        )  # fmt: skip
        raise FormatError(
            say("support counts for nothing here: {why}. Leave it out.", why=why), path=f"{at}/support", code="choice"
        )
    return None if stated == "rack" else "tray" if flat else "tray-round"


def _vapour(raw: Mapping[str, Any], kind: str, specs: list[FaceSpec], at: str) -> None:
    """An oven's vent and load: only where its vapour is computed and reaches a face."""
    reached = any(
        s.kind == "oven" and s.surface is None and s.humidity is None and s.cover not in {"wrapped", "bag"}
        for s in specs
    )
    for key in ("vent", "load"):
        if key not in raw or (key == "load" and kind != "oven"):
            continue
        if kind != "oven":
            raise FormatError(
                say("vent is an oven's; a {kind} stage has none. Leave it out.", kind=kind),
                path=f"{at}/vent",
                code="choice",
            )
        if not reached:
            raise FormatError(
                say(
                    "{key} counts for nothing here: every face states its own moisture, or is closed to the oven's. Leave it "
                    "out.",
                    key=key,
                ),
                path=f"{at}/{key}",
                code="choice",
            )


def _until(raw: Mapping[str, Any] | None, at: str) -> tuple[str | None, float, str]:
    if raw is None:
        return None, 0.0, "salmonella"
    keys = [k for k in UNTIL_KEYS if k in raw]
    if len(keys) != 1:
        raise FormatError(
            say("until needs exactly one of {choices}; it has {many}.", choices=", ".join(UNTIL_KEYS), many=len(keys)),
            path=f"{at}/until",
            code="until",
        )
    if "organism" in raw and keys[0] != "log10":
        raise FormatError(
            say("organism belongs to until log10; leave it out."), path=f"{at}/until/organism", code="choice"
        )
    value = 0.0 if keys[0] == "yolk" else float(raw[keys[0]])
    return keys[0], value, raw.get("organism", "salmonella")
