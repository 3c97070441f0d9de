"""Measures what docs/method states of running pieces and writes it to ``measured_line.md``: ``python tools/measure_line.py``."""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "src")]

from tests.validation import test_evidence_of_doneness as evidence  # noqa: E402
from tests.validation import test_probes_that_went_astray as astray  # noqa: E402
from tests.validation import test_thermometers_in_media as media  # noqa: E402

from ember_core.entry.sentence import Sentence  # noqa: E402
from ember_core.formats.plan import parse  # noqa: E402
from ember_core.planning.compute import compute  # noqa: E402
from ember_core.running.history import running  # noqa: E402
from ember_core.running.state import replay  # noqa: E402

TRIES = 15  # of which the least counts: the machine does other things besides
_PEAK = {"until": {"peak_core_c": 55.0}}
_SLAB, _ROAST = (
    {"kind": "slab", "thickness_mm": 28.0},
    {"kind": "ellipsoid", "length_mm": 160.0, "width_mm": 100.0, "thickness_mm": 80.0},
)
_SEAR = {"kind": "pan", "minutes": 2.0, "faces": {"a": {"medium_c": 220.0}}}
# a piece, its heats, and the share of its time to the pull after which it is asked
PIECES: dict[str, tuple[dict[str, Any], list[dict[str, Any]], float]] = {
    "slab of 28 mm in a bath": (_SLAB, [{"kind": "bath", "minutes": 200.0, "medium_c": 60.0} | _PEAK], 0.5),
    "in an oven": (_SLAB, [{"kind": "oven", "minutes": 90.0, "medium_c": 160.0} | _PEAK], 0.5),
    "seared, then in an oven": (_SLAB, [_SEAR, {"kind": "oven", "minutes": 90.0, "medium_c": 140.0} | _PEAK], 0.7),
    "in a pan, both crusts": (_SLAB, [_SEAR | {"minutes": 3.0}, {"kind": "pan", "minutes": 12.0, "faces": {"b": {"medium_c": 220.0}}} | _PEAK], 0.8),
    "roast of 0.7 kg on a mesh": (_ROAST, [{"kind": "oven", "minutes": 200.0, "medium_c": 160.0} | _PEAK], 0.5),
}  # fmt: skip
REPLAYED = (("hogget-shoulder", 3600.0), ("guinea-fowl-supreme", 1800.0), ("hake-loin", 600.0), ("bavette", 60.0))


def probe_rows() -> list[str]:
    """Faults of probes: found within a minute, named rightly."""
    rows = ["| fault | cases | found in 60 s | named rightly of those |", "|---|---|---|---|"]
    for kind in astray.KINDS:
        found, named, count = astray.looked_for(kind)
        rows.append(f"| {kind} | {count} | {found / count:.0%} | {named / found:.0%} |")
    wrong, hours = astray.wrongly_doubted()
    return [*rows, "", f"Doubted though it was right, from the third minute on: {wrong} times in {hours:.0f} hours."]


def check_rows() -> list[str]:
    """Blind checks: held bands and scores."""
    held, scores = evidence.believed()
    names = ("the clock alone", "with a check", "all that is known", "the last reading alone")
    rows = ["| by | mean logarithmic score of the true word |", "|---|---|"]
    rows += [f"| {name} | {score:.3f} |" for name, score in zip(names, scores.mean(axis=0), strict=True)]
    return [f"The 80 % band of the core held it in {held.mean():.1%} of {held.size} checks.", "", *rows]


def medium_rows() -> list[str]:
    """Thermometers in media: what clicks and offsets do to a pull."""
    rows = ["| cut | in | clicks move the pull at most | its band at most | 1.5 spreads colder | 1.5 spreads hotter |", "|---|---|---|---|---|---|"]  # fmt: skip
    for cut, kind in media.CASES:
        learner, dial = media.prepared(cut, kind)
        moved, wider = media.moved_by_clicks(kind, learner, dial)
        off = [media.moved_by_offset(kind, learner, dial, share) for share in (-1.5, 1.5)]
        rows.append(f"| {cut} | {kind} | {moved:.1%} | × {wider:.2f} | {off[0]:+.1%} | {off[1]:+.1%} |")
    return rows


