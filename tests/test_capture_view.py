"""The capture view by mouse and keys: turned, framed, measured, rolled out, found again, stopped."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from conftest import drag, drop, settle
from engraver.app.window import Window
from engraver.core.mesh.capture import Capture
from engraver.core.params import specs
from engraver.core.project.project_file import save
from engraver.demo.casts import frieze_pot, knot_panel
from solids import sheet
from test_capture import carved


@pytest.fixture(scope="session")
def panel_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("casts") / "knot_panel.ply"
    path.write_bytes(knot_panel(96).file())
    return path


@pytest.fixture
def mesh(window: Window, panel_file: Path) -> Window:
    """A window with the tilted panel, its source chosen."""
    drop(window, panel_file)
    window.studio.set_reading(side=256)
    QTest.mouseClick(window.bench.line.cards[0], Qt.MouseButton.LeftButton, pos=QPoint(40, 60))
    settle(window)
    return window


def reading(window: Window) -> Capture:
    assert window.studio.plate is not None and isinstance(window.studio.plate.reading, Capture)
    return window.studio.plate.reading


def key(window: Window, key: Qt.Key, mods: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(window, key, mods)
    settle(window)


def test_a_dropped_panel_lies_flat_framed_inside(mesh: Window) -> None:
    """Design, section 6: laid flat, framed inside, mid-grey zero, a square fade; the words are there."""
    now = reading(mesh)
    assert (now.view, now.frame, now.zero) == ("flat", "inside", "mid")
    assert [s.kind for s in mesh.studio.steps] == ["falloff"]
    assert mesh.bench.line.chip_words.text().startswith("Surface, framed inside")
    assert "triangles PLY" in mesh.bench.settings.help.text() and "mm (guessed)" in mesh.bench.settings.help.text()
    assert mesh.captures.detail_words().startswith("Holds about")
    assert mesh.captures.straight_words() == ("Laid flat", False)
    assert "mm" in mesh.captures.height_words()
    assert mesh.pictures.full is not None and mesh.pictures.full.result.raster.coverage is not None


def test_straight_views_by_key_and_button_and_back(mesh: Window) -> None:
    before = reading(mesh)
    for place, view in enumerate(("top", "bottom", "front", "back", "left", "right")):
        key(mesh, Qt.Key(Qt.Key.Key_4 + place))
        assert reading(mesh).view == view
    mesh.studio.undo()
    assert reading(mesh).view == "left"
    mesh.captures.show_large(False)
    box = next(b for b in mesh.bench.settings.findChildren(QPushButton) if b.text() == "Lay flat")
    QTest.mouseClick(box, Qt.MouseButton.LeftButton)
    settle(mesh)
    assert reading(mesh) == before


def test_turning_by_mouse_is_one_entry_and_snaps(mesh: Window) -> None:
    key(mesh, Qt.Key.Key_Q)
    assert mesh.bench.capture_view.isVisible() and not mesh.bench.plate_view.isVisible()
    canvas = mesh.bench.capture_view.canvas
    middle = QPointF(canvas.width() / 2, canvas.height() / 2)
    drag(canvas, middle, middle + QPointF(5, 0))
    settle(mesh)
    assert reading(mesh).turn == pytest.approx(2.0) and reading(mesh).tilt == 0
    words, near = mesh.captures.straight_words()
    assert near and words == "2.0° off laid flat"
    key(mesh, Qt.Key.Key_N)
    assert reading(mesh).turn == 0 and mesh.captures.straight_words() == ("Laid flat", False)
    mesh.studio.undo()
    mesh.studio.undo()
    assert reading(mesh).turn == 0  # the drag was one entry
    drag(canvas, middle, middle + QPointF(100, 40))
    settle(mesh)
    assert mesh.captures.straight_words() == ("Free view", False)
    assert (reading(mesh).turn, reading(mesh).tilt) == (40.0, 16.0)
    QTest.keyClick(canvas, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert reading(mesh).roll == -5
    QTest.keyClick(canvas, Qt.Key.Key_Up)
    assert reading(mesh).tilt == 11
    key(mesh, Qt.Key.Key_J)
    assert abs(mesh.captures._nearest()[1]) < 1.0
    key(mesh, Qt.Key.Key_Q)
    assert mesh.bench.plate_view.isVisible() and not mesh.bench.capture_view.isVisible()


def test_the_frame_is_pulled_on_the_mesh(mesh: Window) -> None:
    key(mesh, Qt.Key.Key_Q)
    canvas = mesh.bench.capture_view.canvas
    box = canvas.box()
    drag(canvas, box.bottomRight(), box.center())
    settle(mesh)
    assert reading(mesh).frame == "set"
    half = canvas.box()
    assert half.width() == pytest.approx(box.width() / 2, abs=2)
    assert half.topLeft().x() == pytest.approx(box.left(), abs=1.5)
    drag(canvas, QPointF(half.left(), half.center().y()), QPointF(half.left() + 30, half.center().y() + 10))
    settle(mesh)
    moved = canvas.box()
    assert moved.left() == pytest.approx(half.left() + 30, abs=1.5) and moved.width() == pytest.approx(
        half.width(), abs=1
    )
    mesh.studio.undo()
    mesh.studio.undo()
    settle(mesh)
    assert reading(mesh).frame == "inside"


def test_the_depth_range_is_pulled_on_the_section_and_told(mesh: Window) -> None:
    key(mesh, Qt.Key.Key_Q)
    section, found = mesh.bench.capture_view.section, mesh.captures.found()
    assert found is not None
    section.grab()
    top = QPointF(20, section.y_of(found.hi))
    drag(section, top, QPointF(20, section.y_of((found.lo + found.hi) / 2)))
    settle(mesh)
    cut = mesh.captures.found()
    assert cut is not None and reading(mesh).depth == "set"
    assert cut.hi == pytest.approx((found.lo + found.hi) / 2, abs=0.03 * (found.hi - found.lo))
    assert cut.lo == pytest.approx(found.lo, rel=1e-4)
    drawn = mesh.bench.capture_view.canvas.drawn
    assert drawn is not None
    above = np.nan_to_num(drawn.seen.heights, nan=-1e9) > cut.hi
    red = drawn.seen.picture[..., 0].astype(int) - drawn.seen.picture[..., 2]
    assert red[above].mean() > 10 + red[~above].mean()  # hatched where it is cut flat
    section.setFocus()
    QTest.keyClick(section, Qt.Key.Key_Up)
    settle(mesh)
    assert mesh.captures.found().hi > cut.hi  # type: ignore[union-attr]


def test_zero_is_picked_on_the_mesh(mesh: Window) -> None:
    key(mesh, Qt.Key.Key_Q)
    key(mesh, Qt.Key.Key_Z)
    assert mesh.captures.picking
    canvas = mesh.bench.capture_view.canvas
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(3, canvas.height() - 3))
    assert mesh.captures.picking and "Press on the mesh" in mesh.notice.text()
    QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=QPoint(canvas.width() // 2, canvas.height() // 2))
    settle(mesh)
    found = mesh.captures.found()
    assert not mesh.captures.picking and reading(mesh).zero_at == "picked"
    assert found is not None and found.zero == pytest.approx(reading(mesh).picked)


def test_rows_bodies_and_reading_as(mesh: Window) -> None:
    rows = mesh.bench.settings.rows
    assert rows["view"].isVisible() and not rows["band"].isVisible() and not rows["body"].isVisible()
    own = {"frame_x", "frame_y", "frame_size"}  # pulled in the view; every other setting has a row
    assert rows.keys() >= specs(Capture).keys() - own and not rows.keys() & own
    rows["crease"].edited.emit(40.0)
    assert reading(mesh).crease == 40
    kinds = [a.text() for a in mesh.bench.line.read_as_menu().actions()]
    assert kinds == ["Whole object", "Surface, framed inside", "Rolled out"]
    mesh.bench.plates.read_as("object")
    settle(mesh)
    settle(mesh)
    assert reading(mesh).frame == "whole" and reading(mesh).zero == "black" and not mesh.studio.steps
    rows["side"].edited.emit(99999)
    assert "Side" in mesh.notice.text() and reading(mesh).side == 256


def test_asking_for_all_of_the_mesh_holds_until_it_is_drawn(mesh: Window) -> None:
    mesh.bench.plate_view.canvas.setFocus()
    key(mesh, Qt.Key.Key_Q)
    canvas = mesh.bench.capture_view.canvas
    assert mesh.focusWidget() is canvas
    canvas.look_at(None)
    settle(mesh)
    whole = canvas.box()
    assert canvas.drawn is not None
    frame = canvas.drawn.seen.frame
    canvas.look_at(replace(frame, width=frame.width * 1.2))
    settle(mesh)
    assert canvas.box().width() == pytest.approx(whole.width() / 1.2, rel=0.01)
    canvas.look_at(None)
    canvas.settle()  # overtakes what was asked for first, as where the machine is slow
    settle(mesh)
    assert canvas.box().width() == pytest.approx(whole.width(), rel=1e-6)
    key(mesh, Qt.Key.Key_Q)
    assert mesh.focusWidget() is mesh.bench.plate_view.canvas


def test_a_pot_is_rolled_out_and_slid(window: Window, tmp_path: Path) -> None:
    path = tmp_path / "pot.ply"
    path.write_bytes(frieze_pot(40, 160).file())
    drop(window, path)
    window.studio.set_reading(side=256)
    window.bench.settings.rows["roll_out"].edited.emit(True)
    settle(window)
    now = reading(window)
    assert now.roll_out and now.zero == "black" and 0.2 < now.band < 0.6
    raster = window.pictures.full.result.raster  # type: ignore[union-attr]
    assert raster.wrap == (True, False) and raster.width == 256
    key(window, Qt.Key.Key_Q)
    canvas = window.bench.capture_view.canvas
    middle = QPointF(canvas.width() / 2, canvas.height() / 2)
    drag(canvas, middle, middle + QPointF(40, 0))
    settle(window)
    turn = reading(window).turn
    assert turn == pytest.approx(40 / canvas.width() * canvas._shown().width / canvas.drawn.span[0] * 360, abs=0.5)  # type: ignore[union-attr]
    slid = window.pictures.full.result.raster.pixels  # type: ignore[union-attr]
    by = round(turn / 360 * 256)
    assert np.corrcoef(np.roll(raster.pixels, by, axis=1).ravel(), slid.ravel())[0, 1] > 0.98


def test_a_moved_mesh_is_found_again_in_the_settings(
    make_window: Callable[[], Window], panel_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = make_window()
    path = tmp_path / "linked.ply"
    shutil.copy(panel_file, path)
    monkeypatch.setattr("engraver.core.sources.intake.LINK_ABOVE", 1000)
    drop(window, path)
    window.studio.set_reading(side=64)
    settle(window)
    save(window.studio.project, tmp_path / "p.engraver", window.studio.sources)
    moved = tmp_path / "moved.ply"
    path.rename(moved)
    window = make_window()  # as at the next start
    drop(window, tmp_path / "p.engraver")
    window.studio.choose_step("")
    settle(window)
    assert "Find it again" in window.bench.settings.trouble.text()
    button = next(
        b for b in window.bench.settings.findChildren(QPushButton) if b.text() == "Find it again…" and b.isVisible()
    )
    monkeypatch.setattr(
        "engraver.app.file_dialogs.QFileDialog.getOpenFileName", lambda *a, **k: (str(panel_file), "")
    )
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    settle(window)
    assert window.studio.project.sources[0].file.link == str(panel_file.resolve())
    assert window.pictures.full is not None and not window.bench.settings.trouble.isVisible()


def test_taking_in_can_be_stopped_and_changes_nothing(window: Window, panel_file: Path) -> None:
    window.filing.open_paths([panel_file, panel_file])
    assert window.filing.working and window.top.stop.isVisible()
    QTest.mouseClick(window.top.stop, Qt.MouseButton.LeftButton)
    settle(window)
    assert not window.studio.project.plates and not window.filing.working and not window.top.stop.isVisible()
    drop(window, panel_file)
    assert len(window.studio.project.plates) == 1


def test_broken_meshes_are_told_and_work_stands(mesh: Window, tmp_path: Path) -> None:
    path = tmp_path / "broken.stl"
    path.write_bytes(trimesh.creation.box().export(file_type="stl")[:-20])
    drop(mesh, path)
    assert "broken.stl cannot be read" in mesh.notice.text() and len(mesh.studio.project.plates) == 1
    flat = sheet(carved(1, 20))
    good = tmp_path / "good.off"
    good.write_bytes(trimesh.Trimesh(flat.points, flat.faces, process=False).export(file_type="off").encode())
    mesh.bench.plates.take_source(good)  # a mesh in the place of a mesh: step zero follows it
    settle(mesh)
    assert mesh.studio.project.source(mesh.studio.plate.source).name == "good.off"  # type: ignore[union-attr]
