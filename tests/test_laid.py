"""What one movement of the hand has laid is one: chosen, changed, moved, nudged and taken back with its arms."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from conftest import LEFT, drag, settle
from engraver.app.editors.brush_box import BrushBox
from engraver.app.editors.hand_box import HandBox
from engraver.app.editors.number_row import NumberRow
from engraver.app.window import Window
from engraver.core.params import Stroke, Strokes, laid
from engraver.core.recipe import Step
from test_hands import add, on_plate

RIGHT = Qt.MouseButton.RightButton
PLACES = st.lists(st.tuples(st.floats(0.3, 0.7), st.floats(0.3, 0.7)), min_size=1, max_size=4)
SIZES = st.sampled_from([(640.0, 480.0), (300.0, 300.0), (512.0, 2048.0)])


@given(places=PLACES, size=SIZES, arms=st.integers(1, 8), mirrored=st.booleans())
def test_arms_lie_round_the_middle_and_mirror_images_across_it(
    places: list[tuple[float, float]], size: tuple[float, float], arms: int, mirrored: bool
) -> None:
    """As complex numbers about the middle: arm k is z exp(2 pi i k / n), a mirror image that of -conj(z)."""
    drawn = Stroke.through(places, 0.05, "raise", strength=0.3)
    made = laid.arms_of(drawn, size, arms, mirrored)
    unit = np.array(size) / min(size)

    def number(stroke: Stroke) -> np.ndarray:
        away = (stroke.points[:, :2] - 0.5) * unit
        return away[:, 0] + 1j * away[:, 1]

    z = number(drawn)
    wanted = [w * np.exp(2j * np.pi * k / arms) for w in ([z, -z.conj()] if mirrored else [z]) for k in range(arms)]
    assert len(made) == len(wanted)
    for one, there in zip(made, wanted, strict=True):
        assert np.abs(number(one) - there).max() < 1e-6 and one.strength == 0.3
    assert laid.groups(made) == [made] and laid.groups((drawn, *made, drawn)) == [(drawn,), made, (drawn,)]


@given(
    places=PLACES, size=SIZES, arms=st.integers(1, 7), mirrored=st.booleans(),
    by=st.tuples(st.floats(-0.2, 0.2), st.floats(-0.2, 0.2)), pick=st.integers(0, 99),
)  # fmt: skip
@settings(max_examples=60)
def test_an_arm_that_is_moved_takes_the_others_where_the_hand_would_have_laid_them(
    places: list[tuple[float, float]], size: tuple[float, float], arms: int, mirrored: bool,
    by: tuple[float, float], pick: int,
) -> None:  # fmt: skip
    other = Stroke.through([(0.1, 0.1)], 0.02, "cut")
    made = laid.arms_of(Stroke.through(places, 0.05, "raise"), size, arms, mirrored)
    held = made[pick % len(made)]
    new, now = laid.moved((other, *made, other), made, held, by, size)
    assert new[0] == new[-1] == other and len(new) == len(made) + 2
    assert np.abs(now.points[:, :2] - held.points[:, :2] - by).max() < 1e-6
    again = laid.arms_of(new[1], size, arms, mirrored)  # its first one, drawn there
    assert max(np.abs(a.points - b.points).max() for a, b in zip(new[1:-1], again, strict=True)) < 1e-6


def test_groups_outlive_the_file_and_strokes_of_old_files_stand_alone() -> None:
    made = laid.arms_of(Stroke.through([(0.4, 0.4), (0.6, 0.3)], 0.05, "raise"), (100, 100), 3, True)
    step = Step.make("hand", strokes=made)
    back = type(step.params).model_validate_json(step.params.model_dump_json())
    assert laid.groups(back.strokes) == [made]  # type: ignore[attr-defined]
    old = {"tag": "keep", "radius": 0.1, "places": [[0.1, 0.2]]}
    kept = [Stroke.model_validate(old), Stroke.model_validate({**old, "tag": "remove"})]
    assert [len(g) for g in laid.groups(tuple(kept))] == [1, 1]
    loose = (made[2], *made)  # begun by an arm: nothing is lost
    assert sum(map(len, laid.groups(loose))) == len(loose) and laid.laid_with(loose, "none") == ()


def strokes(window: Window) -> Strokes:
    settle(window)
    return window.studio.step.params.strokes  # type: ignore[union-attr, no-any-return]


@pytest.fixture
def star(bench: Window) -> Window:
    """A step of the hand with one gesture of six arms."""
    add(bench, "hand")
    bench.hand.set(arms=6, strength=0.5, radius=0.03)
    drag(bench.bench.plate_view.canvas, on_plate(bench, 0.62, 0.5), on_plate(bench, 0.8, 0.5))
    assert len(strokes(bench)) == 6
    return bench


def test_six_arms_are_one_stroke_to_take_back_and_to_change(star: Window) -> None:
    box = star.bench.settings.editors[0]
    assert isinstance(box, HandBox) and box.brush.count.text() == "1 stroke"
    star.hand.set(arms=1)
    drag(star.bench.plate_view.canvas, on_plate(star, 0.1, 0.1), on_plate(star, 0.2, 0.1))
    assert len(strokes(star)) == 7 and box.brush.count.text() == "2 strokes"
    QTest.mouseClick(star.bench.plate_view.canvas, RIGHT, pos=on_plate(star, 0.7, 0.5).toPoint())
    assert box.brush.chosen() is not None and box.brush.back.text() == "Remove the chosen one"
    strength = box.rows["strength"]
    assert isinstance(strength, NumberRow) and strength.field.text() == "50 %"
    strength.field.setText("25%")
    strength.field.editingFinished.emit()
    assert [s.strength for s in strokes(star)] == [0.25] * 6 + [0.5]
    box.brush.wide.edited.emit(0.05)
    assert [s.radius for s in strokes(star)] == [0.05] * 6 + [0.03] and star.hand.brush.radius == 0.03
    QTest.mouseClick(box.brush.back, LEFT)
    assert len(strokes(star)) == 1 and box.brush.back.text() == "Take back the last"
    star.studio.undo()
    assert len(strokes(star)) == 7
    QTest.mouseClick(box.brush.back, LEFT)
    QTest.mouseClick(box.brush.back, LEFT)
    assert strokes(star) == ()


def test_the_right_button_moves_a_stroke_keys_nudge_it_and_del_takes_it_out(star: Window) -> None:
    canvas, before = star.bench.plate_view.canvas, strokes(star)
    drag(canvas, on_plate(star, 0.7, 0.5), on_plate(star, 0.7, 0.6), RIGHT)
    moved = strokes(star)
    by = moved[0].points[:, :2] - before[0].points[:, :2]
    assert np.abs(by[:, 0]).max() < 0.01 and np.abs(by[:, 1] - 0.1).max() < 0.01
    assert len(moved) == 6 and all(a != b for a, b in zip(moved, before, strict=True))
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Right)
    QTest.keyClick(canvas, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    nudged = strokes(star)
    by = nudged[0].points[:, :2] - moved[0].points[:, :2]
    assert np.abs(by - (1 / 320, -10 / 240)).max() < 1e-5  # the photo is 320 by 240, and shown cropped
    star.studio.undo()
    star.studio.undo()
    if strokes(star) != before:
        star.studio.undo()
    assert strokes(star) == before
    QTest.mouseClick(canvas, RIGHT, pos=on_plate(star, 0.7, 0.5).toPoint())
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    assert strokes(star) == ()
    assert star.studio.step is not None and star.studio.step.kind == "hand"  # the stroke went, not the step
    QTest.mouseClick(canvas, RIGHT, pos=on_plate(star, 0.7, 0.5).toPoint())  # nothing lies there
    assert star.hand.brush.chosen == ""


def test_strokes_fade_when_the_hand_rests_and_a_key_hides_them(bench: Window) -> None:
    add(bench, "isolate")
    canvas = bench.bench.plate_view.canvas
    hand = canvas.hands.strokes
    bench.studio.set_params(bench.studio.step_uid, "set", how="strokes", strokes=())
    bench.hand.set(tag="remove")
    settle(bench)
    drag(canvas, on_plate(bench, 0.3, 0.3), on_plate(bench, 0.6, 0.3))
    settle(bench)
    hand.fading.setCurrentTime(0)
    plain = canvas.grab().toImage()
    hand.fading.setCurrentTime(hand.fading.duration())
    faint = canvas.grab().toImage()
    assert hand.plain == pytest.approx(0.45) and plain != faint
    QTest.keyClick(bench, Qt.Key.Key_D)
    hidden = canvas.grab().toImage()
    assert hidden not in (plain, faint) and not bench.looks.bench.overlays.strokes
    spot = on_plate(bench, 0.45, 0.3).toPoint() * canvas.devicePixelRatioF()

    def away(image: object) -> int:
        a, b = (i.pixelColor(spot) for i in (image, hidden))  # type: ignore[attr-defined]
        return sum(abs(x - y) for x, y in zip(a.getRgb(), b.getRgb(), strict=True))  # type: ignore[arg-type]

    assert away(plain) > 1.5 * away(faint) > 0
    QTest.keyClick(bench, Qt.Key.Key_D)
    assert canvas.grab().toImage() == faint


def test_the_first_stroke_of_a_new_step_says_its_first_word(bench: Window) -> None:
    add(bench, "isolate")
    bench.studio.set_params(bench.studio.step_uid, "set", how="strokes")
    settle(bench)
    QTest.keyClick(bench, Qt.Key.Key_M)
    (box,) = (e for e in bench.bench.settings.editors if isinstance(e, BrushBox))
    assert box.buttons["remove"].isChecked()
    bench.studio.add_step("isolate")
    settle(bench)
    bench.studio.set_params(bench.studio.step_uid, "set", how="strokes")
    settle(bench)
    drag(bench.bench.plate_view.canvas, QPointF(on_plate(bench, 0.4, 0.4)), on_plate(bench, 0.5, 0.4))
    assert [s.tag for s in strokes(bench)][-1:] == ["keep"]
