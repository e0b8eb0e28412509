"""Hands on the plate: marks, healing, corners, colours and what a step found, by mouse and keys."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from conftest import LEFT, choose, drag, drop, png_bytes, settle
from engraver.app.editors.brush_box import BrushBox
from engraver.app.editors.falloff import FalloffBox
from engraver.app.editors.finder_box import FinderBox
from engraver.app.editors.grey_box import GreyBox
from engraver.app.window import Window
from engraver.core.steps.falloff import Falloff
from test_frame_grey import ruled_paper
from test_isolate import subject


def open_picture(window: Window, tmp_path: Path, name: str, array: np.ndarray) -> Window:
    path = tmp_path / name
    path.write_bytes(png_bytes((np.clip(array, 0, 1) * 255 + 0.5).astype(np.uint8)))
    drop(window, path)
    return window


def add(window: Window, kind: str) -> str:
    window.studio.add_step(kind)
    settle(window)
    assert window.studio.step is not None
    return window.studio.step.uid


def on_plate(window: Window, x: float, y: float) -> QPointF:
    return window.bench.plate_view.canvas.to_screen(QPointF(x, y))


def paint(window: Window, *places: tuple[float, float]) -> None:
    canvas = window.bench.plate_view.canvas
    spots = [on_plate(window, *p).toPoint() for p in places]
    QTest.mouseMove(canvas, spots[0])
    QTest.mousePress(canvas, LEFT, pos=spots[0])
    for spot in spots[1:]:
        QTest.mouseMove(canvas, spot)
    QTest.mouseRelease(canvas, LEFT, pos=spots[-1])
    settle(window)


def cover(window: Window) -> np.ndarray:
    look = window.pictures.look
    assert look is not None and look.result.raster.coverage is not None
    return look.result.raster.coverage


def test_a_subject_is_marked_with_a_few_strokes(window: Window, tmp_path: Path) -> None:
    picture, truth = subject(300, 3)
    open_picture(window, tmp_path, "float.png", picture)
    studio = window.studio
    assert studio.plate is not None and studio.plate.read_as == "subject"
    uid = choose(window, "isolate")
    studio.set_params(uid, strokes=())
    settle(window)
    assert "Paint over a part" in window.bench.settings.found.text()
    window.hand.set(radius=0.04)
    paint(window, (0.42, 0.5), (0.5, 0.52), (0.58, 0.5))
    assert len(studio.step.params.strokes) == 1 and studio.step.params.strokes[0].tag == "keep"  # type: ignore[union-attr]
    shown = cover(window)
    assert np.corrcoef(shown.ravel(), np.resize(truth, shown.shape).ravel())[0, 1] > 0.9
    QTest.keyClick(window, Qt.Key.Key_M)
    (box,) = window.bench.settings.editors
    assert isinstance(box, BrushBox) and box.buttons["remove"].isChecked()
    paint(window, (0.5, 0.5))
    assert [m.tag for m in studio.step.params.strokes] == ["keep", "remove"]  # type: ignore[union-attr]
    QTest.keyClick(window, Qt.Key.Key_L)
    settle(window)
    assert studio.step.params.strokes[1].tag == "remove-only"  # type: ignore[union-attr]
    assert cover(window)[shown.shape[0] // 2, shown.shape[1] // 2] < 0.2 and cover(window).mean() > 0.08
    QTest.keyClick(window, Qt.Key.Key_I)
    settle(window)
    assert window.pictures.look is not None and window.pictures.look.revealed
    assert window.bench.settings.revealer is not None and window.bench.settings.revealer.isChecked()
    QTest.keyClick(window, Qt.Key.Key_I)
    QTest.mouseClick(window.bench.settings.editors[0].back, LEFT)
    settle(window)
    assert len(studio.step.params.strokes) == 1  # type: ignore[union-attr]
    for _ in range(3):
        studio.undo()
    assert studio.step.params.strokes[-1].tag == "keep"  # type: ignore[union-attr]
    settle(window)


def test_a_blemish_is_healed_where_it_is_and_stays_healed_when_the_crop_moves(window: Window, tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    picture = 0.4 + 0.08 * rng.standard_normal((300, 300))
    y, x = np.mgrid[0:300, 0:300]
    spot = np.hypot(x - 120, y - 140) < 8
    picture[spot] = 1.0
    open_picture(window, tmp_path, "sand.png", picture)
    studio = window.studio
    window.bench.plates.read_as("plain")
    settle(window)
    crop, heal = add(window, "crop"), add(window, "heal")
    window.hand.set(tag="auto", radius=0.04)
    paint(window, (120 / 300, 140 / 300))
    full = window.pictures.full
    assert full is not None and (full.result.raster.flat() > 0.95).sum() < 4
    studio.set_params(crop, x=0.42, y=0.45, width=0.6)
    settle(window)
    assert window.pictures.full is not None and (window.pictures.full.result.raster.flat() > 0.95).sum() < 4
    # From here: the right button picks the piece, the next stroke takes it; the arrow can be turned round.
    studio.choose_step(heal)
    settle(window)
    canvas = window.bench.plate_view.canvas
    QTest.mouseClick(canvas, Qt.MouseButton.RightButton, pos=on_plate(window, 0.7, 0.8).toPoint())
    assert window.hand.brush.anchor is not None
    QTest.mouseMove(canvas, on_plate(window, 0.8, 0.8).toPoint())
    QTest.keyClick(window, Qt.Key.Key_H)
    assert window.hand.brush.tag == "from" and window.hand.brush.anchor is not None
    paint(window, (0.3, 0.7), (0.34, 0.7))
    stroke = studio.step.params.strokes[-1]  # type: ignore[union-attr]
    assert stroke.tag == "from" and stroke.shift[0] > 0.2
    assert np.allclose(np.add(stroke.points[0, :2], stroke.shift), window.hand.brush.anchor, atol=1e-4)
    QTest.keyClick(window, Qt.Key.Key_Y)
    paint(window, (0.3, 0.7))
    flipped = studio.step.params.strokes[-1]  # type: ignore[union-attr]
    assert np.allclose(flipped.points[0, :2], window.hand.brush.anchor, atol=1e-4) and flipped.shift[0] < 0
    before = window.hand.brush.radius
    QTest.keyClick(window, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert window.hand.brush.radius > before
    assert not canvas.grab().isNull()


def test_from_here_needs_a_place_to_take_from(window: Window, tmp_path: Path) -> None:
    open_picture(window, tmp_path, "sand.png", np.random.default_rng(1).random((80, 80)))
    add(window, "heal")
    window.hand.set(tag="from", anchor=None)
    paint(window, (0.5, 0.5))
    assert window.studio.step.params.strokes == () and "right button" in window.notice.text()  # type: ignore[union-attr]


def test_four_corners_are_dragged_and_found(window: Window, tmp_path: Path) -> None:
    page = np.full((240, 320), 0.15)
    page[50:200, 60:270] = 0.9
    open_picture(window, tmp_path, "page.png", page)
    uid = add(window, "straighten")
    look = window.pictures.look
    assert look is not None and look.before
    canvas = window.bench.plate_view.canvas
    drag(canvas, on_plate(window, 0, 0), on_plate(window, 0.1, 0.12))
    settle(window)
    corner = window.studio.step.params.corners[0]  # type: ignore[union-attr]
    assert corner == (pytest.approx(0.1, abs=0.01), pytest.approx(0.12, abs=0.01))
    drag(canvas, on_plate(window, 1, 0), on_plate(window, -0.3, 0.9))
    settle(window)
    assert "corners" in window.notice.text(), "a dent is refused in words"
    finder = window.bench.settings.findChild(FinderBox)
    assert finder is not None
    QTest.mouseClick(finder.buttons[0], LEFT)
    settle(window)
    found = np.array(window.studio.step.params.corners)  # type: ignore[union-attr]
    assert (
        np.abs(
            found - [(60 / 320, 50 / 240), (270 / 320, 50 / 240), (270 / 320, 200 / 240), (60 / 320, 200 / 240)]
        ).max()
        < 0.02
    )
    line = window.studio.line()
    assert line is not None and line.facts[line.place_after(uid)].width == pytest.approx(210, abs=6)


def test_a_mix_is_compared_on_this_picture_and_two_colours_are_picked(window: Window, tmp_path: Path) -> None:
    rgb, lines, _ = ruled_paper()
    open_picture(window, tmp_path, "page.png", rgb / 255)
    choose(window, "grey")
    box = window.bench.settings.editors[0]
    assert isinstance(box, GreyBox) and set(box.strip.pictures) == set(box.strip.mixes)
    place = box.strip.rect_of(box.strip.mixes.index("fade")).center().toPoint()
    QTest.mouseClick(box.strip, LEFT, pos=place)
    settle(window)
    assert window.studio.step.params.mix == "fade"  # type: ignore[union-attr]
    y, x = np.argwhere(lines)[len(np.argwhere(lines)) // 3] + (2, 0)
    for name, (px, py) in (("line", (x + 0.5, y + 0.5)), ("paper", (20.5, 20.5))):
        QTest.mouseClick(box.swatches[name], LEFT)
        assert box.swatches[name].isChecked()
        QTest.mouseClick(window.bench.plate_view.canvas, LEFT, pos=on_plate(window, px / 400, py / 300).toPoint())
        settle(window)
        assert not box.swatches[name].isChecked()
    params = window.studio.step.params  # type: ignore[union-attr]
    assert np.abs(np.subtract(params.paper, (0.93, 0.92, 0.88))).max() < 0.02  # type: ignore[attr-defined]
    assert params.line[2] - params.line[0] > 0.1  # type: ignore[attr-defined]
    QTest.keyClick(box.strip, Qt.Key.Key_Left)
    settle(window)
    assert window.studio.step.params.mix == "blue"  # type: ignore[union-attr]


def test_a_grain_step_says_draft_until_full_size_is_there(window: Window, tmp_path: Path) -> None:
    open_picture(window, tmp_path, "sand.png", np.random.default_rng(2).random((900, 900)))
    seen = []
    window.pictures.looked.connect(lambda look: seen.append(look.finished.draft))
    add(window, "denoise")
    assert seen[0] and not seen[-1]
    assert "noise of" in window.bench.settings.found.text()


def test_the_light_is_painted_out_and_looked_at(window: Window, photo: Path) -> None:
    drop(window, photo)
    uid = choose(window, "even-light")
    window.hand.set(tag="out", radius=0.1)
    paint(window, (0.5, 0.5), (0.6, 0.5))
    assert window.studio.step.params.strokes[0].tag == "out"  # type: ignore[union-attr]
    button = window.bench.settings.revealer
    assert button is not None
    QTest.mouseClick(button, LEFT, pos=QPoint(20, 10))
    settle(window)
    look = window.pictures.look
    assert look is not None and look.revealed and look.uid == uid
    assert np.abs(np.diff(look.result.raster.pixels)).max() < 0.02, "light is smooth"


def test_the_falloffs_outline_is_set_on_the_plate(bench: Window) -> None:
    """Its grips move margin and fade; a side is pressed off; outlines are drawn and taken back."""
    uid = choose(bench, "falloff")
    canvas, studio = bench.bench.plate_view.canvas, bench.studio
    studio.set_params(uid, outline="square", margin=0.1, fade=0.1, ragged=0.0)
    settle(bench)

    def now() -> Falloff:
        assert studio.step is not None and isinstance(studio.step.params, Falloff)
        return studio.step.params

    drag(canvas, on_plate(bench, 0.5, 0.9), on_plate(bench, 0.5, 0.8))
    settle(bench)
    assert now().margin == pytest.approx(0.2, abs=0.01)
    drag(canvas, on_plate(bench, 0.5, 0.7), on_plate(bench, 0.5, 0.6))
    settle(bench)
    assert now().fade == pytest.approx(0.2, abs=0.01) and bench.top.undo.toolTip() == "Undo: Falloff (Ctrl+Z)"
    QTest.mouseClick(canvas, LEFT, pos=on_plate(bench, 0.2, 0.5).toPoint())
    settle(bench)
    assert not now().left and now().right
    box = bench.bench.settings.editors[0]
    assert isinstance(box, FalloffBox) and not box.sides["left"].isChecked()
    QTest.mouseClick(box.sides["left"], LEFT)
    assert now().left
    studio.set_params(uid, outline="free", margin=0.0)
    settle(bench)
    paint(bench, (0.2, 0.2), (0.8, 0.2), (0.8, 0.8), (0.2, 0.8))
    assert len(now().strokes) == 1 and cover(bench)[0].max() == 0 and cover(bench).max() == 1
    QTest.mouseClick(box.clear, LEFT)
    assert now().strokes == ()


def test_another_plate_breaks_up_the_border(bench: Window) -> None:
    uid = choose(bench, "falloff")
    studio = bench.studio
    studio.add_blank(64, 1.0)
    studio.choose_plate(studio.project.plates[0].id)
    uid = choose(bench, "falloff")
    studio.set_params(uid, ragged=1.0, ragged_by="tip")
    settle(bench)
    smooth = cover(bench).copy()
    box = bench.bench.settings.editors[0]
    assert isinstance(box, FalloffBox)
    box.tips.box.setCurrentIndex(1)
    box.tips.box.activated.emit(1)
    settle(bench)
    params = studio.step.params  # type: ignore[union-attr]
    assert isinstance(params, Falloff) and params.tip and params.tip[0].tag == "Blank"
    assert cover(bench).sum() < 0.95 * smooth.sum() and box.tips.box.currentText() == "Blank"
