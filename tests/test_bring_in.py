"""Bringing in: the practice devices, a watched folder, the clipboard, sheets split in the window, families."""

from __future__ import annotations

import io
import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog
from skimage import data

from conftest import LEFT, choose, drag, drop, in_dialog, png_bytes, settle
from engraver.app.lanes import wait_idle
from engraver.app.views.family_sheet import FamilySheet
from engraver.app.views.scan_sheet import ScanSheet
from engraver.app.views.share_sheet import ShareSheet
from engraver.app.views.splitter import Splitter
from engraver.app.window import Window
from engraver.core.errors import BadValue, Cancelled
from engraver.core.files.read import facts, load
from engraver.core.numeric import ruled, tone
from engraver.demo import papers
from engraver.demo.sheets import SHEETS
from engraver.standins.devices import ScanSettings
from engraver.standins.flatbed import INCHES, PracticeScanner
from engraver.standins.phone import PracticeCamera


@pytest.fixture(scope="module")
def scanner() -> PracticeScanner:
    return PracticeScanner(SHEETS)


@pytest.mark.parametrize("depth", [8, 16])
def test_a_scan_is_what_a_real_one_gives(scanner: PracticeScanner, depth: int) -> None:
    """Resolution, region and depth as asked; a lid's shadow, a skew sheet, noise; every line told."""
    lines = []
    settings = ScanSettings(100, (0.0, 0.0, 1.0, 1.0), depth)  # type: ignore[arg-type]
    data = scanner.scan("Net weave", settings, lambda done, whole: lines.append((done, whole)))
    known = facts(data, "scan")
    assert (known.width, known.height) == (round(INCHES[0] * 100), round(INCHES[1] * 100))
    assert known.depth == depth and known.dpi == pytest.approx(100, abs=0.1) and not known.camera
    assert lines[0] == (0, 650) and lines[-1] == (650, 650) and len(lines) > 8
    grey = tone.mix(load(data, "scan").pixels, tone.LUMA_709)
    assert np.median(grey[:12]) < 0.5 * np.median(grey[250:400, 300:500])
    assert abs(ruled.skew(grey) - scanner.skew("Net weave")) < 0.25
    part = scanner.scan("Net weave", ScanSettings(200, (0.25, 0.25, 0.5, 0.75)), lambda a, b: None)
    assert (facts(part, "p").width, facts(part, "p").height) == (round(8.5 * 50), round(6.5 * 100))


def test_a_scan_can_be_stopped_and_refuses_what_it_cannot(scanner: PracticeScanner) -> None:
    def stop(done: int, whole: int) -> None:
        if done > 100:
            raise Cancelled

    with pytest.raises(Cancelled):
        scanner.scan("Net weave", ScanSettings(150), stop)
    for wrong in (ScanSettings(60), ScanSettings(2400), ScanSettings(100, (0.5, 0, 0.2, 1))):
        with pytest.raises(BadValue):
            scanner.scan("Net weave", wrong, lambda a, b: None)
    with pytest.raises(BadValue, match="Net weave"):
        scanner.preview("No sheet")


def test_a_phone_photo_lies_on_its_side_and_is_read_upright() -> None:
    upright = np.zeros((60, 90, 3), np.uint8)
    upright[:20] = 220
    camera = PracticeCamera((("quay", lambda: upright),))
    name, data = camera.shoot()
    assert name == "quay_01.jpg" and camera.shoot()[0] == "quay_02.jpg"
    stored = Image.open(io.BytesIO(data))
    assert stored.size == (60, 90) and stored.getexif()[0x0112] == 6
    assert facts(data, name).camera and (facts(data, name).width, facts(data, name).height) == (90, 60)
    assert np.abs(load(data, name).pixels * 255 - upright).mean() < 4


def test_new_photos_in_a_watched_folder_arrive(window: Window, photo: Path, tmp_path: Path) -> None:
    folder = tmp_path / "inbox"
    folder.mkdir()
    shutil.copy(photo, folder / "old.jpg")
    window.arrivals.watch(folder)
    window.arrivals.pause()
    shutil.copy(photo, folder / "new.jpg")
    (folder / "notes.txt").write_text("no picture")
    (folder / "growing.jpg").write_bytes(photo.read_bytes()[:500])
    window.arrivals.look()
    assert not window.studio.project.plates, "a file is taken when it has stopped growing"
    (folder / "growing.jpg").write_bytes(photo.read_bytes())
    window.arrivals.look()
    settle(window)
    assert [p.name for p in window.studio.project.plates] == ["New"]
    window.arrivals.look()
    settle(window)
    assert [p.name for p in window.studio.project.plates] == ["New", "Growing"]
    before = window.studio.project
    shutil.rmtree(folder)
    window.arrivals.look()
    assert window.arrivals.folder is None and "cannot be read any more" in window.notice.text()
    assert window.studio.project is before
    window.arrivals.watch(folder)
    assert window.arrivals.folder is None


