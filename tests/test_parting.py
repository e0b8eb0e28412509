"""Two places of the line beside each other on the plate, parted by a line that is pulled."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from conftest import LEFT, drag, settle
from engraver.app.window import Window
from engraver.core.engine import Engine, Line, Request, SourceStore
from engraver.core.engine.line import assemble
from engraver.core.recipe import Source, Step
from engraver.core.sources.blank import Blank
from test_hands import add

SHIFT = Qt.KeyboardModifier.ShiftModifier


def _line(store: SourceStore, *steps: Step) -> Line:
    return assemble(Source(id="b", kind="blank", name="Blank"), Blank(side=800), steps, 1, store)


@settings(max_examples=25)
@given(
    x=st.floats(0.3, 0.7), y=st.floats(0.3, 0.7), size=st.floats(0.2, 0.5), angle=st.floats(-40, 40),
    side=st.integers(64, 900),
)  # fmt: skip
def test_places_of_the_source_are_found_in_every_later_picture(
    x: float, y: float, size: float, angle: float, side: int
) -> None:
    """The crop's middle is its middle, whatever its size and turn; there and back is where one was."""
    store = SourceStore()
    crop = Step.make("crop", shape="free", x=x, y=y, width=size, height=size, angle=angle)
    line = _line(store, crop, Step.make("levels"), Step.make("size", side=side))
    engine, source, last = Engine(store), Request(upto=""), Request()
    onto = engine.between(line, source, last)
    middle = onto @ (x, y, 1.0)
    assert middle[:2] / middle[2] == pytest.approx((0.5, 0.5), abs=0.01)
    assert engine.between(line, last, source) @ onto == pytest.approx(np.eye(3), abs=1e-6)
    before = Request(upto=crop.uid, before=True)
    assert engine.between(line, source, before) == pytest.approx(np.eye(3))


def _key(window: Window, key: Qt.Key, how: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(window, key, how)
    settle(window)


def _tone(image: QImage, place: QPointF) -> float:
    return image.pixelColor(place.toPoint()).lightnessF()


def _told(window: Window, place: QPointF) -> float:
    """The tone that is told under the pointer, in per cent."""
    QTest.mouseMove(window.bench.plate_view.canvas, place.toPoint())
    return float(window.bench.plate_view.section.readout.split("  ")[2].removesuffix(" %"))


def test_the_plate_before_a_step_is_seen_left_of_a_line_that_is_pulled(bench: Window) -> None:
    canvas, parting = bench.bench.plate_view.canvas, bench.pictures.parting
    add(bench, "invert")
    spots = [canvas.to_screen(QPointF(x, 0.9)) for x in (0.25, 0.45, 0.75)]
    after, tones = canvas.grab().toImage(), [_told(bench, s) for s in spots]
    _key(bench, Qt.Key.Key_B, SHIFT)
    look = canvas.look
    assert look is not None and look.beside is not None and look.beside.onto == pytest.approx(np.eye(3))
    both = canvas.grab().toImage()
    turned = [abs(_tone(both, s) - (1 - _tone(after, s))) < 0.02 for s in spots]
    assert turned == [True, True, False] and _tone(both, spots[2]) == _tone(after, spots[2])
    assert [_told(bench, s) for s in spots] == pytest.approx([100 - tones[0], 100 - tones[1], tones[2]], abs=0.11)
    knob = canvas.parting._knob()
    drag(canvas, knob, QPointF(canvas.to_screen(QPointF(0.35, 0)).x(), knob.y() + 9))
    assert parting.share == pytest.approx(0.35, abs=0.01)
    assert _tone(canvas.grab().toImage(), spots[1]) == _tone(after, spots[1])
    QTest.keyPress(bench, Qt.Key.Key_B)
    settle(bench)
    assert canvas.look is not None and canvas.look.before and canvas.look.beside is None, "held: the whole plate"
    QTest.keyRelease(bench, Qt.Key.Key_B)
    settle(bench)
    assert _told(bench, spots[0]) == pytest.approx(100 - tones[0], abs=0.11)
    _key(bench, Qt.Key.Key_B, SHIFT)
    assert f"{tones[0]:.1f} %" in bench.bench.plate_view.section.readout, "told anew, though the pointer rests"
    assert canvas.look.beside is None and not canvas.parting.there
    assert canvas.grab().toImage() == after


def test_any_place_is_compared_with_and_never_with_itself(bench: Window) -> None:
    canvas, parting, studio = bench.bench.plate_view.canvas, bench.pictures.parting, bench.studio
    menu = next(a.menu() for a in bench.bench.plate_view.overlay_menu().actions() if a.text() == "Compare with")
    offered = [a.text() for a in menu.actions()]  # type: ignore[union-attr]
    titles = [s.title for s in studio.attempt(studio.line).steps]  # type: ignore[union-attr]
    assert offered == ["Nothing", "Before this step", "Source", *titles, "Finished plate"]
    for with_ in ("before", "", "finished", studio.steps[0].uid, "a step of another plate"):
        parting.compare(with_)
        for uid in ("", *(s.uid for s in studio.steps)):
            studio.choose_step(uid)
            settle(bench)
            look = canvas.look
            assert look is not None and look.beside is not None
            place = parting.other(look.line, look.uid, look.before)
            assert place is not None and look.line.place_of(*place) != look.line.place_of(look.uid, look.before)
            canvas.grab()
    # The source lies where the crop has put it: its middle is told by the same matrix.
    crop = next(s for s in studio.steps if s.kind == "crop")
    studio.choose_step(studio.steps[-1].uid)
    parting.compare("")
    settle(bench)
    assert canvas.look is not None and canvas.look.beside is not None
    x, y, w = canvas.look.beside.onto @ (crop.params.x, crop.params.y, 1)  # type: ignore[attr-defined]
    assert (x / w, y / w) == pytest.approx((0.5, 0.5), abs=0.02)
    assert canvas.look.beside.under(x / w, y / w) == pytest.approx((crop.params.x, crop.params.y))  # type: ignore[attr-defined]
    source, drawn = canvas.look.beside.screen.astype(float) / 255, canvas.grab().toImage()
    expected, seen = [], []
    for share in np.random.default_rng(4).uniform((0.02, 0.1), (0.47, 0.7), (300, 2)):
        x, y, w = np.linalg.inv(canvas.look.beside.onto) @ (*share, 1)
        near = source[int(y / w * len(source)), int(x / w * source.shape[1])]
        expected.append((near.max() + near.min()) / 2)
        seen.append(_tone(drawn, canvas.to_screen(QPointF(*share))))
    assert np.corrcoef(expected, seen)[0, 1] > 0.95
    parting.compare(None)
    QTest.mouseMove(canvas, canvas.to_screen(QPointF(0.5, 0.5)).toPoint())
    drag(canvas, canvas.to_screen(QPointF(0.5, 0.1)), canvas.to_screen(QPointF(0.4, 0.1)), LEFT)
    assert parting.share == 0.5, "a line that is not there is not pulled"
    settle(bench)
