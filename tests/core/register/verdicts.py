"""The register of verdicts: what is said of several hundred plans, logs and running cooks, kept as text.

A change of the code that moves a verdict, a premise or a number in one of them shows as a difference in the text, to be read and
approved. Written anew by ``python -m tests.core.register.verdicts``; nothing in it is a claim about food beyond what the code says:
those stand in the tests beside it and in ``tests/validation``.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from itertools import cycle
from pathlib import Path
from typing import Any

import numpy as np

from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.plan.log import Log
from ember_core.planning.compute import compute
from ember_core.running.history import running
from ember_core.running.state import replay
from ember_core.safety.measured import judge_log
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import standing
from tests.core.running import test_judging as cooks
from tests.core.safety import test_attempts as attempts
from tests.core.safety.histories import ANZ, FSIS, UK, US
from tests.core.safety.test_attempts import bath, chill, pan, slab

TEXTS = Path(__file__).parent
PROFILES = (US, FSIS, UK, ANZ)
REST = {"kind": "rest", "minutes": 5}
EGG = {"kind": "egg", "mass_g": 57, "species": "hen"}
BIRD = {"kind": "bird", "mass_g": 1600}


def cylinder(mm: float) -> dict[str, Any]:
    """A rolled piece."""
    return {"shape": {"kind": "cylinder", "diameter_mm": mm}}


PIECES: dict[str, dict[str, Any]] = {
    "breast": {"food": "chicken-breast"},
    "thigh": {"food": "chicken-thigh", "mass_g": 140},
    "turkey": {"food": "turkey-breast", **slab(50)},
    "duck breast": {"food": "duck", "cut": "duck-breast"},
    "steak": {"food": "beef-lean", "form": "steak"},
    "scored steak": {"food": "beef-lean", "form": "steak", "handling": ["scored"]},
    "injected beef": {"food": "beef-lean", "form": "injected"},
    "roast": {"food": "beef-lean", "form": "roast", **slab(60), "mass_g": 2200},
    "beef, no form": {"food": "beef-lean", **slab(45)},
    "burger": {"food": "beef-mince"},
    "lamb": {"food": "lamb"},
    "pork": {"food": "pork-loin"},
    "belly": {"food": "pork-belly", **slab(40)},
    "cured ham": {"food": "ham-cured", **cylinder(90)},
    "sausage": {"food": "pork-sausage", **cylinder(28)},
    "liver": {"food": "chicken-liver", **slab(20)},
    "wild boar": {"food": "wild-boar", **slab(40)},
    "venison": {"food": "venison-wild", **slab(30)},
    "trout": {"food": "trout"},
    "wild salmon": {"food": "salmon-wild"},
    "frozen salmon": {"food": "salmon-wild", "handling": ["frozen"]},
    "mackerel": {"food": "mackerel", **slab(18)},
    "tuna": {"food": "tuna"},
    "prawn": {"food": "prawn", **cylinder(18)},
    "mussel": {"food": "mussel", **slab(15)},
    "oyster": {"food": "oyster", "handling": ["cleanest-waters"], **slab(15)},
    "egg": {"food": "egg-whole", "form": "egg-now", "shape": EGG},
    "pooled egg": {"food": "egg-whole", "mass_g": 500, **slab(20)},
    "duck egg": {"food": "egg-duck", "shape": EGG | {"mass_g": 75, "species": "duck"}},
    "asparagus": {"food": "asparagus", **cylinder(15)},
    "tofu": {"food": "tofu-firm"},
    "three sizes": {"food": "chicken-breast", "x-sizes-mm": [20, 25, 40], "count": 3},
}
COURSES: dict[str, list[dict[str, Any]]] = {
    "54 °C for 90 min": [bath(90, 54.5)],
    "58 °C for 4 h": [bath(240, 58), REST],
    "60.5 °C for 45 min": [bath(45, 60.5), REST],
    "63.2 °C, just": [bath(120, 80, until={"core_c": 63.1}), REST],
    "70 °C, just": [bath(120, 85, until={"core_c": 70.1}), REST],
    "76 °C for 1 h": [bath(60, 76), REST],
    "seared": [pan(3, "a"), pan(3, "b"), REST],
    "roasted dry": [{"kind": "oven", "minutes": 40, "medium_c": 180}, REST],
    "roasted moist": [{"kind": "oven", "minutes": 60, "medium_c": 130, "humidity": 0.95}],
    "slow oven": [{"kind": "oven", "minutes": 240, "medium_c": 95}],
    "boiled": [{"kind": "boil", "minutes": 12}],
    "cold smoke": [{"kind": "smoke", "minutes": 180, "medium_c": 25}, bath(60, 66)],
    "chilled well": [bath(60, 76), chill(90, 1, variant="ice-water"), chill(3 * 1440, 3.0)],
    "chilled badly": [bath(60, 76), {"kind": "rest", "minutes": 200}, chill(200, 8.0)],
    "kept 9 days": [bath(60, 76), chill(120, 1, variant="ice-water"), chill(9 * 1440, 4.0)],
    "kept 14 days": [bath(60, 76), chill(120, 1, variant="ice-water"), chill(14 * 1440, 2.0)],
    "reheated": [
        bath(60, 76),
        chill(120, 1, variant="ice-water"),
        bath(40, 80),
        {"kind": "hold", "minutes": 60, "medium_c": 65},
    ],
    "reheated to 60": [bath(60, 76), chill(120, 1, variant="ice-water"), bath(60, 60)],
    "interrupted": [bath(20, 58), chill(120, 1, variant="ice-water"), bath(60, 76)],
    "held at 50": [bath(60, 76), {"kind": "hold", "minutes": 90, "medium_c": 50}],
    "held at 50 too long": [bath(60, 76), {"kind": "hold", "minutes": 330, "medium_c": 50}],
    "raw 2 days": [chill(2 * 1440, 4.0), bath(60, 76)],
    "raw 4 days": [chill(4 * 1440, 4.5), bath(60, 76)],
    "tempered 3 h": [{"kind": "rest", "minutes": 180, "medium_c": 24}, bath(60, 76)],
    "thawed in water": [{"kind": "thaw", "minutes": 300, "medium_c": 20}, bath(60, 76)],
    "warm brine": [{"kind": "brine", "minutes": 600, "medium_c": 9}, bath(60, 76)],
    "5 h at 42": [bath(300, 42), bath(60, 76)],
    "9 h at 50": [bath(540, 50), bath(60, 76)],
    "gone cold": [bath(60, 76), {"kind": "rest", "minutes": 400}],
}


def lines_of_rule(rule: dict[str, Any] | None) -> Iterator[str]:
    """A statement as text."""
    if rule is None:
        yield "no rules"
        return
    times = [f"{k} {rule[k]:.0f}" for k in ("met_at_s", "remaining_s", "expected_met_at_s") if rule.get(k) is not None]
    yield " · ".join([f"met {rule['met']}", str(rule["clause"]), *times, rule["needs"]])
    if rule.get("at_cautious_end") is not None:
        yield f"cautious end {rule['at_cautious_end']}, share {rule['share_met']}"
    for p in rule["premises"]:
        words = "the same" if p["needs"] == rule["needs"] else p["needs"]
        yield f"  {p['id']}: {p['state']} by {p['by']}: {words}"


def lines_of_findings(findings: Any, rule: dict[str, Any] | None) -> Iterator[str]:
    """Findings as text, in their order; what a premise says already is not said twice."""
    rule_needs = {p["needs"] for p in (rule or {"premises": ()})["premises"]}
    for f in findings:
        said = f if isinstance(f, dict) else f.as_dict()
        words = said["message"] if said["message"] not in rule_needs else "as above"
        yield f"  ! {said['code']} {said['level']}: {words} ({said['source']})"


def lines_of_parts(parts: Any) -> Iterator[str]:
    """What becomes of each part of a bird."""
    for name, part in (parts or {}).items():
        yield f"  part {name}: " + ", ".join(
            f"{k} {v:.2f}" if isinstance(v, float) else f"{k} {v}" for k, v in part.items() if k != "rule"
        )
        yield from (f"    {line}" for line in lines_of_rule(part["rule"]))


def plan_lines(piece: dict[str, Any], stages: Any, rules: str, **more: Any) -> list[str]:
    """What is said of a plan."""
    document = {"format": "open-ember.plan/1", "piece": {"start_c": 4, **slab(25), **piece}, "stages": stages}
    try:
        out = compute(parse({**document, "rules": rules, **more}), with_forecast=False, advice=False)
    except EmberError as error:
        return [f"refused: {error}"]
    rule = out.result["rule"]
    stands = standing(rule, out.plan.required, out.plan.guests, profile_of(rules, out.plan.house), out.findings)
    growth = out.result.get("growth") or {"log10": 0.0, "range_s": 0.0}
    return [
        f"{stands.state} · growth {growth['log10']} in {growth['range_s']} s",
        *lines_of_rule(rule), *lines_of_findings(out.findings, rule), *lines_of_parts(out.result.get("parts")),
    ]  # fmt: skip


def plans() -> Iterator[tuple[str, list[str]]]:
    """Every piece by every other course, profiles and guests in turn; then all attempts to be told *met* wrongly, and what is fair."""
    for shift, (piece_name, piece) in enumerate(PIECES.items()):
        for i, (course, stages) in enumerate(COURSES.items()):
            if (i + shift) % 2:
                continue
            rules = PROFILES[(i + shift // 2) % 4]
            who = "general" if (i + 2 * shift) % 5 else "susceptible"
            yield f"{piece_name}, {course}, {rules}, {who}", plan_lines(piece, stages, rules, guests=who)
    for name, (piece, stages, rules, more, _) in attempts.PLANS.items():
        yield name, plan_lines(piece, stages, rules, **more)
    for name, (piece, stages, rules) in attempts.FAIR.items():
        yield name, plan_lines(piece, stages, rules)
    roasted = [{"kind": "oven", "minutes": 75, "medium_c": 190}, {"kind": "rest", "minutes": 15}]
    for leg_c in (74, 78.4, 82):
        bird = {"food": "chicken-whole", "mass_g": 1600, "shape": BIRD}
        yield f"a bird to {leg_c}", plan_lines(bird, roasted, US, target={"core_c": 74, "leg_c": leg_c})
    for food in ("chicken-breast", "beef-mince", "pork-loin", "beef-lean", "hake", "carrot"):
        for out_s in (30.0, 170.0):
            yield f"beside {food} for {out_s:g} s", plan_lines(*attempts.beside(food, out_s), US)


T = attempts.T


def come_up(top_c: float, hours: float = 1.0, tau_s: float = 900.0, start_c: float = 4.0) -> tuple[Any, Any]:
    """A core that comes up to a temperature."""
    t = np.arange(0.0, hours * 3600.0 + 1.0, 30.0)
    return t, top_c + (start_c - top_c) * np.exp(-t / tau_s)


def cool_down(from_c: float, to_c: float, tau_s: float, hours: float) -> tuple[Any, Any]:
    """A core that cools."""
    t = np.arange(0.0, hours * 3600.0 + 1.0, 60.0)
    return t, to_c + (from_c - to_c) * np.exp(-t / tau_s)


READ = {
    "up to 78": [come_up(78.0)],
    "up to 66 for 2 h": [come_up(66.0, 2.0)],
    "up to 60 for 3 h": [come_up(60.0, 3.0)],
    "up to 56 for 6 h": [come_up(56.0, 6.0)],
    "warm when it begins": [come_up(78.0, start_c=25.0)],
    "slowly up": [come_up(70.0, 12.0, 9000.0)],
    "up and gone cold": [come_up(78.0), cool_down(75.0, 22.0, 5000.0, 6.0)],
    "cooled in time": [come_up(78.0), cool_down(75.0, 2.0, 2400.0, 6.0)],
    "cooled too slowly": [come_up(78.0), cool_down(75.0, 4.0, 9000.0, 8.0)],
    "kept 8 days": [come_up(78.0), cool_down(75.0, 3.0, 2400.0, 5.0), attempts.wavering(8, 3.2, 600.0)],
    "kept 12 days": [come_up(78.0), cool_down(75.0, 3.0, 2400.0, 5.0), attempts.wavering(12, 2.5, 600.0)],
    "raw 2 days": [attempts.wavering(2, 4.0, 600.0), come_up(78.0)],
    "raw 5 days": [attempts.wavering(5, 4.0, 600.0), come_up(78.0)],
    "raw at 12": [attempts.wavering(0.4, 12.0, 600.0), come_up(78.0)],
    "held at 58 for 5 h": [come_up(78.0), cool_down(75.0, 58.0, 1200.0, 5.0)],
    "held at 48 for 5 h": [come_up(78.0), cool_down(75.0, 48.0, 1200.0, 5.0)],
    "4 h at 42": [come_up(42.0, 4.0), come_up(78.0, start_c=41.0)],
}
OF = [
    ("chicken-breast", None), ("beef-lean", "steak"), ("beef-lean", "roast"), ("beef-mince", None), ("pork-loin", None),
    ("trout", "fish"), ("salmon-wild", None), ("mackerel", None), ("mussel", "shellfish"), ("egg-whole", None),
    ("egg-duck", None), ("carrot", None), ("duck", None),
]  # fmt: skip


def log_lines(t: Any, c: Any, *, medium: Any = None, **more: Any) -> list[str]:
    """What is said of a log."""
    around = () if medium is None else tuple(map(float, medium))
    log = Log(tuple(map(float, t)), tuple(map(float, c)), (), around)
    try:
        judged = judge_log(log, **more)
    except EmberError as error:
        return [f"refused: {error}"]
    models = [f"  model {m['organism']}: {m['log10']}" for m in judged["model"]]
    return [*lines_of_rule(judged["rule"]), *models, *lines_of_findings(judged["findings"], judged["rule"])]


def logs() -> Iterator[tuple[str, list[str]]]:
    """Every course of a core for every kind of food, profiles, guests and the probe's error in turn; then the attempts."""
    turn, guests, errors = cycle(PROFILES), cycle(["general"] * 2 + ["susceptible"]), cycle([0.0, 0.0, 0.5, 1.5, 0.0])
    for food, form in OF:
        for name, parts in READ.items():
            rules, who, error = next(turn), next(guests), next(errors)
            lines = log_lines(
                *attempts.then(*parts), rules=rules, food=food, form=form, guests=who, probe_error_c=error
            )
            yield f"{food} {form or ''}, {name}, {rules}, {who}, ± {error:g}", lines
    for name, (t, c, more, _) in attempts.LOGS.items():
        told = {"food": "chicken-breast", "form": "poultry", "rules": US} | more
        yield name, log_lines(t, c, **told)
    few = T <= 120
    for until in (300.0, 420.0, 430.0, 3540.0):
        silent = log_lines(T[few], attempts.RISE[few], food="chicken-breast", form="poultry", rules=US, until_s=until)
        yield f"silent after 2 min of {until:g} s", silent
    for name in ("duck breast", "three sizes", "oyster", "roast", "frozen salmon", "injected beef", "pooled egg"):
        piece = {"start_c": 4, **slab(25), **PIECES[name]}
        document = {"format": "open-ember.plan/1", "piece": piece, "stages": [bath(60, 70), REST], "rules": US}
        plan = parse(document)
        told = {"food": piece["food"], "form": piece.get("form"), "rules": US, "plan": plan}
        for top in (66.0, 78.0):
            yield f"as planned, {name}, {top:g}", log_lines(*come_up(top), **told)


