"""Tools of the proof desk: smoothing against SciPy's sparse Laplacian, scraping against least squares, the tooth."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import sparse

from engraver.core.pressing.expand import expand
from engraver.core.surfaces import surface
from trials import TIP, gesture, relief

FLAT = surface("flat").geometry


# -- tools -------------------------------------------------------------------------------


def test_smoothing_is_the_umbrella_operator() -> None:
    """Against SciPy's sparse matrix of the same triangles: h + w (D⁻¹A - I) h, as often (G. Taubin, 1995)."""
    from engraver.core.pressing import tool_kernels

    one = relief("ball", 2000)
    rng = np.random.default_rng(2)
    one.height[:] = rng.random(one.ground.count)
    faces = one.ground.faces
    pairs = np.concatenate([faces[:, [a, b]] for a in range(3) for b in range(3) if a != b])
    beside = sparse.coo_matrix((np.ones(len(pairs)), pairs.T)).tocsr()
    mean = sparse.diags(1 / np.asarray(beside.sum(axis=1)).ravel()) @ beside
    found, share = np.arange(one.ground.count, dtype=np.int32), rng.random(one.ground.count).astype(np.float32)
    expected, out = one.height.astype(float), np.empty(one.ground.count, np.float32)
    for _ in range(3):
        expected = expected + share * (mean @ expected - expected)
    starts, around = one.ground.around
    heights = one.height.copy()
    tool_kernels.smooth(heights, faces, starts, around, found, share, 0, 3, out)
    assert np.abs(heights - expected).max() < 1e-5
    for keeps, sign in ((1, 1), (2, -1)):
        kept = one.height.copy()
        tool_kernels.smooth(kept, faces, starts, around, found, share, keeps, 3, out)
        assert (sign * (kept - one.height) >= 0).all() and np.abs(kept - one.height).max() > 0.05


def test_smoothing_spreads_alike_whatever_the_density() -> None:
    left = []
    for points in (10_000, 160_000):
        one = relief("flat", points)
        x = one.ground.points[:, 0]
        one.height[:] = np.sin(x * 30) * 0.1
        made = gesture("smooth", size=0.5, flow=1.0)
        one.smooth(expand(made, FLAT), made.settings)
        middle = np.abs(one.ground.points[:, :2]).max(axis=1) < 0.1
        left.append(float(np.abs(one.height[middle]).max()))
    assert left[0] < 0.09 and left[0] == pytest.approx(left[1], rel=0.15)


def test_scraping_takes_what_stands_over_the_plane_of_least_squares() -> None:
    one = relief("flat", 10_000)
    rng = np.random.default_rng(4)
    x, y = one.ground.points.T[:2].astype(float)
    one.height[:] = 0.05 + 0.1 * x - 0.2 * y + rng.normal(scale=0.02, size=len(x))
    before = one.height.astype(float)
    made = gesture("scrape", size=0.5, flow=1.0, fall="drawn", fall_curve=((0.0, 1.0), (1.0, 1.0)))
    one.scrape(expand(made, FLAT), made.settings)
    under = np.hypot(x, y) < 0.5
    plane, *_ = np.linalg.lstsq(np.stack([np.ones(under.sum()), x[under], y[under]], 1), before[under], rcond=None)
    level = plane[0] + plane[1] * x + plane[2] * y
    assert np.abs(one.height[under] - np.minimum(before, level)[under]).max() < 1e-4
    assert np.array_equal(one.height[~under], before[~under].astype(np.float32))


# -- the tooth ---------------------------------------------------------------------------


@pytest.mark.parametrize("on", ["flat", "pipe", "ball"])
def test_what_a_tooth_leaves_is_kept_for_that_tooth_alone(on: str) -> None:
    """Other teeth and settings in turn on one surface: each mark as on a surface that has seen none."""
    rng, used = np.random.default_rng(2), relief(on, 10_000)
    plates = rng.random((2, 32, 32), dtype=np.float32)
    teeth: list[tuple[str, np.ndarray | None, float]] = [
        ("grit", None, 0.6), ("grit", None, 0.6), ("grit", None, 0.3), ("plate", plates[0], 0.3),
        ("plate", plates[1], 0.3), ("plate", plates[1].copy(), 0.3), ("grit", None, 0.6),
    ]  # fmt: skip
    for name, plate, depth in teeth:
        made = gesture("single", on, size=0.4, tooth=name, tooth_depth=depth, strength=0.1)
        marks, fresh = expand(made, surface(on).geometry), relief(on, 10_000)
        fresh.height[:] = used.height
        for one in (used, fresh):
            one.press(marks, TIP, made.settings, plate)
        assert used.height.any() and np.array_equal(used.height, fresh.height)
