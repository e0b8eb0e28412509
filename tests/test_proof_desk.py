"""The proof desk by mouse and keys: gestures, the string, settings, surfaces, a plate made, and bad moments."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QInputDevice, QMouseEvent, QPointingDevice, QTabletEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox

from conftest import answer, in_dialog, settle
from engraver.app import proof_state
from engraver.app.desks.proof import ProofDesk
from engraver.app.freezing import remove
from engraver.app.proof_state import ProofState
from engraver.app.views.trial_canvas import TrialCanvas
from engraver.app.window import Window
from engraver.core.surfaces import SURFACES

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier


def drag(
    canvas: TrialCanvas, *shares: tuple[float, float], button: Qt.MouseButton = LEFT, release: bool = True,
    mod: Qt.KeyboardModifier = NONE,
) -> None:  # fmt: skip
    """A drag through places given as shares of the view, in small steps."""
    places = [QPointF(x * canvas.width(), y * canvas.height()) for x, y in shares]

    def send(kind: QEvent.Type, at: QPointF, pressed: Qt.MouseButton, held: Qt.MouseButton) -> None:
        QApplication.sendEvent(canvas, QMouseEvent(kind, at, canvas.mapToGlobal(at), pressed, held, mod))

    send(QEvent.Type.MouseButtonPress, places[0], button, button)
    for a, b in pairwise(places):
        for n in range(1, 7):
            send(QEvent.Type.MouseMove, a + (b - a) * (n / 6), Qt.MouseButton.NoButton, button)
    if release:
        send(QEvent.Type.MouseButtonRelease, places[-1], button, Qt.MouseButton.NoButton)


@pytest.fixture
def desk(window: Window) -> ProofDesk:
    """The proof desk with a starter's plate in the hand, on few points."""
    window.commands["start-cushion"].run()
    settle(window)
    window.trials.set_trial("few", points=60_000)
    window.go_to("proof")
    found = window.desk("proof")
    assert isinstance(found, ProofDesk)
    settle(window)
    return found


def shown(desk: ProofDesk) -> np.ndarray:
    settle(desk.host)  # type: ignore[arg-type]
    return desk.host.trials.drawing.seen[0].picture.astype(int)


def test_a_stroke_a_drag_and_a_press_become_beads_that_undo_one_by_one(window: Window, desk: ProofDesk) -> None:
    t, bare = window.trials, shown(desk)
    drag(desk.canvas, (0.35, 0.4), (0.5, 0.45), (0.65, 0.5))
    stroke = shown(desk)
    assert (np.abs(stroke - bare).max(axis=-1) > 10).mean() > 0.005
    QTest.keyClick(window, Qt.Key.Key_2)
    drag(desk.canvas, (0.45, 0.65), (0.52, 0.65))
    QTest.keyClick(window, Qt.Key.Key_1)
    drag(desk.canvas, (0.6, 0.7), (0.62, 0.7))
    assert [g.kind for g in t.trial.gestures] == ["stroke", "drag-out", "single"]
    assert len(t.trial.gestures[2].points) == 1 and desk.string.count.text().endswith("3")
    assert window.studio.history.undo_label == "Single on flat"
    for left in (2, 1, 0):
        QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert len(t.trial.gestures) == left
    assert np.array_equal(shown(desk), bare)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert np.array_equal(shown(desk), stroke)


def test_what_is_drawn_under_the_hand_is_what_stands_when_it_lifts(window: Window, desk: ProofDesk) -> None:
    window.trials.set_settings(spacing=0.5, taper_out=0.0)
    drag(desk.canvas, (0.4, 0.4), (0.6, 0.55), release=False)
    live = shown(desk)
    assert window.trials.live is not None and not window.trials.trial.gestures
    drag(desk.canvas, (0.4, 0.4), (0.6, 0.55))
    assert window.trials.live is None and len(window.trials.trial.gestures) == 1
    assert (np.abs(shown(desk) - live).max(axis=-1) > 8).mean() < 0.01
    drag(desk.canvas, (0.3, 0.6), (0.4, 0.6), release=False)
    QTest.keyClick(desk.canvas, Qt.Key.Key_Escape)
    assert window.trials.live is None and len(window.trials.trial.gestures) == 1