def test_the_practice_camera_hands_over_through_its_folder(window: Window) -> None:
    upright = np.random.default_rng(1).integers(90, 160, (60, 80, 3), dtype=np.uint8)
    window.arrivals.camera = PracticeCamera((("sand", lambda: upright),))
    window.run(window.commands["camera"])
    window.arrivals.pause()
    for _ in range(2):
        window.arrivals.look()
    settle(window)
    assert [p.name for p in window.studio.project.plates] == ["Sand 01"]


def test_pasting(window: Window, photo: Path) -> None:
    clipboard = QGuiApplication.clipboard()
    clipboard.setText("no picture")
    window.arrivals.paste()
    assert "no picture on the clipboard" in window.notice.text()
    image = QImage(64, 48, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.darkCyan)
    clipboard.setImage(image)
    window.run(window.commands["paste"])
    settle(window)
    assert [p.name for p in window.studio.project.plates] == ["Pasted"]
    clipboard.clear()


def test_a_sheet_is_scanned_into_a_plate(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    def scan(sheet: QDialog) -> None:
        assert isinstance(sheet, ScanSheet)
        wait_idle([sheet.lane])
        sheet.dpi.setCurrentIndex(0)
        drag(sheet.bed, sheet.bed.target().topLeft() + QPoint(40, 40), sheet.bed.target().center())
        assert "px" in sheet.words.text() and sheet.bed.region != (0, 0, 1, 1)
        QTest.mouseClick(sheet.go, LEFT)

    in_dialog(ScanSheet, scan)
    window.run(window.commands["scan"])
    settle(window)
    plate = window.studio.plate
    assert plate is not None and plate.name == "Net weave 75dpi"


def test_stopping_a_scan_takes_nothing(window: Window) -> None:
    sheet = ScanSheet(window.ui, window, window.scanner)
    wait_idle([sheet.lane])
    sheet.dpi.setCurrentIndex(sheet.dpi.count() - 1)
    QTest.mouseClick(sheet.go, LEFT)
    QTest.mouseClick(sheet.stop, LEFT)
    wait_idle([sheet.lane])
    assert sheet.scanned is None and "nothing was taken" in sheet.words.text() and sheet.go.isEnabled()
    sheet.reject()
    sheet.deleteLater()


@pytest.fixture
def page(window: Window, tmp_path: Path) -> Window:
    path = tmp_path / "knots.png"
    path.write_bytes(png_bytes(papers.knot_drawings(600, 840).rgb))
    drop(window, path)
    return window


def test_a_page_is_split_in_the_window(page: Window) -> None:
    def correct(sheet: QDialog) -> None:
        assert isinstance(sheet, Splitter)
        canvas = sheet.canvas
        assert len(canvas.boxes) == 6 and sheet.go.text() == "Make 6 plates"
        QTest.mouseClick(canvas, LEFT, pos=canvas.rect_of(canvas.boxes[5]).center().toPoint())
        QTest.keyClick(canvas, Qt.Key.Key_Delete)
        assert sheet.go.text() == "Make 5 plates"
        rect = canvas.rect_of(canvas.boxes[0])
        drag(canvas, rect.bottomRight(), rect.bottomRight() + QPoint(12, 9))
        assert canvas.rect_of(canvas.boxes[0]).width() == pytest.approx(rect.width() + 12, abs=2)
        target = canvas.target()
        drag(canvas, target.bottomRight() - QPoint(60, 60), target.bottomRight() - QPoint(20, 20))
        assert sheet.go.text() == "Make 6 plates"
        assert not canvas.grab().isNull()
        QTest.mouseClick(sheet.go, LEFT)

    in_dialog(Splitter, correct)
    page.run(page.commands["split"])
    settle(page)
    names = [p.name for p in page.studio.project.plates]
    assert names == [f"Knots {n}" for n in range(1, 7)]
    assert len({p.recipe for p in page.studio.project.plates}) == 1
    assert "shared by 6" in page.bench.line.chip_shared.text()
    crop = next(c for c in page.bench.line.cards if c.step is not None and c.step.kind == "crop")
    assert crop.only_here and "Only here" in crop.toolTip()
    page.studio.undo()
    settle(page)
    assert [p.name for p in page.studio.project.plates] == ["Knots"]


def test_a_line_is_used_on_more_plates_and_a_step_kept_to_one(page: Window, photo: Path) -> None:
    drop(page, photo)
    studio = page.studio
    first, second = (p.id for p in studio.project.plates)

    def tick(sheet: QDialog) -> None:
        assert isinstance(sheet, ShareSheet)
        sheet.list.item(0).setCheckState(Qt.CheckState.Checked)
        sheet.accept()

    in_dialog(ShareSheet, tick)
    QTest.mouseClick(page.bench.line.more, LEFT)
    settle(page)
    assert studio.project.plate(first).recipe == studio.project.plate(second).recipe
    uid = choose(page, "levels")
    page.bench.line.only_here.emit(uid, True)
    studio.set_params(uid, gamma=2.5)
    settle(page)
    assert next(s for s in studio.project.line(first) if s.uid == uid).params.gamma == 1.0  # type: ignore[attr-defined]
    assert next(c for c in page.bench.line.cards if c.uid == uid).only_here

    def untick(sheet: QDialog) -> None:
        assert isinstance(sheet, ShareSheet)
        sheet.list.item(0).setCheckState(Qt.CheckState.Unchecked)
        sheet.accept()

    in_dialog(ShareSheet, untick)
    page.run(page.commands["share"])
    settle(page)
    assert studio.project.plate(first).recipe != studio.project.plate(second).recipe


def test_the_menu_of_a_plate(bench: Window, photo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    studio = bench.studio
    plate = studio.plate_id
    assert plate is not None

    def press(words: str) -> None:
        menu = bench.bench.plate_menu(studio.plate_id or "")
        next(a for a in menu.actions() if a.text() == words).trigger()
        settle(bench)

    press("Duplicate the plate")
    press("New plate from this source")
    assert [p.name for p in studio.project.plates] == ["Cork float", "Cork float 2", "Cork float 3"]
    assert studio.step is not None and studio.step.kind == "crop"
    before = studio.steps
    bench.bench.plates.take_source(photo)
    settle(bench)
    assert studio.steps == before
    press("Remove the plate")
    assert len(studio.project.plates) == 2
    menu = bench.bench.plate_menu(studio.plate_id or "")
    ship = next(a.menu() for a in menu.actions() if a.menu() is not None)
    next(a for a in ship.actions() if a.text() == "Drawing on paper").trigger()  # type: ignore[union-attr]
    settle(bench)
    assert [s.kind for s in studio.steps][:2] == ["grey", "even-light"]


def test_a_family_over_one_setting(bench: Window) -> None:
    choose(bench, "falloff")

    def fill(values: str) -> Callable[[QDialog], None]:
        def type_in(sheet: QDialog) -> None:
            assert isinstance(sheet, FamilySheet)
            sheet.field.setCurrentIndex(sheet.field.findData("ragged"))
            QTest.keyClicks(sheet.values, values)
            QTest.mouseClick(sheet.go, LEFT)

        return type_in

    in_dialog(FamilySheet, fill("0, 25, 50, 75"))
    bench.run(bench.commands["family"])
    settle(bench)
    plates = bench.studio.project.plates
    assert [p.name for p in plates[1:]] == [f"Cork float ragged {n}" for n in (0, 25, 50, 75)]
    ragged = [next(s for s in bench.studio.project.line(p.id) if s.kind == "falloff").params.ragged for p in plates]  # type: ignore[attr-defined]
    assert ragged[1:] == [0, 0.25, 0.5, 0.75]
    in_dialog(FamilySheet, fill("a lot"))
    bench.run(bench.commands["family"])
    settle(bench)
    assert "not a number" in bench.notice.text() and len(bench.studio.project.plates) == 5


def test_light_joints_are_asked_about_on_the_chip_and_turned_over_in_one_press(
    window: Window, tmp_path: Path
) -> None:
    """scikit-image's brick: its joints are light, and are no ridges."""
    path = tmp_path / "wall.png"
    path.write_bytes(png_bytes(data.brick()))
    drop(window, path)
    settle(window)
    doubt = window.bench.line.doubt
    assert doubt.isVisible() and window.pictures.full is not None
    before = window.pictures.full.result.raster.pixels
    QTest.mouseClick(doubt, LEFT)
    settle(window)
    assert not doubt.isVisible() and "invert" in [s.kind for s in window.studio.steps]
    inside = np.s_[160:350, 160:350]
    assert (
        np.corrcoef(before[inside].ravel(), window.pictures.full.result.raster.pixels[inside].ravel())[0, 1] < -0.95
    )
    QTest.keyClick(window, Qt.Key.Key_P, Qt.KeyboardModifier.ShiftModifier)
    settle(window)
    assert doubt.isVisible() and "invert" not in [s.kind for s in window.studio.steps]
