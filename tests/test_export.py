"""Exports by mouse and keys: several destinations, again, copied, dragged; trouble half-way; the editor; paper."""

from __future__ import annotations

import errno
import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog

from conftest import FIRST_SIDE, LEFT, in_dialog, offered, settle
from engraver.app.beginnings import offer_destinations
from engraver.app.views.destination_sheet import DestinationSheet
from engraver.app.views.export_sheet import ExportSheet
from engraver.app.window import Window
from engraver.core.errors import BadValue, FileTrouble
from engraver.core.files import atomic
from engraver.core.raster import Raster
from engraver.core.readiness import destination
from engraver.core.readiness.export import Order, clashes, free_stem, write_orders
from engraver.core.readiness.kinds import Zone
from engraver.core.recipe import edits


def orders(folder: Path, *ids: str) -> list[Order]:
    return [Order(destination(id), folder, f"dome-{id}") for id in ids]


def dome() -> Raster:
    y, x = np.mgrid[-1:1:256j, -1:1:256j]
    return Raster.of(np.clip(1 - np.hypot(x, y) * 1.2, 0, 1).astype(np.float32))


def test_a_disk_that_fills_up_half_way_is_told_and_leaves_nothing_half_written(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real, count = atomic.os.fsync, [0]

    def full(handle: int) -> None:
        count[0] += 1
        if count[0] == 5:  # each file is flushed, then its folder
            raise OSError(errno.ENOSPC, "No space left on device")
        real(handle)

    monkeypatch.setattr(atomic.os, "fsync", full)
    wanted = orders(tmp_path, "sculpt-stamp", "terrain-stamp", "paint-tip", "layer-mask")
    with pytest.raises(FileTrouble, match="disk is full; already written: ") as told:
        write_orders(dome(), wanted, overwrite=False)
    assert "dome-sculpt-stamp.png, dome-terrain-stamp.png" in told.value.sentence()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["dome-sculpt-stamp.png", "dome-terrain-stamp.png"]


def test_a_folder_that_vanishes_is_told(tmp_path: Path) -> None:
    gone = Order(destination("paint-tip"), tmp_path / "gone", "dome")
    with pytest.raises(FileTrouble, match=r"not there; already written: dome-layer-mask\.png"):
        write_orders(dome(), [*orders(tmp_path, "layer-mask"), gone], overwrite=False)
    assert [p.name for p in tmp_path.iterdir()] == ["dome-layer-mask.png"]


def test_clashing_names_are_found_and_a_free_one_is_offered(tmp_path: Path) -> None:
    same = [Order(destination(id), tmp_path, "dome") for id in ("sculpt-stamp", "terrain-stamp", "terrain-grid")]
    assert clashes(same) == [tmp_path / "dome.png"]
    (tmp_path / "dome.txt").write_text("old")
    assert free_stem(lambda stem: [Order(destination("terrain-grid"), tmp_path, stem)], "dome") == "dome-2"


@pytest.mark.as_shipped
def test_several_destinations_are_written_at_once_and_again(bench: Window, tmp_path: Path) -> None:
    out = tmp_path / "out"
    out.mkdir()

    def fill(sheet: QDialog) -> None:
        assert isinstance(sheet, ExportSheet)
        for id in ("terrain-grid", "paint-tip"):
            QTest.mouseClick(sheet.lines[id].tick, LEFT, pos=sheet.lines[id].tick.rect().center())
            sheet.lines[id].tick.setChecked(True)
        settle(bench)
        assert "brought to 1025" in sheet.lines["terrain-grid"].words.text()
        assert (
            "good" in sheet.lines["terrain-grid"].verdict.text() and "good" in sheet.lines["paint-tip"].verdict.text()
        )
        sheet.folder.setText(str(out))
        sheet.author.setText("A. Quay")
        sheet.go.click()

    in_dialog(ExportSheet, fill)
    bench.bench.deliveries.export()
    settle(bench)
    names = {"cork-float-sculpt-stamp.png", "cork-float-paint-tip.png", "cork-float.raw", "cork-float.txt"}
    assert {p.name for p in out.iterdir()} == names
    assert "4 files" in bench.notice.text() and "Give the importing program" in bench.notice.text()
    tip = cv2.imread(str(out / "cork-float-paint-tip.png"), cv2.IMREAD_UNCHANGED)
    assert tip.dtype == np.uint8 and tip[0, 0] == 255 and (out / "cork-float.raw").stat().st_size == 2 * 1025**2
    before = {p.name: p.read_bytes() for p in out.iterdir()}
    uid = next(s.uid for s in bench.studio.steps if s.kind == "levels")
    bench.studio.set_params(uid, find="held", black=0.1, white=0.5)
    settle(bench)
    bench.run(bench.commands["export-again"])
    settle(bench)
    assert {p.name for p in out.iterdir()} == names
    assert (out / "cork-float-paint-tip.png").read_bytes() != before["cork-float-paint-tip.png"]
    assert (out / "cork-float.txt").exists()


def test_the_picture_is_copied_and_dragged_as_it_would_be_delivered(bench: Window) -> None:
    bench.run(bench.commands["copy"])
    image = QGuiApplication.clipboard().image()
    assert (image.width(), image.height()) == (FIRST_SIDE, FIRST_SIDE) and "Copied" in bench.notice.text()
    plate = bench.studio.plate
    assert plate is not None
    item, dragged = bench.bench.tray.items[plate.id], []
    item.start_drag = dragged.append  # type: ignore[method-assign]
    QTest.mousePress(item, LEFT, pos=QPoint(20, 20))
    QTest.mouseMove(item, QPoint(260, 60))  # out of the tray
    assert not dragged  # nothing is computed while the pointer moves
    settle(bench)
    QTest.mouseRelease(item, LEFT, pos=QPoint(260, 60))
    (path,) = dragged[0]
    stored = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    assert path.name == "cork-float.png" and stored.dtype == np.uint16 and stored[0].max() == 0
    bench.exports.end()
    assert not path.exists()


def test_what_is_asked_for_too_early_goes_on_once_the_plate_is_measured(bench: Window, tmp_path: Path) -> None:
    (tmp_path / "cork-float.png").write_bytes(b"mine")
    bench.files.remember("finished", tmp_path)
    levels = next(s.uid for s in bench.studio.steps if s.kind == "levels")
    seen: list[tuple[str, bool]] = []

    def press_enter_twice(sheet: QDialog) -> None:
        assert isinstance(sheet, ExportSheet)
        for _ in range(2):  # a free name, then Export
            seen.append((sheet.name.text(), sheet.go.isEnabled()))
            QTest.keyClick(sheet.focusWidget(), Qt.Key.Key_Return)

    in_dialog(ExportSheet, press_enter_twice)
    bench.studio.set_params(levels, find="held", black=0.1, white=0.5)
    QTest.keyClick(bench, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert not seen
    settle(bench)
    assert seen == [("cork-float", False), ("cork-float-2", True)]
    assert (tmp_path / "cork-float.png").read_bytes() == b"mine"
    written = cv2.imread(str(tmp_path / "cork-float-2.png"), cv2.IMREAD_UNCHANGED)
    full = bench.pictures.full
    assert full is not None
    assert np.abs(written - np.clip(full.result.raster.flat(), 0, 1) * 65535.0).max() < 0.51

    QGuiApplication.clipboard().setText("kept")
    bench.studio.set_params(levels, find="held", black=0.2, white=0.5)
    bench.run(bench.commands["copy"])
    bench.run(bench.commands["duplicate"])  # the artist has turned to another plate
    settle(bench)
    assert bench.pictures.full is not None and QGuiApplication.clipboard().text() == "kept"


def test_what_waits_in_vain_is_told(bench: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*_: object) -> None:
        raise BadValue("This step cannot", "the test says so", "Take it out")

    monkeypatch.setattr("engraver.app.pictures.measure_full", fails)
    said: list[str] = []
    bench.studio.told.connect(lambda words, _: said.append(words))
    levels = next(s.uid for s in bench.studio.steps if s.kind == "levels")
    bench.studio.set_params(levels, find="held", black=0.1, white=0.5)
    bench.run(bench.commands["copy"])
    settle(bench)
    bench.run(bench.commands["copy"])  # nothing is under way any more
    assert bench.busy
    settle(bench)
    assert not bench.measured.waiting and said[-1] == "The plate cannot be finished: one of its steps fails."


def test_a_destination_is_copied_changed_and_used(bench: Window) -> None:
    told: list[str] = []

    def edit(sheet: QDialog) -> None:
        assert isinstance(sheet, DestinationSheet)
        rules = sheet.rules
        assert rules.texts["name"].isReadOnly() and not rules.choices["zero"].isEnabled()
        assert not sheet.save.isEnabled()
        sheet.copy.click()
        rules.texts["name"].clear()
        QTest.keyClicks(rules.texts["name"], "Rope stamps")
        rules.texts["largest"].setText("12")
        sheet.save.click()
        told.append(sheet.words.text())
        sheet.list.setCurrentRow(2)  # what cannot be kept is not left behind
        assert sheet.chosen().id == "my-sculpt-stamp" and rules.texts["name"].text() == "Rope stamps"
        rules.texts["largest"].setText("2048")
        rules.choices["depth"].setCurrentIndex(0)
        rules.choices["twin"].setCurrentIndex(rules.choices["twin"].findData("tiff 16"))
        rules.texts["dpi"].setText("150")
        rules.folder.setText("/tmp")
        sheet.tabs.button(1).click()
        lift, noise = sheet.zones.rows["lift"], sheet.zones.rows["noise"]
        assert lift.scale.isVisible() and not sheet.zones.rows["seam"].scale.isVisible()
        middle = round(lift.scale.place(0.49))
        QTest.mousePress(lift.scale, Qt.MouseButton.LeftButton, pos=QPoint(middle, 8))
        QTest.mouseMove(lift.scale, QPoint(round(lift.scale.place(0.63)), 8))
        QTest.mouseRelease(lift.scale, Qt.MouseButton.LeftButton, pos=QPoint(round(lift.scale.place(0.63)), 8))
        QTest.keyClick(lift.scale, Qt.Key.Key_Left)
        lift.fields[0].setText("0.2")
        lift.fields[0].editingFinished.emit()
        noise.counts.click()
        sheet.list.setCurrentRow(2)  # leaving keeps
        told.append(sheet.chosen().id)
        sheet.reject()

    in_dialog(DestinationSheet, edit)
    bench.run(bench.commands["destinations"])
    assert "preferred side" in told[0] and told[1] == "sculpt-stamp-mid"
    own = bench.studio.destinations["my-sculpt-stamp"]
    assert (own.name, own.depth, own.dpi, own.sizes.largest) == ("Rope stamps", "8", 150, 2048)
    assert own.twin is not None and (own.twin.format, own.twin.depth) == ("tiff", "16")
    assert own.zones["lift"] == Zone(good=(0, 0.2), look=(0, 0.63)) and own.left_out == ("noise",)
    stored = json.loads((bench.places.destinations / "my-sculpt-stamp.json").read_text())
    assert stored["name"] == "Rope stamps" and str(bench.exports.folder_for("my-sculpt-stamp")) == "/tmp"
    row = bench.bench.readiness.destination
    row.setCurrentIndex(row.findData("my-sculpt-stamp"))
    row.activated.emit(row.currentIndex())
    settle(bench)
    assert bench.studio.destination == own and bench.studio.plate.ready_for == own.id  # type: ignore[union-attr]
    bench.run(bench.commands["undo"])
    assert bench.studio.destination.id == "sculpt-stamp"

    def remove(sheet: QDialog) -> None:
        assert isinstance(sheet, DestinationSheet)
        sheet.list.setCurrentRow(sheet.list.count() - 1)
        sheet.remove.click()
        sheet.accept()

    in_dialog(DestinationSheet, remove)
    bench.run(bench.commands["destinations"])
    assert "my-sculpt-stamp" not in bench.studio.destinations


def test_nonsense_among_the_destinations_is_told_at_the_start(bench: Window) -> None:
    bench.places.destinations.mkdir(parents=True)
    (bench.places.destinations / "odd.json").write_text("{")
    offer_destinations(bench.studio, bench.places.destinations, bench.tell)
    assert "odd.json is not a destination" in bench.notice.text()


def test_tips_and_masks_are_judged_on_paper_and_tiles_cover_the_surface(bench: Window) -> None:
    studio, proof = bench.studio, bench.bench.proof_view
    studio.set_destination("paint-tip")
    settle(bench)
    assert studio.proof.surface == "paper" and proof.paper_bar.isVisible() and not proof.plaster_bar.isVisible()
    studio.set_destination("layer-mask")
    settle(bench)
    assert studio.proof.paper.mask and proof.paper_bar.parts.swatches["second"].isVisible()
    QTest.mouseClick(proof.paper_bar.parts.as_mask, LEFT)
    assert not studio.proof.paper.mask
    studio.set_destination("tiling-height")
    settle(bench)
    assert studio.proof.surface == "flat" and studio.proof.repeats == 3 and "3 × 3" in proof.cover.text()
    assert {"seam", "evenness", "repeat"} <= set(bench.bench.readiness.views)
    QTest.keyClick(bench, "W")
    canvas = bench.bench.plate_view.canvas
    assert canvas.overlays.repeat and canvas.target().width() < 0.36 * canvas.width()


def test_a_plate_that_is_not_square_is_measured_and_fixed_but_not_written(bench: Window) -> None:
    studio = bench.studio
    for kind in ("crop", "size"):
        studio.toggle_step(next(s.uid for s in studio.steps if s.kind == kind))
    offered(bench)
    gauges = {id: view.gauge for id, view in bench.bench.readiness.views.items()}
    assert gauges["size"].value == "320 × 240" and gauges["size"].fix == "crop" and "lift" in gauges
    bench.run(bench.commands["copy"])
    assert "wants a square" in bench.notice.text()
    seen: list[tuple[bool, str]] = []

    def look(sheet: QDialog) -> None:
        assert isinstance(sheet, ExportSheet)
        settle(bench)
        seen.append((sheet.go.isEnabled(), sheet.words.text()))
        sheet.lines["sculpt-stamp"].tick.setChecked(False)
        sheet.lines["tiling-height"].tick.setChecked(True)  # this one takes what is not square
        settle(bench)
        seen.append((sheet.go.isEnabled(), sheet.words.text()))
        sheet.reject()

    in_dialog(ExportSheet, look)
    bench.run(bench.commands["export"])
    assert seen[0] == (False, "This plate cannot be written as Sculpt stamp, black is zero: untick it, or put the "
                              "plate right.")  # fmt: skip
    assert seen[1][0] and seen[1][1].startswith("Writes ")
    for fix, side in (("Crop to a square", 240), ("Set the side to one that fits", 256)):
        menu = bench.bench.readiness.gauge_menu(bench.bench.readiness.views["size"].gauge)
        next(a for a in menu.actions() if a.text() == fix).trigger()
        offered(bench)
        raster = bench.pictures.full.result.raster  # type: ignore[union-attr]
        assert (raster.width, raster.height) == (side, side)
    assert bench.bench.readiness.views["size"].gauge.verdict == "good"


def test_seam_is_fixed_by_a_press(bench: Window) -> None:
    bench.studio.set_destination("tiling-height")
    offered(bench)
    seam = bench.bench.readiness.views["seam"].gauge
    if seam.verdict == "good":  # it fades out: flat at its border
        uid = next((s.uid for s in bench.studio.steps if s.kind == "falloff"), "")
        bench.studio.toggle_step(uid)
        offered(bench)
        seam = bench.bench.readiness.views["seam"].gauge
    bench.studio.fix(seam)
    settle(bench)
    assert bench.bench.readiness.views["seam"].gauge.verdict == "good"
    assert bench.bench.readiness.more_menu().actions() or all(
        v.isVisible() for v in bench.bench.readiness.views.values()
    )


def test_a_plate_that_cuts_is_offered_both_ways_out(bench: Window) -> None:
    """Mid-grey for a destination that only raises: the destination is changed, or the plate, by a press."""
    bench.studio.add_step("zero")
    step = bench.studio.step
    assert step is not None and bench.studio.plate is not None
    changed = edits.set_params(bench.studio.project, bench.studio.plate.id, step.uid, zero="mid", tones="keep")
    bench.studio.edit(changed, "Mid-grey")
    settle(bench)
    row = bench.bench.readiness
    assert not row.button.isEnabled() and row.raise_only.isVisible() and row.cutting.isVisible()
    QTest.mouseClick(row.cutting, LEFT)
    settle(bench)
    assert bench.studio.destination.zero == "mid" and row.button.isEnabled() and not row.cutting.isVisible()
    bench.studio.set_destination("sculpt-stamp")
    settle(bench)
    QTest.mouseClick(row.raise_only, LEFT)
    settle(bench)
    full = bench.pictures.full
    assert full is not None and full.result.raster.zero == "black" and full.trouble is None and row.button.isEnabled()
