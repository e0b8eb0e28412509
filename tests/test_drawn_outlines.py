"""Outlines drawn for a falloff: pulled into shape, holes in them, and a fade that never eats a small shape."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel

from conftest import LEFT, drag, settle
from engraver.app.window import Window
from engraver.core.params import Stroke
from engraver.core.raster import Raster
from engraver.core.steps.falloff import HOLE
from test_falloff import cover
from test_hands import add, on_plate
from test_tone import run

SHIFT = Qt.KeyboardModifier.ShiftModifier


def _ring(radius: float, tag: str = "outline", x: float = 0.5, y: float = 0.5) -> Stroke:
    a = np.linspace(0, 2 * np.pi, 181)[:-1]
    return Stroke.through(list(zip(x + radius * np.cos(a), y + radius * np.sin(a), strict=True)), 0.001, tag)


@given(outer=st.floats(0.2, 0.42), inner=st.floats(0.05, 0.15), x=st.floats(0.47, 0.53))
@settings(max_examples=15, deadline=None)
def test_a_ring_has_the_area_of_its_circles_and_the_order_of_holes_counts(
    outer: float, inner: float, x: float
) -> None:
    """pi (R² - r²), with a clean cut; a part that is drawn after a hole fills it."""
    side, whole = 400, _ring(outer)
    ring = cover(side, side, outline="free", strokes=(whole, _ring(inner, HOLE, x)), margin=0, fade=0, ragged=0)
    assert ring.sum() == pytest.approx(np.pi * (outer**2 - inner**2) * side**2, rel=0.012)
    assert ring[side // 2, round(x * side)] == 0
    filled = cover(side, side, outline="free", strokes=(_ring(inner, HOLE, x), whole), margin=0, fade=0, ragged=0)
    assert filled[side // 2, round(x * side)] == 1


@pytest.mark.parametrize("radius", [0.05, 0.12, 0.3])
@pytest.mark.parametrize("fade", [0.1, 0.5])
def test_a_fade_fits_the_shape_that_was_drawn(radius: float, fade: float) -> None:
    """Straight, by depth: d over the fade, or over nine tenths of the radius where that is less."""
    side = 400
    made = cover(
        side, side, outline="free", strokes=(_ring(radius),), margin=0, fade=fade, ragged=0, profile="straight"
    )
    assert made.max() == 1
    y, x = np.mgrid[0:side, 0:side] + 0.5
    deep = radius * side - np.hypot(x - side / 2, y - side / 2)
    wanted = np.clip(deep / min(fade * side, 0.9 * radius * side), 0, 1)
    assert np.abs(made - wanted).max() < 0.09 and np.abs(made - wanted).mean() < 2e-3


def test_a_small_shape_of_its_own_is_not_eaten() -> None:
    side = 300
    y, x = np.mgrid[0:side, 0:side] + 0.5
    dome = np.clip(1 - np.hypot(x - 150, y - 150) / 20, 0, 1).astype(np.float32)
    made = run("falloff", Raster.of(dome), outline="own", margin=0.0, fade=0.4, ragged=0.0).coverage
    assert made is not None
    assert made.max() > 0.99 and made[0].max() == 0


def outlines(window: Window) -> tuple[Stroke, ...]:
    settle(window)
    return window.studio.step.params.strokes  # type: ignore[union-attr, no-any-return]


def draw(window: Window, radius: float, mods: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    canvas = window.bench.plate_view.canvas
    spots = [
        on_plate(window, 0.5 + radius * np.cos(a), 0.5 + radius * np.sin(a)).toPoint()
        for a in np.linspace(0, 6.2, 40)
    ]
    QTest.mousePress(canvas, LEFT, mods, spots[0])
    for spot in spots[1:]:
        QTest.mouseMove(canvas, spot)
    QTest.mouseRelease(canvas, LEFT, mods, spots[-1])
    settle(window)


def test_an_outline_is_drawn_pulled_made_a_hole_and_removed(bench: Window) -> None:
    uid = add(bench, "falloff")
    bench.studio.set_params(uid, "Falloff", outline="free", ragged=0.0, fade=0.05)
    settle(bench)
    canvas = bench.bench.plate_view.canvas
    draw(bench, 0.4)
    draw(bench, 0.2, SHIFT)
    whole, hole = outlines(bench)
    assert (whole.tag, hole.tag) == ("outline", HOLE)
    assert any(word.text() == "1 part, 1 hole drawn." for word in bench.bench.settings.findChildren(QLabel))
    full = bench.pictures.full
    assert full is not None and full.result.raster.coverage is not None
    middle = full.result.raster.coverage.shape[0] // 2
    assert full.result.raster.coverage[middle, middle] == 0
    # A press on the line pulls it; what lies on the other side stays.
    drag(canvas, on_plate(bench, 0.9, 0.5), on_plate(bench, 0.96, 0.5))
    pulled = outlines(bench)[0]
    assert len(outlines(bench)) == 2 and len(pulled.points) == len(whole.points)
    by = pulled.points[:, 0] - whole.points[:, 0]
    far = whole.points[:, 0].argmin()
    assert by.max() > 0.03 and abs(by[far]) < 1e-3 and np.abs(pulled.points[:, 1] - whole.points[:, 1]).max() < 0.01
    bench.studio.undo()
    assert outlines(bench)[0] == whole  # the pull was one entry
    share = canvas.to_share(on_plate(bench, 0.7, 0.5))
    offered = canvas.hands.outline.menu_at(bench.studio.step, share, canvas._full_size(), canvas.scale)  # type: ignore[arg-type]
    assert list(offered) == ["Make it a part", "Remove this outline"]
    canvas._edit_once(offered["Make it a part"])
    assert [s.tag for s in outlines(bench)] == ["outline", "outline"]
    offered = canvas.hands.outline.menu_at(bench.studio.step, share, canvas._full_size(), canvas.scale)  # type: ignore[arg-type]
    assert next(iter(offered)) == "Make it a hole"
    canvas._edit_once(offered["Remove this outline"])
    assert outlines(bench) == (whole,)
    nowhere = canvas.to_share(on_plate(bench, 0.5, 0.5))
    assert not canvas.hands.outline.menu_at(bench.studio.step, nowhere, canvas._full_size(), canvas.scale)  # type: ignore[arg-type]
    QTest.mouseClick(canvas, Qt.MouseButton.RightButton, pos=QPoint(4, 4))
    settle(bench)
