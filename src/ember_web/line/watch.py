"""A probe of a running piece, looked at as its readings come: whether it jumped, and which of them are believed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.running.history import OUT, is_out
from ember_core.running.probes import EARLY_S, LEAST, Fault, Neighbour, jump_at
from ember_core.running.probes import fault as fault_of
from ember_web.line.media import Track

# s of readings before what is looked at, looked at once more, and not believed before a jump
LOOKED_S, AGAIN_S, UNSURE_S = 90.0, 30.0, 10.0
SETTLED_S = 60.0  # after a jump the tip's new place is looked at so long

Said = Sequence[tuple[float, str]]  # what was said of it: s since its piece began, and ``out``, ``back`` or ``right``


class Watch:
    """What was found about one probe; a fault stays until something is said of it."""

    def __init__(self) -> None:
        self.fault: Fault | None = None
        self._looked: tuple[int, tuple[tuple[float, str], ...]] | None = None
        self._looked_s = 0.0

    def look(
        self,
        track: Track,
        said: Said,
        begun: float,
        *,
        over: bool,
        air_c: float,
        heat_c: float | None,
        near: Callable[[float], Mapping[str, Neighbour]],
    ) -> None:
        """Look whether it jumped, until its piece is served.

        Parameters
        ----------
        track : Track
            What it read.
        said : sequence of (float, str)
        begun : float
            When its piece began, s since 1970.
        over : bool
            Whether the piece is served.
        air_c, heat_c : float
            Of the kitchen, and of what heats the piece now; None: nothing does.
        near : function
            The other probes, at a time in s since the piece began.
        """
        n, key = len(track.times), (len(track.times), tuple(said))
        if key == self._looked:
            return
        answered = said[-1][0] if said else EARLY_S
        fresh = self._looked is None or self._looked[1] != key[1]
        self._looked = key
        if fresh or over:
            self.fault = None
        if over or n < LEAST or (said and said[-1][1] == OUT):
            return
        times = np.array(track.times) - begun
        since, look = max(answered, EARLY_S), 0.0 if fresh else self._looked_s - AGAIN_S
        if self.fault is not None:
            # where the tip is shows when the sensor has settled; one reading alone may be a slip of the sensor
            if float(times[-1]) > self.fault.at_s + SETTLED_S:
                return
            look = self.fault.at_s - 1.0
        self._looked_s = float(times[-1])
        first = int(np.searchsorted(times, look - LOOKED_S))
        cores = np.array(track.values[first:])
        if jump_at(times[first:], cores, since, look) is None:
            self.fault = None
            return
        self.fault = fault_of(
            times[first:], cores, air_c=air_c, heat_c=heat_c, others=near(float(times[-1])), since_s=since, look_s=look
        )

    def believed(self, track: Track, said: Said, begun: float) -> tuple[Array, Array]:
        """The readings that are believed: not while it was said to be out, nor since it jumped."""
        times, cores = np.array(track.times), np.array(track.values)
        good = np.ones(times.size, dtype=bool)
        if said:
            good = np.array([not is_out(said, t - begun) for t in times], dtype=bool)
        if self.fault is not None:
            good &= times < begun + self.fault.at_s - UNSURE_S
        return times[good], cores[good]
