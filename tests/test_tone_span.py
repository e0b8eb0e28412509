"""The histogram of levels looks where the tones are, and its lines stay exact there."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from conftest import band_limited, choose, drag, drop, png_bytes, settle
from engraver.app.editors.levels import LevelsBox
from engraver.app.editors.tone_span import WHOLE, fits, span_of
from engraver.app.window import Window


@given(low=st.floats(0, 0.95), wide=st.floats(0.005, 1), ends=st.tuples(st.floats(0, 1), st.floats(0, 1)))
def test_a_span_holds_the_tones_and_the_lines_and_is_hardly_wider(
    low: float, wide: float, ends: tuple[float, float]
) -> None:
    high = min(1.0, low + wide)
    tones = np.linspace(low, high, 20_001)
    counts = np.histogram(tones, 512, (0, 1))[0].astype(np.float32)
    black, white = min(ends), max(ends)
    a, b = span_of(counts, (black, white))
    needed = max(high, white) - min(low, black)
    slack = 0.002 * (high - low) + 1 / 512
    assert 0 <= a < b <= 1 + 1e-9
    assert a <= min(low, black) + slack and b >= max(high, white) - slack
    assert (a, b) == WHOLE or b - a <= max(0.04, 1.5 * (needed + 2 / 512)) + 1e-9
    assert fits((a, b), (a, b)) and span_of(0 * counts, (black, white)) == WHOLE


@pytest.fixture
def flat_light(window: Window, tmp_path: Path) -> LevelsBox:
    """The levels of a picture whose tones lie between 40 and 46 per cent."""
    path = tmp_path / "sand.png"
    path.write_bytes(png_bytes(((0.40 + 0.06 * band_limited(200, 200, 0.05, 1)) * 65535).astype(np.uint16)))
    drop(window, path)
    window.studio.add_step("levels")
    settle(window)
    first = next(s.uid for s in window.studio.steps)
    for step in window.studio.steps:
        if step.kind not in ("levels",) and step.uid != first:
            window.studio.remove_step(step.uid)
    settle(window)
    choose(window, "levels")
    box = window.bench.settings.editors[0]
    assert isinstance(box, LevelsBox)
    return box


def test_narrow_tones_are_shown_wide_and_a_line_follows_the_hand_there(window: Window, flat_light: LevelsBox) -> None:
    box = flat_light
    if box.span == WHOLE:
        pytest.fail(f"the tones lie in {box.ends}")
    low, high = box.span
    assert high - low < 0.5
    start = box.place_of("white")
    across = box._area().width()
    drag(box, start, start - QPointF(30, 0))
    settle(window)
    params = window.studio.step.params  # type: ignore[union-attr]
    moved = box.ends[1] - params.white  # type: ignore[union-attr]
    assert moved == pytest.approx(0, abs=1e-4)
    assert box.place_of("white").x() == pytest.approx(start.x() - 30, abs=2)
    before = params.black  # type: ignore[union-attr]
    box._focus = "black"
    QTest.keyClick(box, Qt.Key.Key_Right)
    assert window.studio.step.params.black - before == pytest.approx(0.001 if high - low < 0.3 else 0.01, abs=1e-4)  # type: ignore[union-attr]
    QTest.mouseClick(box, Qt.MouseButton.RightButton)
    assert box.span == WHOLE
    QTest.keyClick(box, Qt.Key.Key_Space)
    assert box.span != WHOLE and across == box._area().width()