def test_beads_are_chosen_changed_moved_left_out_and_taken_out(window: Window, desk: ProofDesk) -> None:
    t, beads = window.trials, desk.string.beads
    for x in (0.35, 0.5, 0.65):
        drag(desk.canvas, (x, 0.5), (x + 0.05, 0.5))
    settle(window)
    uids = [g.uid for g in t.trial.gestures]
    QTest.mouseClick(beads, LEFT, NONE, beads.spot(1).toPoint())
    assert t.chosen == uids[1] and desk.panel.title.text() == "Stroke, chosen"
    before = shown(desk)
    desk.panel.groups["mark"].rows["strength"].edited.emit(0.12)
    desk.panel.groups["mark"].rows["strength"].edited.emit(0.15)
    assert t.trial.gesture(uids[1]).settings.strength == 0.15 and t.trial.gesture(uids[0]).settings.strength < 0.1
    assert not np.array_equal(shown(desk), before)
    window.studio.undo()  # both moves of the slider are one entry
    assert np.abs(shown(desk) - before).max() <= 1
    QTest.mousePress(beads, LEFT, NONE, beads.spot(0).toPoint())
    QTest.mouseMove(beads, (beads.spot(2) + QPointF(6, 0)).toPoint())
    QTest.mouseRelease(beads, LEFT, NONE, (beads.spot(2) + QPointF(6, 0)).toPoint())
    assert [g.uid for g in t.trial.gestures] == [uids[1], uids[2], uids[0]]
    t.choose(uids[2])
    QTest.keyClick(window, Qt.Key.Key_O)
    assert not t.trial.gesture(uids[2]).on
    QTest.keyClick(beads, Qt.Key.Key_Delete)
    assert [g.uid for g in t.trial.gestures] == [uids[1], uids[0]] and t.gesture is None
    menu = beads.menu(0)
    assert {a.text() for a in menu.actions()} >= {"Leave out for now", "Earlier", "Later", "Remove"}
    QTest.keyClick(window, Qt.Key.Key_W)
    assert t.trial.gestures[-1].kind == "wipe" and window.studio.history.undo_label == "Wipe the trial"


def test_tools_smooth_and_scrape_and_a_held_key_smooths(window: Window, desk: ProofDesk) -> None:
    t = window.trials
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    rough = shown(desk)
    QTest.keyClick(window, Qt.Key.Key_Z)
    assert t.kind.id == "smooth" and desk.panel.keep_row.isVisible()
    desk.panel.keeps["peaks"].click()
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    assert t.trial.gestures[-1].keeps == "peaks" and not np.array_equal(shown(desk), rough)
    QTest.keyClick(window, Qt.Key.Key_X)
    drag(desk.canvas, (0.45, 0.5), (0.5, 0.5))
    QTest.keyClick(window, Qt.Key.Key_3)
    QTest.keyPress(desk.canvas, Qt.Key.Key_S)
    drag(desk.canvas, (0.5, 0.5), (0.55, 0.5))
    QTest.keyRelease(desk.canvas, Qt.Key.Key_S)
    assert [g.kind for g in t.trial.gestures] == ["stroke", "smooth", "scrape", "smooth"] and t.kind.id == "stroke"


