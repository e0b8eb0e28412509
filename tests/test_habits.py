"""Every day's habits: undo shows where it acted, plates are named, moved and put away, numbers read as typed."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QLabel
from tests.conftest import settle

from engraver.app.views.add_step import AddStep
from engraver.app.views.keys_sheet import KeysSheet
from engraver.app.window import Window
from engraver.core.params.arithmetic import number_in
from engraver.core.project import journal
from engraver.core.recipe import Project, Step, edits
from engraver.core.recipe.changed import beside, changed_at
from engraver.core.recipe.models import Source
from engraver.core.sources.blank import Blank
from test_window import in_dialog

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier


@pytest.fixture
def three(window: Window) -> Window:
    """The bench with three blank plates, the middle one chosen."""
    studio = window.studio
    for _ in range(3):
        studio.add_blank(64)
    for name, plate in zip(("Rope", "Chain", "Cork"), studio.project.plates, strict=True):
        studio.edit(edits.rename_plate(studio.project, plate.id, name), "name")
    studio.choose_plate(studio.project.plates[1].id)
    settle(window)
    return window


def names(window: Window) -> list[str]:
    return [p.name for p in window.studio.project.plates]


def test_undo_goes_to_the_plate_and_the_step_and_says_so(three: Window) -> None:
    studio = three.studio
    rope, chain, _ = studio.project.plates
    studio.choose_plate(rope.id)
    studio.add_step("invert")
    studio.add_step("levels")
    uid = studio.steps[0].uid
    studio.set_params(studio.steps[-1].uid, low=5.0)
    studio.choose_step(uid)
    studio.choose_plate(chain.id)
    settle(three)
    QTest.keyClick(three, Qt.Key.Key_Z, CTRL)
    settle(three)
    assert studio.plate_id == rope.id and studio.step is not None and studio.step.kind == "levels"
    assert "Taken back on Rope" in three.notice.text()
    studio.choose_plate(chain.id)
    QTest.keyClick(three, Qt.Key.Key_Z, CTRL | Qt.KeyboardModifier.ShiftModifier)
    settle(three)
    assert studio.plate_id == rope.id and "Done again on Rope" in three.notice.text()


def test_a_plate_that_goes_leaves_its_neighbour_chosen_and_comes_back_chosen(three: Window) -> None:
    studio = three.studio
    rope, chain, cork = studio.project.plates
    three.commands["remove-plate"].do()
    settle(three)
    assert names(three) == ["Rope", "Cork"] and studio.plate_id == cork.id
    three.commands["remove-plate"].do()
    settle(three)
    assert studio.plate_id == rope.id
    for back in (cork, chain):
        QTest.keyClick(three, Qt.Key.Key_Z, CTRL)
        settle(three)
        assert studio.plate_id == back.id
    alone = edits.remove_plate(edits.remove_plate(studio.project, chain.id), cork.id)
    assert beside(alone, rope.id) is None


def test_f2_names_and_ctrl_arrows_move_a_plate(three: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("engraver.app.views.tray.QInputDialog.getText", lambda *a, **k: ("Hawser", True))
    QTest.keyClick(three, Qt.Key.Key_F2)
    assert names(three) == ["Rope", "Hawser", "Cork"]
    QTest.keyClick(three, Qt.Key.Key_Up, CTRL)
    QTest.keyClick(three, Qt.Key.Key_Up, CTRL)
    assert names(three) == ["Hawser", "Rope", "Cork"]
    QTest.keyClick(three, Qt.Key.Key_Down, CTRL)
    assert names(three) == ["Rope", "Hawser", "Cork"]
    assert three.studio.plate is not None and three.studio.plate.name == "Hawser"


def test_a_closed_project_is_put_away_with_all_that_was_not_saved(three: Window) -> None:
    studio = three.studio
    left = three.filing.journal
    QTest.keyClick(three, Qt.Key.Key_W, CTRL)
    settle(three)
    assert not studio.project.plates and not studio.dirty and "back at the next start" in three.notice.text()
    assert not three.commands["project-close"].when()
    kept = journal.recover(journal.Kept(left.folder, "x", None, 0.0), studio.sources)
    assert [p.name for p in kept.plates] == ["Rope", "Chain", "Cork"]
    three.commands["project-new"].do()
    settle(three)
    assert not studio.project.plates


def test_where_projects_differ_is_found_without_a_window() -> None:
    project = Project()
    for n in range(2):
        source = Source(id=f"s{n}", kind="blank", name=f"b{n}")
        project, _ = edits.add_plate(project, source, f"p{n}", (Step.make("invert"),), reading=Blank())
    one, two = project.plates
    step = project.line(two.id)[0]
    after = edits.set_on(project, two.id, step.uid, False)
    assert changed_at(project, after, one.id) == (two.id, step.uid)
    assert changed_at(project, edits.rename_plate(project, one.id, "x"), two.id) == (one.id, None)
    assert changed_at(project, project, one.id) == (None, None)
    assert changed_at(edits.remove_plate(project, two.id), project, one.id) == (two.id, None)
    assert [p.id for p in edits.move_plate(project, two.id, -4).plates] == [two.id, one.id]


@pytest.mark.parametrize(
    ("text", "value", "unit"),
    [("12,5 %", 12.5, "%"), ("12.5%", 12.5, "%"), ("1,024 px", 1024, "px"), ("2,5px", 2.5, "px"), ("-0,2", -0.2, ""),
     ("1024/2 px", 512, "px"), ("1,5*2", 3, "")],
)  # fmt: skip
def test_numbers_are_read_as_they_are_typed(text: str, value: float, unit: str) -> None:
    assert number_in(text) == (value, unit)


def test_a_new_step_goes_here_or_to_its_usual_place(window: Window) -> None:
    window.studio.add_blank(64)
    for kind in ("levels", "soften", "falloff"):
        window.studio.add_step(kind)
    settle(window)

    def line() -> list[str]:
        return [s.kind for s in window.studio.steps]

    def add(word: str, key: Qt.KeyboardModifier = NONE) -> list[str]:
        told: list[str] = []

        def type_it(sheet: QDialog) -> None:
            assert isinstance(sheet, AddStep)
            QTest.keyClicks(sheet.field, word)
            told.extend(b.text() for b in (sheet.first, sheet.other) if not b.isHidden())
            QTest.keyClick(sheet.field, Qt.Key.Key_Return, key)

        in_dialog(AddStep, type_it)
        window.run(window.commands["add-step"])
        return told

    assert line() == ["levels", "soften", "falloff"]  # the falloff is chosen
    assert add("blemish", SHIFT) == ["Usual place: first of the line", "Here: after Falloff"]  # heal, by another word
    assert line() == ["levels", "soften", "falloff", "heal"]
    window.studio.undo()
    window.studio.choose_step(window.studio.steps[-1].uid)
    assert add("invert") == ["Usual place: after Levels", "Here: after Falloff"]
    assert line() == ["levels", "invert", "soften", "falloff"]
    window.studio.choose_step(window.studio.steps[0].uid)
    assert add("gamma") == ["Here: after Levels", "Usual place: after Invert"]  # where it keeps to the order of work
    assert line() == ["levels", "exposure", "invert", "soften", "falloff"]
    window.studio.choose_step(window.studio.steps[-1].uid)
    assert add("8 bit") == ["Usual place: first of the line"]  # what must stand first is offered nowhere else


def test_the_list_of_keys_is_in_groups_and_narrowed_by_typing(window: Window) -> None:
    def look(sheet: QDialog) -> None:
        assert isinstance(sheet, KeysSheet)
        heads = [w.text() for w in sheet.findChildren(QLabel) if w.objectName() == "caps"]
        assert heads[0].startswith("BENCH · ") and len(heads) > 8 and sheet.height() < window.height()
        QTest.keyClicks(sheet.field, "tray up")
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
        assert [w.text() for w in sheet.findChildren(QLabel) if w.objectName() != "second"] == [
            "BENCH · PLATE", "Ctrl+Up", "Move the plate up the tray",
        ]  # fmt: skip
        QTest.keyClicks(sheet.field, " zzz")
        assert sheet.nothing.isVisible()
        sheet.reject()

    in_dialog(KeysSheet, look)
    QTest.keyClick(window, Qt.Key.Key_F1)
