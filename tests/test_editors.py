"""The editors of settings, driven by mouse and keys on the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from conftest import LEFT, choose, drag, settle
from engraver.app.editors.curve_box import CurveBox
from engraver.app.editors.falloff import FalloffBox
from engraver.app.editors.levels import LevelsBox
from engraver.app.editors.number_row import NumberRow
from engraver.app.window import Window
from engraver.core.steps.contrast import Curve, Levels
from engraver.core.steps.falloff import Falloff
from engraver.core.steps.frame import Crop


def test_a_slider_drag_is_one_entry_and_the_plate_follows(bench: Window) -> None:
    choose(bench, "falloff")
    before = bench.pictures.look
    row = bench.bench.settings.rows["fade"]
    assert isinstance(row, NumberRow) and before is not None
    entries = len(bench.studio.history.entries)
    drag(row.slider, QPointF(30, 10), QPointF(150, 10))
    settle(bench)
    after = bench.pictures.look
    assert after is not None and not np.array_equal(before.screen, after.screen)
    assert len(bench.studio.history.entries) == entries + 1
    assert row.name.changed and bench.top.undo.toolTip().startswith("Undo: Falloff: fade")
    fade = bench.studio.step.params.fade  # type: ignore[union-attr]
    assert row.field.text() == f"{fade * 240:.0f} px"
    drag(row.slider, QPointF(150, 10), QPointF(60, 10))
    assert len(bench.studio.history.entries) == entries + 2  # another drag, another entry
    bench.studio.undo()
    QTest.keyClick(bench, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(bench)
    assert bench.pictures.look is not None and np.array_equal(bench.pictures.look.screen, before.screen)
    QTest.mouseDClick(row.name, LEFT)
    assert isinstance(bench.studio.step.params, Falloff) and bench.studio.step.params.fade == 0.22  # type: ignore[union-attr]


def test_numbers_take_arithmetic_and_refuse_in_words(bench: Window) -> None:
    choose(bench, "size")
    row = bench.bench.settings.rows["side"]
    assert isinstance(row, NumberRow)
    for text, side in (("1024/2", 512), ("99999", 512), ("barnacle", 512), ("256 px", 256)):
        row.field.setFocus()
        row.field.selectAll()
        QTest.keyClicks(row.field, text)
        QTest.keyClick(row.field, Qt.Key.Key_Return)
        assert bench.studio.step.params.side == side  # type: ignore[union-attr]
        assert bench.notice.isVisible() == (text in ("99999", "barnacle")) or side == 256
    settle(bench)
    assert bench.pictures.full is not None and bench.pictures.full.result.raster.width == 256


def test_levels_lines_hold_what_they_are_dragged_to(bench: Window) -> None:
    choose(bench, "levels")
    box = bench.bench.settings.editors[0]
    assert isinstance(box, LevelsBox) and box.counts is not None
    auto = dict(bench.pictures.look.finished.autos[bench.studio.step_uid])  # type: ignore[union-attr]
    assert box.ends == (auto["black"], auto["white"])
    start = box.place_of("white")
    drag(box, start, start - QPointF(40, 0))
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Levels) and params.find == "held"
    assert params.white < auto["white"] - 0.05 and params.black == pytest.approx(auto["black"], abs=1e-3)
    top = box.place_of("out_white")
    drag(box, top, top + QPointF(0, 30))
    assert bench.studio.step.params.out_white < 0.95  # type: ignore[union-attr]
    settle(bench)


def test_curve_points_are_added_dragged_and_taken_out(bench: Window) -> None:
    bench.studio.add_step("curve")
    settle(bench)
    box = bench.bench.settings.editors[0].curve  # type: ignore[attr-defined]
    assert isinstance(box, CurveBox)
    drag(box, box.place_of((0.5, 0.5)), box.place_of((0.45, 0.8)))
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Curve) and len(params.points) == 3
    assert params.points[1] == pytest.approx((0.45, 0.8), abs=0.02)
    QTest.keyClick(box, Qt.Key.Key_Down)
    assert bench.studio.step.params.points[1][1] == pytest.approx(0.79, abs=0.02)  # type: ignore[union-attr]
    QTest.mouseClick(box, Qt.MouseButton.RightButton, pos=box.place_of(box.points[1]).toPoint())
    assert len(bench.studio.step.params.points) == 2  # type: ignore[union-attr]
    settle(bench)


def test_the_falloffs_profile_is_chosen_and_made_free(bench: Window) -> None:
    choose(bench, "falloff")
    box = bench.bench.settings.editors[0]
    assert isinstance(box, FalloffBox)
    QTest.mouseClick(box.buttons["sharp"], LEFT)
    assert bench.studio.step.params.profile == "sharp"  # type: ignore[union-attr]
    drag(box.curve, box.curve.place_of((0.5, 0.25)), box.curve.place_of((0.5, 0.7)))
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Falloff) and params.profile == "free" and len(params.points) == 5
    assert params.points[2][1] == pytest.approx(0.7, abs=0.03)
    settle(bench)


def test_the_crop_is_set_on_the_plate_itself(bench: Window) -> None:
    uid = choose(bench, "crop")
    canvas, look = bench.bench.plate_view.canvas, bench.pictures.look
    assert look is not None and look.before and look.result.facts.width == 320
    step = bench.studio.step
    assert step is not None
    size = (320.0, 240.0)

    def on_screen(point: QPointF) -> QPointF:
        return canvas.to_screen(QPointF(point.x() / 320, point.y() / 240))

    corner = on_screen(canvas.hands.crop.place_of(step, "se", size, canvas.scale))
    drag(canvas, corner, corner - QPointF(60, 60))
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Crop) and params.width == pytest.approx(1 - 60 / canvas.scale / 240, abs=0.02)
    middle = on_screen(QPointF(params.x * 320, params.y * 240))
    drag(canvas, middle, middle + QPointF(30, 10))
    moved = bench.studio.step.params  # type: ignore[union-attr]
    assert moved.x - params.x == pytest.approx(30 / canvas.scale / 320, abs=0.01)  # type: ignore[union-attr]
    assert bench.bench.settings.rows["x"].field.text() == f"{moved.x * 320:.0f} px"  # type: ignore[union-attr,attr-defined]
    assert bench.studio.plate is not None and uid in bench.studio.plate.own
    turn = on_screen(canvas.hands.crop.place_of(bench.studio.step, "turn", size, canvas.scale))  # type: ignore[arg-type]
    drag(canvas, turn, turn + QPointF(25, 4))
    assert bench.studio.step.params.angle > 3  # type: ignore[union-attr]
    settle(bench)


def test_a_locked_crop_keeps_its_ratio_under_the_hand(bench: Window) -> None:
    uid = choose(bench, "crop")
    bench.studio.set_params(uid, shape="free", width=0.8, height=0.4, lock=True)
    settle(bench)
    canvas = bench.bench.plate_view.canvas
    for grip in ("se", "e", "n"):
        step = bench.studio.step
        assert step is not None
        place = canvas.hands.crop.place_of(step, grip, (320.0, 240.0), canvas.scale)
        start = canvas.to_screen(QPointF(place.x() / 320, place.y() / 240))
        drag(canvas, start, start + QPointF(-24, 14))
        params = bench.studio.step.params  # type: ignore[union-attr]
        assert isinstance(params, Crop) and params.width / params.height == pytest.approx(2.0, rel=0.02)
        assert params != step.params
    settle(bench)
