"""What other places use of Line."""

from __future__ import annotations

from ember_web.line.adapters import moment, state_of
from ember_web.line.clock import clock_state
from ember_web.line.media import around_named, around_of, said_of_probe, turned_to
from ember_web.line.neighbours import raw_neighbour_of
from ember_web.line.queries import readings_of, running
from ember_web.line.replaying import as_done, cook_document
from ember_web.line.second_probe import parts_as_cooked, second_part

__all__ = [
    "around_named",
    "around_of",
    "as_done",
    "clock_state",
    "cook_document",
    "moment",
    "parts_as_cooked",
    "raw_neighbour_of",
    "readings_of",
    "running",
    "said_of_probe",
    "second_part",
    "state_of",
    "turned_to",
]
