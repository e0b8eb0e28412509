"""The cabinet's desk by mouse and keys: found, looked at, changed, put into drawers, used at the other desks."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog

from at_cabinet import CTRL, NONE, SHIFT, names, press, rest, window_of
from conftest import LEFT, answer, settle
from engraver.app.cabinet_mime import ENTRIES, dragged, entries_of
from engraver.app.desks.cabinet import CabinetDesk
from engraver.app.places import Places
from engraver.app.views.rename_sheet import RenameSheet
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet, Entry, Query, drawers
from kept import put

# -- looking ----------------------------------------------------------------------


def test_an_empty_cabinet_says_what_goes_there_and_ctrl_b_fills_it(window: Window) -> None:
    window.go_to("cabinet")
    rest(window)
    desk = window.desk("cabinet")
    assert isinstance(desk, CabinetDesk)
    assert desk.empty.isVisible() and "Ctrl+B" in desk.empty_words.text() and desk.ways.isVisible()
    window.commands["start-cushion"].run()
    QTest.keyClick(window, Qt.Key.Key_B, CTRL)
    rest(window)
    assert names(desk) == ["Rounded cushion"] and not desk.empty.isVisible()
    window.commands["cabinet-keep-session"].do()
    rest(window)
    assert desk.drawers.fronts["session"].count == 1
    window.close()
    with Cabinet(window.places.cabinet) as cabinet:
        assert not cabinet.find()


def test_typing_finds_and_drawers_and_facts_narrow(desk: CabinetDesk) -> None:
    window = window_of(desk)
    assert names(desk) == ["Boss brush", "Boss", "Cork", "Crust", "Rope"]
    QTest.keyClick(desk.wall, Qt.Key.Key_Slash)
    assert desk.bar.field.hasFocus()
    QTest.keyClicks(desk.bar.field, "dec")
    rest(window)
    assert names(desk) == ["Rope"] and desk.bar.count.text() == "1 piece"
    desk.bar.field.clear()
    QTest.mouseClick(desk.drawers.fronts["wrong"], LEFT)
    rest(window)
    assert names(desk) == ["Cork"] and [f.count for f in desk.drawers.fronts.values()][:5] == [5, 0, 4, 1, 1]
    QTest.mouseClick(desk.drawers.fronts["all"], LEFT)
    parts = {a.menu().title(): a.menu() for a in desk.bar.menu().actions() if a.menu() is not None}
    next(a for a in parts["Zero"].actions() if a.text() == "Mid-grey is zero").trigger()
    rest(window)
    assert names(desk) == ["Cork"] and "mid-grey is zero" in desk.bar.asked.text()
    QTest.mouseClick(desk.bar.asked, LEFT)
    rest(window)
    assert len(names(desk)) == 5


def test_near_this_one_brings_what_looks_alike_first(desk: CabinetDesk) -> None:
    press(desk, "Boss")
    QTest.keyClick(desk.wall, Qt.Key.Key_N)
    rest(window_of(desk))
    assert set(names(desk)[:2]) == {"Boss", "Boss brush"} and "near one piece" in desk.bar.asked.text()


def test_the_hand_chooses_one_some_or_all_and_keys_walk(desk: CabinetDesk) -> None:
    active = window_of(desk).cabinet
    press(desk, "Boss")
    press(desk, "Crust", SHIFT)
    assert [names(desk).index(n) for n in ("Boss", "Cork", "Crust")] == [1, 2, 3] and len(active.chosen) == 3
    press(desk, "Cork", CTRL)
    assert len(active.chosen) == 2
    press(desk, "Rope")
    assert len(active.chosen) == 1 and desk.panel.name.text() == "Rope"
    QTest.keyClick(desk.wall, Qt.Key.Key_Home)
    QTest.keyClick(desk.wall, Qt.Key.Key_Right)
    rest(window_of(desk))
    assert desk.panel.name.text() == "Boss"
    QTest.keyClick(desk.wall, Qt.Key.Key_A, CTRL)
    assert len(active.chosen) == 5


def test_the_light_follows_the_pointer_and_space_shows_one_large(desk: CabinetDesk) -> None:
    window, wall = window_of(desk), desk.wall
    place = wall.place(1)

    def grabbed() -> np.ndarray:
        image = wall.viewport().grab(place).toImage().convertToFormat(QImage.Format.Format_Grayscale8)
        rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
        return rows[:, : image.width()].astype(float)

    left = QPoint(2, place.center().y())
    QTest.mouseMove(wall.viewport(), left)
    rest(window)
    from_left = grabbed()
    QTest.mouseMove(wall.viewport(), QPoint(wall.viewport().width() - 3, left.y()))
    rest(window)
    from_right = grabbed()
    half = from_left.shape[1] // 2
    flank = slice(int(half * 0.25), int(half * 0.6))
    rows = slice(int(half * 0.8), int(half * 1.2))
    assert from_left[rows, flank].mean() > from_right[rows, flank].mean() + 3  # the boss's left flank
    press(desk, "Boss")
    QTest.keyClick(wall, Qt.Key.Key_Space)
    rest(window)
    assert desk.large.isVisible() and desk.large.cast is not None and max(desk.large.cast.shape[:2]) > 400
    QTest.keyClick(desk.large, Qt.Key.Key_Right)
    assert window.cabinet.shown is not None and window.cabinet.shown.name == "Cork"
    QTest.keyClick(desk.large, Qt.Key.Key_Escape)
    assert not desk.large.isVisible()


def test_ten_thousand_cost_no_more_than_what_is_in_sight(desk: CabinetDesk) -> None:
    """Nothing is asked of a piece that is not in sight: the wall draws the same number, however many there are."""
    wall, active = desk.wall, window_of(desk).cabinet
    one = wall.listed[0]
    active.found = type(active.found)(tuple(one._replace(id=f"k-{n}", name=f"Piece {n}") for n in range(10_000)))
    active.found_changed.emit()
    assert len(list(wall.in_sight())) < 80 and wall.verticalScrollBar().maximum() > 100_000
    wall.step(9_999)
    wall.step(9_999)
    assert 9_999 in list(wall.in_sight()) and wall.viewport().rect().contains(wall.place(9_999))


# -- changing ---------------------------------------------------------------------


def test_what_is_typed_in_the_panel_is_kept(desk: CabinetDesk, places: Places) -> None:
    window, panel = window_of(desk), desk.panel
    press(desk, "Crust")
    panel.name.setFocus()
    panel.name.selectAll()
    QTest.keyClicks(panel.name, "Hull crust")
    QTest.keyClick(panel.name, Qt.Key.Key_Return)
    panel.tags.setFocus()
    QTest.keyClicks(panel.tags, "hull, old,  hull ,")
    QTest.keyClick(panel.tags, Qt.Key.Key_Return)
    panel.notes.setFocus()
    QTest.keyClicks(panel.notes, "from the slip")
    desk.wall.setFocus()
    QTest.mouseClick(panel.colours["blue"], LEFT)
    QTest.mouseClick(panel.star, LEFT)
    panel.scope.setCurrentIndex(1)
    panel.scope.activated.emit(1)
    rest(window)
    with Cabinet(places.cabinet) as cabinet:
        (found,) = cabinet.find(Query(words="hull crust slip"))
    assert (found.name, found.tags, found.notes) == ("Hull crust", ("hull", "old"), "from the slip")
    assert (found.colour, found.favourite, found.scope) == ("blue", True, "project")


def test_what_a_piece_was_is_brought_back_by_a_press(desk: CabinetDesk, places: Places) -> None:
    window = window_of(desk)
    with Cabinet(places.cabinet) as cabinet:
        old, new = cabinet.find(Query(words="rope"))[0], put(cabinet, "Rope", 9)
    window.cabinet.refresh()
    press(desk, "Rope")
    (button,) = [desk.panel.history.itemAt(n).widget() for n in range(desk.panel.history.count())]
    QTest.mouseClick(button, LEFT)
    rest(window)
    with Cabinet(places.cabinet) as cabinet:
        assert cabinet.entry(new.id).picture == old.picture


def test_pieces_are_dropped_into_a_drawer_and_a_search_becomes_one(
    desk: CabinetDesk, pieces: dict[str, Entry], monkeypatch: pytest.MonkeyPatch
) -> None:
    window = window_of(desk)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("On deck", True))
    QTest.mouseClick(desk.drawers.add, LEFT)
    rest(window)
    (drawer,) = window.cabinet.chest.drawers
    front = desk.drawers.fronts[drawer.id]
    data = dragged((pieces["Rope"].id, pieces["Cork"].id), [])
    where = QPointF(front.rect().center())
    front.dropEvent(QDropEvent(where, Qt.DropAction.CopyAction, data, LEFT, NONE))
    rest(window)
    assert front.count == 2
    QTest.mouseClick(front, LEFT)
    rest(window)
    assert names(desk) == ["Cork", "Rope"]
    press(desk, "Cork")
    next(a for a in desk.menu().actions() if a.text() == "Take out of this drawer").trigger()
    rest(window)
    assert names(desk) == ["Rope"]
    QTest.mouseClick(desk.drawers.fronts["all"], LEFT)
    QTest.keyClicks(desk.bar.field, "boss")
    rest(window)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Bosses", True))
    QTest.mouseClick(desk.drawers.keep, LEFT)
    desk.bar.field.clear()
    rest(window)
    search = next(d for d in window.cabinet.chest.drawers if d.name == "Bosses")
    assert desk.drawers.fronts[search.id].count == 2
    assert not desk.drawers.fronts[search.id].acceptDrops()
    odd = QMimeData()
    odd.setData(ENTRIES, b"{]")
    assert entries_of(odd) == ()


def test_many_are_renamed_by_a_pattern_and_clashes_cannot_be_taken(desk: CabinetDesk, places: Places) -> None:
    window, seen = window_of(desk), []
    QTest.keyClick(desk.wall, Qt.Key.Key_A, CTRL)

    def fill() -> None:
        sheet = QApplication.activeModalWidget()
        assert isinstance(sheet, RenameSheet)
        sheet.field.setText("Quay")
        seen.append((sheet.go.isEnabled(), sheet.told.text()))
        sheet.field.setText("Quay {nn}")
        seen.append((sheet.go.isEnabled(), sheet.preview.topLevelItem(4).text(1)))
        sheet.accept()

    QTimer.singleShot(0, fill)
    QTest.keyClick(desk.wall, Qt.Key.Key_F2)
    rest(window)
    assert seen == [(False, "5 would have the same name: add {nn}."), (True, "Quay 05")]
    with Cabinet(places.cabinet) as cabinet:
        assert {e.name for e in cabinet.find()} == {f"Quay 0{n}" for n in range(1, 6)}


def test_taking_out_asks_first(desk: CabinetDesk) -> None:
    window, asked = window_of(desk), []
    for word, count in (("Keep", 5), ("Take out", 4)):
        press(desk, "Rope")
        QTimer.singleShot(0, partial(answer, word, asked))
        window.commands["cabinet-forget"].do()
        rest(window)
        assert len(names(desk)) == count
    assert all("history go with it" in more for _, more in asked) and len(asked) == 2


def test_f2_names_and_del_removes_the_drawer_that_has_the_focus_not_the_piece(
    desk: CabinetDesk, pieces: dict[str, Entry], monkeypatch: pytest.MonkeyPatch
) -> None:
    window = window_of(desk)
    window.cabinet.change(lambda c: drawers.put(c, drawers.add(c, "Deck").id, [pieces["Rope"].id]))
    rest(window)
    press(desk, "Boss")
    (drawer,) = window.cabinet.chest.drawers
    front = desk.drawers.fronts[drawer.id]
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Hull", True))
    QTest.keyClick(front, Qt.Key.Key_F2)
    rest(window)
    assert [d.name for d in window.cabinet.chest.drawers] == ["Hull"]

    QTest.keyClick(desk.drawers.fronts[drawer.id], Qt.Key.Key_Delete)
    rest(window)
    assert not window.cabinet.chest.drawers and len(names(desk)) == 5
    assert "Hull is gone" in window.notice.text()
    # Those that always stand there cannot be named or removed.
    for key in (Qt.Key.Key_F2, Qt.Key.Key_Delete):
        QTest.keyClick(desk.drawers.fronts["all"], key)
    rest(window)
    assert len(names(desk)) == 5


def test_how_the_desk_is_left_is_found_again(desk: CabinetDesk, make_window: Callable[[], Window]) -> None:
    window = window_of(desk)
    window.cabinet.look(side=200, drawer="brushes", panel=False)
    window.close()
    again = make_window()
    again.go_to("cabinet")
    rest(again)
    state = again.cabinet.state
    assert (state.side, state.drawer, state.panel) == (200, "brushes", False)
    found = again.desk("cabinet")
    assert isinstance(found, CabinetDesk) and names(found) == ["Boss brush"] and not found.panel.isVisible()


def test_a_damaged_cabinet_is_told_where_the_pieces_would_be(
    places: Places, make_window: Callable[[], Window]
) -> None:
    places.cabinet.mkdir(parents=True)
    (places.cabinet / "cabinet.sqlite").write_bytes(b"not a database" * 400)
    window = make_window()
    window.go_to("cabinet")
    rest(window)
    desk = window.desk("cabinet")
    assert isinstance(desk, CabinetDesk)
    assert desk.empty.isVisible() and "damaged" in desk.empty_words.text() and "--mend" in desk.empty_words.text()
    settle(window)


def test_names_with_markup_or_of_many_letters_are_shown_as_they_are(desk: CabinetDesk, places: Places) -> None:
    window, name = window_of(desk), "<h1>Rope & <img src=x></h1>"
    with Cabinet(places.cabinet) as cabinet:
        cabinet.change(put(cabinet, "rope", 31).id, name=name)
        put(cabinet, "x" * 300, 32)
    window.cabinet.refresh()
    rest(window)
    assert names(desk)[:2] == ["x" * 200, name]
    press(desk, name)
    assert desk.panel.name.text() == name
    window.commands["cabinet-open"].do()
    rest(window)
    assert name in window.notice.text() and window.notice.textFormat() == Qt.TextFormat.PlainText
