"""Building by mouse and keys: shapes, ways, words, copies and placed plates on the plate itself."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QFont, QFontDatabase, QImage, QPainter, QPainterPath
from PySide6.QtTest import QTest

from conftest import LEFT, drag, settle
from engraver.app.beginnings import begin_with
from engraver.app.editors.framed import FRAMED, Ground
from engraver.app.editors.lettering_box import LetteringBox
from engraver.app.editors.rows import WordsRow
from engraver.app.editors.shapes_box import ShapesBox
from engraver.app.views.plate_canvas import PlateCanvas
from engraver.app.window import Window
from engraver.core.engine import Request, resolve
from engraver.core.errors import BadValue
from engraver.core.numeric import outlined
from engraver.core.recipe import Project, Step, edits
from engraver.core.shapes import lettering
from engraver.core.shapes.font import SHIPPED, FontFile
from engraver.core.shapes.lettering import Text
from engraver.core.starters import STARTERS
from engraver.core.steps import kind_of

FULL = 1024


def started(window: Window, kind: str) -> PlateCanvas:
    begin_with(window.studio, kind.title(), kind)
    settle(window)
    return window.bench.plate_view.canvas


def at(canvas: PlateCanvas, x: float, y: float) -> QPointF:
    """A pixel of the plate on the screen."""
    return canvas.to_screen(QPointF(x / FULL, y / FULL))


def box_of(window: Window) -> ShapesBox:
    box = window.findChild(ShapesBox)
    assert isinstance(box, ShapesBox)
    return box


def items(window: Window) -> tuple:  # type: ignore[type-arg]
    assert window.studio.step is not None
    return window.studio.step.params.items  # type: ignore[attr-defined, no-any-return]


def test_a_shape_is_added_moved_sized_and_turned_by_hand(window: Window) -> None:
    canvas = started(window, "shapes")
    box = box_of(window)
    assert box.none.isVisible() and not box.list.isVisible()  # a word, not an empty field
    QTest.mouseClick(box.palette_.buttons["rectangle"], LEFT)
    settle(window)
    assert box.list.isVisible() and not box.none.isVisible()
    (shape,) = items(window)
    assert (shape.x, shape.width) == (0.5, 0.4) and window.items.chosen == (0,)
    entries = window.studio.history.place
    drag(canvas, at(canvas, 512, 512), at(canvas, 340, 340))
    settle(window)
    (moved,) = items(window)
    assert moved.y == pytest.approx(1 / 3, abs=1e-6)  # held at a third
    assert moved.x == pytest.approx(340 / FULL, abs=0.004) and window.studio.history.place == entries + 1
    right, middle = moved.x * FULL + 0.2 * FULL, moved.y * FULL
    drag(canvas, at(canvas, right, middle), at(canvas, 700, middle))
    settle(window)
    (wide,) = items(window)
    left = moved.x * FULL - 0.2 * FULL
    assert wide.width * FULL == pytest.approx(700 - left, abs=4)
    assert wide.x * FULL - wide.width * FULL / 2 == pytest.approx(left, abs=1e-3)  # the side across stays
    assert (wide.height, wide.y) == (moved.height, moved.y)
    top = wide.y * FULL - wide.height * FULL / 2
    grip = canvas.to_screen(QPointF(wide.x, top / FULL)) - QPointF(0, 20)
    drag(canvas, grip, canvas.to_screen(QPointF(wide.x, wide.y)) + QPointF(80, 0))
    settle(window)
    assert items(window)[0].turn == 90.0
    box_of(window).rows["width"].edited.emit(0.25)  # type: ignore[attr-defined]
    settle(window)
    assert items(window)[0].width == 0.25
    for _ in range(4):
        window.studio.undo()
    assert items(window) == (shape,)


def test_keys_move_and_remove_the_chosen_shape_not_the_step(window: Window) -> None:
    canvas = started(window, "shapes")
    QTest.mouseClick(box_of(window).palette_.buttons["disc"], LEFT)
    settle(window)
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Left)
    QTest.keyClick(canvas, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    settle(window)
    assert items(window)[0].x * FULL == pytest.approx(511) and items(window)[0].y * FULL == pytest.approx(522)
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    settle(window)
    assert items(window) == () and len(window.studio.steps) == 1
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Delete)  # nothing is chosen: the key is the step's again
    settle(window)
    assert not window.studio.steps


def test_several_are_chosen_lined_up_and_laid_in_another_order(window: Window) -> None:
    canvas = started(window, "shapes")
    for kind in ("disc", "square", "star"):
        QTest.mouseClick(box_of(window).palette_.buttons[kind], LEFT)
        settle(window)
    window.items.choose(0)
    settle(window)
    drag(canvas, at(canvas, 360, 512), at(canvas, 260, 300))
    settle(window)
    QTest.mouseClick(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, at(canvas, 594, 594).toPoint())
    settle(window)
    assert len(window.items.chosen) == 2
    box = box_of(window)
    assert not box.align.isHidden() and not box.align.buttons["spread-x"].isEnabled()
    QTest.mouseClick(box.align.buttons["centre"], LEFT)
    settle(window)
    chosen = [items(window)[n] for n in window.items.chosen]
    assert chosen[0].y == pytest.approx(chosen[1].y)
    before = items(window)
    box.list.model().moveRow(box.list.model().index(0, 0).parent(), 0, box.list.model().index(0, 0).parent(), 3)
    settle(window)
    assert [s.kind for s in items(window)] == [before[1].kind, before[2].kind, before[0].kind]


def test_a_drawn_way_gets_and_loses_places(window: Window) -> None:
    canvas = started(window, "shapes")
    QTest.mouseClick(box_of(window).palette_.buttons["path"], LEFT)
    settle(window)
    first = items(window)[0].points
    spots = FRAMED["shapes"].way(window.studio.step.params, 0, Ground((FULL, FULL)))  # type: ignore[union-attr]
    drag(canvas, at(canvas, *spots["place", 1]), at(canvas, 450, 300))
    settle(window)
    spots = FRAMED["shapes"].way(window.studio.step.params, 0, Ground((FULL, FULL)))  # type: ignore[union-attr]
    assert spots["place", 1] == pytest.approx((450, 300), abs=3)
    QTest.mouseDClick(canvas, LEFT, pos=at(canvas, 520, 520).toPoint())
    settle(window)
    assert len(items(window)[0].points) == len(first) + 1
    assert canvas._offer(at(canvas, *spots["place", 0]))
    window.studio.undo()
    assert len(items(window)[0].points) == len(first)


def test_an_svg_is_brought_in_and_a_broken_one_is_told(window: Window, tmp_path: Path) -> None:
    started(window, "shapes")
    good, bad = tmp_path / "a.svg", tmp_path / "b.svg"
    good.write_text("<svg xmlns='http://www.w3.org/2000/svg'><path d='M0 0h20v10h-20z'/></svg>")
    bad.write_text("<svg")
    told: list[str] = []
    window.studio.told.connect(lambda words, _: told.append(words))
    box_of(window).bring_in(bad)
    settle(window)
    assert items(window) == () and "b.svg cannot be read" in told[-1]
    box_of(window).bring_in(good)
    settle(window)
    assert items(window)[0].kind == "outline" and items(window)[0].width == pytest.approx(0.6)


# -- words ---------------------------------------------------------------------------------


def test_letters_are_shaped_as_another_program_does_it() -> None:
    """Qt's own rasteriser and shaper, with kerning: the same pixels within 1 %."""
    QFontDatabase.addApplicationFont(str(SHIPPED))
    font, size = QFont("Inter"), 80
    font.setWeight(QFont.Weight.DemiBold)
    font.setPixelSize(size)
    for words in ("AVATAR", "Quay & Wharf", "To: Yo!"):
        path = QPainterPath()
        path.addText(0, 0, font, words)
        box = path.boundingRect()
        width, height = int(box.width()) + 20, int(box.height()) + 20
        image = QImage(width, height, QImage.Format.Format_Grayscale8)
        image.fill(0)
        painter = QPainter(image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(width / 2 - box.center().x(), height / 2 - box.center().y())
        path.setFillRule(Qt.FillRule.WindingFill)
        painter.fillPath(path, Qt.GlobalColor.white)
        painter.end()
        theirs = np.frombuffer(image.constBits(), np.uint8).reshape(height, image.bytesPerLine())[:, :width] / 255
        outline = [p * size + (width / 2, height / 2) for p in lettering.outlines(Text(words))]
        ours = outlined.coverage(tuple(outline), outlined.Box(0, 0, width, height))
        assert (np.abs(ours - theirs) > 0.15).mean() < 0.01, words
        assert ours.sum() == pytest.approx(theirs.sum(), rel=0.01)


def test_lines_spacing_and_arcs_are_where_they_should_be() -> None:
    def size(**more: object) -> tuple[float, float]:
        made = np.concatenate(lettering.outlines(Text("HHHH", **more)))  # type: ignore[arg-type]
        return tuple(np.ptp(made, axis=0))  # type: ignore[return-value]

    wide, tall = size()
    assert size(spacing=0.5)[0] == pytest.approx(wide + 3 * 0.5, abs=1e-6)
    two = np.concatenate(lettering.outlines(Text("HH\nHH", leading=1.5)))
    assert np.ptp(two[:, 1]) == pytest.approx(tall + 1.5, abs=1e-6)
    # Half a circle: the feet of the first and last letter lie on its ends, its top a radius above.
    half = size(bend=180.0)
    assert half[0] == pytest.approx(2 * (wide / np.pi + tall), rel=0.1) and half[1] > wide / np.pi
    assert lettering.outlines(Text(" \n ")) == ()


def test_a_font_that_is_none_and_a_letter_that_is_missing_are_told(window: Window, tmp_path: Path) -> None:
    (tmp_path / "x.ttf").write_bytes(b"no font at all")
    (tmp_path / "y.otf").write_bytes(SHIPPED.read_bytes()[:3000])
    with pytest.raises(BadValue, match=r"x\.ttf cannot be used"):
        FontFile.read(tmp_path / "x.ttf")
    with pytest.raises(BadValue, match=r"holds no letters|cannot be used|has no letter"):
        lettering.outlines(Text("A", FontFile.read(tmp_path / "y.otf")))
    with pytest.raises(BadValue, match="has no letter '鯨'"):
        lettering.outlines(Text("a鯨"))
    canvas = started(window, "lettering")
    row = window.findChild(WordsRow)
    assert isinstance(row, WordsRow)
    row.field.setPlainText("SALT\nMARSH")
    settle(window)
    assert window.studio.step.params.text == "SALT\nMARSH"  # type: ignore[union-attr]
    drag(canvas, at(canvas, 512, 512), at(canvas, 400, 512))
    settle(window)
    assert window.studio.step.params.x == pytest.approx(400 / FULL, abs=0.004)  # type: ignore[union-attr]
    box = window.findChild(LetteringBox)
    assert isinstance(box, LetteringBox)
    box.bring_in(SHIPPED)
    settle(window)
    assert window.studio.step.params.font.name == SHIPPED.name  # type: ignore[union-attr]


def test_words_become_outlines_that_look_the_same(window: Window) -> None:
    started(window, "lettering")
    step = window.studio.step
    assert step is not None
    window.studio.set_params(step.uid, text="Quay", turn=20.0, border="round", border_width=0.01, level=0.7)
    window.studio.set_params(step.uid, bend=40.0)
    settle(window)
    before = window.pictures.full.result.raster.flat()  # type: ignore[union-attr]
    box = window.findChild(LetteringBox)
    assert isinstance(box, LetteringBox)
    QTest.mouseClick(box.convert, LEFT)
    settle(window)
    assert [s.kind for s in window.studio.steps] == ["shapes"] and items(window)[0].kind == "outline"
    after = window.pictures.full.result.raster.flat()  # type: ignore[union-attr]
    assert np.abs(after - before).max() < 0.01 and before.max() > 0.6
    window.studio.undo()
    assert [s.kind for s in window.studio.steps] == ["lettering"]


def test_long_words_fit_the_plate_and_keep_the_size_that_was_asked_for(window: Window) -> None:
    canvas = started(window, "lettering")
    box = window.findChild(LetteringBox)
    assert isinstance(box, LetteringBox)

    def drawn() -> np.ndarray:
        settle(window)
        return np.flatnonzero(window.pictures.full.result.raster.flat().max(axis=0) > 0.5)  # type: ignore[union-attr]

    def size() -> float:
        return window.studio.step.params.size  # type: ignore[union-attr, attr-defined, no-any-return]

    step = window.studio.step
    assert step is not None
    window.studio.set_params(step.uid, text="SALTMARROW ROPE WALK")
    ink = drawn()
    assert ink[0] == pytest.approx(FULL / 32, abs=2) and ink[-1] == pytest.approx(FULL - FULL / 32, abs=2)
    asked = size()
    drag(canvas, at(canvas, 512, 512), at(canvas, 512, 300))
    assert len(drawn()) and size() == asked
    window.studio.set_params(step.uid, text="ROPE")
    short = drawn()
    window.studio.undo()
    frame = FRAMED["lettering"].frame(window.studio.step.params, 0, Ground((FULL, FULL)))  # type: ignore[union-attr]
    corner = frame.x + frame.half_width, frame.y + frame.half_height
    drag(canvas, at(canvas, *corner), at(canvas, frame.x, frame.y))
    assert size() < asked / 2 and np.ptp(drawn()) == pytest.approx(np.ptp(ink) / 2, rel=0.03)
    older = kind_of("lettering").migrate(1, {"text": "SALTMARROW ROPE WALK"})
    window.studio.set_params(step.uid, size=asked, **older)
    assert drawn()[0] == 0 and np.ptp(short) > 400  # as it was drawn before


# -- copies and placed plates --------------------------------------------------------------


def test_one_copy_is_grabbed_and_another_taken_out(window: Window) -> None:
    canvas = started(window, "scatter")
    step = window.studio.step
    assert step is not None
    window.studio.set_params(step.uid, count=40, size=0.08, least=0.1)
    settle(window)
    on = canvas.hands.frames._ground(window.studio.step, (FULL, FULL))  # type: ignore[arg-type]
    spot = FRAMED["scatter"].frame(window.studio.step.params, 4, on)  # type: ignore[union-attr]
    other = FRAMED["scatter"].frame(window.studio.step.params, 9, on)  # type: ignore[union-attr]
    drag(canvas, at(canvas, spot.x, spot.y), at(canvas, 512, 512))
    settle(window)
    assert window.studio.step.params.moved == ((4.0, 0.5, 0.5),)  # type: ignore[union-attr]
    QTest.mouseClick(canvas, LEFT, pos=at(canvas, other.x, other.y).toPoint())
    canvas.setFocus()
    QTest.keyClick(canvas, Qt.Key.Key_Delete)
    settle(window)
    assert window.studio.step.params.moved == ((4.0, 0.5, 0.5), (9.0,))  # type: ignore[union-attr]


def test_a_chain_of_placed_plates_follows_its_first_and_a_circle_is_refused(window: Window) -> None:
    project, before, ids = Project(), "", []
    for n in range(5):
        project, plate = STARTERS["rivet"].added_to(project)
        if n:
            project = edits.insert_step(project, plate, Step.make("place", plate=before, width=0.5, meets="over"), 1)
        ids.append(plate)
        before = plate
    studio = window.studio
    studio.edit(project, "A chain")
    settle(window)

    def last() -> np.ndarray:
        line = resolve(studio.project, ids[-1], studio.sources)
        return studio.engine.evaluate(line, Request(side=256)).raster.pixels

    was = last()
    first = studio.project.line(ids[0])[0]
    studio.choose_plate(ids[0])
    settle(window)
    studio.set_params(first.uid, amount=0.2)
    settle(window)
    assert np.abs(last() - was).max() > 0.1
    studio.undo()
    assert np.abs(last() - was).max() < 1e-6
    told: list[str] = []
    studio.told.connect(lambda words, _: told.append(words))
    studio.attempt(lambda: studio.edit(
        edits.insert_step(studio.project, ids[0], Step.make("place", plate=ids[-1]), 1), "A circle"
    ))  # fmt: skip
    assert "circle" in told[-1] and "→" in told[-1] and len(studio.project.line(ids[0])) == 1


def test_a_removed_plate_stays_as_a_picture_for_those_that_follow_it(window: Window) -> None:
    studio = window.studio
    project, crest = STARTERS["crest"].added_to(Project())
    project, board = STARTERS["slot"].added_to(project)
    project = edits.insert_step(project, board, Step.make("place", plate=crest, width=0.5, meets="over"), 1)
    studio.edit(project, "Two plates")
    settle(window)

    def looks() -> np.ndarray:
        line = resolve(studio.project, board, studio.sources)
        return studio.engine.evaluate(line, Request(exact=True)).raster.flat()

    before, told = looks(), []
    studio.told.connect(lambda words, _: told.append(words))
    studio.choose_plate(crest)
    settle(window)
    window.commands["remove-plate"].run()
    settle(window)
    assert [p.name for p in studio.project.plates] == ["Slot", "Crest, as it was"] and "as it was" in told[-1]
    assert np.abs(looks() - before).max() < 2e-5
    studio.undo()  # one entry
    assert {p.name for p in studio.project.plates} == {"Crest", "Slot"} and np.abs(looks() - before).max() < 1e-6
    studio.choose_plate(board)
    place = studio.project.line(board)[1].uid
    studio.choose_step(place)
    settle(window)
    row = window.bench.settings.rows["plate"]
    QTest.mouseClick(row.take, LEFT)  # type: ignore[attr-defined]
    settle(window)
    assert studio.step is not None and studio.step.params.plate != crest  # type: ignore[attr-defined]
    studio.choose_plate(crest)
    studio.set_params(studio.project.line(crest)[0].uid, amount=0.1)
    assert np.abs(looks() - before).max() < 2e-5  # its later changes are not followed


def test_a_plate_dropped_on_another_lands_there(window: Window) -> None:
    studio = window.studio
    project, crest = STARTERS["crest"].added_to(Project())
    project, board = STARTERS["slot"].added_to(project)
    studio.edit(project, "Two plates")
    studio.choose_plate(board)
    settle(window)
    canvas = window.bench.plate_view.canvas
    spot = canvas.mapTo(window, at(canvas, 300, 700).toPoint())
    assert window.bench.put_on(crest, spot) and studio.step is not None and studio.step.kind == "place"
    settle(window)
    params = studio.step.params
    assert (params.plate, params.x) == (crest, pytest.approx(300 / FULL, abs=0.005))  # type: ignore[attr-defined]
    assert not window.bench.put_on(board, spot) and not window.bench.put_on(crest, QPoint(2, 2))
    line = window.bench.line
    assert window.bench.put_on(crest, line.mapTo(window, line.rect().center()))
    assert studio.step.params.x == 0.5  # type: ignore[attr-defined]
    item = window.bench.tray.items[crest]
    QTest.mousePress(item, LEFT)
    assert studio.plate_id == board  # a press alone chooses nothing yet: it may be a drag
    QTest.mouseRelease(item, LEFT)
    assert studio.plate_id == crest
