"""Pieces of the cabinet used at the other desks: opened, placed, strewn, in the hand, cycled, dragged and mended."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from at_cabinet import CTRL, NONE, SHIFT, names, press, rest, window_of
from conftest import LEFT
from engraver.app.cabinet_mime import dragged
from engraver.app.desks.cabinet import CabinetDesk
from engraver.app.places import Places
from engraver.app.views.together_sheet import TogetherSheet
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet, Entry, Query
from kept import png, tones


def test_enter_opens_a_piece_at_the_bench_with_its_steps_or_finished(desk: CabinetDesk) -> None:
    window = window_of(desk)
    press(desk, "Boss")
    QTest.keyClick(desk.wall, Qt.Key.Key_Return)
    rest(window)
    assert window.bench.isVisible() and window.studio.plate is not None and window.studio.plate.name == "Boss"
    assert [s.kind for s in window.studio.steps] and "with all its steps" in window.notice.text()
    window.go_to("cabinet")
    rest(window)
    QTest.mouseDClick(desk.wall.viewport(), LEFT, NONE, desk.wall.place(names(desk).index("Rope")).center())
    rest(window)
    assert window.studio.plate.name == "Rope" and not window.studio.steps
    assert "finished plate" in window.notice.text()
    window.studio.undo()
    assert len(window.studio.project.plates) == 1


def test_a_brush_goes_into_the_hand_at_the_proof_desk(desk: CabinetDesk) -> None:
    window = window_of(desk)
    press(desk, "Boss brush")
    QTest.keyClick(desk.wall, Qt.Key.Key_P)
    rest(window)
    assert window.desk("proof").isVisible() and window.trials.state.settings.size == 0.31
    assert window.brushes.current is not None and window.brushes.current.name == "Boss brush"


def drop_at(window: Window, ids: tuple[str, ...], spot: QPoint) -> None:
    data = dragged(ids, [])
    window.dropEvent(QDropEvent(QPointF(spot), Qt.DropAction.CopyAction, data, LEFT, NONE))
    rest(window)


def test_pieces_are_dropped_where_they_are_used(desk: CabinetDesk, pieces: dict[str, Entry]) -> None:
    window, studio = window_of(desk), window_of(desk).studio
    window.commands["start-cushion"].run()
    window.go_to("bench")
    rest(window)
    canvas = window.bench.plate_view.canvas
    drop_at(window, (pieces["Crust"].id,), canvas.mapTo(window, canvas.rect().center()))
    assert studio.step is not None and studio.step.kind == "place" and abs(studio.step.params.x - 0.5) < 0.05
    assert studio.project.plate(studio.step.params.plate).name == "Crust"
    before = studio.plate_id
    drop_at(window, (pieces["Rope"].id,), window.bench.tray.mapTo(window, QPoint(20, 300)))
    assert studio.plate_id != before and studio.plate is not None and studio.plate.name == "Rope"
    window.go_to("proof")
    drop_at(window, (pieces["Cork"].id,), QPoint(600, 400))
    assert studio.plate.name == "Cork"


def test_strewn_a_tip_a_tooth_and_copied(desk: CabinetDesk) -> None:
    window, studio = window_of(desk), window_of(desk).studio
    press(desk, "Crust")
    window.commands["cabinet-strew"].do()
    rest(window)
    assert "no plate to put it on" in window.notice.text()
    window.commands["start-cushion"].run()
    rest(window)
    window.commands["cabinet-strew"].do()
    rest(window)
    assert studio.step is not None and studio.step.kind == "scatter" and studio.step.params.kind == "plate"
    window.commands["cabinet-strew"].do()  # a chosen scatter takes it in place of what it strews
    rest(window)
    assert [s.kind for s in studio.steps].count("scatter") == 1
    window.go_to("cabinet")
    for command in ("cabinet-tip", "cabinet-tooth", "cabinet-copy"):
        window.commands[command].do()
        rest(window)
    assert window.hand.brush.tip_name == "Crust" and len(window.hand.brush.tip) > 0
    tooth = window.trials.settings
    assert tooth.tooth == "plate" and studio.project.plate(tooth.tooth_plate).name.startswith("Crust")
    image = QGuiApplication.clipboard().image()
    assert image.size().width() == 48
    grey = np.array([[image.pixelColor(x, y).red() for x in range(48)] for y in range(48)]) / 255
    assert np.abs(grey - tones(2)).max() < 0.01


def test_one_key_cycles_through_a_drawer_and_leaves_one_plate(desk: CabinetDesk) -> None:
    window, studio = window_of(desk), window_of(desk).studio
    QTest.mouseClick(desk.drawers.fronts["alphas"], LEFT)
    rest(window)
    window.go_to("bench")
    seen = []
    for _ in range(5):
        QTest.keyClick(window, Qt.Key.Key_Right, CTRL)
        rest(window)
        assert studio.plate is not None
        seen.append(studio.plate.name)
    assert seen == ["Boss", "Cork", "Crust", "Rope", "Boss"] and len(studio.project.plates) == 1
    studio.add_step("invert")  # something was made of it: it stays
    QTest.keyClick(window, Qt.Key.Key_Left, CTRL)
    rest(window)
    assert [p.name for p in studio.project.plates] == ["Boss", "Rope"]


def test_files_go_out_by_dragging_and_folders_come_in(
    desk: CabinetDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, started = window_of(desk), []
    monkeypatch.setattr(desk, "start_drag", lambda ids, files: started.append((ids, files)))
    press(desk, "Rope")
    wall, place = desk.wall, desk.wall.place(names(desk).index("Rope")).center()
    QTest.mousePress(wall.viewport(), LEFT, NONE, place)
    for n in range(1, 6):
        QTest.mouseMove(wall.viewport(), place + QPoint(8 * n, 0))
    QTest.mouseRelease(wall.viewport(), LEFT, NONE, place + QPoint(40, 0))
    rest(window)
    ((ids, (path,)),) = started
    assert ids == window.cabinet.chosen and path.name == "rope.png" and path.read_bytes() == png(1)
    folder = tmp_path / "old"
    folder.mkdir()
    (folder / "oyster.png").write_bytes(png(20))
    (folder / "again.png").write_bytes(png(1))
    (folder / "broken.png").write_bytes(png(21)[:60])
    before = {p.name: p.read_bytes() for p in folder.iterdir()}
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(folder))
    QTest.mouseClick(desk.bar.take, LEFT)
    rest(window)
    assert "2 taken in" in window.notice.text() and "1 could not be read" in window.notice.text()
    assert {p.name: p.read_bytes() for p in folder.iterdir()} == before
    assert desk.drawers.fronts["doubles"].count == 2


def test_what_is_wrong_is_mended_for_many_at_a_key(desk: CabinetDesk, places: Places) -> None:
    window = window_of(desk)
    QTest.mouseClick(desk.drawers.fronts["wrong"], LEFT)
    rest(window)
    QTest.keyClick(desk.wall, Qt.Key.Key_A, CTRL)
    QTest.keyClick(desk.wall, Qt.Key.Key_M)
    rest(window)
    assert not names(desk) and "1 mended" in window.notice.text()
    with Cabinet(places.cabinet) as cabinet:
        assert len(cabinet.history(cabinet.find(Query(words="cork"))[0].id)) == 1


def test_several_plates_of_the_tray_are_exported_together(window: Window, tmp_path: Path) -> None:
    """Five plates in seven gestures: five presses, one key, Enter."""
    for id in ("soft-disc", "boss", "seal", "slot", "cushion"):
        window.commands[f"start-{id}"].run()
    rest(window)
    items, plates = window.bench.tray.items, window.studio.project.plates
    QTest.mouseClick(items[plates[0].id], LEFT)
    for plate in plates[1:]:
        QTest.mouseClick(items[plate.id], LEFT, CTRL)
    seen = []

    def accept() -> None:
        sheet = QApplication.activeModalWidget()
        if not isinstance(sheet, TogetherSheet) or len(sheet._ready) < 5:
            QTimer.singleShot(20, accept)
            return
        sheet.folder.setText(str(tmp_path / "new"))
        sheet.uses.item(5).setCheckState(Qt.CheckState.Checked)
        seen.append((sheet.files.topLevelItemCount(), sheet.told.text(), sheet.go.isEnabled()))
        sheet.pattern.setText("quay")
        seen.append((sheet.go.isEnabled(), sheet.told.text()))
        sheet.pattern.setText("quay {name}")
        QTest.keyClick(sheet, Qt.Key.Key_Return)

    QTimer.singleShot(0, accept)
    QTest.keyClick(window, Qt.Key.Key_E, CTRL)
    rest(window)
    assert seen[0] == (10, "There is no such folder: it is made.", True)
    assert seen[1][0] is False and "Two would be written to" in seen[1][1]
    assert "Exported 10 files of 5 plates" in window.notice.text()
    assert len(list((tmp_path / "new").glob("quay-*.png"))) == 10
    QTest.mouseClick(items[plates[1].id], LEFT)
    assert window.besides.all == (plates[1].id,)
    QTest.mouseClick(items[plates[3].id], LEFT, SHIFT)
    assert window.besides.all == tuple(p.id for p in plates[1:4])
    window.commands["pack-add-plate"].do()
    assert [item.id for item in window.pack.pack.items] == [p.id for p in plates[1:4]]
