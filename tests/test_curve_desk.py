"""Curves on the proof desk by mouse and keys: drawn, point by point, round the body, edited, taken back, saved."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from conftest import settle
from engraver.app.desks.proof import ProofDesk
from engraver.app.views.curve_handles import CurveHandles
from engraver.app.views.sight import Sight
from engraver.app.window import Window
from engraver.core.pressing.gesture import Gesture
from engraver.core.recipe import edits
from segments import rope
from test_proof_desk import drag, shown

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def desk(window: Window, tmp_path: Path) -> ProofDesk:
    """The proof desk with a strip and a rope's piece in the tray, on few points, the curve in the hand."""
    studio = window.studio
    y, x = (np.mgrid[0:48, 0:96] + 0.5) / np.array([48, 96])[:, None, None]
    tones = (0.5 + 0.5 * np.cos(2 * np.pi * x) * np.sin(np.pi * y) ** 2) * np.sin(np.pi * y)
    from conftest import png_bytes

    for name, data in (
        ("plait.png", png_bytes((tones * 255).astype(np.uint8))),
        ("rope.ply", trimesh.Trimesh(rope().points, rope().faces, process=False).export(file_type="ply")),
    ):
        source = studio.sources.add(data, name)
        start = studio.sources.start(source)
        project, _ = edits.add_plate(studio.project, source, name.split(".")[0], (), reading=start)
        studio.edit(project, "add")
    studio.choose_plate(studio.project.plates[0].id)
    settle(window)
    window.trials.set_trial("few", points=60_000)
    window.go_to("proof")
    found = window.desk("proof")
    assert isinstance(found, ProofDesk)
    settle(window)
    QTest.keyClick(window, Qt.Key.Key_C)
    window.trials.set_settings(size=0.1, strength=0.12)
    settle(window)
    return found


def sight(desk: ProofDesk) -> Sight:
    seen = desk.host.trials.drawing.seen[0]
    return Sight(seen, seen.picture.shape[1] / desk.canvas.width())


def share(desk: ProofDesk, spot: QPointF) -> tuple[float, float]:
    return spot.x() / desk.canvas.width(), spot.y() / desk.canvas.height()


def point(desk: ProofDesk, n: int) -> tuple[float, float]:
    """Where a point of the chosen curve is seen, in shares of the view."""
    gesture = desk.host.trials.curve.gesture
    assert gesture is not None
    return share(desk, sight(desk).spot(gesture.points[n, :3]))


def chosen(desk: ProofDesk) -> Gesture:
    settle(desk.host)  # type: ignore[arg-type]
    gesture = desk.host.trials.gesture
    assert gesture is not None and gesture.declared.curve
    return gesture


def wave(count: int = 24) -> list[tuple[float, float]]:
    t = np.linspace(0, 1, count)
    return list(zip(0.32 + 0.36 * t, 0.5 + 0.1 * np.sin(6 * t), strict=True))


def test_one_stroke_is_a_band_with_few_points_and_one_undo(window: Window, desk: ProofDesk) -> None:
    bare = shown(desk)
    drag(desk.canvas, *wave())
    gesture = chosen(desk)
    assert 3 <= len(gesture.points) <= 12 and not gesture.way.closed and gesture.plate == window.studio.plate_id
    band = shown(desk)
    assert (np.abs(band - bare).max(axis=-1) > 8).mean() > 0.01
    assert desk.panel.title.text() == "Along a curve, chosen" and not desk.panel.groups["chance"].isVisible()
    assert desk.panel.groups["along"].isVisible() and desk.tools.curve.isVisible()
    window.trials.set_settings(size=0.16)
    assert (np.abs(shown(desk) - bare).max(axis=-1) > 8).mean() > (np.abs(band - bare).max(axis=-1) > 8).mean()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle(window)
    assert not window.trials.trial.gestures and np.abs(shown(desk) - bare).max() <= 1


def test_point_by_point_carried_on_from_either_end_closed_by_its_first_point(window: Window, desk: ProofDesk) -> None:
    t, canvas = window.trials, desk.canvas
    for place in ((0.4, 0.42), (0.6, 0.42), (0.6, 0.6)):
        drag(canvas, place, place)
        settle(window)
    assert len(chosen(desk).points) == 3 and t.curve.growing == "end" and len(t.trial.gestures) == 1
    drag(canvas, (0.55, 0.62), (0.5, 0.66), (0.42, 0.62))  # on by a stroke
    assert len(chosen(desk).points) > 4
    QTest.keyClick(canvas, Qt.Key.Key_Return)
    assert not t.curve.growing
    count = len(chosen(desk).points)
    drag(canvas, point(desk, 0), point(desk, 0))  # a press at the start carries it on from there
    assert t.curve.growing == "start"
    drag(canvas, (0.36, 0.5), (0.36, 0.5))
    grown = chosen(desk)
    assert len(grown.points) == count + 1 and t.curve.growing == "start"
    drag(canvas, point(desk, count), point(desk, count))  # its other end closes it
    assert chosen(desk).way.closed and not t.curve.growing
    QTest.keyClick(window, Qt.Key.Key_J)
    assert not chosen(desk).way.closed
    QTest.keyClick(canvas, Qt.Key.Key_Escape)
    assert t.gesture is None
    drag(canvas, (0.3, 0.3), (0.3, 0.3))
    settle(window)
    assert len(t.trial.gestures) == 2 and "two points" in desk.panel.notes.text()


