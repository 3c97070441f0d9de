"""Plan against actual: one trace with the predicted line and the probe's dots."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_core.wording.quantities import SI, Units
from ember_web.ui.drawing import marks

WIDTH, HEIGHT, LEFT, RIGHT = 848, 300, 44, 24


def compare(record: dict[str, Any], units: Units = SI) -> dict[str, Any]:
    """Coordinates of the predicted core, the readings and the moves, planned and done; marks in a reader's units."""
    planned = np.array(record["trace"])
    readings = np.array(record["readings"]).reshape(-1, 2)
    done = [m["done_s"] for m in record["moves"] if m["done_s"] is not None]
    total = max([float(planned[-1, 0]), *(readings[-1:, 0].tolist()), *done, 1.0])
    values = np.concatenate([planned[:, 1], readings[:, 1]])
    low, high = 10 * np.floor(min(values.min(), 0) / 10), 10 * np.ceil((values.max() + 4) / 10)

    def x(t: Any) -> Any:
        return LEFT + np.asarray(t) / total * (WIDTH - LEFT - RIGHT)

    def y(c: Any) -> Any:
        return HEIGHT - (np.asarray(c) - low) / (high - low) * (HEIGHT - 12)

    apart = 10 if high - low <= 90 else 20
    many = len(readings)
    keep = [int(i) for i in np.unique(np.linspace(0, many - 1, min(many, 400)).astype(int))] if many else []
    target = record["plan"].get("target", {}).get("core_c")
    step = next((s for s in (60, 120, 300, 600, 1800, 3600, 7200, 14400, 28800, 86400) if total / s <= 9), 86400)
    return {
        "width": WIDTH,
        "height": HEIGHT,
        "left": LEFT,
        "planned": "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in zip(x(planned[:, 0]), y(planned[:, 1]), strict=True)),
        "dots": [{"x": round(float(x(readings[i, 0])), 1), "y": round(float(y(readings[i, 1])), 1)} for i in keep],
        "moves": [
            {
                "x": round(float(x(m["offset_s"])), 1),
                "real": None if m["done_s"] is None else round(float(x(m["done_s"])), 1),
                "verb": m["verb"],
            }
            for m in record["moves"]
        ],
        "temps": [
            {"y": round(float(y(c)), 1), "words": words}
            for c, words in marks(units, "temp", low, high, {"°C": apart, "°F": 2 * apart})
        ],
        "times": [{"x": round(float(x(s)), 1), "s": float(s)} for s in np.arange(0, total + 1, step)],
        "target": None if target is None else round(float(y(target)), 1),
    }