def running_lines(now: float, *events: Any, readings: Any = (), plan: Any = cooks.BREAST) -> list[str]:
    """What is said of a running cook."""
    document = {"format": "open-ember.cook/1", "plan": plan, "now_s": now, "events": [{"at_s": 0, "kind": "start"}, *events],
                "readings": list(readings)}  # fmt: skip
    try:
        state = replay(running(document), members=32)
    except EmberError as error:
        return [f"refused: {error}"]
    return [*lines_of_rule(state.rule), *lines_of_findings(state.findings, state.rule)]


def running_cooks() -> Iterator[tuple[str, list[str]]]:
    """The cooks of the tests on judging, and all that is said of them."""
    for i, (now, events, readings, plan, *_) in enumerate(cooks.NOW):
        yield f"now {i}, {now} s", running_lines(now, *events, readings=readings, plan=plan)
    for i, (plan, own, others, *_) in enumerate(cooks.PARTS):
        last = max(e["at_s"] for e in (*own, *others))
        yield f"parts {i}", running_lines(last + 20, *own, *others, plan=plan)
    for i, (first, second, events, _) in enumerate(cooks.LOWER):
        made = [cooks.checked(c, at) for at, c in (first, second)]
        yield f"lower {i}", running_lines(second[0] + 30, *made, *events)
    for profile in PROFILES:
        for who in ("general", "susceptible"):
            told = {"rules": profile, "guests": who}
            for name, plan in (("breast", cooks.BREAST), ("steak", cooks.STEAK)):
                done = (cooks.OUT, cooks.SERVED) if name == "breast" else cooks.DONE
                end = 2900 if name == "breast" else 800
                title = f"{name}, {profile}, {who}"
                yield f"{title}, computed", running_lines(end, *done, plan=plan | told)
                yield f"{title}, midway", running_lines(0.4 * end, *done[:0], plan=plan | told)
                hot = cooks.probe(78 if name == "breast" else 58, end - 100, tau=800.0 if name == "breast" else 250.0)
                yield f"{title}, read", running_lines(end, *done, readings=hot, plan=plan | told)


REGISTERS: dict[str, Callable[[], Iterator[tuple[str, list[str]]]]] = {
    "plans": plans, "logs": logs, "running": running_cooks,
}  # fmt: skip


def entries(name: str) -> Iterator[str]:
    """The entries of one register as they are now, one after another."""
    for title, lines in REGISTERS[name]():
        yield "\n".join([f"= {title}", *lines])


def kept(name: str) -> list[str]:
    """The entries of one register as they were approved."""
    return (TEXTS / f"{name}.txt").read_text(encoding="utf-8").rstrip("\n").split("\n\n")


def main(names: list[str]) -> None:
    """Write the registers, all or those that are named."""
    for name in names or REGISTERS:
        (TEXTS / f"{name}.txt").write_text("\n\n".join(entries(name)) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
