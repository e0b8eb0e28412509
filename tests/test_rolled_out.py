"""Turned bodies rolled out: carving that is known comes back, on what is round about them."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from engraver.core.mesh.capture import Capture, best_band, capture_heights, measured
from engraver.core.mesh.shape import Shape
from engraver.core.recipe.first_mesh import first_capture
from solids import made


def ring_faces(rows: int, columns: int) -> np.ndarray:
    """Two triangles for each cell of rows of points that go round."""
    n = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = n[:-1], np.roll(n, -1, axis=1)[:-1], n[1:], np.roll(n, -1, axis=1)[1:]
    return np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([b, d, c], -1).reshape(-1, 3)])


def pot(rows: int = 260, columns: int = 720) -> tuple[Shape, np.ndarray]:
    """A pot turned about a leaning axis with a carved frieze, and the frieze: (rows, columns), wrapping."""
    angle = np.arange(columns) / columns * 2 * np.pi
    up = np.linspace(0, 1, rows)[:, None]
    rng = np.random.default_rng(8)
    frieze = np.zeros((rows, columns))
    for _ in range(26):
        k, m = rng.integers(1, 14), rng.integers(1, 7)
        frieze += rng.normal() * np.cos(k * angle + rng.uniform(0, 6)) * np.sin(np.pi * m * up)
    frieze *= 0.6 / np.abs(frieze).max()
    radius = 20 + frieze
    points = np.stack([radius * np.cos(angle), radius * np.sin(angle), 60 * up + 0 * frieze], axis=-1).reshape(-1, 3)
    lean = Rotation.from_euler("xyz", (9, -6, 0), degrees=True).as_matrix()
    return Shape(made(points @ lean.T + (5, -80, 12), ring_faces(rows, columns))), frieze


def test_a_pot_rolls_out_to_its_frieze_without_a_seam() -> None:
    """The found axis, then correlation at least 0.99 with the known carving, and a wrap like any other column."""
    shape, frieze = pot()
    params = first_capture(shape, "rolled").but(side=720, samples="1", depth="exact")
    params = params.but(band=round(best_band(shape, params), 4))
    raster = capture_heights(shape, params, measured(shape, params), params.size)
    assert raster.wrap == (True, False)
    rows = np.clip(((np.arange(raster.height) + 0.5) / raster.height * frieze.shape[0]).astype(int), 0, None)
    drawn = raster.pixels.astype(np.float64)
    spectrum = np.fft.fft(drawn, axis=1)
    best = 0.0
    for picture in (frieze[::-1][rows], frieze[rows]):  # whichever end is up
        for wanted in (picture, picture[:, ::-1]):
            product = (spectrum * np.conj(np.fft.fft(wanted, axis=1))).sum(axis=0)
            shift = int(np.argmax(np.fft.ifft(product).real))
            pair = np.roll(wanted, shift, axis=1)[4:-4].ravel(), drawn[4:-4].ravel()
            best = max(best, float(np.corrcoef(*pair)[0, 1]))
    assert best >= 0.99
    steps = np.abs(np.diff(drawn, axis=1, append=drawn[:, :1])).mean(axis=0)
    assert steps[-1] <= 1.5 * np.percentile(steps, 95)


@pytest.mark.parametrize("leans", [False, True])
def test_what_swells_is_rolled_out_without_its_swelling(leans: bool) -> None:
    """A vase in formulas: on its turned form its carving alone is left, on a cylinder or a cone its belly."""
    rows, columns = 300, 400
    up, angle = np.meshgrid(np.linspace(0, 1, rows), np.arange(columns) * 2 * np.pi / columns, indexing="ij")
    carving = 0.5 * np.maximum(0, np.sin(9 * angle) * np.sin(14 * np.pi * up)) ** 2
    radius = 20 + 8 * np.sin(1.3 * np.pi * up) + carving
    points = np.stack([radius * np.cos(angle), radius * np.sin(angle), 60 * up], axis=-1).reshape(-1, 3)
    if leans:
        points = points @ Rotation.from_euler("xy", (20, 35), degrees=True).as_matrix().T
    shape = Shape(made(points, ring_faces(rows, columns)))
    left = {}
    for form in ("cylinder", "cone", "turned"):
        rolled = shape.rolled("found", form, 0.0)
        off = rolled.points[: rows * columns, 2] - carving.ravel()
        left[form] = float(np.ptp(np.percentile(off, (1, 99))))
    assert left["cylinder"] > 6 and left["cone"] > 3 and left["turned"] < 0.08


def test_a_cone_of_an_older_file_is_one_still() -> None:
    assert Capture.lifted(1, {"cone": True, "side": 64}) == {"form": "cone", "side": 64}
    assert Capture.lifted(1, {"cone": False}) == {}
