"""The pack's desk by mouse and keys: filled, named, ordered, judged, written, received; and the icon maker."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import QMimeData, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from conftest import LEFT, answer, drag
from engraver.app.desks.pack import PackDesk
from engraver.app.desks.proof import ProofDesk
from engraver.app.lanes import wait_idle
from engraver.app.views.brush_row import BrushRow
from engraver.app.views.icon_sheet import IconSheet
from engraver.app.views.pack_arrivals import PackArrivals
from engraver.app.views.receiver_window import ReceiverWindow
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet
from engraver.core.pack import build
from engraver.core.pack.opened import check_pack
from engraver.core.pressing.settings import checked
from engraver.core.recipe import brushes, edits
from engraver.core.recipe.models import Step
from engraver.core.starters import starter

CTRL, ALT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.AltModifier


def rest(window: Window) -> None:
    """Until nothing of the pack is under way either."""
    lanes = [*window.pictures.lanes, *window.filing.lanes, *window.cabinet.lanes, *window.pack.lanes]
    for _ in range(2):
        wait_idle(lanes, lambda: window.busy)


@pytest.fixture
def desk(window: Window) -> PackDesk:
    """Three small plates and a brush in the project, nothing in the pack."""
    project = window.studio.project
    for id in ("soft-disc", "boss", "seal"):
        project, plate = starter(id).added_to(project)
        project = edits.set_reading(project, plate, side=256)
        step = Step.make("size", side=256)
        project = edits.insert_step(project, plate, step, len(project.line(plate)))
    project, _ = brushes.keep(project, project.plates[1].id, checked(size=0.37), "black", name="Boss brush")
    window.studio.edit(project, "Begin")
    window.studio.choose_plate(project.plates[0].id)
    window.go_to("pack")
    rest(window)
    found = window.desk("pack")
    assert isinstance(found, PackDesk)
    return found


@pytest.fixture
def filled(desk: PackDesk) -> PackDesk:
    QTest.mouseClick(desk.shelf.add_all, LEFT)
    desk.active.set(destinations=())
    for words in ("Sculpt stamp, black is zero", "Paint tip, black marks"):
        next(a for a in desk.bar.menu().actions() if a.text() == words).trigger()
    rest(window_of(desk))
    return desk


def window_of(desk: PackDesk) -> Window:
    assert isinstance(desk.host, Window)
    return desk.host


def names(desk: PackDesk) -> list[str]:
    return [piece.name for piece in desk.sheet.pieces]


def modal(act: Callable[[object], None]) -> None:
    """Do something with the next sheet that opens, once it lets itself be used."""

    def poll() -> None:
        sheet = QApplication.activeModalWidget()
        ready = getattr(sheet, "all_read", True) and getattr(getattr(sheet, "previews", None), "icons", True)
        if sheet is None or not ready:
            QTimer.singleShot(20, poll)
            return
        act(sheet)

    QTimer.singleShot(0, poll)


def test_what_is_not_in_it_is_added_and_judged_for_each_use(desk: PackDesk) -> None:
    window, shelf = window_of(desk), desk.shelf
    assert [shelf.list.item(n).text() for n in range(4)] == [
        "Soft disc", "Six-sided boss", "Seal", "Boss brush (brush)",
    ]  # fmt: skip
    shelf.list.setCurrentRow(2)
    QTest.keyClick(shelf.list, Qt.Key.Key_Return)
    # What the first piece was made ready for is what the pack is for.
    assert names(desk) == ["Seal"] and window.pack.pack.destinations == ("sculpt-stamp",)
    QTest.mouseClick(shelf.add_all, LEFT)
    assert names(desk) == ["Seal", "Soft disc", "Six-sided boss", "Boss brush"] and not shelf.isVisible()
    rest(window)
    assert desk.bar.go.isEnabled() and "to measure" not in desk.bar.verdict.text()
    assert all(desk.active.seen(p) is not None for p in desk.sheet.pieces)
    assert sum(window.pack.counts().values()) == 4
    QTest.mouseClick(desk.bar.labels()[0], LEFT)
    assert not window.pack.pack.destinations and not desk.bar.go.isEnabled()
    assert desk.bar.verdict.text() == "Not for anything yet: choose what with For…"
    window.studio.undo()
    assert window.pack.pack.destinations == ("sculpt-stamp",)


def test_names_are_typed_over_and_pieces_put_in_order(filled: PackDesk) -> None:
    desk, window = filled, window_of(filled)
    sheet = desk.sheet
    QTest.mouseClick(sheet.viewport(), LEFT, pos=sheet.name_rect(0).center().toPoint())
    assert sheet.editor.isVisible() and sheet.editor.text() == "Soft disc"
    QTest.keyClicks(sheet.editor, "Dome")
    QTest.keyClick(sheet.editor, Qt.Key.Key_Return)
    assert names(desk)[0] == "Dome" and window.studio.project.plates[0].name == "Soft disc"
    assert window.pack.seen(sheet.pieces[0]) is not None
    drag(sheet.viewport(), sheet.cell(0).center(), sheet.cell(2).center() + QPointF(20, 0))
    assert names(desk) == ["Six-sided boss", "Seal", "Dome", "Boss brush"]
    QTest.keyClick(sheet, Qt.Key.Key_Left, ALT)
    assert names(desk) == ["Six-sided boss", "Dome", "Seal", "Boss brush"]
    window.pack.set(pattern="{name} {nn}")
    assert names(desk)[0] == "Six-sided boss 01" and names(desk)[1] == "Dome"
    QTest.mouseClick(sheet.viewport(), LEFT, pos=sheet.cell(3).center().toPoint())
    QTest.keyClick(window, Qt.Key.Key_F2)
    sheet.editor.setText("dome")
    QTest.keyClick(sheet.editor, Qt.Key.Key_Return)
    assert "Two would be called dome" in desk.bar.verdict.text() and not desk.bar.go.isEnabled()
    QTest.keyClick(sheet, Qt.Key.Key_Delete)
    assert len(names(desk)) == 3 and desk.shelf.isVisible()


def test_what_is_short_is_fixed_or_left_out_with_a_word(filled: PackDesk) -> None:
    desk, window = filled, window_of(filled)
    plate = window.studio.project.plates[2]
    uid = window.studio.project.line(plate.id)[-1].uid
    window.studio.edit(edits.set_params(window.studio.project, plate.id, uid, side=300), "Another side")
    rest(window)
    faults = window.pack.counts()["fault"]
    assert faults and f"{faults} fault" in desk.bar.verdict.text()
    cell = desk.sheet.cell(2)
    QTest.mouseClick(desk.sheet.viewport(), LEFT, pos=(cell.topLeft() + QPointF(60, 40)).toPoint())
    rest(window)
    assert desk.panel.piece.text() == "Seal" and window.pack.icons(desk.sheet.pieces[2])[32].shape == (32, 32, 4)
    QTest.mouseClick(desk.bar.leave, LEFT)
    assert "the read-me says why" in window.notice.text()
    assert "power of two" in window.pack.pack.items[2].left_out["sculpt-stamp"]
    assert any("power of two" in line for line in desk.sheet.read_me)
    window.studio.undo()
    rest(window)
    QTest.mouseClick(desk.bar.fix, LEFT)
    rest(window)
    assert "made." in window.notice.text() and window.pack.counts()["fault"] < faults


def test_a_pack_is_written_refreshed_and_told(
    filled: PackDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk, window = filled, window_of(filled)
    out = tmp_path / "quay.zip"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    desk.panel.fields["author"].setText("A. Carver")
    desk.panel.fields["author"].editingFinished.emit()
    QTest.keyClick(window, Qt.Key.Key_P, CTRL | Qt.KeyboardModifier.ShiftModifier)
    rest(window)
    assert "4 pieces packed in quay.zip" in window.notice.text() and check_pack(out).sound
    with zipfile.ZipFile(out) as bundle:
        assert "A. Carver" in bundle.read("README.txt").decode()
    QTest.mouseClick(desk.bar.go, LEFT)
    rest(window)
    assert "4 as they were" in window.notice.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(out), ""))
    window.pack.remove((window.pack.pack.items[0].id,))
    desk.compare()
    rest(window)
    assert window.notice.text().endswith("Soft disc is gone.")


def test_a_strangers_pack_is_looked_over_and_taken_into_the_cabinet(
    filled: PackDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    desk, window, asked = filled, window_of(filled), []
    out = tmp_path / "theirs"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    desk.write()
    rest(window)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(out / "pack.json"), ""))

    modal(lambda _: answer("Take into the cabinet", asked))
    desk.open_pack()
    rest(window)
    assert "Nothing in it was run" in asked[0][1]
    assert "4 came into the cabinet." in window.notice.text()
    with Cabinet(window.places.cabinet) as cabinet:
        assert sorted(e.kind for e in cabinet.find()) == ["alpha", "alpha", "alpha", "brush"]
    (out / "pack.json").write_bytes(b"{")
    desk.open_pack()
    rest(window)
    assert "its list is damaged" in window.notice.text()


def test_what_arrives_of_the_pack_is_told_file_by_file(filled: PackDesk) -> None:
    window, seen = window_of(filled), []

    def look(sheet: object) -> None:
        assert isinstance(sheet, PackArrivals)
        rows = [sheet.list.topLevelItem(n) for n in range(sheet.list.topLevelItemCount())]
        seen.extend((row.text(0), row.text(1), row.text(2)[0]) for row in rows if row is not None)
        seen.append(sheet.verdict.text())
        sheet.reject()

    modal(look)
    window.commands["pack-arrives"].do()
    assert len(seen) == 9 and "8 files read" in seen[-1]
    assert seen[3] == ("Six-sided boss", "Ink: black paints", "✓")


def test_the_icon_maker_shows_what_it_writes(
    filled: PackDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = window_of(filled)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path))

    def make(sheet: object) -> None:
        assert isinstance(sheet, IconSheet) and "32 pixels" in sheet.told.text()
        QTest.mouseClick(sheet.kinds["mark"], LEFT)
        QTest.mouseClick(sheet.colours["Copper"], LEFT)
        QTest.keyClicks(sheet.words, "2k")
        QTest.mouseClick(sheet.sides[64], LEFT)
        wait_idle(window.pictures.lanes)
        seen.append(sheet.previews.icons[64])
        sheet.accept()

    seen: list[object] = []
    modal(make)
    window.make_icon(window.studio.project.plates[1].id)
    rest(window)
    assert sorted(p.name for p in tmp_path.iterdir() if p.suffix == ".png") == [
        "six-sided-boss-128.png", "six-sided-boss-64.png",
    ]  # fmt: skip
    with Image.open(tmp_path / "six-sided-boss-64.png") as written:
        assert (written.tobytes(), written.size) == (seen[0].tobytes(), (64, 64))  # type: ignore[attr-defined]


def test_the_practice_receiver_in_a_window_reads_what_is_brought_to_it(filled: PackDesk, tmp_path: Path) -> None:
    window, project = window_of(filled), window_of(filled).studio.project
    out = tmp_path / "quay.zip"
    build(project, out, window.studio.engine)
    receiver = ReceiverWindow(window.ui, window)

    def rows() -> list[tuple[str, str, str]]:
        wait_idle([receiver._lane], lambda: not receiver.all_read)
        items = [receiver.list.topLevelItem(n) for n in range(receiver.list.topLevelItemCount())]
        return [(i.text(0), i.text(1), i.text(2)[0]) for i in items if i is not None]

    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(out))])
    where = QPointF(receiver.rect().center())
    receiver.dropEvent(QDropEvent(where, Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier))
    wait_idle([receiver._lane])
    assert (
        rows()[2] == ("sculpt-stamp/six-sided-boss.png", "Stamps of 16 bits, black is zero", "✓") and len(rows()) == 8
    )
    one = tmp_path / "boss.png"
    with zipfile.ZipFile(out) as bundle:
        one.write_bytes(bundle.read("sculpt-stamp/six-sided-boss.png"))
    receiver.bring([one])
    wait_idle([receiver._lane])
    receiver.habit.setCurrentIndex(receiver.habit.findData("black-raises"))
    receiver.habit.activated.emit(receiver.habit.currentIndex())
    assert rows() == [("boss.png", "Ink: black paints", "✕")] and "upside down" in receiver.says.text()
    assert not receiver.balls[1].pixmap().isNull() and receiver.balls[0].text() == "Only the file is known."
    (tmp_path / "bad.zip").write_bytes(b"PK")
    receiver.bring([tmp_path / "bad.zip"])
    wait_idle([receiver._lane])
    assert "cannot be opened" in receiver.says.text()
    receiver.end()
    receiver.deleteLater()


def test_brushes_are_chosen_by_their_icons(filled: PackDesk) -> None:
    window = window_of(filled)
    window.go_to("proof")
    rest(window)
    desk = window.desk("proof")
    assert isinstance(desk, ProofDesk)
    (brush,) = window.brushes.all
    made = window.brushes.icons.at_hand(brush)
    assert made is not None and made.shape == (48, 48, 4) and made[0, 0, 3] == 0 and made[24, 24, 3] == 255
    row = desk.panel.findChild(BrushRow)
    assert row is not None and not row.menu().actions()[0].icon().isNull()
    window.brushes.pick_up(brush.id)
    rest(window)
    assert not row.chosen.icon().isNull()


def test_a_use_whose_rules_change_is_measured_anew(filled: PackDesk) -> None:
    window, studio = window_of(filled), window_of(filled).studio
    to = studio.destinations["sculpt-stamp"]
    piece = filled.sheet.pieces[1]
    before = window.pack.readiness(piece, to)
    assert before is not None and "power of two" not in before.words()
    wide = to.model_copy(update={"sizes": to.sizes.model_copy(update={"smallest": 512, "preferred": 1024})})
    studio.offer_destinations({**studio.destinations, to.id: wide})
    rest(window)
    after = window.pack.readiness(window.pack.planned.pieces[1], wide)
    assert after is not None and after.verdict == "fault" and "512" in after.words()
