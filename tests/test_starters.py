"""Starters: each is ready for its destination from the first moment; its picture and the board are of today."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from conftest import settle
from engraver.app.views.start_board import WAYS, StartBoard, StartSheet, Way
from engraver.app.window import Window
from engraver.cli.main import main
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.files.names import file_stem
from engraver.core.readiness import Measured, shipped
from engraver.core.readiness.export import delivered, orders_for
from engraver.core.readiness.measure import gauges, measure
from engraver.core.recipe import Project
from engraver.core.starters import STARTERS
from engraver.core.steps import kind_of
from engraver.demo.starter_pictures import FOLDER, picture_of


@pytest.mark.parametrize("id", STARTERS)
def test_a_starter_is_ready_for_what_it_is_for(id: str) -> None:
    one, sources = STARTERS[id], SourceStore(limit=0)
    project, plate = one.added_to(Project())
    raster = Engine(sources).evaluate(resolve(project, plate, sources), Request(exact=True)).raster
    to = shipped()[one.ready_for]
    (order,) = orders_for((to,), file_stem(one.name), (raster.width, raster.height), lambda _: Path())
    found = gauges(Measured.delivered(delivered(raster, order)))
    assert not [(g.name, g.value, g.verdict) for g in found if g.verdict in ("look", "fault")]
    assert project.plate(plate).ready_for == one.ready_for and (one.tiles or not any(raster.wrap))
    drawn = cv2.imdecode(np.frombuffer(picture_of(one), np.uint8), cv2.IMREAD_COLOR)
    kept = cv2.imread(str(FOLDER / f"{id}.png"), cv2.IMREAD_COLOR)
    assert drawn is not None and kept is not None, "run ./dev docs"
    assert np.abs(drawn.astype(float) - kept.astype(float)).mean() < 2, "run ./dev docs"


def test_every_picture_of_the_board_is_there() -> None:
    wanted = {*STARTERS, *(way.picture for way in WAYS if way.picture)}
    assert wanted == {path.stem for path in FOLDER.glob("*.png")}


def test_from_an_empty_window_to_a_rivet_by_keys(window: Window) -> None:
    """Typing and Enter: four letters and a key, and every gauge is good."""
    board = window.findChild(StartBoard)
    assert isinstance(board, StartBoard) and board.isVisible()
    QTest.keyClicks(board.field, "slot")
    assert board.list.currentItem().text() == "Slot"
    QTest.keyClick(board.field, Qt.Key.Key_Down)
    board.field.clear()
    QTest.keyClicks(board.field, "domed")
    QTest.keyClick(board.field, Qt.Key.Key_Return)
    settle(window)
    studio = window.studio
    assert studio.plate is not None and studio.plate.name == "Domed rivet" and not board.isVisible()
    assert studio.step is not None and studio.step.kind == "shapes" and studio.history.undo_label is not None
    studio.undo()
    assert not studio.project.plates  # one gesture, one entry


def test_the_sheet_starts_what_is_pressed(window: Window) -> None:
    sheet = StartSheet(window.ui, window)
    sheet.board.field.setText("nothing of the kind")
    assert sheet.board.list.count() == 0 and "Nothing" in sheet.board.words.text()
    sheet.board.start()
    for text, kind in (("lettering", "lettering"), ("weave", "pattern"), ("text", "lettering")):
        sheet.board.field.setText(text)
        sheet.board.start()
        settle(window)
        assert window.studio.step is not None and window.studio.step.kind == kind, text
    assert window.studio.plate is not None and window.studio.plate.name.startswith("Lettering")


@pytest.mark.parametrize("way", [way for way in WAYS if way.step], ids=lambda way: way.id)
def test_what_is_begun_from_nothing_fits_what_it_is_made_for(window: Window, way: Way) -> None:
    sheet = StartSheet(window.ui, window)
    sheet.board.field.setText(way.name)
    sheet.board.start()
    settle(window)
    studio = window.studio
    assert studio.plate is not None and studio.plate.ready_for == kind_of(way.step).made_for
    line = resolve(studio.project, studio.plate.id, studio.sources)
    raster = Engine(studio.sources).evaluate(line, Request(exact=True)).raster
    to = studio.destination_of(studio.plate)
    found = {gauge.id: gauge.verdict for gauge in measure(raster.pixels, to, raster.wrap)}
    assert "fault" not in [found.get(id) for id in ("border", "seam", "lift", "evenness")], found
    assert all(raster.wrap) == (to.tiling == "both")


def test_starters_from_the_terminal(tmp_path: Path) -> None:
    listed = CliRunner().invoke(main, ["starters"])
    assert listed.exit_code == 0 and "ringed-rivet" in listed.output
    out = tmp_path / "disc.png"
    made = CliRunner().invoke(main, ["make", "--start", "hard-disc", "--side", "512", "-o", str(out)])
    assert made.exit_code == 0
    tones = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)
    assert tones[256, 7] == 0 and tones[256, 20] == 65535 and tones[0].max() == 0
    for wrong in (["--start", "nosuch"], ["--start", "slot", "--blank", "64"]):
        assert CliRunner().invoke(main, ["make", *wrong, "-o", str(tmp_path / "x.png")]).exit_code == 2
