"""Everything can be reached by Tab in the order of work, and everything has a name for those who hear the window."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QWidget

from conftest import LEFT, choose, settle
from engraver.app.desks import DESKS
from engraver.app.views.card import STEP, Card
from engraver.app.views.plate_item import PlateItem
from engraver.app.window import Window
from engraver.core.recipe import edits

BACK = Qt.KeyboardModifier.ShiftModifier


def walk(window: Window, first: QWidget, back: bool = False) -> list[QWidget]:
    """What Tab comes to, from one widget until it is there again."""
    window.activateWindow()
    first.setFocus()
    found = [first]
    while len(found) < 400:
        now = QApplication.focusWidget()
        QTest.keyClick(now, Qt.Key.Key_Backtab if back else Qt.Key.Key_Tab, BACK if back else Qt.KeyboardModifier(0))
        now = QApplication.focusWidget()
        if now is first or now is None:
            return found
        found.append(now)
    pytest.fail(f"Tab runs in a circle: {found[-6:]}")


def test_tab_goes_in_the_order_of_work_and_back(bench: Window) -> None:
    for _ in range(3):
        bench.studio.add_blank(64)
    settle(bench)
    choose_first = bench.studio.project.plates[0].id
    bench.studio.choose_plate(choose_first)
    settle(bench)
    choose(bench, "falloff")
    desk = bench.bench
    tab = walk(bench, bench.findChildren(PlateItem)[0])
    parts = [desk.tray, desk.line, desk.settings, desk.plate_view, desk.proof_view, desk.readiness, bench.top]

    def part_of(widget: QWidget) -> int:
        return next((n for n, p in enumerate(parts) if p.isAncestorOf(widget)), len(parts))

    begin = next(n for n in range(len(tab)) if part_of(tab[n]) == 0 != part_of(tab[n - 1]))
    tab = tab[begin:] + tab[:begin]
    order = [part_of(w) for w in tab]
    assert order == sorted(order) and set(order) >= {0, 1, 2, 3, 4, 5, 6}
    assert sum(isinstance(w, PlateItem) for w in tab) == 1 and sum(isinstance(w, Card) for w in tab) == 1
    card = next(w for w in tab if isinstance(w, Card))
    assert card.chosen and all(w.isVisible() and w.isEnabled() for w in tab)
    inside = desk.settings.editors[0].parentWidget()
    rows = [w for w in tab if inside.isAncestorOf(w)]
    assert len(rows) > 10 and desk.settings.reset is tab[tab.index(rows[0]) - 1]
    tops = [w.mapTo(inside, QPoint(0, w.height() // 2)).y() for w in rows]
    assert all(b - a >= -14 for a, b in pairwise(tops)), "the settings are read from above"
    assert walk(bench, tab[0], back=True) == [tab[0], *reversed(tab[1:])]


def test_the_plate_is_reached_by_tab_and_looked_over_by_arrows(bench: Window) -> None:
    canvas, parting = bench.bench.plate_view.canvas, bench.pictures.parting
    bench.activateWindow()

    def ringed() -> bool:
        return canvas.grab().toImage().pixelColor(1, 1) == bench.ui.colour("accent")

    canvas.setFocus(Qt.FocusReason.MouseFocusReason)
    assert not ringed()
    canvas.clearFocus()
    canvas.setFocus(Qt.FocusReason.TabFocusReason)
    assert ringed()
    before = canvas.target().topLeft()
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    assert canvas.target().topLeft() == before, "what fits has nothing beside it"
    bench.bench.plate_view.show_scale(4.0)
    settle(bench)
    before = canvas.target().topLeft()
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    QTest.keyClick(canvas, Qt.Key.Key_Down)
    assert (canvas.target().topLeft() - before).toTuple() == (-40, -40)
    QTest.keyClick(bench, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    settle(bench)
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    assert parting.share == pytest.approx(0.48)
    QTest.mouseClick(canvas, LEFT, pos=QPoint(5, 5))
    assert not canvas.reached


def test_arrows_walk_among_plates_in_both_widths_of_the_tray(bench: Window) -> None:
    for _ in range(4):
        bench.studio.add_blank(64)
    settle(bench)
    tray = bench.bench.tray
    bench.activateWindow()
    items = [tray.items[p.id] for p in bench.studio.project.plates]
    items[0].setFocus()
    QTest.keyClick(items[0], Qt.Key.Key_Down)
    assert items[1].hasFocus()
    QTest.keyClick(items[1], Qt.Key.Key_Left)
    assert items[0].hasFocus()
    QTest.keyClick(items[0], Qt.Key.Key_Up)
    assert items[0].hasFocus()  # there is none before it
    bench.looks.set(wide_tray=True)
    settle(bench)
    QTest.keyClick(items[0], Qt.Key.Key_Down)
    assert items[3].hasFocus()
    QTest.keyClick(items[3], Qt.Key.Key_Right)
    assert items[4].hasFocus()
    QTest.keyClick(items[4], Qt.Key.Key_Return)
    assert bench.studio.plate_id == items[4].plate.id


@pytest.mark.parametrize("desk", DESKS)
def test_every_desk_is_gone_round_by_tab_and_all_of_it_has_a_name(bench: Window, desk: str) -> None:
    bench.go_to(desk)
    settle(bench)
    first = next(w for w in bench.face.rim.findChildren(QWidget) if w.focusPolicy() & Qt.FocusPolicy.TabFocus)
    tab = walk(bench, first)
    assert len(tab) == len(set(tab)) > 8
    nameless = []
    for widget in bench.findChildren(QWidget):
        takes = isinstance(widget, QAbstractButton | QComboBox | QLineEdit)
        if widget.isVisible() and (takes or widget.focusPolicy() & Qt.FocusPolicy.TabFocus):
            text = widget.text() if isinstance(widget, QAbstractButton) else ""
            if not (widget.accessibleName() or text):
                nameless.append((type(widget).__name__, widget.toolTip()))
    assert not nameless


def test_a_long_line_says_how_many_steps_lie_beyond_and_a_press_goes_there(bench: Window) -> None:
    for kind in ("soften", "levels", "curve", "soften", "levels", "curve"):
        bench.studio.add_step(kind)
    settle(bench)
    line = bench.bench.line
    bench.resize(1024, 700)
    settle(bench)
    bar = line.area.horizontalScrollBar()
    bar.setValue(0)

    def hidden() -> tuple[int, int]:
        """Cards before the view and after it that do not show whole."""
        left, right = bar.value(), bar.value() + line.area.viewport().width()
        lefts = [card.x() for card in line.cards]
        return sum(x < left - 1 for x in lefts), sum(x + line.ui.px(STEP) > right + 1 for x in lefts)

    before, after = (line.ends.ends[way] for way in (-1, 1))
    assert before.isHidden() and after.text() == f"{hidden()[1]} ›" and hidden()[1] > 2
    seen = {n for n in range(line.count()) if n >= hidden()[0] and n < line.count() - hidden()[1]}
    while not after.isHidden():
        QTest.mouseClick(after, LEFT)
        seen |= {n for n in range(line.count()) if n >= hidden()[0] and n < line.count() - hidden()[1]}
    assert seen == set(range(line.count())) and before.text() == f"‹ {hidden()[0]}"
    bench.resize(2600, 900)
    settle(bench)
    assert before.isHidden() and after.isHidden()


def test_the_name_of_the_file_is_whole_before_its_depth_and_its_side_are_told(bench: Window) -> None:
    row, studio = bench.bench.readiness, bench.studio
    assert studio.plate is not None
    for name, said in (
        ("Cork", "cork.png · 16-bit · 512"),
        ("Carved panel", "carved-panel.png · 16-bit"),
        ("Carved panel of oak", "carved-panel-of-oak.png"),
        ("Carved panel of oak from the quay", "…"),
    ):
        studio.edit(edits.rename_plate(studio.project, studio.plate.id, name), "name")
        settle(bench)
        assert said in row.caption.text() and row.caption.toolTip().endswith(".png · 16-bit · 512")


def test_where_room_is_short_the_polarity_is_said_in_fewer_words_never_cut(bench: Window) -> None:
    view = bench.bench.plate_view
    for width in (1280, 1024):
        bench.resize(width, 700)
        settle(bench)
        assert "…" not in view.polarity.text() and view.polarity.text().startswith("white raises")
        assert "black is zero" in view.polarity.toolTip()
    bench.rebuild(replace(bench.prefs, text_size=1.5))
    settle(bench)
    assert bench.bench.plate_view.polarity.text() == "white"


def test_the_focus_of_what_is_taken_out_goes_to_what_is_chosen_in_its_place(bench: Window) -> None:
    """Qt would pass it on to some button, which the next key would press."""
    bench.activateWindow()
    for kind in ("invert", "levels", "noise"):
        bench.studio.add_step(kind)
    settle(bench)
    count = len(bench.studio.steps)
    next(card for card in bench.bench.line.cards if card.chosen).setFocus()
    for gone in (1, 2, 3):  # Del, Del, Del
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Delete)
        settle(bench)
        assert len(bench.studio.steps) == count - gone
        now = QApplication.focusWidget()
        assert now in bench.bench.line.cards and now.chosen
    bench.studio.add_blank(64)
    settle(bench)
    item = bench.bench.tray.items[bench.studio.plate_id]
    item.setFocus()
    QTest.keyClick(item, Qt.Key.Key_Delete)
    settle(bench)
    assert QApplication.focusWidget() is bench.bench.tray.items[bench.studio.plate_id]


def test_the_focus_of_what_is_hidden_or_switched_off_goes_nowhere_and_tab_goes_on_from_there(bench: Window) -> None:
    bench.activateWindow()
    row = bench.bench.readiness
    for gone in (row.fix_all.hide, lambda: row.fix_all.setEnabled(False)):
        row.fix_all.setEnabled(True)
        row.fix_all.show()
        row.fix_all.setFocus()
        assert QApplication.focusWidget() is row.fix_all
        gone()
        assert QApplication.focusWidget() is bench.face
        QTest.keyClick(bench.face, Qt.Key.Key_Tab)
        now = QApplication.focusWidget()
        assert now is not None and not bench.face.top.isAncestorOf(now) and not bench.face.rim.isAncestorOf(now)