def test_points_and_handles_are_dragged_added_sharpened_held_and_taken_out(window: Window, desk: ProofDesk) -> None:
    t, canvas = window.trials, desk.canvas
    drag(canvas, *wave())
    before = chosen(desk)
    n = len(before.points) // 2
    to = (point(desk, n)[0], point(desk, n)[1] - 0.08)
    drag(canvas, point(desk, n), to)
    moved = chosen(desk)
    away = np.linalg.norm(moved.points[:, :3] - before.points[:, :3], axis=1)
    assert away[n] > 0.05 and not np.delete(away, n).any() and t.curve.point == n
    window.commands["curve-reach"].do()
    assert t.state.reach == 0.15
    QTest.keyClick(window, Qt.Key.Key_H)
    assert chosen(desk).way.held == ("start",)
    drag(canvas, point(desk, 1), (point(desk, 1)[0], point(desk, 1)[1] + 0.05))
    pulled = np.linalg.norm(chosen(desk).points[:, :3] - moved.points[:, :3], axis=1)
    assert pulled[1] > 0.02 and not pulled[0] and (pulled > 0).sum() >= 2
    t.set(reach=0.0)
    t.curve.choose_point(n)
    handles = CurveHandles(window.ui)
    gesture = chosen(desk)
    (grip, place), *_ = handles._grips(gesture)
    assert grip.point == n and grip.side == 0
    spot = share(desk, sight(desk).spot(place))
    drag(canvas, spot, (spot[0] - 0.03, spot[1] + 0.06))
    bent = chosen(desk)
    assert bent.way.handled == (n,) and np.array_equal(bent.points, gesture.points)
    both = bent.way.handle_of(n)
    assert both is not None and np.cross(*both)[2] == pytest.approx(0, abs=1e-3)  # a smooth point stays smooth
    QTest.keyClick(window, Qt.Key.Key_K)
    assert chosen(desk).way.sharp == (n,) and not chosen(desk).way.handled
    QTest.keyClick(window, Qt.Key.Key_L)
    assert chosen(desk).way.sharp == (n,)
    made = desk.host.trials.drawing.curve
    assert made is not None and made.way is not None
    middle = made.way.place[len(made.way.place) // 5]
    drag(canvas, share(desk, sight(desk).spot(middle)), share(desk, sight(desk).spot(middle)))
    assert len(chosen(desk).points) == len(bent.points) + 1
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert len(chosen(desk).points) == len(bent.points)
    QTest.keyClick(window, Qt.Key.Key_E)
    QTest.keyClick(window, Qt.Key.Key_E, SHIFT)
    for name in ("curve-up", "curve-turn", "curve-hold-end", "curve-smooth", "curve-down"):
        window.commands[name].do()
    assert chosen(desk).way.offset == 0
    t.curve.choose_point(-1)
    QTest.keyClick(window, Qt.Key.Key_Delete)
    assert not t.trial.gestures
    words = [a.text() for a in desk.tools.curve_menu().actions() if a.text()]
    assert any(w.startswith("Run it round the body") for w in words) and any("\tK" in w for w in words)


def test_past_the_silhouette_it_runs_round_the_ball_and_meets_itself(window: Window, desk: ProofDesk) -> None:
    window.trials.set_surface("ball")
    settle(window)
    drag(desk.canvas, (0.35, 0.45), (0.5, 0.47), (0.65, 0.5), (0.98, 0.52))
    ring = chosen(desk)
    assert ring.way.closed and len(ring.points) == 24
    places = ring.points[:, :3]
    _, sizes, _ = np.linalg.svd(places - places.mean(axis=0))
    assert sizes[2] < 1e-3 and np.allclose(np.linalg.norm(places, axis=1), 0.95, atol=2e-3)
    assert (places[:, 2] > 0.2).any() and (places[:, 2] < -0.2).any()
    window.trials.set_surface("flat")
    settle(window)
    window.trials.choose("")
    count = len(window.trials.trial.gestures)
    drag(desk.canvas, (0.4, 0.4), (0.6, 0.45), (0.99, 0.5))  # off a plane: what was drawn stays
    assert len(window.trials.trial.gestures) == count + 1 and not chosen(desk).way.closed
    window.trials.wipe()
    settle(window)
    shares = [(0.5 + 0.1 * np.cos(a), 0.5 + 0.13 * np.sin(a)) for a in np.linspace(0, 6.25, 30)]
    drag(desk.canvas, *shares)
    gesture = chosen(desk)
    assert gesture.way.closed
    window.commands["curve-true"].do()
    middle = chosen(desk).points[:, :2].mean(axis=0)
    assert np.ptp(np.linalg.norm(chosen(desk).points[:, :2] - middle, axis=1)) < 1e-3


def test_another_plate_is_another_band_at_once_and_a_mesh_a_cord(
    window: Window, desk: ProofDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    t, studio = window.trials, window.studio
    drag(desk.canvas, *wave())
    plait, piece = studio.project.plates
    QTest.mouseClick(desk.tray.items[piece.id], Qt.MouseButton.LeftButton)
    settle(window)
    assert chosen(desk).plate == piece.id and "lies along the chosen curve" in window.notice.text()
    window.commands["undo"].do()  # and the tray, or a plate that is chosen elsewhere, changes no curve
    studio.choose_plate(plait.id)
    studio.choose_plate(piece.id)
    assert chosen(desk).plate == plait.id and len(t.trial.gestures) == 1
    QTest.keyClick(desk.canvas, Qt.Key.Key_Escape)
    settle(window)
    assert t.settings.made == "body" and len(t.trial.gestures) == 1
    assert not window.commands["cords-save"].when()
    drag(desk.canvas, (0.35, 0.35), (0.5, 0.32), (0.65, 0.36))
    assert chosen(desk).settings.made == "body" and window.commands["cords-save"].when()
    assert desk.panel.groups["ends"].isVisible() and not desk.panel.groups["mark"].rows["strength"].isVisible()
    path = tmp_path / "cord.obj"
    monkeypatch.setattr("engraver.app.file_dialogs.QFileDialog.getSaveFileName", lambda *a, **k: (str(path), ""))
    window.commands["cords-save"].do()
    settle(window)
    body = trimesh.load(path, force="mesh")
    body.merge_vertices(merge_tex=True, merge_norm=True)
    assert body.is_watertight and body.euler_number == 2
    desk.trial_actions.save(tmp_path / "all.stl")
    settle(window)
    assert len(trimesh.load(tmp_path / "all.stl").faces) > len(body.faces)
    undone = len(t.trial.gestures)
    window.commands["undo"].do()
    assert len(t.trial.gestures) == undone - 1


def test_a_band_becomes_a_strip_plate_a_brush_and_outlives_the_program(window: Window, desk: ProofDesk) -> None:
    t, studio = window.trials, window.studio
    drag(desk.canvas, *wave())
    t.set_settings(size=0.1, twist=0.0)
    gesture = chosen(desk)
    window.commands["brush-keep"].do()
    assert studio.project.brushes[-1].settings == gesture.settings
    words = [a.text() for a in desk.trial_actions.plate_menu().actions()]
    assert "The chosen band, straightened to a strip" in words
    desk.trial_actions._make_part("strip")
    settle(window)
    plate = studio.plate
    assert plate is not None and plate.name.endswith("strip") and window.pictures.full is not None
    facts = window.pictures.full.line.facts[0]
    assert facts.wrap == (True, False) and facts.width == 1024 and facts.height < 512
    tall = window.pictures.full.height
    assert tall.max() > 0.9 and np.abs(tall[:, 0] - tall[:, -1]).max() < 0.1
    assert t.trial.gestures[0].curve is not None


def test_curves_from_files_outlines_borders_and_keys_alone(
    window: Window, desk: ProofDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    t = window.trials
    svg = tmp_path / "curl.svg"
    drawn = '<path d="M0 0C10 20 30 20 40 0" stroke="#000"/><path d="M0 0h2"/>'
    svg.write_text(f'<svg xmlns="http://www.w3.org/2000/svg">{drawn}</svg>')
    monkeypatch.setattr("engraver.app.file_dialogs.QFileDialog.getOpenFileName", lambda *a, **k: (str(svg), ""))
    window.commands["curve-file"].do()
    settle(window)
    assert chosen(desk).way.handled == (0, 1) and "longest of 2" in window.notice.text()
    (tmp_path / "curl.svg").write_text("<svg")
    window.commands["curve-file"].do()
    settle(window)
    assert "curl.svg cannot be read" in window.notice.text() and len(t.trial.gestures) == 1
    window.commands["curve-outline"].do()
    settle(window)
    assert len(t.trial.gestures) == 2 and chosen(desk).way.closed
    t.choose("")
    QTest.keyClick(desk.canvas, Qt.Key.Key_Return)  # without a mouse
    assert len(chosen(desk).points) == 3 and t.curve.point == 0
    hull = tmp_path / "half.ply"
    half = trimesh.creation.icosphere(3)
    half.update_faces(half.triangles_center[:, 2] > 0)
    half.export(hull)
    desk.trial_actions.take_mesh(hull)
    settle(window)
    window.commands["curve-border"].do()
    settle(window)
    rim = chosen(desk)
    assert rim.way.closed and np.ptp(rim.points[:, 2]) < 0.15
    window.commands["curve-round"].do()
    QApplication.processEvents()
    settle(window)
    assert "cannot go round" in window.notice.text() and chosen(desk) == rim  # half a ball has no other side there
