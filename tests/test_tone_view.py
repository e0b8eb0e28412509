"""Tones and shapes in the window: pickers, the bevel's form, match, and the hand, by mouse and keys."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from conftest import choose, drag, settle
from engraver.app.editors.form_box import FormBox
from engraver.app.editors.hand_box import HandBox
from engraver.app.editors.levels import LevelsBox
from engraver.app.editors.match_box import MatchBox
from engraver.app.editors.tone_picks import STARTS, with_point
from engraver.app.exporting import ExportWish
from engraver.app.window import Window
from engraver.core.readiness.export import Order
from engraver.core.recipe import edits
from engraver.core.steps.contrast import Curve, Levels
from engraver.core.steps.hand import HandWork
from engraver.core.steps.shape import Bevel
from engraver.core.steps.tone import Match
from engraver.standins.pen import PracticePen

LEFT = Qt.MouseButton.LeftButton


def add(window: Window, kind: str, **values: object) -> str:
    """Add a step and choose it."""
    window.studio.add_step(kind)
    settle(window)
    if values:
        window.studio.set_params(window.studio.step_uid, "set", **values)
        settle(window)
    return window.studio.step_uid


def press(window: Window, share: tuple[float, float], button: Qt.MouseButton = LEFT) -> None:
    canvas = window.bench.plate_view.canvas
    QTest.mouseClick(canvas, button, pos=canvas.to_screen(QPointF(*share)).toPoint())
    settle(window)


def button(window: Window, words: str) -> QPushButton:
    return next(b for b in window.bench.settings.findChildren(QPushButton) if b.text() == words)


def test_darkest_and_highest_are_picked_on_the_plate(bench: Window) -> None:
    choose(bench, "levels")
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, LevelsBox) and editor.after is not None
    look = bench.pictures.look
    assert look is not None and look.entering is not None
    tones = look.entering.pixels
    dark, light = (
        np.unravel_index(int(np.argmin(np.abs(tones - v))), tones.shape) for v in np.percentile(tones, (20, 97))
    )
    shares = [((c + 0.5) / tones.shape[1], (r + 0.5) / tones.shape[0]) for r, c in (dark, light)]
    QTest.mouseClick(button(bench, "Darkest"), LEFT)
    assert bench.hand.brush.picking == "pick-low"
    press(bench, shares[0])
    QTest.mouseClick(button(bench, "Highest"), LEFT)
    press(bench, shares[1])
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Levels) and params.find == "held" and bench.hand.brush.picking == ""
    assert params.black == pytest.approx(float(tones[dark]), abs=0.06)
    assert params.white == pytest.approx(float(tones[light]), abs=0.06)
    assert "Cut off" in bench.bench.settings.editors[1].words.text()  # type: ignore[union-attr]
    press(bench, shares[1])
    assert editor.toned is not None  # a press alone marks the tone


def test_a_curve_starts_from_a_set_and_takes_picked_points(bench: Window) -> None:
    uid = add(bench, "curve")
    picks = bench.bench.settings.editors[1]
    assert picks is not None
    next(a for a in picks.starts_menu().actions() if a.text() == "More contrast").trigger()
    settle(bench)
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Curve) and params.points == STARTS["More contrast"]
    QTest.mouseClick(button(bench, "Highest"), LEFT)
    press(bench, (0.5, 0.5))
    points = bench.studio.step.params.points  # type: ignore[union-attr]
    assert bench.studio.step_uid == uid and any(y == 1.0 for _, y in points[:-1])
    assert with_point(((0.0, 0.0), (0.5, 0.4), (1.0, 1.0)), 0.505, 0.9)[1] == (0.505, 0.9)
    bench.bench.settings.rows["joined"].edited.emit("straight")
    settle(bench)
    assert bench.bench.settings.editors[0].curve.straight  # type: ignore[union-attr]


def test_a_press_on_the_bevels_form_makes_it_free(bench: Window) -> None:
    add(bench, "bevel", level=0.3, width=0.1)
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, FormBox) and bench.pictures.full is not None
    curve = editor.curve
    drag(
        curve, QPointF(curve.width() * 0.5, curve.height() * 0.2), QPointF(curve.width() * 0.5, curve.height() * 0.8)
    )
    settle(bench)
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Bevel) and params.form == "free" and len(params.points) >= 5
    assert not bench.bench.settings.rows["width"].isHidden()


def test_a_shape_that_is_not_there_is_told_on_its_card(bench: Window) -> None:
    add(bench, "bevel", level=0.99)
    before = bench.pictures.full
    bench.studio.set_params(bench.studio.step_uid, "set", level=0.3)
    settle(bench)
    assert not bench.bench.settings.trouble.isVisible() and bench.pictures.full is not before
    add(bench, "thicken", by=-0.2)
    add(bench, "inflate")
    assert "no shape" in bench.bench.settings.trouble.text()


def test_match_takes_another_plates_tones(bench: Window, photo: object) -> None:
    bench.bench.plates.duplicate()
    settle(bench)
    other = bench.studio.plate_id
    bench.studio.add_step("invert")
    settle(bench)
    first = next(p.id for p in bench.studio.project.plates if p.id != other)
    bench.studio.choose_plate(first)
    settle(bench)
    add(bench, "match")
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, MatchBox) and editor.box.count() == 2
    editor.box.setCurrentIndex(1)
    editor.box.activated.emit(1)
    settle(bench)
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Match) and params.plate == other
    before = bench.pictures.full.result.raster.flat()  # type: ignore[union-attr]
    # The other plate changes: this one follows, without being touched.
    levels = next(s.uid for s in bench.studio.project.line(other or "") if s.kind == "levels")
    project = edits.set_params(bench.studio.project, other or "", levels, find="held", black=0.0, white=0.3)
    bench.studio.edit(project, "Change the other")
    settle(bench)
    followed = bench.pictures.full.result.raster.flat()  # type: ignore[union-attr]
    assert abs(float(followed.mean()) - float(before.mean())) > 0.02
    QTest.mouseClick(editor.take, LEFT)
    settle(bench)
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Match) and params.plate == "" and len(params.tones) > 20
    assert np.abs(bench.pictures.full.result.raster.flat() - followed).max() < 2e-3  # type: ignore[union-attr]
    theirs = next(p for p in bench.studio.project.plates if p.id == other)
    bench.studio.choose_plate(theirs.id)
    bench.bench.plates.remove()
    assert "followed it" not in bench.notice.text()


def test_the_hand_paints_chooses_and_removes_strokes(bench: Window) -> None:
    add(bench, "hand")
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, HandBox)
    canvas = bench.bench.plate_view.canvas
    before = bench.pictures.full.result.raster.pixels.copy()  # type: ignore[union-attr]
    bench.hand.set(strength=0.5, radius=0.05)
    drag(canvas, canvas.to_screen(QPointF(0.4, 0.5)), canvas.to_screen(QPointF(0.6, 0.5)))
    settle(bench)
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, HandWork) and len(params.strokes) == 1
    assert params.strokes[0].tag == "raise" and params.strokes[0].strength == 0.5
    change = bench.pictures.full.result.raster.pixels - before  # type: ignore[union-attr]
    rows, columns = change.shape
    assert change[rows // 2, columns // 2] > 0.2 and abs(change[rows // 8, columns // 8]) < 1e-6
    bench.studio.undo()
    assert not bench.studio.step.params.strokes  # type: ignore[union-attr]  # one stroke is one entry
    bench.studio.redo()
    settle(bench)
    press(bench, (0.5, 0.5), Qt.MouseButton.RightButton)
    assert editor.brush.chosen() is not None and editor.brush.back.text() == "Remove the chosen one"
    editor.rows["strength"].edited.emit(0.9)
    settle(bench)
    assert bench.studio.step.params.strokes[0].strength == 0.9  # type: ignore[union-attr]
    QTest.mouseClick(editor.brush.back, LEFT)
    settle(bench)
    assert not bench.studio.step.params.strokes  # type: ignore[union-attr]


def test_arms_mirror_and_the_practice_pen_are_told_and_laid(bench: Window) -> None:
    add(bench, "hand")
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, HandBox)
    editor.rows["arms"].edited.emit(5)
    for name in ("mirror", "practice"):
        QTest.mouseClick(editor.switches[name], LEFT)
    assert bench.hand.brush.words == "5 arms · mirrored · practice pen"
    canvas = bench.bench.plate_view.canvas
    start, end = canvas.to_screen(QPointF(0.55, 0.4)), canvas.to_screen(QPointF(0.7, 0.3))
    QTest.mousePress(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, start.toPoint())
    for n in range(1, 6):
        bent = QPoint(0, 30 if n == 3 else 0)
        QTest.mouseMove(canvas, (start + (end - start) * (n / 5)).toPoint() + bent)
    QTest.mouseRelease(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, end.toPoint())
    settle(bench)
    marks = bench.studio.step.params.strokes  # type: ignore[union-attr]
    assert len(marks) == 10
    points = marks[0].points.astype(float)
    along = points[:, :2] - points[0, :2]
    assert np.abs(along[:, 0] * along[-1, 1] - along[:, 1] * along[-1, 0]).max() < 1e-6
    assert points[0, 2] < 0.3 and points[len(points) // 2, 2] > 0.9
    assert PracticePen().pressures([(0.0, 0.0)]) == [1.0]


def test_any_plate_is_a_tip_and_a_normal_map_goes_with_the_export(bench: Window, tmp_path: Path) -> None:
    bench.studio.add_blank()
    settle(bench)
    add(bench, "hand")
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, HandBox) and editor.rows["soft"].isVisible() and not editor.rows["turn"].isVisible()
    editor.tips.box.setCurrentIndex(1)
    editor.tips.box.activated.emit(1)
    QTest.mouseClick(editor.tips.take, LEFT)
    settle(bench)
    assert bench.hand.brush.tip and not bench.hand.brush.tip_plate
    assert editor.rows["turn"].isVisible() and not editor.rows["soft"].isVisible()
    bench.hand.set(radius=0.2, strength=1.0)
    press(bench, (0.5, 0.5))
    marks = bench.studio.step.params.strokes  # type: ignore[union-attr]
    assert len(marks) == 1 and marks[0].tip == bench.hand.brush.tip
    full = bench.pictures.full
    assert full is not None and full.result.raster.pixels.std() > 0.02
    wish = ExportWish((Order(bench.studio.destination, tmp_path, "a"),), normals=tmp_path / "a-normals.png")
    bench.exports.export(bench.studio.plate_id or "", full, wish, 0.03)
    settle(bench)
    assert (tmp_path / "a.png").exists() and (tmp_path / "a-normals.png").exists()


def test_the_source_shines_through_for_tracing(bench: Window) -> None:
    add(bench, "hand")
    plain = bench.pictures.look.screen.copy()  # type: ignore[union-attr]
    QTest.keyClick(bench, Qt.Key.Key_Semicolon)
    settle(bench)
    traced = bench.pictures.look.screen  # type: ignore[union-attr]
    assert bench.studio.tracing and traced.shape == plain.shape and not np.array_equal(traced, plain)
    editor = bench.bench.settings.editors[0]
    assert isinstance(editor, HandBox) and editor.switches["trace"].isChecked()
    QTest.mouseClick(editor.switches["trace"], LEFT)
    settle(bench)
    assert np.array_equal(bench.pictures.look.screen, plain)  # type: ignore[union-attr]
