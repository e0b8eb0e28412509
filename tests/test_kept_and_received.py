"""By hand: a plate and a brush kept in the cabinet, and what arrives of a file at the other end."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from conftest import settle
from engraver.app.exporting import ExportWish
from engraver.app.lanes import wait_idle
from engraver.app.views.arrival_sheet import ArrivalSheet
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet
from engraver.core.cabinet.to_keep import reduced
from engraver.core.readiness.export import Order
from engraver.standins.receiver import habits

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def cushion(window: Window) -> Window:
    window.commands["start-cushion"].run()
    settle(window)
    return window


def test_one_key_keeps_the_plate_and_keeping_again_refreshes_it(cushion: Window) -> None:
    window, studio = cushion, cushion.studio
    QTest.keyClick(window, Qt.Key.Key_B, CTRL)
    settle(window)
    assert "Kept in the cabinet: Rounded cushion." in window.notice.text()
    full = window.pictures.full
    assert full is not None
    with Cabinet(window.places.cabinet) as cabinet:
        (entry,) = cabinet.find()
        assert entry.kind == "alpha" and entry.more["recipe"]["steps"] and entry.source != "file"
        assert np.abs(reduced(cabinet.picture(entry), 8192) - np.clip(full.result.raster.flat(), 0, 1)).max() < 1e-4
    window.go_to("proof")
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_B, CTRL)
    window.brushes.keep()
    QTest.keyClick(window, Qt.Key.Key_B, CTRL)
    settle(window)
    with Cabinet(window.places.cabinet) as cabinet:
        assert sorted(e.kind for e in cabinet.find()) == ["alpha", "brush"]
        assert len(cabinet.history(entry.id)) == 1
    assert studio.plate is not None and "the brush" in window.notice.text()


def test_a_cabinet_that_cannot_be_opened_is_told_and_the_plate_stands(cushion: Window) -> None:
    place = cushion.places.cabinet
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(b"a file where the folder should be")
    QTest.keyClick(cushion, Qt.Key.Key_B, CTRL)
    settle(cushion)
    assert "cabinet cannot be opened" in cushion.notice.text() and cushion.studio.plate is not None


def _with_sheet(window: Window, look: object) -> None:
    """Open *What arrives* and do something while it stands open."""
    done: list[bool] = []

    def act() -> None:
        sheet = next(s for s in QApplication.topLevelWidgets() if isinstance(s, ArrivalSheet) and s.isVisible())
        try:
            wait_idle(window.pictures.lanes, lambda: window.pictures.busy)
            look(sheet)  # type: ignore[operator]
            done.append(True)
        finally:
            sheet.accept()

    QTimer.singleShot(0, act)
    window.commands["what-arrives"].run()
    assert done


def test_what_arrives_shows_two_balls_and_names_what_differs(cushion: Window, tmp_path: Path) -> None:
    window, order = cushion, list(habits())

    def before(sheet: ArrivalSheet) -> None:
        assert sheet.habit.id == "stamps-16" and sheet.words.text() == "It arrives as it is meant."
        assert sheet.answer is not None and sheet.answer.arrived is not None
        assert np.abs(sheet.answer.meant.astype(int) - sheet.answer.arrived).mean() < 1
        sheet.habits.setCurrentIndex(order.index("mid-grey"))
        wait_idle(window.pictures.lanes, lambda: window.pictures.busy)
        assert "Its zero is wrong" in sheet.words.text()
        assert np.abs(sheet.answer.meant.astype(int) - sheet.answer.arrived).mean() > 1
        sheet.habits.setCurrentIndex(order.index("float-heights"))
        wait_idle(window.pictures.lanes, lambda: window.pictures.busy)
        assert "cannot be read" in sheet.words.text() and sheet.balls["arrived"].text() == "Nothing arrives."

    _with_sheet(window, before)
    # After an export it is the files just written, whatever has become of them.
    plate, full = window.studio.plate, window.pictures.full
    assert plate is not None and full is not None
    wish = ExportWish((Order(window.studio.destination, tmp_path, "cushion"),), replace=True)
    window.exports.export(plate.id, full, wish)
    settle(window)
    (tmp_path / "cushion.png").write_bytes(b"\x89PNG\r\n\x1a\ncut short")

    def after(sheet: ArrivalSheet) -> None:
        assert sheet.files.itemText(0) == "cushion.png" and "damaged" in sheet.words.text()

    _with_sheet(window, after)
