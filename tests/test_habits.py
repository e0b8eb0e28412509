"""Every day's habits: undo shows where it acted, plates are named, moved and put away, numbers read as typed."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from tests.conftest import settle

from engraver.app.window import Window
from engraver.core.params.arithmetic import number_in
from engraver.core.project import journal
from engraver.core.recipe import Project, Step, edits
from engraver.core.recipe.changed import beside, changed_at
from engraver.core.recipe.models import Source
from engraver.core.sources.blank import Blank

CTRL = Qt.KeyboardModifier.ControlModifier


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
