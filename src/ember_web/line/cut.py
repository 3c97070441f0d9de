"""Cut faces to choose from: how a section looks by the colour of its middle and how much of it is grey."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from ember_core.running.checks import checks, grey_c
from ember_web.ui.drawing import colours

GREYS = (0.15, 0.45, 0.75)  # of the way from the face to the middle
POINTS = np.linspace(0.0, 1.0, 9)  # from the middle to the face
HOTTEST_C = 85.0


def faces(ramp: str) -> list[dict[str, Any]]:
    """Pictures of sections, each with its answer, its grey share, and colours by place: (offset in %, #rrggbb)."""
    kind = checks()["cut"]
    cuts = kind.cuts_c
    middles = [cuts[0] - 5.0, *(0.5 * (a + b) for a, b in pairwise(cuts))]
    out = [
        {"answer": answer, "grey": grey, "stops": _stops(ramp, middle, grey)}
        for answer, middle in zip(kind.answers, middles, strict=False)
        for grey in GREYS
    ]
    return [*out, {"answer": kind.answers[-1], "grey": 1.0, "stops": _stops(ramp, cuts[-1] + 3.0, 1.0)}]


def _stops(ramp: str, middle_c: float, grey: float) -> list[tuple[float, str]]:
    """A parabola through the middle's temperature and that of grey at its place, from face to face."""
    rise = (grey_c() - middle_c) / (1.0 - grey) ** 2 if grey < 1.0 else 6.0
    across = np.concatenate([-POINTS[:0:-1], POINTS])
    found = colours(ramp, np.minimum(middle_c + rise * across**2, HOTTEST_C))
    return [
        (round(50.0 * (1.0 + x), 1), "#{:02x}{:02x}{:02x}".format(*rgb)) for x, rgb in zip(across, found, strict=True)
    ]
