"""The processes that compute for the line: what probes say of pulls, and what is really happening to a piece."""

from __future__ import annotations

from ember_web.jobs.workers import Workers
from ember_web.line.computing import load

workers = Workers("line", load)
