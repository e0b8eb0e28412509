"""What the window shows once the hand rests, and what its pickers read: full-size pixels, in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest

from conftest import LEFT, settle
from engraver.app.window import Window
from engraver.core.engine import Request
from engraver.core.numeric import resample


@pytest.mark.parametrize("kind", ["threshold", "sharpen", "local-contrast", "soften"])
def test_what_is_on_the_screen_at_rest_is_full_size_reduced(bench: Window, kind: str) -> None:
    bench.pictures.look_side = 100
    bench.studio.add_step(kind)
    settle(bench)
    look, line = bench.pictures.look, bench.studio.line()
    assert look is not None and line is not None and look.at_rest
    full = bench.studio.engine.evaluate(line, Request(exact=True)).raster
    shown = look.finished.raster
    assert max(shown.width, shown.height) <= 100 < max(full.width, full.height)
    assert np.abs(shown.flat() - resample.area(full.flat(), shown.height, shown.width)).max() < 2e-3
    assert bench.pictures.full is not None
    assert bench.pictures._heights is bench.pictures.full.height  # the proof presses the full-size plate


def test_a_picker_reads_the_full_size_pixels_of_what_enters(bench: Window) -> None:
    """While it waits the plate shows what enters; in a close view the one pixel under the pointer is read."""
    bench.studio.add_step("levels")
    settle(bench)
    step = bench.studio.step
    assert step is not None
    canvas, got = bench.bench.plate_view.canvas, []
    bench.hand.picked.connect(lambda name, value: got.append((name, value)))
    line = bench.studio.line()
    assert line is not None
    entering = bench.studio.engine.evaluate(line, Request(upto=step.uid, before=True, exact=True)).raster
    for zoom in (None, 4.0):
        bench.looks.set(zoom=zoom)
        bench.hand.set(picking="pick-low")
        settle(bench)
        look = bench.pictures.look
        assert look is not None and look.before
        place = QPoint(canvas.width() // 2 + 7, canvas.height() // 2 - 11)
        share = canvas.to_share(place.toPointF())
        QTest.mouseClick(canvas, LEFT, pos=place)
        settle(bench)
        wide = max(1, round(1 / canvas.scale))
        r, c = share.y() * entering.height, share.x() * entering.width
        if wide == 1:
            wanted = entering.pixels[int(r), int(c)]
        else:
            top, left = int(r - wide / 2 + 0.5), int(c - wide / 2 + 0.5)
            wanted = entering.pixels[top : top + wide, left : left + wide].mean()
        assert got[-1] == ("pick-low", pytest.approx(float(wanted), abs=1e-5))
        assert bench.hand.brush.picking == "" and not bench.studio.peeking
