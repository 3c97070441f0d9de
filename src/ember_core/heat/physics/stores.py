"""Media with a finite store of heat: from a plan's words to the numbers of the balance.

``C dT/dt = P(T) - loss (T - around) - what flows into the pieces``; see :mod:`ember_core.heat.solver.reservoir`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ember_core.data.loader import read_toml

BOILING_BAND_K = 1.0  # water gains nothing above its boiling point: within so many kelvins its heat goes into steam


@dataclass(frozen=True)
class Store:
    """A medium's store.

    Attributes
    ----------
    capacity : float
        J/K.
    heater_w, hold_w : float
        All that its heater brings into it, W; what it brings at ``set_c``.
    gain : float
        W by kelvin below ``set_c``; 0: the heater stays as it is.
    set_c : float
        What it is set to, °C.
    loss_w_k, around_c : float
        W/K to what is around it, °C.
    pieces_m3 : float
        Volume of all the pieces in it.
    holds : bool
        It goes on as the stage before left it.
    """

    capacity: float = 0.0
    heater_w: float = 0.0
    hold_w: float = 0.0
    gain: float = 0.0
    set_c: float = 0.0
    loss_w_k: float = 0.0
    around_c: float = 0.0
    pieces_m3: float = 0.0
    holds: bool = False

    def heat_at(self, t_c: float) -> float:
        """What its heater brings into it at ``t_c`` °C, W."""
        return min(max(self.hold_w + self.gain * (self.set_c - t_c), 0.0), self.heater_w)


NONE = Store()


def kinds() -> dict[str, dict[str, Any]]:
    """The kinds of store with their defaults and their sources, by name."""
    return {k: v for k, v in read_toml("stores.toml").items() if "of" in v}


def capacity_of(stated: Mapping[str, Any]) -> float:
    """Heat that a store takes up by degree, J/K: litres of its liquid, or its mass times its material's heat."""
    data, kind = read_toml("stores.toml"), stated["kind"]
    usual = data[kind]
    if "liquid" in usual:
        return float(stated.get("litres", usual["litres"]) * data["liquid"][usual["liquid"]])
    material = data["material"][stated.get("material", usual["material"])]
    return float(stated.get("mass_kg", usual["mass_kg"]) * material)


def lies_in(kind: str, face_kind: str, variant: str | None) -> bool:
    """Whether a face of a kind of stage and a variant meets a kind of store."""
    row = read_toml("stores.toml")[kind]
    return face_kind in row["of"] and row.get("variant") in {None, variant}


def same_store(a: Mapping[str, Any] | None, b: Mapping[str, Any] | None) -> bool:
    """Whether two stages name one and the same store: the second goes on with it."""
    if a is None or b is None:
        return False
    own = ("kind", "mass_kg", "material", "litres")
    return all(a.get(k) == b.get(k) for k in own)


def store_of(
    stated: Mapping[str, Any],
    *,
    medium_c: float,
    air_c: float,
    boil_c: float,
    pieces_m3: float,
    holds: bool,
    boils: bool = False,
) -> Store:
    """A store as the solver takes it.

    A heater that is set to a temperature (``set_c``) works in full below it, and within a band so much that it holds; one that
    is not stays as it is, at ``power_w`` or, where that is not said either, at what holds the empty medium.

    Parameters
    ----------
    stated : mapping
        ``store`` of a stage.
    medium_c, air_c, boil_c : float
        What the medium begins at, the kitchen's air, the local boiling point, °C.
    pieces_m3 : float
        Volume of all pieces in it.
    holds : bool
        It goes on as the stage before left it.
    boils : bool
        It is brought to the boil, from whatever it begins at.
    """
    usual = kinds()[stated["kind"]]
    loss = float(stated.get("loss_w_k", usual["lid_w_k" if stated.get("lid") else "loss_w_k"]))
    thermostat = "set_c" in stated or not usual.get("by_hand")
    wanted = boil_c if boils else float(stated.get("set_c", medium_c))
    if usual.get("liquid") == "water":
        wanted = min(wanted, boil_c)
    holding = max(loss * (wanted - air_c), 0.0)
    power = float(stated.get("power_w", usual["power_w"] if thermostat else holding))
    hold = min(holding, power) if thermostat else power
    gain = (power - hold) / usual["band_k"] if thermostat else 0.0
    return Store(capacity_of(stated), power, hold, gain, wanted, loss, air_c, pieces_m3, holds)
