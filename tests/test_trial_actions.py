"""What is done with a whole trial, through its questions: names, density, meshes, files, and what is made of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMessageBox

from conftest import settle
from engraver.app import trial_actions
from engraver.app.desks.proof import ProofDesk
from engraver.app.window import Window
from test_proof_desk import desk, drag  # noqa: F401


class Answers:
    """Answers questions in the artist's place, and keeps what was asked."""

    def __init__(self, patch: pytest.MonkeyPatch) -> None:
        self.asked: list[str] = []
        self.text, self.button = ("", False), "Leave it"
        self.file: tuple[str, str] = ("", "")
        patch.setattr(QInputDialog, "getText", staticmethod(self._text))
        patch.setattr(QFileDialog, "getSaveFileName", staticmethod(self._file))
        patch.setattr(QFileDialog, "getOpenFileName", staticmethod(self._file))
        patch.setattr(QMessageBox, "exec", self._box(self))

    def _text(self, parent: object, title: str, label: str, text: str = "") -> tuple[str, bool]:
        self.asked.append(f"{title}: {text}")
        return self.text

    def _file(self, parent: object, title: str, *_: object, **__: object) -> tuple[str, str]:
        self.asked.append(title)
        return self.file

    @staticmethod
    def _box(answers: Answers) -> Callable[[QMessageBox], int]:
        def shown(box: QMessageBox) -> int:
            answers.asked.append(box.text())
            next(b for b in box.buttons() if b.text() == answers.button).click()
            return 0

        return shown


@pytest.fixture
def answers(monkeypatch: pytest.MonkeyPatch) -> Answers:
    return Answers(monkeypatch)


def test_a_trial_gets_a_name_and_goes_unless_a_plate_is_made_of_it(
    window: Window, desk: ProofDesk, answers: Answers  # noqa: F811
) -> None:  # fmt: skip
    t, studio, actions = window.trials, window.studio, desk.trial_actions
    drag(desk.canvas, (0.4, 0.45), (0.6, 0.55))
    id, first = t.trial.id, t.trial.name
    answers.text = ("Net floats", False)
    actions.rename()
    assert t.trial.name == first and answers.asked == [f"Rename the trial: {first}"]
    answers.text = ("Net floats", True)
    actions.rename()
    assert t.trial.name == "Net floats" and studio.history.undo_label == "Rename a trial"
    studio.undo()
    assert t.trial.name == first
    actions.plate_menu().actions()[1].trigger()
    settle(window)
    plate = studio.plate
    assert plate is not None
    actions.remove()
    assert [r.id for r in studio.project.trials] == [id] and f"{plate.name} is made of it" in window.notice.text()
    studio.undo()  # the plate goes
    actions.remove()
    assert not studio.project.trials
    studio.undo()
    assert [len(r.gestures) for r in studio.project.trials] == [1]


def test_very_many_points_are_asked_for_with_the_memory_that_they_take(
    window: Window, desk: ProofDesk, answers: Answers, monkeypatch: pytest.MonkeyPatch  # noqa: F811
) -> None:  # fmt: skip
    t = window.trials
    desk.surfaces.dense_wanted.emit(250_000)
    assert t.trial.points == 250_000 and not answers.asked
    desk.surfaces.dense_wanted.emit(4_000_000)
    assert t.trial.points == 250_000
    need, free = (float(part.split(" GB")[0].split()[-1]) for part in answers.asked[0].split("; "))
    assert need == pytest.approx(1.04, abs=0.06) and free > 0
    monkeypatch.setattr(trial_actions, "ASK_ABOVE", 90_000)
    answers.button = "Use so many"
    desk.surfaces.dense_wanted.emit(100_000)
    assert t.trial.points == 100_000 and len(answers.asked) == 2
    settle(window)


