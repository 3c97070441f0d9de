"""Measures what docs/method states and writes it to ``measured.md``: ``python tools/measure.py``."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "src")]

from tests.conftest import conduction  # noqa: E402
from tests.validation import calibration  # noqa: E402
from tests.validation import test_finite_shapes as finite  # noqa: E402
from tests.validation import test_independent_solver as independent  # noqa: E402
from tests.validation import test_near_the_medium as near  # noqa: E402
from tests.validation import test_ovens as ovens  # noqa: E402
from tests.validation.series import unaccomplished  # noqa: E402
from tests.validation.test_practice import PRACTICE  # noqa: E402

from ember_core.entry.sentence import Sentence  # noqa: E402
from ember_core.formats.plan import parse  # noqa: E402
from ember_core.heat.cook import run  # noqa: E402
from ember_core.heat.setup import setup  # noqa: E402
from ember_core.planning.compute import compute  # noqa: E402
from ember_core.planning.thumb import solve  # noqa: E402
from tools.benchmark import bench  # noqa: E402

BIOT = (0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0)
FOURIER = np.array([0.05, 0.06, 0.08, 0.1, 0.15, 0.2, 0.3, 0.5, 0.8, 1.2, 2.0, 3.0])


def series_errors() -> list[str]:
    """Worst error against the exact series by shape, per 100 K of driving difference."""
    rows = ["| shape | core | surface | mean |", "|---|---|---|---|"]
    half, k, rho_c, start, medium = 0.015, 0.5, 3.6e6, 0.0, 100.0
    times = np.round(FOURIER * half**2 * rho_c / k, 3)
    for shape in ("slab", "cylinder", "sphere"):
        worst = np.zeros(3)
        for biot in BIOT:
            document = conduction(
                shape, 2000 * half, biot * k / half, start, medium, times[-1] / 60 + 1, report_at_s=times.tolist()
            )
            by_time = {s["t_s"]: s for s in compute(parse(document)).result["samples"]}
            for t in times:
                exact = [
                    medium + (start - medium) * u for u in unaccomplished(shape, biot, float(t * k / rho_c / half**2))
                ]
                s = by_time[round(float(t), 3)]
                worst = np.maximum(worst, np.abs(np.array([s["core_c"], s["surface_c"], s["mean_c"]]) - exact))
        rows.append(f"| {shape} | {worst[0]:.4f} | {worst[1]:.4f} | {worst[2]:.4f} |")
    return rows


def refinement() -> list[str]:
    """How much the book's own cooks move when the grid is three times finer and the steps much smaller."""
    rows = ["| cook | pull, s | finer, s | pull core, °C | finer, °C |", "|---|---|---|---|---|"]
    for cut in ("bavette", "hogget-shoulder", "hake-loin", "guinea-fowl-supreme", "soft-egg", "baked-custard"):
        plan = parse(Sentence.for_cut(cut, altitude_m=1850.0).document())
        usual = run(plan, setup(plan))
        fine = run(
            plan, setup(plan, cells=240, refine=3.0), tol=5e-3 if plan.shape["kind"] == "slab" else 0.02, budget_s=None
        )
        a, b = (c.stages[c.pull_stage] for c in (usual, fine) if c.pull_stage is not None)
        rows.append(f"| {cut} | {a.end_s:.0f} | {b.end_s:.0f} | {a.core_c:.2f} | {b.core_c:.2f} |")
    return rows


def crusts() -> list[str]:
    """Pieces whose faces lose their water, against a mesh three times finer: differences, K."""
    rows = [
        "| shape | way | core | mean | peak |",
        "|---|---|---|---|---|",
    ]
    shapes = [name for name in finite.SHAPES if name != "egg"]
    for name in shapes:
        for way, stages in finite.CRUSTS.items():
            core, mean, peak = finite.off_from_finer(name, stages)
            rows.append(f"| {name} | {way} | {core:.2f} | {mean:.2f} | {peak:.2f} |")
    return rows


def independence() -> list[str]:
    """Slabs against the independent solution: largest difference of the core all through, K."""
    rows = ["| case | core off by, K, at most |", "|---|---|"]
    for name in independent.CASES:
        rows.append(f"| {name} | {np.abs(independent.off_from_independent(name)).max():.2f} |")
    return rows


def products() -> list[str]:
    """Finite shapes against products of exact series: 300 random cases each."""
    rows = [
        "| shape | cases | within 2 % | worst | mean error | mean temperature off, % of the difference |",
        "|---|---|---|---|---|---|",
    ]
    for kind in ("box", "cylinder"):
        late, off = finite.errors(kind)
        rows.append(
            f"| {kind} | {late.size} | {100 * np.mean(np.abs(late) < 0.02):.1f} % | {100 * np.abs(late).max():.2f} % | "
            f"{100 * late.mean():+.2f} % | {100 * np.abs(off).max():.2f} |"
        )
    return rows