def least_ms(work: Callable[[], object]) -> float:
    """The least of some tries, ms."""
    costs = []
    for _ in range(TRIES):
        begin = time.perf_counter()
        work()
        costs.append(1000.0 * (time.perf_counter() - begin))
    return min(costs)


def piece_rows() -> list[str]:
    """What a state costs by the kind of piece, with all its members and without any."""
    rows = ["| piece | 256 members, ms | its history and the rest of it alone, ms |", "|---|---|---|"]
    for name, (shape, heats, share) in PIECES.items():
        piece = {"food": "beef-lean", "mass_g": 300.0, "shape": shape, "start_c": 5.0}
        stages = [*heats, {"kind": "rest", "minutes": 8.0}]
        plan = {"format": "open-ember.plan/1", "piece": piece, "target": {"core_c": 55.0}, "stages": stages}
        cook = compute(parse(plan), with_forecast=False).cook
        assert cook.pull_s is not None
        now = share * cook.pull_s
        begun = [s.start_s for s in cook.stages if s.start_s < now]
        events = [
            {"at_s": t} | ({"kind": "move", "move": f"m{i}"} if i else {"kind": "start"}) for i, t in enumerate(begun)
        ]
        told = running({"format": "open-ember.cook/1", "plan": plan, "now_s": now, "events": events})
        whole, alone = (partial(replay, told, members=256), partial(compute, told.plan, with_forecast=False))
        whole(), alone()
        rows.append(f"| {name} | {least_ms(whole):.0f} | {least_ms(alone):.0f} |")
    return rows


def replay_rows() -> list[str]:
    """What a state of cuts of the book costs."""
    rows = ["| cut, so long on | 256 members, ms | 32 members, ms |", "|---|---|---|"]
    for cut, now in REPLAYED:
        document = Sentence.for_cut(cut, altitude_m=1850.0).document()
        told = {"format": "open-ember.cook/1", "plan": document, "now_s": now, "events": [{"at_s": 0.0, "kind": "start"}]}  # fmt: skip
        spent = []
        for members in (256, 32):
            replay(running(told), members=members)
            costs = []
            for _ in range(5):
                begin = time.perf_counter()
                replay(running(told), members=members)
                costs.append(1000.0 * (time.perf_counter() - begin))
            spent.append(statistics.median(costs))
        rows.append(f"| {cut}, {now / 60:.0f} min | {spent[0]:.0f} | {spent[1]:.0f} |")
    return rows


def main() -> None:
    """Write the page."""
    np.seterr(all="raise", under="ignore")
    text = [
        "# Measured: running pieces",
        "",
        "Generated by `tools/measure_line.py`; do not edit. The seeds and what was set on which stand with the checks themselves, in `tests/validation`.",
        "",
        "## Probes that went astray",
        "",
        *probe_rows(),
        "",
        "## Checks of doneness",
        "",
        *check_rows(),
        "",
        "## Thermometers in what heats",
        "",
        "Twelve simulated devices a row, each looked at after 1 to 40 minutes. A pan under one face tells little of the core.",
        "",
        *medium_rows(),
        "",
        "## What a state costs",
        "",
        f"Least of {TRIES}, on two processors. Wanted: at most 30 ms for a slab alone, 120 with its members.",
        "",
        *piece_rows(),
        "",
        "Cuts of the book, in the middle of tries:",
        "",
        *replay_rows(),
        "",
    ]
    (ROOT / "docs" / "method" / "measured_line.md").write_text("\n".join(text), encoding="utf-8")


if __name__ == "__main__":
    main()
