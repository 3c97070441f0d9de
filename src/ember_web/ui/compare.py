"""Plan against actual, as a chart: the predicted core, the probe's readings, what was read by hand, the moves as they were done."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_web.ui.drawing import points

WIDTH, HEIGHT, LEFT, RIGHT = 848, 300, 44, 24
MOST_DOTS = 400


def compare(record: dict[str, Any]) -> dict[str, Any]:
    """The chart of a record; times in s, temperatures in °C."""
    planned = np.array(record["trace"])
    readings = np.array(record["readings"]).reshape(-1, 2)
    done = [m["done_s"] for m in record["moves"] if m["done_s"] is not None]
    by_hand = [(e["at_s"], e["core_c"]) for e in record.get("happened", ()) if e.get("core_c") is not None]
    values = np.concatenate([planned[:, 1], readings[:, 1], [c for _, c in by_hand]])
    many = len(readings)
    keep = np.unique(np.linspace(0, max(many - 1, 0), min(many, MOST_DOTS)).astype(int))
    return {
        "size": [WIDTH, HEIGHT, LEFT, RIGHT, 12],
        "x": max([float(planned[-1, 0]), *(readings[-1:, 0].tolist()), *done, *(t for t, _ in by_hand), 1.0]),
        "y": [float(10 * np.floor(min(values.min(), 0) / 10)), float(10 * np.ceil((values.max() + 4) / 10))],
        "lines": [{"as": "l-mean", "at": points(*planned.T)}],
        "dots": points(*readings[keep].T),
        "by_hand": points(*np.array(by_hand).reshape(-1, 2).T),
        "level": record["plan"].get("target", {}).get("core_c"),
        "moves": done,
        "across": True,
    }