def oven_rows() -> list[str]:
    """Ovens with their own vapour: against the independent solution, and times of common practice."""
    rows = ["| oven | core, largest difference, K | vapour in the end, kPa | independent, kPa |", "|---|---|---|---|"]
    for name in ovens.CASES:
        off, (ours, theirs) = ovens.off_from_independent(name)
        rows.append(f"| {name} | {np.abs(off).max():.3f} | {ours / 1e3:.2f} | {theirs / 1e3:.2f} |")
    rows += ["", "| piece | from core to core, °C | minutes | band | ", "|---|---|---|---|"]
    for name, ((food, shape, start, cores, medium), more, (low, high)) in ovens.PRACTICE.items():
        least, most = (ovens.minutes_to(food, shape, start, core, medium, **more) for core in cores)
        rows.append(f"| {name} | {cores[0]}–{cores[1]} | {least:.0f}–{most:.0f} | {low:.0f}–{high:.0f} |")
    return rows


def near_rows() -> list[str]:
    """The last degrees, and random extremes."""
    late = near.late_near_the_medium()
    seconds, errors = near.answered(47, 3000)
    return [
        f"Time to within 0.3 to 3 % of the difference to the medium, {late.size} random boxes and cylinders, Biot 0.3 to 30: largest error "
        f"{100 * np.abs(late).max():.2f} %, mean {100 * late.mean():+.2f} %.",
        "",
        f"{seconds.size} random extremes: {seconds.size - len(errors)} cooked, {len(errors)} refused by the budget or the solver, each with its stage; "
        f"median {1e3 * np.median(seconds):.0f} ms, 99 in 100 within {np.quantile(seconds, 0.99):.2f} s, all within {seconds.max():.2f} s of computing.",
    ]


def practice() -> list[str]:
    """Bands of the trade and the pieces for which the model finds them true."""
    rows = [
        "| stated | food | heat, °C | core promised, °C | true from 5 °C, mm | from 20 °C, mm |",
        "|---|---|---|---|---|---|",
    ]
    for text, food, heat, _ in PRACTICE:
        answer = solve(text, food, starts_c=(5.0, 20.0), medium_c=heat)
        cold, warm = (" or ".join(f"{a:.0f}–{b:.0f}" for a, b in r.sizes_mm) for r in answer.regions[:2])
        rows.append(
            f"| {text} | {food} | {answer.regions[0].medium_c:.0f} | {answer.low_c:.0f}–{answer.high_c:.0f} | {cold} | {warm} |"
        )
    return rows


def histogram(ranks: np.ndarray) -> str:
    """Counts of ranks in tenths."""
    return " ".join(str(n) for n in np.histogram(ranks, 10, (0, 1))[0])


def calibration_rows(wide: float, seeds: range = calibration.BLIND) -> list[str]:
    """Blind simulated cooks, 50 a plan."""
    rows = [
        "| cook | Fourier at half time | held before | held after | median error before, s | after, s | ratio |",
        "|---|---|---|---|---|---|---|",
    ]
    scores = {name: calibration.score(name, seeds, wide=wide) for name in calibration.PLANS}
    for name, s in scores.items():
        rows.append(
            f"| {name} | {s.fourier_half:.2f} | {100 * calibration.held(s.before):.0f} % | {100 * calibration.held(s.after):.0f} % | "
            f"{np.median(s.error_before_s):.0f} | {np.median(s.error_after_s):.0f} | {s.ratio:.2f} |"
        )
    before, after = (np.concatenate([getattr(s, when) for s in scores.values()]) for when in ("before", "after"))
    late = [s for s in scores.values() if s.fourier_half > 0.15]
    return [
        *rows,
        "",
        f"In all: {100 * calibration.held(before):.1f} % before readings, {100 * calibration.held(after):.1f} % after. Rank histograms "
        f"(share of members that pull earlier than the truth, in tenths, {before.size} truths): before {histogram(before)}; after "
        f"{histogram(after)}. Where Fourier at half time is above 0.15, all cooks together, readings cut the median error to "
        f"{calibration.pooled_ratio(late):.2f} of what it was.",
    ]


