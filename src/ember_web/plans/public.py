"""What other places use of Plan."""

from __future__ import annotations

from ember_web.plans.adapters import thin_trace
from ember_web.plans.due import due_today
from ember_web.plans.forms import Options, QuantityInput, quantity, serve_moment
from ember_web.plans.printing import press
from ember_web.plans.summaries import summary_of
from ember_web.plans.written import TIMES, Written, exact, read_written

__all__ = [
    "TIMES",
    "Options",
    "QuantityInput",
    "Written",
    "due_today",
    "exact",
    "press",
    "quantity",
    "read_written",
    "serve_moment",
    "summary_of",
    "thin_trace",
]
