"""What is done while several plates are chosen is done for all of them, as one step back."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from at_cabinet import rest
from conftest import settle
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def drawings(window: Window, tmp_path: Path) -> Window:
    """Three dropped drawings, all chosen, the last in the hand."""
    paths = []
    for n in range(3):
        page = np.full((200, 240), 235, np.uint8)
        cv2.circle(page, (110 + 5 * n, 100), 50 + 6 * n, 30, 6)
        cv2.imwrite(str(tmp_path / f"knot-{n}.png"), page)
        paths.append(tmp_path / f"knot-{n}.png")
    window.filing.open_paths(paths)
    settle(window)
    item = window.bench.tray.items[window.studio.plate_id or ""]
    QTest.keyClick(item, Qt.Key.Key_A, CTRL)
    assert len(window.besides.all) == 3
    return window


def test_all_that_are_chosen_are_read_as_something_else_and_made_ready(drawings: Window) -> None:
    studio = drawings.studio
    before = studio.project
    menu = drawings.bench.line.read_as_menu()
    next(a for a in menu.actions() if a.text().startswith("Marks")).trigger()
    settle(drawings)
    assert {p.read_as for p in studio.project.plates} == {"tip"}
    assert {p.ready_for for p in studio.project.plates} == {"paint-tip"}
    studio.undo()
    assert studio.project == before
    box = drawings.bench.readiness.destination
    place = box.findData("layer-mask")
    box.setFocus()
    box.setCurrentIndex(place)
    box.activated.emit(place)
    assert {p.ready_for for p in studio.project.plates} == {
        "layer-mask"
    } and "3 chosen plates" in drawings.notice.text()
    studio.undo()
    assert studio.project == before


def test_all_that_are_chosen_are_kept_and_the_one_that_cannot_be_is_told(drawings: Window) -> None:
    studio = drawings.studio
    studio.choose_plate(studio.project.plates[1].id)
    studio.add_step("lettering")
    step = next(s for s in studio.steps if s.kind == "lettering")
    studio.set_params(step.uid, text="漢")  # the font that ships has no such letter
    drawings.besides.choose(p.id for p in studio.project.plates)
    said: list[str] = []
    studio.told.connect(lambda words, _: said.append(words))
    QTest.keyClick(drawings, Qt.Key.Key_B, CTRL)
    rest(drawings)
    assert "Kept in the cabinet: 2 plates." in said and any("漢" in words for words in said), said
    with Cabinet(drawings.places.cabinet) as cabinet:
        assert sorted(e.name for e in cabinet.find()) == ["Knot 0", "Knot 2"]
