"""The shapes of a plan's piece and of what it is cut into: their own lengths, a mass they can have, portions that fit."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ember_core.errors import FormatError, ValueRangeError
from ember_core.plan.shapes import BY_MASS, FOOD_DENSITY, SHAPE_KEYS, thinnest_mm, volume_mm3
from ember_core.wording.message import say

CUT_SLACK = 1.05  # a portion may be so much larger than what it is cut from: both are measured by hand

LEAST_FILL, MOST_FILL = 0.35, 1.35  # a piece does not fill its shape, or bulges out of it, by so much


def shapes_of(document: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """The shape in each stage: the piece's, and from where it is cut that of a portion.

    Raises
    ------
    FormatError, ValueRangeError
        A portion before the first stage, a second one, of an egg, or larger than the piece.
    """
    shape, out, cut = document["piece"]["shape"], list[Mapping[str, Any]](), False
    for i, stage in enumerate(document["stages"]):
        portion = stage.get("portion")
        if portion is not None:
            at = f"/stages/{i}/portion"
            if i == 0 or cut:
                why = say("It is cut once already") if cut else say("Before its first stage it is piece.shape")
                raise FormatError(
                    say("{why}; leave portion out here, or give the shape there.", why=why), path=at, code="choice"
                )
            if BY_MASS & {portion["kind"], shape["kind"]}:
                raise FormatError(
                    say("An egg or a whole bird is not cut into portions here; leave portion out."),
                    path=at,
                    code="choice",
                )
            check_shape(portion, at)
            fits_in(portion, shape, at)
            shape, cut = portion, True
        out.append(shape)
    return out


def fits_in(portion: Mapping[str, Any], whole: Mapping[str, Any], at: str) -> None:
    """A portion is nowhere thicker than what it is cut from, and no larger."""
    thick, most = thinnest_mm(portion), thinnest_mm(whole)
    (volume, _), (holds, _) = volume_mm3(portion), volume_mm3(whole)
    open_ended = volume_mm3(portion)[1]
    if thick > most * CUT_SLACK or (not open_ended and volume > holds * CUT_SLACK):
        raise ValueRangeError(
            say(
                "The portion ({thick:length}) is larger than the piece it is cut from ({most:length}). Give a portion that fits "
                "into the piece.",
                thick=thick,
                most=most,
            ),
            path=at,
        )


def check_shape(shape: Mapping[str, Any], at: str = "/piece/shape") -> None:
    """A shape states its own lengths and no others."""
    kind = shape["kind"]
    for key in shape:
        if key not in {"kind", *SHAPE_KEYS[kind]} and not key.startswith("x-"):
            raise FormatError(
                say(
                    "A {kind} has {choices}, not {key}; leave it out, or choose the shape that has it (box, cylinder, "
                    "ellipsoid).",
                    kind=kind,
                    choices=", ".join(SHAPE_KEYS[kind]),
                    key=key,
                ),
                path=f"{at}/{key}",
                code="choice",
            )


def check_mass(piece: Mapping[str, Any]) -> None:
    """The mass is one that the shape can have: what is cooked and what is stated are the same piece."""
    mass, shape = piece.get("mass_g"), piece["shape"]
    if mass is None:
        return
    if shape["kind"] in BY_MASS:
        fits, open_ended = float(shape["mass_g"]), False
    else:
        volume, open_ended = volume_mm3(shape)
        density = piece.get("properties", {}).get("density_kg_m3", FOOD_DENSITY)
        fits = volume * density * 1e-6
    least = 0.0 if open_ended else LEAST_FILL * fits
    if not least <= mass <= MOST_FILL * fits:
        raise ValueRangeError(
            say(
                "The mass is {mass:g} g, and this shape holds about {fits:,.0f} g. Correct the mass or the lengths, or "
                "leave the mass out.",
                mass=mass,
                fits=fits,
            ),
            path="/piece/mass_g",
        )
