"""Rule profiles: the clauses of published rules, and a house's own rows for them."""

from __future__ import annotations

import csv
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from functools import lru_cache
from typing import Any

from ember_core.book.foods import foods
from ember_core.data.loader import read_text, read_toml
from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_core.wording.quantities import celsius


@dataclass(frozen=True)
class Clause:
    """One clause: its rows (°C, s), the forms it is written for, those for which an advisory can stand in.

    ``come_up``, ``continuity`` and ``cooling`` say in words how its time is read; ``oven`` and ``moisture`` hold
    the conditions on the oven of a clause that has them (see ``data/rules.toml``).
    """

    id: str
    forms: frozenset[str]
    rows: tuple[tuple[float, float], ...]
    advisory: frozenset[str]
    note: str = ""
    authority: str = ""
    edition: str = ""
    confidence: float = 0.0
    come_up: str = ""
    continuity: str = ""
    cooling: str = ""
    oven: Mapping[str, float] | None = None
    moisture: Mapping[str, float] | None = None
    holding_only: bool = False  # asks something of food for hot holding only
    advised_breasts: frozenset[str] = frozenset()  # species of whose whole, intact breasts an advisory can stand in


@dataclass(frozen=True)
class Seared:
    """A clause that lets an intact piece be served though its core is short, when its outside was seared.

    ``rows`` (°C, s) are those of the outside; ``top_and_bottom`` asks for faces a and b only, otherwise for all of it.
    """

    id: str
    forms: frozenset[str]
    species: frozenset[str]
    rows: tuple[tuple[float, float], ...]
    top_and_bottom: bool
    note: str


@dataclass(frozen=True)
class Profile:
    """A rule set under its authority and edition; ``clauses`` is empty when it has no number."""

    id: str
    name: str
    authority: str
    edition: str
    come_up: str
    confidence: float
    clauses: tuple[Clause, ...]
    short: str = ""  # its name in a sentence
    guidance: str = ""
    guidance_rows: tuple[tuple[float, float], ...] = ()
    guidance_below: frozenset[str] = frozenset()  # species whose whole pieces may be less than the guidance
    exceptions: tuple[Seared, ...] = ()
    base: str = ""  # of a house: the profile it follows, whose numbers for keeping hold
    weaker: tuple[str, ...] = ()  # of a house: clauses whose rows allow less than the base's
    shown: str = ""  # of a house: the reduction that was shown for them

    @property
    def kept_by(self) -> str:
        """The profile whose numbers for cooling, holding and keeping hold: a house's are its base's."""
        return self.base or self.id

    def clauses_for(self, form: str) -> tuple[Clause, ...]:
        """The clauses written for a form of food, the governing one first."""
        return tuple(c for c in self.clauses if form in c.forms)


def _fsis_rows(name: str, log: float) -> tuple[tuple[float, float], ...]:
    lines = [line for line in read_text(name).splitlines() if not line.startswith("#")]
    column = "log70_s" if log == 7 else "log65_s"
    return tuple((celsius(float(r["fahrenheit"])), float(r[column])) for r in csv.DictReader(lines))


@lru_cache(maxsize=8)
def profiles(log: float = 6.5) -> dict[str, Profile]:
    """All profiles by id; ``log`` (6.5 or 7) chooses the column of the FSIS table."""
    if log not in (6.5, 7):
        raise InputError(say("--log is {log:g}; the FSIS table has 6.5 and 7.", log=log), path="--log", code="choice")
    raw = read_toml("rules.toml")["profile"]
    by_id = {p["id"]: p for p in raw}
    out = {}
    for p in raw:
        source = by_id[p["base"]] if "base" in p else p
        clauses = tuple(
            Clause(
                c["id"],
                frozenset(c["forms"]),
                _fsis_rows(c["table"], log) if "table" in c else _rows(c["rows"]),
                _advisory(c),
                c.get("note", ""),
                c.get("authority", source["authority"]),
                c.get("edition", source["edition"]),
                c.get("confidence", source["confidence"]),
                c.get("come_up", source["come_up"]),
                c.get("continuity", source["continuity"]),
                c.get("cooling", source["cooling"]),
                c.get("oven"),
                c.get("moisture"),
                c.get("holding_only", False),
                frozenset(c.get("advised_breasts", ())),
            )
            for c in source.get("clause", ())
        )
        out[p["id"]] = Profile(
            p["id"],
            p["name"],
            p["authority"],
            p["edition"],
            p["come_up"],
            p["confidence"],
            clauses,
            p["short"],
            p.get("guidance", ""),
            _rows(p.get("guidance_rows", ())),
            frozenset(p.get("guidance_below", ())),
            tuple(
                Seared(
                    e["id"],
                    frozenset(e["forms"]),
                    frozenset(e["species"]),
                    _rows(e["rows"]),
                    e["top_and_bottom"],
                    e["note"],
                )
                for e in source.get("exception", ())
            ),
        )
    return out


