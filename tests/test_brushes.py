"""Brushes: kept with their plate, changed, brought back; in the file; by mouse and keys."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from conftest import LEFT, settle
from engraver.app import proof_state
from engraver.app.desks.proof import ProofDesk
from engraver.app.window import Window
from engraver.core import limits
from engraver.core.errors import BadProject, BadValue
from engraver.core.params import specs
from engraver.core.pressing.settings import StrokeSettings, checked
from engraver.core.project.codec import project_json, read_project
from engraver.core.project.project_file import open_project, save
from engraver.core.recipe import Brush, Project, brushes, edits
from engraver.core.sources import SourceStore
from test_project import example
from test_proof_desk import desk, drag  # noqa: F401

KEPT = checked(size=0.3, spacing=0.8, turn_jitter=1.0)


def kept() -> tuple[Project, str, str, SourceStore]:
    """A project with a brush of its first plate: project, plate, brush, store."""
    project, store = example()
    plate = project.plates[0].id
    project, brush = brushes.keep(project, plate, KEPT, "black")
    return project, plate, brush, store


def test_a_brush_survives_the_file_to_the_last_setting(tmp_path: Path) -> None:
    project, plate, id, store = kept()
    path = tmp_path / "quay.engraver"
    save(project, path, store)
    again = open_project(path, SourceStore())
    brush = again.brush(id)
    assert again == project and brush.settings == KEPT and brush.steps == project.line(plate)
    assert not brushes.plate_change(again, brush) and not brushes.settings_changed(brush, KEPT)


@given(st.floats(0.002, 2), st.floats(0.01, 4), st.floats(0, 1), st.sampled_from(["raise", "cut", "level", "gather"]))
def test_what_differs_is_named_and_nothing_else(size: float, spacing: float, jitter: float, acts: str) -> None:
    project, _, id, _ = kept()
    now = checked(KEPT, size=size, spacing=spacing, size_jitter=jitter, acts=acts)
    names = brushes.settings_changed(project.brush(id), now)
    known = {spec.label: name for name, spec in specs(StrokeSettings).items()}
    assert {known[n] for n in names} == {
        n for n in specs(StrokeSettings) if getattr(now, n) != getattr(KEPT, n)
    }  # fmt: skip
    changed = brushes.keep_change(project, id, now, "mid")
    assert changed.brush(id).settings == now and changed.brush(id).zero == "mid"
    assert not brushes.settings_changed(changed.brush(id), now)


def test_a_plate_changed_or_gone_comes_back_as_it_was_and_others_keep_theirs() -> None:
    project, plate, id, _ = kept()
    line, steps = project.line(plate), len(project.line(plate))
    # A second plate of the same recipe must not be touched when the first goes back.
    shared = project.plates[0].model_copy(update={"id": "p-twin", "name": "Twin"})
    project = project.model_copy(update={"plates": (*project.plates, shared)})
    changed = edits.remove_step(project, plate, line[3].uid)
    assert brushes.plate_change(changed, changed.brush(id)) == "plate"
    back = brushes.back(changed, id)
    assert back.line(plate) == line and len(back.line("p-twin")) == steps - 1
    assert brushes.plate_change(back, back.brush(id)) == ""

    gone = edits.remove_plate(edits.remove_plate(project, plate), "p-twin")
    assert brushes.plate_change(gone, gone.brush(id)) == "gone"
    assert project.plates[0].source in {s.id for s in gone.sources}  # it can still be brought back
    assert brushes.back(gone, id).line(plate) == line
    with pytest.raises(BadValue, match="plate is gone"):
        brushes.keep_change(gone, id, KEPT, "black")
    let_go = brushes.remove(gone, id)
    assert not let_go.brushes and project.plates[0].source not in {s.id for s in let_go.sources}


def test_names_are_told_apart_and_there_is_an_end_to_room(monkeypatch: pytest.MonkeyPatch) -> None:
    project, plate, id, _ = kept()
    project, second = brushes.keep(project, plate, KEPT, "mid", made_from=id)
    assert [b.name for b in project.brushes] == ["Net weave", "Net weave 2"]
    assert project.brush(second).made_from == id
    long = brushes.rename(project, second, "<b>" + "x" * 400)
    assert len(long.brush(second).name) == limits.NAME
    assert brushes.rename(project, second, "  ").brush(second).name == "Net weave 2"
    assert brushes.rename(project, second, "Net weave").brush(second).name != "Net weave"
    monkeypatch.setattr(limits, "BRUSHES", 2)
    with pytest.raises(BadValue, match="at most 2 brushes"):
        brushes.keep(project, plate, KEPT, "black")


def test_files_that_are_older_or_broken_are_read_or_refused_in_words() -> None:
    project, _, _, _ = kept()
    data, blobs = project_json(project)
    values = json.loads(data)
    older = {k: v for k, v in values.items() if k != "brushes"} | {"version": 3}
    assert read_project(json.dumps(older).encode(), "old", blobs).brushes == ()
    for where, wrong in (
        (("plate", "source"), "nowhere"), (("settings", "size"), 9.0), (("zero",), "white"), (("steps",), [{}]),
    ):  # fmt: skip
        broken = json.loads(data)
        place = broken["brushes"][0]
        for name in where[:-1]:
            place = place[name]
        place[where[-1]] = wrong
        with pytest.raises(BadProject):
            read_project(json.dumps(broken).encode(), "broken", blobs)


def test_a_brush_is_kept_changed_and_picked_up_by_hand(window: Window, desk: ProofDesk) -> None:  # noqa: F811
    active, row, studio = window.trials, desk.panel.brush, window.studio
    assert row.keep.isVisible() and row.chosen.text() == "No brush yet ▾"
    QTest.keyClick(window, Qt.Key.Key_B)
    settle(window)
    first = window.brushes.current
    assert isinstance(first, Brush) and first.name in row.chosen.text() and not row.keep.isVisible()
    assert "Kept as the brush" in window.notice.text() and not row.words.isVisible()

    active.set_settings(size=0.4)
    assert row.words.text() == "Changed since it was kept: size."
    QTest.mouseClick(row.buttons["brush-back"], LEFT)
    assert active.settings == first.settings and not row.words.isVisible()
    active.set_settings(spacing=0.9)
    QTest.mouseClick(row.buttons["brush-keep"], LEFT)
    second = window.brushes.current
    assert second is not None and second.made_from == first.id and second.settings.spacing == 0.9
    assert window.brushes.all[0].settings == first.settings
    active.set_settings(size=0.2)
    QTest.mouseClick(row.buttons["brush-change"], LEFT)
    assert not row.words.isVisible() and window.brushes.all[1].settings.size == 0.2
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert row.words.text() == "Changed since it was kept: size."  # undone like any change

    row.menu().actions()[0].trigger()
    assert active.settings == first.settings and window.brushes.current == first
    QTest.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    assert window.brushes.current is not None and window.brushes.current.id == second.id

    # The plate goes: picking its brush up brings it back, and it is pressed again.
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    window.commands["start-cushion"].run()
    settle(window)
    other = studio.plate_id
    assert window.brushes.current is None
    active.studio.trial_id = ""
    studio.edit(edits.remove_plate(studio.project, first.plate.id), "gone")
    window.brushes.pick_up(first.id)
    settle(window)
    assert studio.plate_id == first.plate.id != other and window.brushes.current == first
    assert active.settings == first.settings


def test_the_brush_in_the_hand_outlives_the_program(window: Window, desk: ProofDesk) -> None:  # noqa: F811
    window.brushes.keep()
    window.trials.set_settings(size=0.37)
    path, data = window.trials.keep()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    state = proof_state.read(path)
    assert state.brush == window.trials.state.brush != "" and state.settings.size == 0.37
    # As a program started anew: what the hand had is read, nothing is known of any plate.
    window.trials.state = state
    window.trials._settings.clear()
    window.go_to("bench")
    window.go_to("proof")
    assert window.trials.settings.size == 0.37 and window.brushes.change_words() == "size"
