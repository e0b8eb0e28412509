"""What the mouse can do, keys can do; and each press of a key is one entry of undo."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QLineEdit, QWidget

from conftest import LEFT, choose, drag, settle
from engraver.app.beginnings import begin_solids
from engraver.app.editors.levels import LevelsBox
from engraver.app.editors.number_row import NumberRow
from engraver.app.editors.solids_box import SolidsBox
from engraver.app.views.card import Card
from engraver.app.views.zone_list import ZoneRow
from engraver.app.window import Window
from engraver.core.readiness.kinds import KINDS, Kind

NONE, SHIFT = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
RULED = [kind for kind in KINDS.values() if kind.usual is not None]


def turn_wheel(widget: QWidget, by: int) -> None:
    event = QWheelEvent(
        QPointF(20, 10), QPointF(20, 10), QPoint(), QPoint(0, by), Qt.MouseButton.NoButton, NONE,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


def test_a_slider_is_moved_by_keys_and_by_the_wheel_only_when_it_has_the_focus(bench: Window) -> None:
    choose(bench, "falloff")
    row = bench.bench.settings.rows["ragged"]
    assert isinstance(row, NumberRow)
    slider, studio = row.slider, bench.studio

    def now() -> float:
        return float(studio.step.params.ragged)  # type: ignore[union-attr]

    entries = len(studio.history.entries)
    for key, mods, wanted in (
        (Qt.Key.Key_Right, NONE, 0.31), (Qt.Key.Key_Up, SHIFT, 0.41), (Qt.Key.Key_Left, NONE, 0.40),
        (Qt.Key.Key_Home, NONE, 0.0), (Qt.Key.Key_End, NONE, 1.0), (Qt.Key.Key_Down, SHIFT, 0.9),
    ):  # fmt: skip
        QTest.keyClick(slider, key, mods)
        assert now() == pytest.approx(wanted)
        entries += 1
        assert len(studio.history.entries) == entries
    bench.setFocus()
    turn_wheel(slider, 120)
    assert now() == pytest.approx(0.9), "scrolling the panel changes nothing on its way"
    bench.activateWindow()
    slider.setFocus()
    turn_wheel(slider, 120)
    assert slider.hasFocus() and now() == pytest.approx(0.91)
    settle(bench)


def test_numbers_are_typed_one_after_the_other(bench: Window) -> None:
    begin_solids(bench.studio)
    settle(bench)
    bench.activateWindow()
    box = bench.findChild(SolidsBox)
    assert isinstance(box, SolidsBox)
    first = box.rows["size_x"]
    assert isinstance(first, NumberRow)
    first.field.setFocus(Qt.FocusReason.TabFocusReason)
    for figure in ("2.6", "1.1", "0.3"):
        QTest.keyClicks(bench.focusWidget(), figure)
        QTest.keyClick(bench.focusWidget(), Qt.Key.Key_Tab)
    settle(bench)
    body = box.solids[0]
    assert (body.size_x, body.size_y, body.size_z) == (2.6, 1.1, 0.3)
    QTest.keyClick(first.field, Qt.Key.Key_Up, SHIFT)
    settle(bench)
    assert box.solids[0].size_x == pytest.approx(2.6 + 10 * first.spec.step)


def test_no_key_ends_in_a_number_field_that_has_lost_the_eye(bench: Window) -> None:
    uid = choose(bench, "falloff")
    bench.activateWindow()
    row = bench.bench.settings.rows["ragged"]
    assert isinstance(row, NumberRow)
    row.field.setFocus()
    row.field.selectAll()
    QTest.keyClicks(row.field, "12,5 %")
    QTest.keyClick(row.field, Qt.Key.Key_Return)
    assert bench.studio.step.params.ragged == pytest.approx(0.125)  # type: ignore[union-attr]
    assert row.slider.hasFocus(), "Tab goes on from here, and a figure is a command's again"
    QTest.keyClick(row.slider, Qt.Key.Key_1)
    assert row.field.text() == "12.5 %" and bench.looks.bench.zoom is not None
    # What cannot be stays in the field, to be put right.
    row.field.setFocus()
    QTest.keyClicks(row.field, "9 px")
    QTest.keyClick(row.field, Qt.Key.Key_Return)
    assert row.field.hasFocus() and row.field.property("wrong") == "yes"
    QTest.keyClick(row.field, Qt.Key.Key_Escape)
    # A letter that is typed first is a command; after a figure it is a unit.
    row.field.setFocus()
    text = row.field.text()
    QTest.keyClick(row.field, Qt.Key.Key_O)
    assert not bench.studio.step.on and row.field.text() == text  # type: ignore[union-attr]
    bench.studio.undo()
    settle(bench)
    # A field that is hidden passes the keys on to no other field.
    for hide in (
        lambda: bench.studio.choose_step(""),
        lambda: bench.studio.set_params(uid, "Falloff", outline="circle"),
    ):
        bench.studio.set_params(uid, "Falloff", outline="rounded")
        bench.studio.choose_step(uid)
        settle(bench)
        corner = bench.bench.settings.rows["corner"]
        assert isinstance(corner, NumberRow) and corner.isVisible()
        corner.field.setFocus()
        hide()
        settle(bench)
        assert not isinstance(QApplication.focusWidget(), QLineEdit)


def test_the_lines_of_levels_are_walked_and_moved_by_keys(bench: Window) -> None:
    choose(bench, "levels")
    box = bench.bench.settings.editors[0]
    assert isinstance(box, LevelsBox)
    auto = box.ends
    QTest.keyClick(box, Qt.Key.Key_Right)
    params = bench.studio.step.params  # type: ignore[union-attr]
    assert params.find == "held" and params.black == pytest.approx(auto[0] + 0.01, abs=1e-3)  # type: ignore[union-attr]
    names = ("black", "white", "gamma", "out_black", "out_white")
    before = {n: getattr(params, n) for n in names}
    moved = []
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Left) * 5:  # one way or the other there is room for each line
        if key == Qt.Key.Key_Right:
            QTest.keyClick(box, Qt.Key.Key_PageDown)
        QTest.keyClick(box, key)
        now = {n: getattr(bench.studio.step.params, n) for n in names}  # type: ignore[union-attr]
        moved.append({n for n in names if now[n] != before[n]})
        assert now["black"] < now["white"] and 0.1 <= now["gamma"] <= 10
        before = now
    assert all(len(m) <= 1 for m in moved), "one line at a time"
    assert set().union(*moved) == set(names), "and all of them in turn"
    settle(bench)


def test_gamma_lies_where_half_height_is(bench: Window) -> None:
    """The middle line is dragged to a tone; by y = t^(1/g) that tone becomes half as high."""
    choose(bench, "levels")
    box = bench.bench.settings.editors[0]
    assert isinstance(box, LevelsBox)
    start = box.place_of("gamma")
    drag(box, start, start + QPointF(24, 0))
    params = bench.studio.step.params  # type: ignore[union-attr]
    black, white = box.ends
    tone = black + (white - black) * 0.5**params.gamma  # type: ignore[union-attr]
    assert params.gamma < 1 and ((tone - black) / (white - black)) ** (1 / params.gamma) == pytest.approx(0.5)  # type: ignore[union-attr]
    assert box.place_of("gamma").x() == pytest.approx(start.x() + 24, abs=1.5)
    settle(bench)


def test_plates_are_walked_and_renamed_from_the_tray(bench: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    studio = bench.studio
    studio.add_blank(64, 1.0)
    settle(bench)
    first, second = bench.bench.tray.items.values()
    first.setFocus()
    QTest.keyClick(first, Qt.Key.Key_Return)
    assert studio.plate_id == first.plate.id
    QTest.keyClick(second, Qt.Key.Key_Space)
    assert studio.plate_id == second.plate.id
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Slipway", True))
    QTest.mouseDClick(second, LEFT)
    assert studio.plate is not None and studio.plate.name == "Slipway"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("", True))
    QTest.mouseDClick(second, LEFT)
    assert studio.plate.name == "Slipway" and bench.notice.isVisible(), "a plate without a name is refused in words"
    settle(bench)


def test_a_card_answers_to_keys_and_to_its_menu(bench: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    studio = bench.studio
    uid = choose(bench, "soften")

    def card() -> Card:
        return next(c for c in bench.bench.line.cards if c.uid == uid)

    def press(words: str) -> None:
        step = studio.step
        assert step is not None
        menu = card().step_menu(step)
        next(a for a in menu.actions() if a.text() == words).trigger()
        settle(bench)

    def place() -> int:
        return [s.uid for s in studio.steps].index(uid)

    start = place()
    press("Earlier")
    assert place() == start - 1
    press("Later")
    assert place() == start
    press("Switch off")
    assert studio.step is not None and not studio.step.on
    QTest.keyClick(card(), Qt.Key.Key_Space)
    assert studio.step.on
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Soften the weave", True))
    press("Rename…")
    assert studio.step.title == "Soften the weave"
    press("Only here: this plate keeps its own")
    assert studio.plate is not None and uid in studio.plate.own
    QTest.keyClick(bench.bench.line.cards[1], Qt.Key.Key_Return)
    assert studio.step_uid == bench.bench.line.cards[1].uid
    studio.choose_step(uid)
    press("Remove")
    assert uid not in [s.uid for s in studio.steps]


@pytest.mark.parametrize("kind", RULED, ids=[k.id for k in RULED])
@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    pulls=st.lists(st.tuples(st.integers(0, 240), st.integers(-20, 260)), max_size=4),
    keys=st.lists(st.sampled_from(["left", "right", "LEFT", "RIGHT"]), max_size=4),
)
def test_no_hand_can_turn_zones_inside_out(
    window: Window, kind: Kind, pulls: list[tuple[int, int]], keys: list[str]
) -> None:
    """Whatever is pulled and pressed, good lies inside what is worth a look, both within the scale."""
    row = ZoneRow(window.ui, kind, lambda: None)
    row.show()
    row.scale.resize(240, 24)
    for a, b in pulls:
        drag(row.scale, QPointF(a, 8), QPointF(b, 8))
    for word in keys:
        key = Qt.Key.Key_Left if word.lower() == "left" else Qt.Key.Key_Right
        QTest.keyClick(row.scale, key, SHIFT if word.isupper() else NONE)
    zone, (low, high) = row.zone, kind.scale
    assert zone is not None
    assert zone.look[0] <= zone.good[0] <= zone.good[1] <= zone.look[1]
    side = 1 if kind.limit == "upper" else 0
    assert kind.usual is not None
    for end, usual in zip(row.ends(), (kind.usual.good[side], kind.usual.look[side]), strict=True):
        assert low <= end <= high or end == usual
    QTest.mouseDClick(row.name, LEFT)
    assert row.zone == kind.usual, "a double click gives the usual zones back"
    for widget in row.widgets:
        widget.deleteLater()