def _rows(raw: Sequence[Sequence[float]]) -> tuple[tuple[float, float], ...]:
    return tuple((float(t), float(s)) for t, s in raw)


def _advisory(clause: Mapping[str, Any]) -> frozenset[str]:
    """The forms for which an advisory can stand in: all, none, or those named."""
    stated = clause["advisory"]
    return frozenset(clause["forms"] if stated is True else stated or ())


def dominates(rows: Sequence[tuple[float, float]], base: Sequence[tuple[float, float]]) -> bool:
    """True when every one of ``rows`` would by itself satisfy one of the rows of ``base``."""
    return all(any(t >= b_t - 1e-9 and s >= b_s - 1e-9 for b_t, b_s in base) for t, s in rows)


def usual() -> str:
    """The id of the profile that a plan goes by when it names none."""
    return str(read_toml("rules.toml")["usual"])


def bases() -> dict[str, Profile]:
    """The profiles that a house's own rules may follow, by id."""
    return {name: profile for name, profile in profiles().items() if name != "house"}


def house_profile(
    base: str,
    own: Mapping[str, Sequence[tuple[float, float]]],
    *,
    written_plan: str | None = None,
    validated: Mapping[str, Any] | None = None,
    species: str | None = None,
) -> Profile:
    """The house's rules: its own rows for clauses of a base profile.

    Parameters
    ----------
    base : str
        Id of the profile the kitchen works under.
    own : mapping
        Clause id to rows (°C, s) that replace the base's; other clauses stay as they are.
    written_plan : str, optional
        Name of the recorded plan (HACCP, variance) that allows less than the base.
    validated : mapping, optional
        The reduction that was shown for it, see :class:`Validated`.
    species : str, optional
        Of the food that is judged: rows that rest on a reduction shown of another species are not taken.

    Raises
    ------
    InputError
        An unknown clause; rows that allow less than the base without a written plan; or rows so low that the name
        of a plan is not enough (``[floor]`` in ``data/keeping.toml``).
    """
    if base not in bases():
        known = ", ".join(bases())
        raise InputError(
            say("Unknown base {base!r}; choose one of {known}.", base=base, known=known),
            path="/house/base",
            code="choice",
        )
    start = profiles()[base]
    by_id = {c.id: c for c in start.clauses}
    named = (written_plan or "").strip()
    shown = _validated(validated)
    weaker = []
    taken = dict(own)
    for name, rows in own.items():
        if name not in by_id:
            raise InputError(
                say(
                    "{name} has no clause {name2!r}; choose one of {choices}.",
                    name=start.name,
                    name2=name,
                    choices=", ".join(by_id),
                ),
                path=f"/house/{name}",
                code="choice",
            )
        if not rows or any(not (0 < t < 130 and 0 <= s <= 86400) for t, s in rows):
            raise InputError(
                say(
                    "{name}: give one row or more of a temperature (0 to 130 °C) and a time (0 to 86,400 s).", name=name
                ),
                path=f"/house/{name}",
            )
        if dominates(rows, by_id[name].rows):
            continue
        weaker.append(name)
        if shown is not None and species not in {None, shown.species}:
            taken.pop(name)  # what was shown of one species says nothing of another
        if len(named) < LEAST_NAME:
            raise InputError(
                say(
                    "{name}: the house's rows allow less than {name2}. Raise the time or the temperature, or record the "
                    "written plan that allows it.",
                    name=name,
                    name2=start.name,
                ),
                path=f"/house/{name}",
                code="weaker-than-base",
            )
        for row in rows:
            _above_the_floor(name, row, shown)
    clauses = tuple(
        replace(c, rows=tuple(sorted((float(t), float(s)) for t, s in taken[c.id]))) if c.id in taken else c
        for c in start.clauses
    )
    edition = f"{start.name}, {start.edition}" + (f"; by written plan {named}" if weaker else "")
    return replace(
        profiles()["house"],
        edition=edition,
        clauses=clauses,
        come_up=start.come_up,
        guidance=start.guidance,
        guidance_rows=start.guidance_rows,
        guidance_below=start.guidance_below,
        exceptions=start.exceptions,
        base=base,
        weaker=tuple(weaker),
        shown="" if shown is None else shown.words,
    )


@dataclass(frozen=True)
class Validated:
    """A reduction that was shown for a house's rows.

    Attributes
    ----------
    organism, species : str
        Of which organism, in the food of which species; it holds for no other.
    log10 : float
    by, file : str
        Who showed it, and the document in which it stands.
    date : date
    """

    organism: str
    species: str
    log10: float
    by: str
    file: str
    date: date

    @property
    def words(self) -> str:
        """As the edition says it."""
        return say(
            "{log10:g} log10 of {organism} in {species}, shown by {by}, {file}, {date}",
            log10=self.log10, organism=self.organism, species=self.species, by=self.by, file=self.file, date=self.date.isoformat(),
        )  # fmt: skip


