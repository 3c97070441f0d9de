"""Cooling, holding, reheating and time out of control, checked on a measured or computed history.

A history is what the deciding point of the food did: the hottest point while it cools, the coldest
while it is reheated or held hot. What is not known counts against it: a temperature is reached only
at a reading that shows it, and time in a gap counts as spent on the wrong side.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.safety.check import Check, history, missing, rows_of, standing_in
from ember_core.safety.clocks import TOLERANCE_C, met_times
from ember_core.wording.message import N_, either, join_sentences, say

Array = NDArray[np.float64]
PURPOSES = ("immediate", "hot-holding", "commercial")
GROWTH_TOP_C = 54.4  # above it nothing grows that matters here (FSIS Appendix A)
APART_S = 1800.0  # readings of cooling food further apart than this do not show what lies between them; our reading


def _reached(t: Array, c: Array, level: float) -> float:
    """When a falling history is at or below ``level`` for good; inf when it is not."""
    above = np.flatnonzero(c > level)
    if above.size == 0:
        return float(t[0])
    return float(t[above[-1] + 1]) if above[-1] + 1 < t.size else np.inf


def check_cooling(
    profile: str, t_s: Array, hottest_c: Array, *, end_of_heat_s: float | None = None, measured: bool = True
) -> list[Check]:
    """Cooling of the hottest point.

    Parameters
    ----------
    profile : str
        Rule profile.
    t_s, hottest_c : ndarray (n,)
        Times, s, increasing; temperatures of the hottest point, °C.
    end_of_heat_s : float, optional
        When the heat ended; default the first reading.
    measured : bool
        True for readings: between two that are more than half an hour apart nothing is known, and a step with such
        a hole is not met. False for a computed history.

    Returns
    -------
    list of Check
        One for each step of the clause. A step is met when the lower temperature is *read* in time;
        between two readings the piece is taken to be as warm as the earlier one.
    """
    t, c = history(t_s, hottest_c)
    rules = rows_of("cooling", profile)
    if not rules:
        return [missing("cooling", profile, N_("cooling"))]
    out = []
    for rule in rules:
        for step in rule.get("steps", ()):
            hot = np.flatnonzero(c > step["from_c"])
            # the clock starts at the last reading above: the crossing lies somewhere after it
            begin = float(t[hot[-1]]) if hot.size else float(t[0])
            out.append(_cooling_step(rule, begin, _reached(t, c, step["to_c"]), t, c, step, measured))
        for step in rule.get("after_heat", ()):
            begin = float(t[0]) if end_of_heat_s is None else end_of_heat_s
            out.append(_cooling_step(rule, begin, _reached(t, c, step["to_c"]), t, c, step, measured))
    return out


def _cooling_step(
    rule: dict[str, Any], begin: float, done: float, t: Array, c: Array, step: dict[str, Any], measured: bool
) -> Check:
    label = say("from the end of the heat to {to_c:temp1}", to_c=step["to_c"])
    if "from_c" in step:
        label = say("from {from_c:temp1} to {to_c:temp1}", from_c=step["from_c"], to_c=step["to_c"])
    limit = float(step["within_s"])
    source = f"{rule['authority']}"
    if np.isfinite(done):
        used = max(done - begin, 0.0)
        met = used <= limit + 1e-6
        message = say("{label} in {used:span}, allowed {limit:span}.", label=label, used=used, limit=limit)
    else:
        used = float(t[-1]) - begin
        met = False
        left = limit - used
        template = N_("{label}: still {now_c:temp1} after {used:span}, allowed {limit:span}.")
        if left > 0:
            template = N_("{label}: still {now_c:temp1} after {used:span}, allowed {limit:span}; {left:span} left.")
        message = say(template, label=label, now_c=c[-1], used=used, limit=limit, left=left)
    inside = (t[1:] > begin) & (t[:-1] < min(done, float(t[-1])))
    hole = float(np.diff(t)[inside].max(initial=0.0)) if measured else 0.0
    unseen = met and hole > APART_S
    if unseen:
        met = False
        message = say("{label}: no reading for {hole:span}, so this is not proven.", label=label, hole=hole)
    if not met:
        message = join_sentences([message, say(rule["remedy"])])
    return Check("cooling", rule["profile"], rule["clause"], met, used, limit, message, source, unseen)


def check_holding(profile: str, t_s: Array, deciding_c: Array, *, hot: bool, roast: bool = False) -> Check:
    """Hot holding of the coldest point, or cold holding of the warmest.

    The longest time on the wrong side is reported; it is allowed to be nothing. Where the profile
    has time as a control, :func:`time_out_of_control` says what may still be done.

    Parameters
    ----------
    profile : str
        Rule profile.
    t_s, deciding_c : ndarray (n,)
        s; °C of the coldest point (hot) or the warmest (cold).
    hot, roast : bool
        Hot or cold holding; a whole roast.
    """
    t, c = history(t_s, deciding_c)
    rules = rows_of("holding", profile)
    if not rules:
        return missing("holding", profile, N_("holding"))
    rule = rules[0]
    limit = rule["cold_c"] if not hot else rule.get("hot_roast_c", rule["hot_c"]) if roast else rule["hot_c"]
    wrong = c < limit - 1e-9 if hot else c > limit + 1e-9
    longest = _longest(t, wrong[:-1] | wrong[1:])  # one wrong end makes the interval wrong
    word = "at or above" if hot else "at or below"
    if not wrong.any():
        message = say("{word} {limit:temp} throughout.", word=word, limit=limit)
    else:
        extreme = c.min() if hot else c.max()
        message = say(
            "Not {word} {limit:temp} for up to {longest:span} ({extreme:temp1}). Bring it back at once, or use time "
            "as a control under a written procedure, or discard.",
            word=word,
            limit=limit,
            longest=longest,
            extreme=extreme,
        )
    return Check(
        "holding-hot" if hot else "holding-cold", profile, rule["clause"], not wrong.any(), longest, 0.0, message,
        rule["authority"],
    )  # fmt: skip


def _longest(t: Array, counts: NDArray[np.bool_]) -> float:
    """Longest unbroken time, s, of the intervals that count (one fewer than the times)."""
    longest = run = 0.0
    for step, counted in zip(np.diff(t), counts, strict=True):
        run = run + float(step) if counted else 0.0
        longest = max(longest, run)
    return longest


def check_begin_of_chilling(profile: str, waited_s: float) -> Check | None:
    """Whether chilling began soon enough after the heat, s; None where the profile does not ask."""
    for rule in rows_of("cooling", profile):
        for step in rule.get("after_heat", ()):
            good = waited_s <= step["begin_s"] + 1e-6
            message = say(
                "Chilling begins {waited_s:span} after the heat, allowed {begin_s:span}.",
                waited_s=waited_s,
                begin_s=step["begin_s"],
            )
            if not good:
                message = join_sentences([message, say("Chill at once, or keep it hot until then.")])
            return Check(
                "begin-of-chilling",
                profile,
                rule["clause"],
                good,
                waited_s,
                step["begin_s"],
                message,
                rule["authority"],
            )
    return None


def check_raw(profile: str, t_s: Array, hottest_c: Array) -> Check:
    """Time in all that raw food is warmer than cold holding before its first heat.

    Parameters
    ----------
    profile : str
        Its time as a control is the limit; where it has none, that of the come-up.
    t_s, hottest_c : ndarray (n,)
        Until the heat begins; s and °C of the warmest point.
    """
    t, c = history(t_s, hottest_c)
    hold = rows_of("holding", profile)[0]
    rules = rows_of("time_control", profile) or rows_of("come_up", standing_in("come_up"))
    limit = float(rules[0]["most_s" if "most_s" in rules[0] else "within_s"])
    used = _in_zone(t, c, hold["cold_c"], np.inf, None)
    good = used <= limit + 1e-6
    message = say(
        "Raw above {cold_c:temp} for {used:span} before its heat, allowed {limit:span}.",
        cold_c=hold["cold_c"],
        used=used,
        limit=limit,
    )
    if not good:
        message = join_sentences([message, say("Keep it colder, or temper it for less time.")])
    return Check("raw-too-warm", profile, rules[0]["clause"], good, used, limit, message, rules[0]["authority"])


def check_growth(profile: str, t_s: Array, deciding_c: Array, *, apart_s: float | None = None) -> Check:
    """Time in the growth zone while a piece is brought up and cooked, against the limit on its come-up.

    Parameters
    ----------
    profile : str
        Rule profile; where it states no limit, that of FSIS is taken as the limit of what any clause can mean.
    t_s, deciding_c : ndarray (n,)
        From the cold to the moment the clause is met, or to the end of the heat; s and °C of the coldest point.
    apart_s : float, optional
        Of a measured log: an interval longer than this counts as spent in the zone.
    """
    t, c = history(t_s, deciding_c)
    own = rows_of("come_up", profile)
    rule = (own or rows_of("come_up", standing_in("come_up")))[0]
    used = _in_zone(t, c, rule["from_c"], rule["to_c"] - TOLERANCE_C, apart_s)
    limit = float(rule["within_s"])
    good = used <= limit + 1e-6
    message = say(
        "{used:span} between {from_c:degrees} and {to_c:temp} before it is cooked, allowed {limit:span}.",
        used=used,
        from_c=rule["from_c"],
        to_c=rule["to_c"],
        limit=limit,
    )
    if not own:
        message = join_sentences([message, say("This profile states no limit; that of US FSIS is used.")])
    if not good:
        message = join_sentences(
            [
                message,
                say(
                    "Bacteria grow and leave toxins and spores that heat does not destroy: use a thinner piece or a hotter start, and discard what was warm for so long."
                ),
            ]
        )
    return Check("come-up", profile, rule["clause"], good, used, limit, message, rule["authority"])


def check_warm(
    profile: str,
    t_s: Array,
    coldest_c: Array,
    *,
    roast: bool,
    apart_s: float | None = None,
    counted: NDArray[np.bool_] | None = None,
) -> Check:
    """Time out of hot and cold holding after the food is cooked, outside of chilling, against time as a control.

    Parameters
    ----------
    profile : str
        Rule profile; where it has no time as a control, the first step of its cooling clause is taken.
    t_s, coldest_c : ndarray (n,)
        From the moment the clause was met; s and °C of the coldest point.
    roast : bool
        Whole roasts may be held at 54 °C under the Food Code. (Cooking on at 54.4 °C or more is never counted.)
    apart_s : float, optional
        As of :func:`check_growth`.
    counted : ndarray of bool (n - 1,), optional
        Intervals that count; the others are cooling, which has clocks of its own.
    """
    t, c = history(t_s, coldest_c)
    hold, control, cooling = (rows_of(n, profile) for n in ("holding", "time_control", "cooling"))
    hot = min(hold[0].get("hot_roast_c", GROWTH_TOP_C) if roast else GROWTH_TOP_C, GROWTH_TOP_C)
    used = _in_zone(t, c, hold[0]["cold_c"], hot - TOLERANCE_C, apart_s, counted)
    if control:
        rule, limit = control[0], float(control[0]["most_s"])
    else:
        rule = cooling[0]
        limit = float((rule.get("steps") or rule["after_heat"])[0]["within_s"])
    good = used <= limit + 1e-6
    message = say(
        "{used:span} between {cold_c:degrees} and {hot:temp} after it is cooked, allowed {limit:span}.",
        used=used,
        cold_c=hold[0]["cold_c"],
        hot=hot,
        limit=limit,
    )
    if not good:
        message = join_sentences(
            [message, say("Serve it sooner, keep it hot, or chill it; discard what was warm for so long.")]
        )
    return Check("warm-after-cooking", profile, rule["clause"], good, used, limit, message, rule["authority"])


def _in_zone(
    t: Array, c: Array, low: float, high: float, apart_s: float | None, counted: NDArray[np.bool_] | None = None
) -> float:
    """Time, s, with an end of the interval between ``low`` and ``high`` °C; of a log also what lies in a gap."""
    dt = np.diff(t) if counted is None else np.where(counted, np.diff(t), 0.0)
    if apart_s is None:  # a computed history runs straight between its samples
        cold, hot = np.minimum(c[:-1], c[1:]), np.maximum(c[:-1], c[1:])
        shared = np.minimum(hot, high) - np.maximum(cold, low)
        share = np.where(hot - cold > 1e-9, shared / np.maximum(hot - cold, 1e-9), (cold > low) & (cold < high))
        return float((dt * np.clip(share, 0.0, 1.0)).sum())
    inside = (c > low) & (c < high)
    below = (c[:-1] <= low) & (c[1:] <= low)
    return float(dt[inside[:-1] | inside[1:] | ((dt > apart_s) & ~below)].sum())


def check_reheating(profile: str, t_s: Array, coldest_c: Array, *, purpose: str) -> Check:
    """Reheating of the coldest point for a purpose: ``immediate``, ``hot-holding`` or ``commercial``."""
    if purpose not in PURPOSES:
        raise InputError(
            say("Unknown purpose {purpose!r}; choose one of {choices}.", purpose=purpose, choices=", ".join(PURPOSES)),
            path="/purpose",
            code="choice",
        )
    t, c = history(t_s, coldest_c)
    rules = rows_of("reheating", profile)
    if not rules:
        return missing("reheating", profile, N_("reheating"))
    rule = rules[0]
    rows: Sequence[tuple[float, float]] = [(float(a), float(b)) for a, b in rule[purpose]]
    limit = rule.get("within_s")
    if not rows:
        message = say(
            "For immediate service to a guest any temperature is allowed, if it was cooked and cooled by the rules."
        )
        return Check("reheating", profile, rule["clause"], True, None, None, message, rule["authority"])
    met, _ = met_times(t, c[:, None], rows, interpolate=False)
    when = float(met.min())
    first = say("{at_c:temp} for {held_s:.0f} s" if rows[0][1] else "{at_c:temp}", at_c=rows[0][0], held_s=rows[0][1])
    if not np.isfinite(when):
        message = say(
            "Reached {hottest:temp1}; {first} is required. Keep heating, or discard.", hottest=c.max(), first=first
        )
        return Check("reheating", profile, rule["clause"], False, None, limit, message, rule["authority"])
    used = when - float(t[np.flatnonzero(c > 5.0)[0]])  # it was warmer than that when it was met
    good = limit is None or used <= limit
    template = N_("{first} or its equal after {used:span}.")
    if limit:
        template = N_("{first} or its equal after {used:span}, allowed {limit:span}.")
    message = say(template, first=first, used=used, limit=limit)
    if not good:
        message = join_sentences([message, say("Too slow: discard; reheat in smaller pieces or a hotter medium.")])
    return Check("reheating", profile, rule["clause"], good, used, limit, message, rule["authority"])


def time_out_of_control(profile: str, t_s: Array, temperature_c: Array) -> Check:
    """Time between cold and hot holding in all, against time as a control.

    Every interval with one end out of control counts in full. The longer allowance for food that
    stays cool applies only while no reading is above it.
    """
    t, c = history(t_s, temperature_c)
    rules = rows_of("time_control", profile)
    held = rows_of("holding", profile)
    if not rules or not held:
        return missing("time-control", profile, N_("time as a control"))
    rule, hold = rules[0], held[0]
    out = (c > hold["cold_c"]) & (c < hold["hot_c"])
    used = float(np.diff(t)[out[:-1] | out[1:]].sum())
    cool = "cool_c" in rule and bool((c[out] <= rule["cool_c"]).all()) and bool(c[0] <= hold["cold_c"])
    limit = float(rule["cool_most_s"] if cool else rule["most_s"])
    good = used <= limit
    message = say(
        "{used:span} between {cold_c:degrees} and {hot_c:temp}, allowed {limit:span} ({needs}).",
        used=used,
        cold_c=hold["cold_c"],
        hot_c=hold["hot_c"],
        limit=limit,
        needs=say(rule["needs"]),
    )
    if not good:
        message = join_sentences([message, say("Discard.")])
    return Check("time-control", profile, rule["clause"], good, used, limit, message, rule["authority"])


def shelf_life(profile: str, keep: str, at_c: float) -> tuple[float | None, str]:
    """Days a finished, cooled food keeps at ``at_c`` °C as ``ready-to-eat`` or ``pouch``, and the clause.

    The row whose temperature is at or above the storage governs; warmer than all rows: 0 days.
    """
    rules = [r for r in rows_of("shelf", profile) if r["keep"] == keep]
    if not rules:
        return None, say(
            "{profile} has no number for {keep} here: follow the kitchen's own written plan.",
            profile=profile,
            keep=keep,
        )
    rule = rules[0]
    fitting = [r for r in rule["rows"] if at_c <= r["at_c"] + 1e-9]
    if not fitting:
        warmest = max(r["at_c"] for r in rule["rows"])
        return 0.0, say("{clause}: warmer than {warmest:temp}: not kept.", clause=rule["clause"], warmest=warmest)
    best = max(fitting, key=lambda r: r["days"])
    words = join_sentences([say(w) for w in (best.get("note", ""), rule.get("needs", "")) if w], "; ")
    clause = rule["clause"]
    return float(best["days"]), say("{clause}: {words}", clause=clause, words=words) if words else clause


def kept_for(t_s: Array, hottest_c: Array, above_c: float, below_c: float) -> float:
    """How long the hottest point is between two temperatures, s: what is colder is frozen, what is warmer is not kept."""
    middle = 0.5 * (hottest_c[1:] + hottest_c[:-1])
    return float((np.diff(t_s) * ((middle > above_c) & (middle <= below_c))).sum())


KEPT_MOST_C = 10.0  # what is warmer is not kept: its time counts as warm
MOST_OF_IT = 0.9  # of the time in the cold it is at so much or less; what it cools through at first is no storage


def kept_at(t_s: Array, hottest_c: Array) -> float:
    """The temperature that the hottest point is at or below for most of the time that it is kept in the cold, °C; 0 where it never is."""
    middle, dt = 0.5 * (hottest_c[1:] + hottest_c[:-1]), np.diff(t_s)
    cold = middle <= KEPT_MOST_C
    if not cold.any():
        return 0.0
    order = np.argsort(middle[cold])
    reached = np.cumsum(dt[cold][order])
    return float(middle[cold][order][np.searchsorted(reached, MOST_OF_IT * reached[-1])])


def raw_life(profile: str, species: str | None, form: str) -> tuple[float, str]:
    """Days that a raw food keeps in cold holding, and whose number that is; the first row of the table that names it.

    Parameters
    ----------
    profile : str
        Its own rows count before those for every profile.
    species : str or None
        None: of an unknown food, which keeps as the strictest row says.
    form : str
    """
    rows = read_toml("storage.toml")["raw"]
    fitting = [r for r in rows if species in r.get("species", ()) or form in r.get("forms", ())]
    row = fitting[0] if fitting and species is not None else min(rows, key=lambda r: float(r["days"]))
    return float(row["days"]), str(row["authority"])


def parasites_controlled(profile: str, t_s: Array, warmest_c: Array) -> Check:
    """Whether a freezing history controls fish parasites; cooking by the clause's rows is the other way."""
    t, c = history(t_s, warmest_c)
    rules = rows_of("parasites", profile)
    if not rules:
        return missing("parasites", profile, N_("parasites"))
    rule = rules[0]
    best, told = False, []
    for row in rule["freeze"]:
        cold = c <= row["at_c"] + 1e-9
        words = say("{at_c:temp}", at_c=row["at_c"])
        if (
            "then_c" in row
        ):  # frozen solid at the first, kept at the second: the food at the first shows that it froze there
            begun = np.cumsum(cold) > 0
            cold = begun & (c <= row["then_c"] + 1e-9)
            words = say("{at_c:temp}, then {then_c:temp}", at_c=row["at_c"], then_c=row["then_c"])
        held = _longest(t, cold[:-1] & cold[1:])
        best = best or held >= row["hours"] * 3600
        told.append(say("{words} {held_h:.1f} of {asked_h} h", words=words, held_h=held / 3600, asked_h=row["hours"]))
    message = say("{told}.", told=join_sentences(told, "; "))
    if not best:
        message = join_sentences(
            [message, say("Exempt: {exempt}. Freeze on, or cook it through.", exempt=say(rule["exempt"]))]
        )
    return Check("parasites", profile, rule["clause"], best, None, None, message, rule["authority"])


