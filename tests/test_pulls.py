"""What is pulled about: cards along the wire, the grips of outlines, the view of a mesh; and what menus offer."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDragMoveEvent, QDropEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QFileDialog, QMenu, QPushButton

from conftest import LEFT, choose, drag, drop, in_dialog, settle
from engraver.app.views.card import CARD_DRAG
from engraver.app.views.destination_sheet import DestinationSheet
from engraver.app.views.export_sheet import ExportSheet
from engraver.app.window import Window
from engraver.core.steps.falloff import Falloff
from engraver.demo.casts import knot_panel

MOVE, NONE = Qt.DropAction.MoveAction, Qt.KeyboardModifier.NoModifier
RIGHT = Qt.MouseButton.RightButton


def button(sheet: QDialog, words: str) -> QPushButton:
    return next(b for b in sheet.findChildren(QPushButton) if b.text() == words)


def press(menu: QMenu, words: str) -> None:
    next(a for a in menu.actions() if a.text() == words).trigger()


def carry(window: Window, uid: str, to: QPointF, *, let_go: bool = True) -> None:
    """A card over the wire, dropped or taken away again."""
    data, wire = QMimeData(), window.bench.line.wire
    data.setData(CARD_DRAG, uid.encode())
    QApplication.sendEvent(wire, QDragEnterEvent(to.toPoint(), MOVE, data, LEFT, NONE))
    QApplication.sendEvent(wire, QDragMoveEvent(to.toPoint(), MOVE, data, LEFT, NONE))
    if let_go:
        QApplication.sendEvent(wire, QDropEvent(to, MOVE, data, LEFT, NONE))
    else:
        QApplication.sendEvent(wire, QDragLeaveEvent())
    settle(window)


def test_a_card_lands_where_it_is_let_go_and_nowhere_else(bench: Window) -> None:
    uid = choose(bench, "soften")
    studio, wide = bench.studio, bench.bench.line.cards[1].width()
    order = [s.uid for s in studio.steps]
    carry(bench, uid, QPointF(wide * 2.1, 60), let_go=False)
    assert [s.uid for s in studio.steps] == order, "taken away again: nothing moved"
    carry(bench, uid, QPointF(wide * 2.1, 60))
    assert [s.uid for s in studio.steps].index(uid) == 1 and studio.step_uid == uid
    carry(bench, uid, QPointF(-40, 60))
    assert [s.uid for s in studio.steps].index(uid) == 0, "nothing goes before the source"
    carry(bench, uid, QPointF(wide * 40, 60))
    assert studio.steps[-1].uid == uid
    for _ in range(3):
        studio.undo()
    assert [s.uid for s in studio.steps] == order
    settle(bench)


def outline(window: Window) -> Falloff:
    step = window.studio.step
    assert step is not None and isinstance(step.params, Falloff)
    return step.params


def on_plate(window: Window, x: float, y: float) -> QPointF:
    return window.bench.plate_view.canvas.to_screen(QPointF(x, y))


def test_an_outline_is_moved_turned_and_rounded_on_the_plate(bench: Window) -> None:
    """The grips lie where geometry puts them, and what they set is read back from the same geometry."""
    uid = choose(bench, "falloff")
    canvas, studio = bench.bench.plate_view.canvas, bench.studio
    studio.set_params(uid, outline="rounded", margin=0.2, fade=0.1, ragged=0.0, corner=0.5, turn=0.0)
    settle(bench)
    drag(canvas, on_plate(bench, 0.5, 0.5), on_plate(bench, 0.6, 0.55))
    settle(bench)
    assert (outline(bench).x, outline(bench).y) == (pytest.approx(0.6, abs=0.01), pytest.approx(0.55, abs=0.01))
    drag(canvas, on_plate(bench, 0.6, 0.55), on_plate(bench, 0.503, 0.498))
    settle(bench)
    assert (outline(bench).x, outline(bench).y) == (0.5, 0.5), "the middle catches it"
    # The corner's grip lies on the arc's diagonal: radius r puts it r (1 - sqrt 1/2) inside each side.
    inside = 0.3 * 0.5 * (1 - math.sqrt(0.5))
    there = 0.3 * (1 - math.sqrt(0.5))
    drag(canvas, on_plate(bench, 0.8 - inside, 0.2 + inside), on_plate(bench, 0.8 - there, 0.2 + there))
    settle(bench)
    assert outline(bench).corner == pytest.approx(1.0, abs=0.04)
    # The turning grip stands on the line through the middle: pulled to the right it makes a quarter.
    height = canvas.to_screen(QPointF(0, 1)).y() - canvas.to_screen(QPointF(0, 0)).y()
    up = max(0.55 * 0.3, 0.3 - 26 / height)
    drag(canvas, on_plate(bench, 0.5, 0.5 - up), on_plate(bench, 0.5 + up, 0.5))
    settle(bench)
    assert outline(bench).turn == pytest.approx(90, abs=0.5)
    QTest.mouseMove(canvas, on_plate(bench, 0.02, 0.02).toPoint())
    entries = len(studio.history.entries)
    drag(canvas, on_plate(bench, 0.02, 0.02), on_plate(bench, 0.1, 0.1))
    assert len(studio.history.entries) == entries, "where no grip is nothing is changed"
    settle(bench)


def test_a_meshs_view_is_panned_zoomed_at_the_pointer_and_rolled(window: Window, tmp_path: Path) -> None:
    path = tmp_path / "panel.ply"
    path.write_bytes(knot_panel(64).file())
    drop(window, path)
    window.studio.set_reading(side=128)
    QTest.mouseClick(window.bench.line.cards[0], LEFT, pos=QPoint(40, 60))
    QTest.keyClick(window, Qt.Key.Key_Q)
    settle(window)
    canvas, studio = window.bench.capture_view.canvas, window.studio
    whole, before = canvas.box(), studio.plate
    spot = QPointF(canvas.width() * 0.3, canvas.height() * 0.4)
    held = canvas.to_plane(spot)
    wheel = QWheelEvent(spot, spot, QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, NONE,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(canvas, wheel)
    settle(window)
    assert canvas.box().width() == pytest.approx(whole.width() * 1.44, rel=0.02), "1.2 a notch"
    assert canvas.to_plane(spot) == pytest.approx(held, rel=1e-3), "what is under the pointer stays there"
    now = canvas.box()
    middle = QPointF(canvas.width() / 2, canvas.height() / 2)
    drag(canvas, middle, middle + QPointF(40, -25), RIGHT)
    settle(window)
    by = canvas.box().topLeft() - now.topLeft()
    assert (by.x(), by.y()) == (pytest.approx(40, abs=1.5), pytest.approx(-25, abs=1.5))
    QTest.mouseDClick(canvas, LEFT, pos=middle.toPoint())
    settle(window)
    assert rounded(canvas.box()) == rounded(whole)
    assert studio.plate == before, "looking changes nothing"
    # Rolled by Shift: a quarter of a circle round the middle.
    aside, below = (middle + by for by in (QPointF(60, 0), QPointF(0, 60)))
    QTest.mousePress(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, aside.toPoint())
    QTest.mouseMove(canvas, below.toPoint())
    QTest.mouseRelease(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, below.toPoint())
    settle(window)
    assert studio.plate is not None and abs(studio.plate.reading.roll) == pytest.approx(90, abs=2)  # type: ignore[union-attr]


def rounded(box: QRectF) -> tuple[int, ...]:
    return tuple(round(v) for v in (box.left(), box.top(), box.width(), box.height()))


def test_menus_of_the_plate_show_and_hide_and_set_plain_scales(bench: Window) -> None:
    view = bench.bench.plate_view
    press(view.zoom_menu(), "200 %")
    assert view.canvas.scale == pytest.approx(2.0)
    press(view.zoom_menu(), "Fit")
    assert view.canvas.scale < 2.5
    for action in [a.text() for a in view.overlay_menu().actions() if a.isCheckable()]:
        before = {a.text(): a.isChecked() for a in view.overlay_menu().actions()}
        press(view.overlay_menu(), action)
        after = {a.text(): a.isChecked() for a in view.overlay_menu().actions()}
        assert {n for n in after if after[n] != before[n]} == {action}, "one overlay at a time"
        press(view.overlay_menu(), action)
    settle(bench)


def test_a_folder_is_chosen_and_a_destination_edited_from_the_export_sheet(
    bench: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path))
    seen: list[str] = []

    def look(sheet: QDialog) -> None:
        assert isinstance(sheet, DestinationSheet)
        sheet.list.setCurrentRow(1)
        sheet.rules.folder.setText(str(tmp_path / "stamps"))
        sheet.save.click()
        seen.append(sheet.words.text())
        sheet.copy.click()
        sheet.rules.texts["smallest"].setText("many")
        button(sheet, "Done").click()
        seen.append(sheet.words.text())
        assert sheet.isVisible(), "what cannot be kept keeps the sheet open, and is told"
        sheet.reject()

    def edit(sheet: QDialog) -> None:
        assert isinstance(sheet, ExportSheet)
        button(sheet, "Choose…").click()
        seen.append(sheet.folder.text())
        in_dialog(DestinationSheet, look)
        button(sheet, "Edit destinations…").click()

    in_dialog(ExportSheet, edit)
    bench.run(bench.commands["export"])
    settle(bench)
    assert seen[0] == str(tmp_path)
    assert seen[1] == "The folder is kept for this machine."
    assert seen[2].startswith("This cannot be kept: the smallest side must be a whole number. Or press Esc")
    assert bench.exports.folder_for("sculpt-stamp") == tmp_path / "stamps"
