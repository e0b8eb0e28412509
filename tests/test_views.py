"""Views driven by hand: sheets, dial, gauges, folding, zooming, recent files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QObject, QPointF, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from conftest import FIRST_SIDE, LEFT, drag, drop, in_dialog, settle
from engraver.app.ui import short_name
from engraver.app.views.export_sheet import ExportSheet
from engraver.app.views.keys_sheet import KeysSheet
from engraver.app.views.readiness_row import GaugeView
from engraver.app.views.sheets import Finder
from engraver.app.views.start_board import StartSheet
from engraver.app.window import Window
from engraver.core.project.recipe_file import open_recipe
from engraver.core.readiness import Gauge


def test_the_export_sheet_lets_only_good_names_through(bench: Window, tmp_path: Path) -> None:
    assert bench.pictures.full is not None
    sheet = ExportSheet(bench.ui, bench, tmp_path, bench.pictures.full, bench.exports)
    assert sheet.name.text() == "cork-float" and sheet.go.isEnabled() and not sheet.replace.isVisibleTo(sheet)
    for name in ("", "   ", "a/b", ".", ".."):
        sheet.name.setText(name)
        assert not sheet.go.isEnabled() and "without" in sheet.words.text()
    sheet.name.setText("Kork Größe 2")
    assert sheet.go.isEnabled() and sheet.wish().paths() == [tmp_path / "Kork Größe 2.png"]
    sheet.folder.setText(str(tmp_path / "gone"))
    assert not sheet.go.isEnabled() and "folder is not there" in sheet.words.text()
    sheet.folder.setText(str(tmp_path))
    (tmp_path / "x-turned.png").write_bytes(b"old")
    sheet.name.setText("x")
    assert sheet.go.isEnabled()
    sheet.both.setChecked(True)
    assert not sheet.go.isEnabled() and sheet.replace.isVisibleTo(sheet)
    sheet.replace.setChecked(True)
    assert sheet.go.isEnabled() and sheet.wish().replace and len(sheet.wish().paths()) == 2
    sheet.deleteLater()


def test_the_finder_dims_what_cannot_be_done_now(window: Window) -> None:
    possible = {c.id for c in window.commands if c.when()}
    assert {"open", "save", "keys"} <= possible and not {"export", "undo", "toggle", "polarity"} & possible
    finder = Finder(window.ui, window, possible)
    finder.field.setText("undo")
    item = finder.list.item(0)
    assert item.text().endswith("Undo") and not item.flags() & Qt.ItemFlag.ItemIsEnabled
    assert finder.nothing.isVisibleTo(finder)
    finder.field.setText("open")
    QTest.keyClick(finder.field, Qt.Key.Key_Down)
    second = finder.taken()
    QTest.keyClick(finder.field, Qt.Key.Key_Up)
    assert finder.taken() != second and finder.taken() in possible
    finder.deleteLater()
    keys = KeysSheet(window.ui, window, "proof", {"bench": "Bench", "proof": "Proof"})
    assert keys.findChildren(type(window.top.name))
    keys.deleteLater()


def test_the_proof_says_that_it_is_on_its_way(window: Window, photo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    settle(window)
    canvas, painted = window.bench.proof_view.canvas, []

    class Paints(QObject):
        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            if event.type() == QEvent.Type.Paint:
                painted.append(canvas.words)
            return False

    paints = Paints()
    canvas.installEventFilter(paints)
    canvas.repaint()
    assert painted == ["The plate is tried here, pressed into plaster."]
    monkeypatch.setattr(window.pictures, "draw_proof", lambda **_: None)  # it takes its time
    drop(window, photo)
    assert painted[-1] == "Getting the proof ready…"


def test_the_dial_puts_the_light_where_it_is_pressed(bench: Window) -> None:
    dial, studio = bench.bench.proof_view.dial, bench.studio
    middle = dial.width() / 2
    for dx, dy, azimuth in ((0, -8, 0), (8, 0, 90), (0, 8, 180), (-8, 0, 270)):
        QTest.mouseClick(dial, LEFT, pos=QPointF(middle + dx, middle + dy).toPoint())
        away = (studio.proof.lamp.azimuth - azimuth + 180) % 360 - 180
        assert abs(away) < 12 and 20 < studio.proof.lamp.height < 70
    QTest.mouseClick(dial, LEFT, pos=QPointF(middle, middle).toPoint())
    assert studio.proof.lamp.height > 75
    QTest.keyClick(dial, Qt.Key.Key_Right)
    QTest.mouseDClick(dial, LEFT)
    assert studio.proof.lamp.azimuth == 315.0
    settle(bench)


@pytest.mark.parametrize("verdict", ["good", "look", "fault"])
def test_a_gauge_tells_its_verdict_in_words_and_shape(window: Window, verdict: str) -> None:
    """State is never told by colour alone: each verdict has a mark of its own in the same place."""
    drawn = {}
    for v in ("good", verdict):
        gauge = Gauge("lift", "Lift", "0.24", {"lift": 0.24}, 0.24, (0, 0.7), (0, 0.35), v, "Says.", "Why.", "")  # type: ignore[arg-type]
        view = GaugeView(window.ui, gauge)
        view.resize(110, 52)
        drawn[v] = view
        assert {"good": "good", "look": "look at this", "fault": "at fault"}[v] in view.accessibleName()
    pictures = {}
    for v, view in drawn.items():
        image = view.grab().toImage().convertToFormat(view.grab().toImage().Format.Format_Grayscale8)
        rows = [[image.pixelColor(x, y).lightness() for x in range(110)] for y in range(18)]
        pictures[v] = np.array(rows) < 200
    assert verdict == "good" or (pictures["good"] != pictures[verdict]).any()


def test_pale_gauges_wait_for_their_measurement(bench: Window) -> None:
    uid = next(s.uid for s in bench.studio.steps if s.kind == "falloff")
    view = bench.bench.readiness.views["lift"]
    bench.studio.set_params(uid, fade=0.4)
    assert view.pale
    settle(bench)
    assert not view.pale and view.gauge.numbers["lift"] != 0


def test_views_and_panels_fold_and_come_back(bench: Window) -> None:
    shown = []
    for _ in range(3):
        QTest.keyClick(bench, Qt.Key.Key_V)
        shown.append((bench.bench.plate_view.isVisible(), bench.bench.proof_view.isVisible()))
    assert shown == [(True, False), (False, True), (True, True)]
    for key, panel in ((Qt.Key.Key_T, bench.bench.tray), (Qt.Key.Key_S, bench.bench.settings)):
        QTest.keyClick(bench, key)
        assert not panel.isVisible()
        QTest.keyClick(bench, key)
        assert panel.isVisible()
    settle(bench)


def test_the_ground_around_the_plate_pans_and_a_double_click_fits(bench: Window) -> None:
    canvas = bench.bench.plate_view.canvas
    bench.studio.show_finished(True)
    settle(bench)
    bench.bench.plate_view.show_scale(0.2)
    before = canvas.target()
    drag(canvas, QPointF(5, 5), QPointF(45, 25))
    after = canvas.target()
    assert after.left() - before.left() == pytest.approx(40) and after.top() - before.top() == pytest.approx(20)
    assert bench.bench.plate_view.zoom.text() == "20 % ▾"
    QTest.mouseDClick(canvas, LEFT, pos=QPointF(10, 10).toPoint())
    assert canvas.zoom is None and canvas.target().center().x() == pytest.approx(canvas.width() / 2, abs=1)
    menu = {a.text() for a in bench.bench.plate_view.zoom_menu().actions()}
    assert {"Fit", "100 %"} <= menu
    settle(bench)


def test_the_readout_tells_the_pixel_under_the_pointer(bench: Window) -> None:
    bench.studio.show_finished(True)
    bench.pictures.want_full = True
    bench.pictures.refresh()
    settle(bench)
    canvas, raster = bench.bench.plate_view.canvas, bench.pictures.full.result.raster  # type: ignore[union-attr]
    place = canvas.to_screen(QPointF(0.43, 0.52))
    QTest.mouseMove(canvas, place.toPoint())
    share = canvas.to_share(QPointF(place.toPoint()))
    x, y = int(share.x() * FIRST_SIDE), int(share.y() * FIRST_SIDE)
    value = float(np.clip(raster.flat()[y, x], 0, 1))
    words = bench.bench.plate_view.section.readout.split()
    assert words[:4] == ["x", str(x), "y", str(y)] and int(words[-1]) == round(value * 65535)


def test_the_line_is_kept_as_a_recipe(bench: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "cork.recipe"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    bench.run(bench.commands["recipe"])
    assert open_recipe(path).steps == bench.studio.steps and "Kept" in bench.notice.text()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "no" / "x.recipe"), ""))
    bench.run(bench.commands["recipe"])
    assert "cannot be written" in bench.notice.text()


def test_opening_by_dialog_and_the_demo_from_the_empty_window(
    window: Window, photo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(photo)], ""))
    window.commands["open"].run()
    settle(window)
    assert window.studio.plate is not None and window.studio.plate.name == "Cork float"
    in_dialog(StartSheet, lambda sheet: sheet.board.start())  # photo or scan stands first
    QTest.mouseClick(window.bench.tray.button, LEFT)
    settle(window)
    assert len(window.studio.project.plates) == 2
    window.commands["demo"].run()
    settle(window)
    assert window.studio.project.name == "Saltmarrow Quay" and window.studio.step is not None
    assert window.studio.step.kind == "falloff" and not window.studio.dirty


@pytest.mark.parametrize(
    "name", ["Scroll moulding of the rim 12", "barnacles-0007", "Rope", "12", "A very long name"]
)
def test_a_name_that_is_too_long_keeps_its_number(window: Window, name: str) -> None:
    metrics = QFontMetrics(window.ui.font(11))
    for room in range(40, 240, 7):
        short = short_name(metrics, name, room)
        assert metrics.horizontalAdvance(short) <= room
        assert not name[-1].isdecimal() or room < 70 or short.endswith(name[-2:])
        assert short == name or name.startswith(short.split("…")[0])