def _validated(raw: Mapping[str, Any] | None) -> Validated | None:
    """The shown reduction; None when none was shown.

    Raises
    ------
    InputError
        When something of it is missing.
    """
    if raw is None:
        return None
    organisms = {o["id"] for o in read_toml("organisms.toml")["organism"]}
    species = {str(row["species"]) for row in foods().values()}
    least = read_toml("keeping.toml")["floor"]["log10"]
    held = raw if isinstance(raw, Mapping) else {}
    log10, by, file = held.get("log10"), held.get("by"), held.get("file")
    try:
        when = date.fromisoformat(str(held.get("date")))
    except ValueError:
        when = None
    if (
        isinstance(log10, int | float)
        and not isinstance(log10, bool)
        and least <= log10 <= 12
        and held.get("organism") in organisms
        and held.get("species") in species
        and isinstance(by, str)
        and len(by.strip()) >= LEAST_NAME
        and isinstance(file, str)
        and len(file.strip()) >= LEAST_NAME
        and when is not None
    ):
        return Validated(str(held["organism"]), str(held["species"]), float(log10), by.strip(), file.strip(), when)
    raise InputError(
        say(
            "validated needs organism (one of {choices}), species (one of {species}), log10 (the reduction shown, at least {least:g}), "
            "by (who showed it), file (the document in which it stands) and date (of it, such as 2026-03-31).",
            choices=", ".join(sorted(organisms)),
            species=", ".join(sorted(species)),
            least=least,
        ),
        path="/house/validated",
    )


LEAST_NAME = 5  # letters: a shorter name of a plan, a laboratory or a file says nothing


def model_log10(organism: str, row_c: float, seconds: float, *, slowest: bool) -> float:
    """The reduction that a row alone gives by the product's own model, log10: published D and z, the slowest D or the usual one."""
    o = next(o for o in read_toml("organisms.toml")["organism"] if o["id"] == organism)
    d_s = 60.0 * o["d_upper_min" if slowest else "d_min"] * 10.0 ** ((o["at_c"] - row_c) / o["z_c"])
    return float(seconds / d_s)


def _above_the_floor(clause: str, row: tuple[float, float], shown: Validated | None) -> None:
    """No named plan goes below the floor: by the slowest published D without a shown reduction, by the usual one with it.

    A reduction that somebody showed is never believed further than the product's own model of the same organism goes.
    """
    floor = read_toml("keeping.toml")["floor"]
    row_c, seconds = row
    if shown is None:
        logs = model_log10("salmonella", row_c, seconds, slowest=True)
        if row_c >= floor["least_c"] and logs >= floor["log10"]:
            return
        remedy = say(
            "By the slowest published D it gives {slow_logs:.1f} log10 of Salmonella; a plan's name alone is enough from "
            "{least_c:temp} and {log10:g} log10. Raise the time or the temperature, or record the validated reduction.",
            slow_logs=logs,
            least_c=floor["least_c"],
            log10=floor["log10"],
        )
    else:
        logs = model_log10(shown.organism, row_c, seconds, slowest=False)
        if row_c >= floor["growth_c"] and logs >= shown.log10:
            return
        remedy = say(
            "By published D and z it gives {logs:.1f} log10 of {organism}, and {shown:g} are said to be shown. Raise the time or the "
            "temperature, or correct the reduction.",
            logs=logs,
            organism=shown.organism,
            shown=shown.log10,
        )
        if row_c < floor["growth_c"]:
            remedy = say(
                "A written plan goes no lower than {growth_c:temp}, where C. perfringens still grows.",
                growth_c=floor["growth_c"],
            )
    raise InputError(
        say(
            "{clause}: {row_c:temp} for {seconds:g} s is below the floor. {remedy}",
            clause=clause,
            row_c=row_c,
            seconds=seconds,
            remedy=remedy,
        ),
        path=f"/house/{clause}",
        code="below-the-floor",
    )


def profile_of(
    rules: str, house: Mapping[str, Any] | None = None, log: float = 6.5, *, species: str | None = None
) -> Profile:
    """The profile a plan goes by; ``house`` holds the house's own rules: base, rows by clause, written_plan.

    Raises
    ------
    InputError
        An unknown base or clause, rows that are no pairs of numbers, or rows weaker than the base's
        without a written plan.
    """
    if rules != "house" or house is None:
        return profiles(log)[rules]
    rows = house.get("rows", {})
    try:
        own = {str(clause): [(float(c), float(s)) for c, s in pairs] for clause, pairs in rows.items()}
    except (AttributeError, TypeError, ValueError):
        raise InputError(
            say("The house's rows are pairs of a temperature (°C) and a time (s) for each clause."),
            path="/x-house/rows",
        ) from None
    plan = house.get("written_plan")
    if plan is not None and not isinstance(plan, str):
        raise InputError(say("written_plan is the name of the plan; write it as text."), path="/x-house/written_plan")
    return house_profile(
        str(house.get("base")), own, written_plan=plan, validated=house.get("validated"), species=species
    )