def test_saved_under_the_kind_that_was_chosen_or_typed(
    window: Window, desk: ProofDesk, answers: Answers, tmp_path: Path  # noqa: F811
) -> None:  # fmt: skip
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))

    def save(name: str, filter: str = "") -> None:
        answers.file = (str(tmp_path / name) if name else "", filter)
        desk.trial_actions.ask_save()
        settle(window)

    save("")
    assert not list(tmp_path.glob("t*"))
    save("typed.STL")
    save("bare")
    save("a.chosen", "GLB mesh (*.glb)")
    save("seen", "Picture with clear ground (*.png)")
    assert {p.name for p in tmp_path.glob("*.*")} >= {"typed.STL", "bare.ply", "a.chosen.glb", "seen.png"}
    sizes = [len(trimesh.load(tmp_path / n, force="mesh").faces) for n in ("bare.ply", "a.chosen.glb")]
    assert sizes[0] == sizes[1] > 50_000
    rgba = cv2.imread(str(tmp_path / "seen.png"), cv2.IMREAD_UNCHANGED)
    assert rgba.shape[2] == 4 and set(np.unique(rgba[[0, -1], :, 3])) <= {0, 255} and rgba[..., 3].max() == 255
    # Nothing lies along a curve: there is no cord, and no file.
    answers.file = (str(tmp_path / "cord.stl"), "")
    desk.trial_actions.ask_save_cords()
    settle(window)
    assert "There is no cord to write" in window.notice.text() and not (tmp_path / "cord.stl").exists()


def test_a_mesh_is_asked_for_and_a_square_goes_before_the_list_of_parts(
    window: Window, desk: ProofDesk, answers: Answers, tmp_path: Path, monkeypatch: pytest.MonkeyPatch  # noqa: F811
) -> None:  # fmt: skip
    t, studio = window.trials, window.studio
    desk.trial_actions.choose_mesh()
    settle(window)
    assert t.trial.surface == "flat" and answers.asked == ["Try on a mesh of your own"]
    trimesh.creation.icosphere(2).export(tmp_path / "float.ply")
    answers.file = (str(tmp_path / "float.ply"), "")
    desk.trial_actions.choose_mesh()
    settle(window)
    assert t.trial.surface == "own" and studio.history.undo_label == "Try on float.ply"
    studio.undo()
    drag(desk.canvas, (0.45, 0.5), (0.55, 0.5))
    settle(window)
    menu, offered = desk.trial_actions.plate_menu(), []

    class Shown:
        def exec(self, _: object) -> None:
            offered.append([a.text() for a in menu.actions() if a.text()])

    monkeypatch.setattr(desk.trial_actions, "plate_menu", Shown)
    desk.trial_actions.ask_make_plate()
    assert offered == [["The whole surface", "What the marks fill", "As it is seen now", "A square set by hand"]]
    desk.trial_actions.set_square()
    assert t.framing is not None and t.framing.width <= 0.8
    desk.trial_actions.ask_make_plate()
    settle(window)
    assert len(offered) == 1 and t.framing is None
    assert studio.plate is not None and studio.plate.name == "Trial, pressed" and window.bench.isVisible()


def test_marks_that_cut_make_a_plate_whose_grey_leaves_the_surface(window: Window, desk: ProofDesk) -> None:  # noqa: F811
    assert desk.trial_actions.frame("whole").zero == "black"
    window.trials.set_settings(acts="cut")
    drag(desk.canvas, (0.4, 0.5), (0.6, 0.5))
    settle(window)
    assert desk.trial_actions.frame("whole").zero == "mid"
    desk.trial_actions.plate_menu().actions()[0].trigger()
    settle(window)
    full = window.pictures.full
    assert full is not None and full.height.min() < -0.5 and np.median(full.height) == pytest.approx(0, abs=2e-3)


def test_free_memory_that_cannot_be_read_counts_as_none(monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*_: object, **__: object) -> None:
        raise PermissionError

    assert trial_actions._free_memory() > 1e6
    monkeypatch.setattr("builtins.open", refuse)
    assert trial_actions._free_memory() == 0.0
