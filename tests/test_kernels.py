"""Compiled loops and reduced ways: each against the plain way or another library."""

from __future__ import annotations

import os
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage, sparse
from scipy.sparse import csgraph

from conftest import band_limited
from engraver.core.numeric import blur, deband, denoise, kernels, matte, noise, warp


def test_the_spline_kernel_is_scipys() -> None:
    """scipy.ndimage.map_coordinates, order 3, mirrored borders, through a projective map."""
    values = band_limited(60, 80, 0.2, 4)
    smooth = ndimage.spline_filter(values, order=3, output=np.float32, mode="reflect")
    m = np.array([[0.9, 0.15, -6.0], [-0.1, 1.05, 4.0], [2e-4, -1e-4, 1.0]])
    out = np.empty((50, 70), np.float32)
    kernels.spline(smooth, m, 0, 50, out)
    y, x = np.mgrid[0:50, 0:70] + 0.5
    depth = m[2, 0] * x + m[2, 1] * y + m[2, 2]
    at = [(m[1, 0] * x + m[1, 1] * y + m[1, 2]) / depth - 0.5, (m[0, 0] * x + m[0, 1] * y + m[0, 2]) / depth - 0.5]
    expected = ndimage.map_coordinates(smooth, at, order=3, mode="reflect", prefilter=False)
    assert np.abs(out - expected).max() < 2e-5


def test_geodesic_distances_are_dijkstras() -> None:
    """Raster scans against SciPy's shortest paths on the eight-neighbour graph."""
    rng = np.random.default_rng(5)
    cost = rng.random((13, 17)).astype(np.float32)
    seeds = np.zeros(cost.shape, bool)
    seeds[3, 4] = seeds[10, 12] = True
    step = 0.05
    found = np.where(seeds, np.float32(0), np.float32(1e9)).astype(np.float32)
    kernels.sweep(found, cost, np.float32(step), 60)
    number = np.arange(cost.size).reshape(cost.shape)
    rows, columns, lengths = [], [], []
    for dy, dx in ((0, 1), (1, 0), (1, 1), (1, -1)):
        a = number[: 13 - dy, max(0, -dx) : 17 - max(0, dx)]
        b = number[dy:, max(0, dx) : 17 + min(0, dx)]
        rows.append(a.ravel())
        columns.append(b.ravel())
        lengths.append(step * np.hypot(dx, dy) + np.abs(cost.ravel()[a] - cost.ravel()[b]).ravel())
    graph = sparse.csr_matrix(
        (np.concatenate(lengths), (np.concatenate(rows), np.concatenate(columns))), shape=(cost.size,) * 2
    )
    expected = csgraph.dijkstra(graph, directed=False, indices=number[seeds], min_only=True)
    assert np.abs(found.ravel() - expected).max() < 1e-4


def bending(u: np.ndarray) -> float:
    """The thin-plate energy, written with differences of the whole array."""
    xx, yy, xy = np.diff(u, 2, axis=1), np.diff(u, 2, axis=0), np.diff(np.diff(u, axis=0), axis=1)
    return float((xx**2).sum() + (yy**2).sum() + 2 * (xy**2).sum())


@given(seed=st.integers(0, 50), height=st.integers(25, 70), width=st.integers(25, 70))
@settings(max_examples=20, deadline=None)
def test_taking_out_terraces_lowers_bending_in_the_half_step(seed: int, height: int, width: int) -> None:
    truth = 0.3 + 0.1 * noise.lattice(height, width, 0.6, seed, octaves=1)
    stored = (np.round(truth * 255) / 255).astype(np.float32)
    found = deband.smoothest(stored, 1 / 255)
    assert np.abs(found - stored).max() <= 0.5 / 255 + 1e-6
    assert bending(found) <= bending(stored) + 1e-9


def test_bands_of_rows_do_not_show(monkeypatch: pytest.MonkeyPatch) -> None:
    values = np.random.default_rng(6).random((90, 60)).astype(np.float32)
    whole = denoise.non_local_means(values, 0.2, 1.0)
    monkeypatch.setattr(denoise, "BAND", 16 * 60)
    assert np.abs(denoise.non_local_means(values, 0.2, 1.0) - whole).max() < 1e-6
    tiled = denoise.non_local_means(np.tile(values, (2, 2)), 0.2, 1.0, (True, True))
    assert np.abs(tiled[:90, :60] - denoise.non_local_means(values, 0.2, 1.0, (True, True))).max() < 1e-5


def test_a_matte_is_the_same_when_its_smooth_parts_are_found_on_fewer_pixels(monkeypatch: pytest.MonkeyPatch) -> None:
    y, x = np.mgrid[0:400, 0:400] + 0.5
    truth = np.clip((120 - np.hypot(x - 200, y - 200)) / 6, 0, 1).astype(np.float32)
    grain = noise.lattice(400, 400, 0.05, 3)[..., None] * np.float32(0.05)
    picture = truth[..., None] * (0.8, 0.5, 0.3) + (1 - truth[..., None]) * (0.2, 0.3, 0.4) + grain
    region = (truth > 0.5).astype(np.float32)
    fine = matte.matte(picture.astype(np.float32), region, 14.0, 1.0)
    monkeypatch.setattr(matte, "SMOOTH_SIDE", 150)
    coarse = matte.matte(picture.astype(np.float32), region, 14.0, 1.0)
    assert np.square(fine - truth).mean() < 3e-4 and np.square(coarse - truth).mean() < 3e-4
    assert np.abs(fine - coarse).mean() < 2e-3


@given(seed=st.integers(0, 99), share=st.floats(0.02, 0.98))
@settings(max_examples=30, deadline=None)
def test_what_is_there_is_carried_into_holes_within_its_own_range(seed: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    values = rng.uniform(0.2, 0.7, (33, 41)).astype(np.float32)
    cover = (rng.random((33, 41)) < share).astype(np.float32)
    cover[5, 7] = 1
    spoilt = np.where(cover > 0, values, np.float32(-50))
    found = blur.spread(spoilt, cover)
    assert np.abs(found - values)[cover > 0].max() < 1e-6
    there = values[cover > 0]
    assert found.min() >= there.min() - 1e-4 and found.max() <= there.max() + 1e-4


def test_a_map_that_makes_smaller_averages_first() -> None:
    """A fine chequer seen at a third of its size is grey, not aliased."""
    chequer = (np.indices((120, 120)).sum(axis=0) % 2).astype(np.float32)
    pixels, cover = warp.mapped(chequer, None, np.diag([1 / 3, 1 / 3, 1.0]), 40, 40)
    assert np.abs(pixels - 0.5).max() < 0.08 and cover.min() > 0.9


_WARM = """
from importlib import import_module
from pkgutil import walk_packages
import engraver.core
from engraver.core import ready
from engraver.core.compiled import Kernel
from engraver.core.errors import unwatched
for part in ready.PARTS.values():
    part(unwatched)
for module in walk_packages(engraver.core.__path__, "engraver.core."):
    if module.name.endswith("kernels"):
        print(*(f"{module.name}.{n}" for n, k in vars(import_module(module.name)).items() if isinstance(k, Kernel)))
"""


def test_making_kernels_ready_leaves_none_and_reads_nothing_beyond_its_arrays() -> None:
    """One that is left out is compiled under the hand, on a new machine. Compiled loops do not ask where an array
    ends; run as plain Python, NumPy does. One that read on ended the program now and then."""
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-c", _WARM], env={**os.environ, "NUMBA_DISABLE_JIT": "1"},
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-800:]
    assert done.stdout.split() == []
