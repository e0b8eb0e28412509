"""A hole that runs away with the depth range is told, and the range of all the rest is a press away."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest

from conftest import LEFT, drop, settle
from engraver.app.views.capture_box import CaptureBox
from engraver.app.window import Window
from engraver.core.mesh.capture import Capture, measured
from engraver.core.mesh.hole import MOST, hole_in
from engraver.core.mesh.model import Mesh
from solids import shape_of, sheet


def _waves(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return 0.05 * np.sin(7 * x) * np.cos(5 * y)


@given(share=st.floats(0.004, 0.07), deep=st.floats(0.3, 20), seed=st.integers(0, 99), up=st.floats(-50, 50))
def test_a_hole_in_a_relief_is_found_and_its_edge_is_the_lowest_of_the_rest(
    share: float, deep: float, seed: int, up: float
) -> None:
    rng = np.random.default_rng(seed)
    relief = rng.uniform(0, 0.1, 20_000) + up
    count = round(share * relief.size)
    heights = relief.copy()
    heights[:count] -= deep
    found = hole_in(heights, float(heights.min()), float(heights.max()))
    rest = relief[count:]
    if 0.08 * (heights.max() - heights.min()) > 0.094:  # next to the hole nothing is left of the relief
        assert found is None
        return
    assert found is not None
    assert found.edge == pytest.approx(rest.min(), abs=1e-9) and found.places == pytest.approx(share, abs=1e-4)
    assert found.range == pytest.approx((rest.min() - heights.min()) / np.ptp(heights), abs=1e-9)


@given(seed=st.integers(0, 99), share=st.floats(0.0, 1.0))
def test_what_is_no_hole_is_not_told(seed: int, share: float) -> None:
    rng = np.random.default_rng(seed)
    even = rng.uniform(0, 1, 5000)
    assert hole_in(even, 0.0, 1.0) is None  # an even relief
    flat = np.zeros(5000)
    flat[: round(share * 5000)] = -1.0
    assert hole_in(flat, -1.0, 0.0) is None  # letters that are cut into a flat board: they are the relief
    many = even - 5 * (rng.uniform(0, 1, 5000) < 2 * MOST)
    assert hole_in(many, float(many.min()), float(many.max())) is None  # too many places to be a hole
    assert hole_in(even[:100], 0, 1) is None and hole_in(even, 1, 1) is None


def _board(of: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> Mesh:
    """A board from -1 to 1 with heights by a formula."""
    y, x = np.linspace(1, -1, 161)[:, None], np.linspace(-1, 1, 161)
    return sheet(of(x, y), 1 / 80)


def _holed(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return _waves(x, y) - 0.4 * (np.hypot(x - 0.2, y + 0.1) < 0.1)


def test_a_capture_without_its_hole_has_the_range_of_the_rest() -> None:
    shape = shape_of(_board(_holed))
    found = measured(shape, Capture(view="top", frame="inside", side=256))
    assert found.hole is not None and 0.003 < found.hole.places < 0.03 and found.hole.range > 0.7
    assert found.hole.edge == pytest.approx(-0.05, abs=0.01)
    again = measured(
        shape, Capture(view="top", frame="inside", side=256, depth="set", lo=found.hole.edge, hi=found.hi)
    )
    assert again.hole is None and again.units == pytest.approx(0.1, abs=0.012)
    assert measured(shape_of(_board(_waves)), Capture(view="top", frame="inside", side=256)).hole is None


def test_the_hole_is_told_and_left_out_by_a_press(window: Window, tmp_path: Path) -> None:
    mesh = _board(_holed)
    path = tmp_path / "board.ply"
    path.write_bytes(trimesh.Trimesh(mesh.points, mesh.faces, process=False).export(file_type="ply"))
    drop(window, path)
    window.studio.set_reading(view="top", turn=0.0, tilt=0.0, roll=0.0, frame="inside", side=256)
    QTest.mouseClick(window.bench.line.cards[0], LEFT, pos=QPoint(40, 60))
    settle(window)
    box = next(b for b in window.bench.settings.findChildren(CaptureBox) if b.isVisible())
    assert box.without.isVisible()
    assert "of the depth range" in box.hole.text() and box.hole.text()[0].isdigit()
    full = window.pictures.full
    assert full is not None
    before = float(np.percentile(full.result.raster.pixels, 90) - np.percentile(full.result.raster.pixels, 10))
    QTest.mouseClick(box.without, LEFT)
    settle(window)
    reading = window.studio.plate.reading  # type: ignore[union-attr]
    assert isinstance(reading, Capture) and reading.depth == "set" and not box.without.isVisible()
    after = window.pictures.full
    assert after is not None
    now = float(np.percentile(after.result.raster.pixels, 90) - np.percentile(after.result.raster.pixels, 10))
    assert now > 2.5 * before  # the relief has the whole range
    window.studio.undo()
    assert window.studio.plate.reading.depth == "auto"  # type: ignore[union-attr]
    settle(window)
