"""A project opens where it was left: plate, step and proof; never worse than at its beginning."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from conftest import drop, settle
from engraver.app.desks import DESKS
from engraver.app.left_off import BEGINNING, MOST, Left, LeftOff
from engraver.app.window import Window
from engraver.core.project import journal
from engraver.core.recipe import edits

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def saved(window: Window, tmp_path: Path) -> tuple[Window, Path]:
    """Two plates in a project file; at the second one's levels, tried on a ball in four tiles, pressed in."""
    studio = window.studio
    for _ in range(2):
        studio.add_blank(64)
        studio.add_step("levels")
    studio.choose_step(studio.steps[0].uid)
    studio.set_proof(surface="ball", repeats=4, cut=True, strength=0.03)
    path = tmp_path / "quay.engraver"
    window.filing.save_to(path)
    settle(window)
    return window, path


def test_a_project_opens_at_the_plate_and_step_and_with_the_proof_where_it_was_left(
    saved: tuple[Window, Path], make_window: Callable[[], Window]
) -> None:
    window, path = saved
    left = window.studio.left()
    assert left.step and left.plate == window.studio.project.plates[1].id
    QTest.keyClick(window, Qt.Key.Key_W, CTRL)
    settle(window)
    window.studio.set_proof(surface="flat", repeats=0, cut=False)
    drop(window, path)
    assert window.studio.left() == left
    assert [c.uid for c in window.bench.line.cards if c.chosen] == [left.step]
    # Also in another window, and after the program's end.
    window.studio.choose_plate(window.studio.project.plates[0].id)
    left = window.studio.left()
    window.close()
    other = make_window()
    drop(other, path)
    assert other.studio.left() == left and left.plate == other.studio.project.plates[0].id


def test_after_a_crash_it_goes_on_where_it_was(
    saved: tuple[Window, Path], make_window: Callable[[], Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    window, _ = saved
    studio = window.studio
    studio.add_step("invert")
    settle(window)  # the journal is written, and then the program is killed
    left = studio.left()
    monkeypatch.setattr(journal, "_alive", lambda pid: False)
    other = make_window()
    other.filing.recover()
    settle(other)
    assert [s.kind for s in other.studio.steps] == ["levels", "invert"] and other.studio.left() == left


def test_work_that_was_never_saved_comes_back_where_it_was(
    window: Window, make_window: Callable[[], Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    studio = window.studio
    for _ in range(2):
        studio.add_blank(64)
        studio.add_step("levels")
    studio.choose_plate(studio.project.plates[1].id)
    studio.choose_step(studio.steps[0].uid)
    studio.set_proof(surface="ball")
    settle(window)
    monkeypatch.setattr(journal, "_alive", lambda pid: False)
    for before in (None, window):  # killed, then closed without saving
        if before is not None:
            before.close()
        left = studio.left()
        again = make_window()
        again.filing.recover()
        settle(again)
        assert again.studio.left() == left and left.plate == again.studio.project.plates[1].id and left.step
        again.close()


def test_the_trial_on_the_desk_comes_back(saved: tuple[Window, Path], make_window: Callable[[], Window]) -> None:
    window, path = saved
    assert window.studio.left().trial == ""
    for surface in ("ball", "pipe", "box"):
        window.trials.new_trial()
        window.trials.set_surface(surface)
    first, second, third = (t.id for t in window.studio.project.trials)
    window.trials.show_trial(second)
    window.filing.save_to(path)
    settle(window)
    window.close()
    other = make_window()
    drop(other, path)
    assert other.trials.trial.id == second and other.trials.trial.surface == "pipe"
    # Of another machine nothing is known: the last one that was made.
    project = other.studio.project
    assert BEGINNING.within(project).trial == Left(trial="gone").within(project).trial == third != first
    other.filing.close_project()
    settle(other)
    assert other.trials.trial.id == "" and not other.trials.trial.gestures


def test_it_opens_at_the_desk_where_it_was_left(
    saved: tuple[Window, Path], make_window: Callable[[], Window], tmp_path: Path
) -> None:
    window, path = saved
    for desk in DESKS:
        window.go_to(desk)
        window.close()
        window = make_window()
        assert window.face.front == "bench"
        drop(window, path)
        assert window.face.front == window.studio.desk == desk and window.desk(desk).isVisible()
        assert all(window.keys.command(key) is not None for key in ("Ctrl+Z", "F2")), "its keys are those of the desk"
    window.studio.replace_project(window.studio.project, path, saved=True, at=Left(desk="a cave"))
    assert window.face.front == window.studio.desk == "bench"
    window.studio.replace_project(window.studio.project, path, saved=True)  # not known: where the hand is
    window.go_to("pack")
    window.studio.replace_project(window.studio.project, path, saved=True)
    assert window.face.front == "pack"


def test_what_is_gone_from_the_project_is_not_looked_for(saved: tuple[Window, Path]) -> None:
    studio = saved[0].studio
    left, project = studio.left(), studio.project
    assert left.within(project) == left
    one = edits.remove_plate(project, left.plate)
    assert left.within(one).plate == one.plates[0].id and left.within(one).step == ""
    assert left.within(edits.remove_plate(one, one.plates[0].id)) == BEGINNING
    assert Left(surface="a cave").within(project).surface == ""


def test_the_projects_left_longest_ago_are_forgotten(tmp_path: Path) -> None:
    kept = LeftOff(tmp_path / "new" / "left.json")
    for n in range(MOST + 5):
        kept.note(tmp_path / f"{n}.engraver", Left(plate=str(n)))
        LeftOff(kept.path).note(tmp_path / "0.engraver", Left(plate="0", step=str(n)))  # another window
    assert kept.of(tmp_path / "0.engraver").step == str(MOST + 4)
    assert kept.of(tmp_path / "5.engraver") == BEGINNING and kept.of(tmp_path / "9.engraver").plate == "9"


@settings(max_examples=150, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.one_of(st.binary(max_size=60), st.text(max_size=60).map(str.encode)), cut=st.integers(0, 200))
def test_a_damaged_note_is_as_if_there_were_none(tmp_path: Path, data: bytes, cut: int) -> None:
    kept, project = LeftOff(tmp_path / "left.json"), tmp_path / "a.engraver"
    kept.note(project, Left(plate="p", repeats=3))
    whole = kept.path.read_bytes()
    kept.path.write_bytes(whole[: cut % len(whole)] + data)
    assert kept.of(project) in (BEGINNING, Left(plate="p", repeats=3))
    kept.note(project, Left(plate="q"))
    assert kept.of(project).plate == "q"


def test_a_folder_that_takes_no_files_is_no_fault(saved: tuple[Window, Path], tmp_path: Path) -> None:
    window, path = saved
    (tmp_path / "a file").write_text("")
    window.filing.left_off.path = tmp_path / "a file" / "left.json"
    QTest.keyClick(window, Qt.Key.Key_W, CTRL)
    drop(window, path)
    assert window.studio.plate_id == window.studio.project.plates[0].id
    assert journal.found(window.filing.state) == []
