"""The look, measured: contrast of the tokens, the doneness ramps, and templates without inline styles."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from ember_web.ui.drawing import RAMPS

WEB = Path(__file__).resolve().parents[3] / "src" / "ember_web"
CSS = (WEB / "ui/static/ui/styles/tokens.css").read_text(encoding="utf-8")


def tokens(mode):
    """The colour tokens of day or night."""
    block = re.search(rf'\[data-bs-theme="{mode}"\] \{{([^}}]*)\}}', CSS)[1]
    return dict(re.findall(r"--([\w-]+): (#[0-9A-Fa-f]{6})", block))


def linear(hex_colour):
    """Linear RGB, sRGB transfer (IEC 61966-2-1)."""
    c = np.array([int(hex_colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)


def contrast(a, b):
    """Contrast ratio of two colours, WCAG 2.2."""
    la, lb = (float(linear(x) @ [0.2126, 0.7152, 0.0722]) for x in (a, b))
    return (max(la, lb) + 0.05) / (min(la, lb) + 0.05)


@pytest.mark.parametrize("mode", ["day", "night"])
@pytest.mark.parametrize("ground", ["ground", "sheet"])
@pytest.mark.parametrize(
    ("ink", "least"), [(i, 4.5) for i in ("ink", "quiet", "ember", "cold", "safe", "care", "stop")] + [("edge", 3.0)]
)
def test_contrast(mode, ground, ink, least):
    """Text at least 4.5:1, marks and borders of inputs 3:1 (WCAG 2.2, 1.4.3 and 1.4.11)."""
    t = tokens(mode)
    assert contrast(t[ink], t[ground]) >= least


@pytest.mark.parametrize("mode", ["day", "night"])
def test_text_on_ember(mode):
    """The one filled button."""
    t = tokens(mode)
    assert contrast(t["on-ember"], t["ember"]) >= 4.5


def lab(hex_colour, deficiency=None):
    """CIELAB (D65); with a deficiency, as a dichromat sees it (Viénot, Brettel & Mollon 1999)."""
    rgb = linear(hex_colour)
    if deficiency:
        to_lms = np.array([[17.8824, 43.5161, 4.11935], [3.45565, 27.1554, 3.86714], [0.0299566, 0.184309, 1.46709]])
        lms = to_lms @ rgb
        if deficiency == "protan":
            lms[0] = 2.02344 * lms[1] - 2.52581 * lms[2]
        else:
            lms[1] = 0.494207 * lms[0] + 1.24827 * lms[2]
        rgb = np.clip(np.linalg.solve(to_lms, lms), 0, 1)
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ rgb
    f = np.cbrt(np.maximum(xyz / [0.9505, 1.0, 1.089], 0.008856))
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


@pytest.mark.parametrize("name", sorted(RAMPS))
@pytest.mark.parametrize("eyes", [None, "protan", "deutan"])
def test_neighbours_on_a_ramp_can_be_told_apart(name, eyes):
    """Every step of a doneness ramp is a visible one, also for colour-blind eyes, and none is a jump."""
    steps = [np.linalg.norm(lab(a, eyes) - lab(b, eyes)) for a, b in pairwise(RAMPS[name])]
    assert min(steps) >= 5
    assert max(steps) <= 36


def test_templates_keep_to_the_policy():
    """No inline style or script: the content-security policy would drop them silently."""
    for template in WEB.rglob("templates/**/*.html"):
        text = template.read_text(encoding="utf-8")
        assert not re.search(r"\sstyle=|\son\w+=|<style", text), template
        assert "http://" not in text
        assert "https://" not in text