def test_size_and_strength_by_a_held_key_and_symmetry_told_at_the_pointer(window: Window, desk: ProofDesk) -> None:
    t = window.trials
    size, strength = t.settings.size, t.settings.strength
    QTest.keyPress(desk.canvas, Qt.Key.Key_D)
    drag(desk.canvas, (0.5, 0.5), (0.6, 0.45))
    QTest.keyRelease(desk.canvas, Qt.Key.Key_D)
    assert t.settings.size > size * 1.1 and t.settings.strength > strength and not t.trial.gestures
    QTest.keyClick(window, Qt.Key.Key_M)
    QTest.keyClick(window, Qt.Key.Key_R)
    QTest.keyClick(window, Qt.Key.Key_R)
    assert desk.canvas._words() == "mirrored · 3 arms"
    drag(desk.canvas, (0.6, 0.4), (0.62, 0.42))
    made = t.trial.gestures[-1]
    assert made.mirror and made.arms == 3
    QTest.keyClick(window, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    assert t.state.arms == 2


def test_the_eye_and_the_light_move_and_the_pointer_keeps_what_it_is_on(window: Window, desk: ProofDesk) -> None:
    t, canvas = window.trials, desk.canvas
    t.set_surface("ball")
    first = shown(desk)
    drag(canvas, (0.03, 0.1), (0.1, 0.2))  # beside the ball
    turned = t.eye
    assert turned != SURFACES["ball"].eye and not t.trial.gestures
    drag(canvas, (0.5, 0.5), (0.6, 0.5), mod=Qt.KeyboardModifier.ControlModifier)
    assert t.eye.turn > turned.turn and not t.trial.gestures
    drag(canvas, (0.5, 0.5), (0.6, 0.6), button=Qt.MouseButton.MiddleButton)
    assert t.eye.x > 0 > t.eye.y
    lamp = t.lamp
    drag(canvas, (0.5, 0.5), (0.55, 0.4), button=Qt.MouseButton.RightButton)
    assert t.lamp.azimuth != lamp.azimuth and t.lamp.height > lamp.height
    settle(window)
    at = QPointF(canvas.width() * 0.6, canvas.height() * 0.55)
    place = canvas.scene(at)
    wheel = QWheelEvent(at, canvas.mapToGlobal(at), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton, NONE,
                        Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(canvas, wheel)
    settle(window)
    again = canvas.scene(at)
    assert place is not None and again is not None and np.abs(place - again).max() < 0.02
    QTest.keyClick(window, Qt.Key.Key_4)
    assert (t.eye.tilt, t.eye.turn) == (90, 0)  # from the top
    QTest.keyClick(window, Qt.Key.Key_F)
    t.shine(SURFACES["ball"].lamp)
    assert np.array_equal(shown(desk), first)


def test_neutral_turns_everything_off_and_back_and_every_group_has_its_strip(window: Window, desk: ProofDesk) -> None:
    t = window.trials
    t.set_settings(turn_jitter=1.0, size_jitter=0.4, tooth="grit", spacing=0.6)
    settle(window)
    strips = {id: g.strip.image for id, g in desk.panel.groups.items()}
    assert all(image is not None for image in strips.values())
    QTest.keyClick(window, Qt.Key.Key_N)
    assert desk.panel.neutral.isChecked() and not t.settings.turn_jitter and t.settings.tooth == "none"
    QTest.keyClick(window, Qt.Key.Key_N)
    assert t.settings.turn_jitter == 1.0 and t.settings.tooth == "grit" and not desk.panel.neutral.isChecked()
    desk.panel.groups["tooth"].reset.click()
    assert t.settings.tooth == "none" and t.settings.turn_jitter == 1.0
    desk.panel.groups["fall"].open(True)
    desk.panel.edit("fall", "drawn")
    drawn = desk.panel.groups["fall"].curves["fall_curve"][1]
    assert drawn.isVisibleTo(desk.panel)
    drawn.edited.emit(((0.0, 1.0), (0.5, 0.8), (1.0, 0.0)))
    assert t.settings.fall_curve[1] == (0.5, 0.8)


def test_density_is_told_seen_side_by_side_and_asked_about(window: Window, desk: ProofDesk) -> None:
    t = window.trials
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    settle(window)
    words = desk.panel.words.text()
    assert words.startswith("At this size the surface shows ") and "px; " in words and "would show all" in words
    QTest.keyClick(window, Qt.Key.Key_V)
    t.set(second=250_000)
    QApplication.processEvents()
    settle(window)
    assert desk.second.isVisible() and set(t.drawing.seen) == {0, 1}
    fine, coarse = (t.drawing._views[n].edge for n in (1, 0))
    assert coarse / fine == pytest.approx(2.04, abs=0.05)
    t.set(second=0)
    QTest.keyClick(window, Qt.Key.Key_G)
    settle(window)
    assert t.state.lines
    asked: list[tuple[str, str]] = []
    in_dialog(QMessageBox, lambda _: answer("Leave it", asked))
    desk.surfaces.dense_wanted.emit(4_000_000)
    assert t.trial.points == 60_000 and "4 M points take about" in asked[0][0] and "GB are free" in asked[0][0]
    desk.surfaces.dense_wanted.emit(250_000)
    assert t.trial.points == 250_000
    settle(window)


def test_the_trial_becomes_a_plate_in_a_press_and_is_pressed_once_more(window: Window, desk: ProofDesk) -> None:
    t, studio = window.trials, window.studio
    drag(desk.canvas, (0.4, 0.45), (0.6, 0.55))
    menu = desk.trial_actions.plate_menu()
    assert [a.text() for a in menu.actions()] == [
        "The whole surface", "What the marks fill", "As it is seen now", "", "A square set by hand",
    ]  # fmt: skip
    before = studio.plate_id
    menu.actions()[1].trigger()
    settle(window)
    plate = studio.plate
    assert plate is not None and plate.id != before and studio.source(plate)[1].id == "trial"
    assert plate.name == "Trial, pressed" and window.bench.isVisible()
    assert plate.reading.width < 1  # type: ignore[attr-defined]
    full = window.pictures.full
    assert full is not None and full.height.max() == pytest.approx(1, abs=0.02) and full.height.mean() > 0.02
    window.go_to("proof")
    settle(window)
    drag(desk.canvas, (0.5, 0.7), (0.6, 0.7))
    assert len(t.trial.gestures) == 1  # it would press itself: refused, and the trial stands
    assert "circle" in window.notice.text()
    t.new_trial()
    settle(window)
    drag(desk.canvas, (0.5, 0.6), (0.6, 0.6))
    assert len(studio.project.trials) == 2 and t.trial.gestures[0].plate == plate.id
    frames = {what: desk.trial_actions.frame(what) for what in ("whole", "eye")}
    assert frames["whole"].width == 1 and frames["eye"].seen == "eye"


def test_the_benchs_proof_shows_the_trial_where_there_is_one(window: Window, desk: ProofDesk) -> None:
    studio, proof = window.studio, window.bench.proof_view
    window.go_to("bench")
    settle(window)
    drawn: list[np.ndarray] = []
    window.pictures.proofed.connect(drawn.append)
    window.go_to("proof")
    window.trials.set_surface("ball")
    drag(desk.canvas, (0.45, 0.5), (0.55, 0.5))
    window.go_to("bench")
    settle(window)
    assert studio.proof_trial is not None and studio.proof_surface == "ball" and proof.cover.text() == "Trial ▾"
    assert not any(b.isChecked() for b in proof.surfaces.values())
    trial = drawn[-1].astype(int)
    QTest.mouseClick(proof.surfaces["ball"], LEFT)
    settle(window)
    assert studio.proof_trial is None and proof.surfaces["ball"].isChecked()
    assert np.abs(drawn[-1] - trial).mean() > 1
    assert "the trial it was pressed in" in [a.text() for a in proof.cover_menu().actions()]


def test_a_plate_that_goes_stays_for_its_gestures_as_it_was(window: Window, desk: ProofDesk) -> None:
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    before = shown(desk)
    remove(window.studio, window.pictures, window.besides.all)
    settle(window)
    names = [p.name for p in window.studio.project.plates]
    assert names == ["Rounded cushion, as it was"] and "as it was" in window.notice.text()
    assert np.abs(shown(desk) - before).max() < 24
    window.studio.undo()
    assert [p.name for p in window.studio.project.plates] == ["Rounded cushion"]


def test_a_mesh_of_ones_own_and_what_is_none(window: Window, desk: ProofDesk, tmp_path: Path) -> None:
    path = tmp_path / "hull.ply"
    trimesh.creation.icosphere(2).export(path)
    desk.trial_actions.take_mesh(path)
    settle(window)
    trial = window.trials.trial
    assert trial.surface == "own" and window.studio.project.source(trial.own).name == "hull.ply"
    drag(desk.canvas, (0.45, 0.5), (0.55, 0.5))
    faceted = shown(desk)
    assert len(window.trials.trial.gestures) == 1
    window.commands["trial-rounded"].do()
    assert window.trials.trial.rounded and np.abs(shown(desk) - faceted).mean() > 0.2
    (tmp_path / "bad.ply").write_bytes(b"ply\nformat ascii 1.0\nelement vertex 3\n")
    desk.trial_actions.take_mesh(tmp_path / "bad.ply")
    settle(window)
    assert "bad.ply" in window.notice.text() and window.trials.trial.own == trial.own
    desk.trial_actions.save(tmp_path / "out.stl")
    desk.trial_actions.save(tmp_path / "out.png")
    settle(window)
    assert trimesh.load(tmp_path / "out.stl").is_watertight and (tmp_path / "out.png").stat().st_size > 1000
    desk.trial_actions.save(tmp_path / "nowhere" / "out.ply")
    settle(window)
    assert "out.ply" in window.notice.text()


def test_a_pens_pressure_and_lean_are_read_and_the_practice_pen_plays_them(window: Window, desk: ProofDesk) -> None:
    canvas, at = desk.canvas, QPointF(200, 200)
    device = QPointingDevice("pen", 7, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
                             QInputDevice.Capability.Pressure, 1, 3)  # fmt: skip
    told = QTabletEvent(QEvent.Type.TabletMove, device, at, canvas.mapToGlobal(at), 0.4, 0.0, 30.0, 0.0, 0.0, 0.0,
                        NONE, LEFT, LEFT)  # fmt: skip
    QApplication.sendEvent(canvas, told)
    drag(canvas, (0.4, 0.5), (0.6, 0.5))
    points = window.trials.trial.gestures[-1].points
    assert points[:, 3] == pytest.approx(0.4) and points[:, 5] == pytest.approx(np.pi / 2)
    drag(canvas, (0.4, 0.4), (0.6, 0.4))
    points = window.trials.trial.gestures[-1].points
    assert points[:, 3] == pytest.approx(1) and points[:, 5] == pytest.approx(0), (
        "the pen lies down: a mouse presses whole"
    )
    desk.tools.practice.click()
    drag(canvas, (0.4, 0.6), (0.6, 0.6))
    played = window.trials.trial.gestures[-1].points[:, 3]
    assert played[0] < 0.3 and played[-1] < 0.3 and played.max() > 0.9


def test_without_a_mouse_and_without_a_plate(window: Window, make_window: Callable[[], Window]) -> None:
    window.go_to("proof")
    desk = window.desk("proof")
    assert isinstance(desk, ProofDesk)
    settle(window)
    drag(desk.canvas, (0.5, 0.5), (0.6, 0.5))
    assert "There is no plate to press" in window.notice.text() and not window.studio.project.trials
    window.commands["start-cushion"].run()
    settle(window)
    window.go_to("proof")
    QTest.keyClick(desk.canvas, Qt.Key.Key_Return)
    QTest.keyClick(desk.canvas, Qt.Key.Key_Right)
    assert len(window.trials.trial.gestures) == 1
    QTest.keyClick(desk.string.beads, Qt.Key.Key_Left)
    assert window.trials.chosen == window.trials.trial.gestures[0].uid


def test_how_the_desk_was_left_comes_back_and_what_is_broken_does_not(window: Window, desk: ProofDesk) -> None:
    t = window.trials
    t.set(arms=4, mirror=True)
    t.set_settings(spacing=0.7)
    t.look(t.eye.moved(0.2, 0.1))
    path, data = t.keep()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    again = proof_state.read(path)
    assert again.settings.spacing == 0.7 and (again.arms, again.mirror) == (1, False) and again.eye("flat").x > 0
    for broken in (b"", b"{", b'{"arms": 99}', b'{"eyes": {"shelf": {"tilt": 1}}}', b"[" * 90_000):
        path.write_bytes(broken)
        assert proof_state.read(path).settings == ProofState().settings
