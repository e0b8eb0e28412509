"""Remove form: a relief wrapped on a ball, a pipe, a slope comes back; rims leave no ditch."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from conftest import band_limited
from engraver.core.params import Stroke
from engraver.core.raster import Raster
from engraver.core.steps import StepContext, kind_of

SIDE = 320
Y, X = np.mgrid[0:SIDE, 0:SIDE] / (SIDE - 1) * 2 - 1


def relief(seed: int) -> np.ndarray:
    """Fine relief about 0 of height 0.1, without what is wider than an eighth."""
    rng = np.random.default_rng(seed)
    total = np.zeros((SIDE, SIDE))
    for _ in range(60):
        u, v = rng.integers(12, 40, 2) * rng.choice((-1, 1), 2)
        total += np.cos(np.pi * (u * X + v * Y) / 2 + rng.uniform(0, 6))
    return 0.05 * total / np.abs(total).max()


def run(raster: Raster, **values: Any) -> Raster:
    kind = kind_of("remove-form")
    facts = raster.facts()
    return kind.apply(raster, kind.params(**values), StepContext(facts, facts, (raster.height, raster.width)))


FORMS = {
    "ball": 0.8 * np.sqrt(np.maximum(1.6**2 - X**2 - Y**2, 0)) - 0.6,
    "pipe": 0.7 * np.sqrt(np.maximum(1.2**2 - X**2, 0)) - 0.2,
    "slope": 0.3 + 0.25 * X - 0.1 * Y,
    "saddle": 0.5 + 0.2 * X**2 - 0.15 * Y**2,
}


@pytest.mark.parametrize(
    ("form", "shape"),
    [
        ("ball", "wide"), ("pipe", "wide"), ("slope", "wide"),
        ("saddle", "quadric"), ("slope", "plane"),
    ],
)  # fmt: skip
def test_a_relief_wrapped_on_a_form_comes_back(form: str, shape: str) -> None:
    """Correlation at least 0.98 with the relief that was laid on it, at its own height."""
    wanted = relief(3)
    result = run(Raster.of((FORMS[form] + wanted).astype(np.float32)), shape=shape, size=0.2)
    got = result.pixels - result.pixels.mean()
    assert np.corrcoef(got.ravel(), wanted.ravel())[0, 1] >= 0.98
    assert got.std() == pytest.approx(wanted.std(), rel=0.1)


def test_a_rim_leaves_no_ditch() -> None:
    """A raised disc with relief on and around it: beside its wall the relief stays, which a plain window spoils."""
    wanted = relief(5)
    disc = np.hypot(X, Y) < 0.55
    picture = Raster.of((0.2 + 0.5 * disc + wanted).astype(np.float32))
    near = (np.abs(np.hypot(X, Y) - 0.55) < 0.12) & (np.abs(np.hypot(X, Y) - 0.55) > 0.015)
    kept, plain = (run(picture, size=0.3, grip=grip).pixels for grip in (0.15, 0.0))
    good, poor = (np.corrcoef(p[near], wanted[near])[0, 1] for p in (kept, plain))
    assert good >= 0.95 and poor < 0.6


def test_marks_and_coverage_are_left_out() -> None:
    """What is not covered, or painted out, does not bend the form."""
    wanted = relief(7)
    flat = FORMS["slope"] + wanted
    harmed = flat.copy()
    harmed[:, 200:] += 3.0
    cover = np.ones((SIDE, SIDE), np.float32)
    cover[:, 200:] = 0
    result = run(Raster.of(harmed.astype(np.float32), cover), shape="plane").pixels[:, :195]
    assert np.corrcoef(result.ravel(), wanted[:, :195].ravel())[0, 1] >= 0.98
    blot = flat.copy()
    blot[100:220, 100:220] += 2.0
    out = (Stroke.through([(0.5, 0.5), (0.5, 0.501)], 0.3, "out"),)
    better = run(Raster.of(blot.astype(np.float32)), shape="plane", strokes=out).pixels[:90]
    assert np.corrcoef(better.ravel(), wanted[:90].ravel())[0, 1] >= 0.98


def test_what_wraps_still_wraps() -> None:
    """A rolled-out form varies along its axis only: no step across the wrap."""
    around = np.arange(SIDE) / SIDE * 2 * np.pi
    tile = 0.2 * np.sin(around) + 0.3 * Y + 0.05 * np.cos(13 * around + 9 * Y)
    result = run(Raster.of(tile.astype(np.float32), wrap=(True, False)), size=0.4)
    assert result.wrap == (True, False)
    steps = np.abs(np.diff(result.pixels, axis=1, append=result.pixels[:, :1])).mean(axis=0)
    assert steps[-1] <= 1.3 * np.percentile(steps, 95)


def test_an_even_picture_stays_even() -> None:
    for shape in ("plane", "quadric", "wide"):
        result = run(Raster.of(np.full((40, 60), 0.4, np.float32)), shape=shape)
        assert np.abs(result.pixels - 0.4).max() < 1e-4
    assert run(Raster.of(band_limited(64, 64, 0.1, 1)), onto="zero").pixels.mean() == pytest.approx(0, abs=0.05)