def check_egg_product(profile: str, product: str, t_s: Array, coldest_c: Array) -> Check:
    """Whether liquid ``whole`` egg, ``yolk``, ``salted-yolk`` or ``white`` was pasteurised (coldest point, s and °C)."""
    t, c = history(t_s, coldest_c)
    rules = rows_of("egg_products", profile)
    products = ("whole", "yolk", "salted-yolk", "white")
    if product not in products:
        raise InputError(
            say(
                "Unknown egg product {product!r}; choose one of {choices}.",
                product=product,
                choices=", ".join(products),
            ),
            path="/product",
            code="choice",
        )
    if not rules or product not in rules[0]:
        return missing("egg-product", profile, N_("liquid egg"))
    rule = rules[0]
    rows = [(float(a), float(b)) for a, b in rule[product]]
    met, longest = met_times(t, c[:, None], rows, interpolate=False)
    good = bool(np.isfinite(met).any())
    asked = either([say("{at_c:temp} {held_s:span}", at_c=a, held_s=b) for a, b in rows])
    best = max(zip(longest[:, 0], rows, strict=True), key=lambda r: r[0] / r[1][1])
    template = N_("{asked}: held.") if good else N_("{asked}: held {held_s:span} at {at_c:temp}.")
    message = say(template, asked=asked, held_s=float(best[0]), at_c=best[1][0])
    if not good:
        message = join_sentences([message, say("Hold on without a break, or use pasteurised product.")])
    return Check("egg-product", profile, rule["clause"], good, float(best[0]), best[1][1], message, rule["authority"])