def speed_section() -> list[str]:
    """Times and ratios of one run."""
    speed = bench()
    ensemble, answers = speed["ensemble"], speed["answers"]
    return [
        "## Speed",
        "",
        f"{speed['case']}; {speed['cells']} cells; reference: {speed['reference']}. "
        f"Ratio {speed['ratio']:.0f} (core within {speed['accuracy_k']['core']} K, reference within {speed['accuracy_k']['reference']} K "
        "of a tight run; times vary by machine, the ratio less).",
        "",
        f"{ensemble['case']}; {ensemble['members']} members of {ensemble['cells']} cells at {ensemble['member_tolerance_k']} K; reference: "
        f"{ensemble['reference']}. Ratio with two threads {ensemble['ratio_numpy']:.0f} to a NumPy and {ensemble['ratio_compiled']:.0f} to a "
        f"compiled right-hand side; with one thread {ensemble['ratio_numpy_1_thread']:.0f} and {ensemble['ratio_compiled_1_thread']:.0f}. "
        f"Twice the members cost {ensemble['cost_of_twice_the_members']} times; a 48 h bath costs {speed['cost_48h_over_1h']} times a 1 h one.",
        "",
        f"On the machine of this run, ms: the ensemble {ensemble['ms_2_threads']}, an update from readings {ensemble['learning_update_ms']}, "
        f"a slab plan with variable properties over 6 h {speed['slab_plan_ms']}, with a solved pull {speed['food_plan_ms']}, meshes ({speed['mesh']}) "
        + ", ".join(f"{k} {v}" for k, v in speed["mesh_ms"].items())
        + ".",
        "",
        f"A steak of 28 mm seared on both sides {answers['crusted_pan_ms']}, in a pan that it cools {answers['crusted_pan_that_cools_ms']}; four unlike "
        f"pieces in one oven {answers['four_unlike_in_an_oven_ms']}. The time of an egg is found in at most "
        + ", ".join(f"{v} ({k})" for k, v in answers["egg_ms"].items())
        + ", whatever its yolk shall be.",
        "",
    ]


def main() -> None:
    """Write the page."""
    text = [
        "# Measured",
        "",
        "Generated by `tools/measure.py`; do not edit.",
        "",
        "## Against exact series",
        "",
        f"Worst error, K, for a driving difference of 100 K, Biot {BIOT[0]} to {BIOT[-1]:g}, Fourier {FOURIER[0]} to {FOURIER[-1]:g}.",
        "",
        *series_errors(),
        "",
        "## Against a grid three times finer",
        "",
        *refinement(),
        "",
        "## Crusts, against a mesh three times finer",
        "",
        "Largest differences from the fifth minute on, K. *Pan*: 4 min a side at 190 °C, oven 15 min, rest 10. *Often turned*: three "
        "times 2 min at 220 to 230 °C, rest 12. *Fried*: 4 min at 180 °C, rest 12. *Seared first*: 2 min a side at 200 °C, oven "
        "50 min at 160 °C, rest 15. The finer mesh takes shorter steps too. The mean weighs each place by the heat capacity "
        "that its water leaves it. A pan is taken to lie against half of a round piece, as none does.",
        "",
        *crusts(),
        "",
        "## Against an independent solution",
        "",
        "Slabs; another unknown, another treatment of surface and boiling, SciPy's BDF with 100 cells a half.",
        "",
        *independence(),
        "",
        "## Box and short cylinder against products of exact series",
        "",
        "Random sizes (10 to 95 mm, up to four times as long), Biot 0.1 to 100, time to a target of 20 to 99 %.",
        "",
        *products(),
        "",
        "## Ovens",
        "",
        "Method of lines with SciPy's BDF over the full thickness, its own vapour balance and tray. The bands are common practice with no "
        "published source; the drying scale and the tray were set on them.",
        "",
        *oven_rows(),
        "",
        "## Near the medium, and at the ends",
        "",
        *near_rows(),
        "",
        "## Common practice, and where it is true",
        "",
        "Common practice, no published source: times that leave out a size. Slabs (a bird by mass: a cylinder half as long again as wide).",
        "",
        *practice(),
        "",
        "## Blind simulated cooks",
        "",
        "Truths of the simulated kitchen's own model with its own spreads: seeds 0 to 49 of each plan, as they come, and seeds 9000 to 9049, looked at once when all else was done. The model's own "
        "error and the default spreads of oven, grill, simmer and drying were set on seeds 2000 to 2149, before the kitchen's dry layers "
        "lost heat capacity with their water and before its ovens had their own vapour; nothing was set since. Held: the 5–95 % band contains the true pull. Readings: about 32 up to half "
        "of the forecast's pull, with gaps, noise 0.2 K, a constant probe error of 0.5 K (one standard deviation) and a "
        "misplaced tip.",
        "",
        *calibration_rows(1.0),
        "",
        "On the seeds 9000 to 9049:",
        "",
        *calibration_rows(1.0, calibration.FRESH),
        "",
        "With truths twice as different from the plan as the kitchen's own spreads:",
        "",
        *calibration_rows(2.0),
        "",
        *speed_section(),
    ]
    (ROOT / "docs" / "method" / "measured.md").write_text("\n".join(text), encoding="utf-8")


if __name__ == "__main__":
    main()
