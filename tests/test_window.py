"""The window driven for real: files dropped, sliders dragged, keys pressed."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QImage, QResizeEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialog, QLineEdit

from conftest import LEFT, choose, drag, drop, in_dialog, offered, settle
from engraver.app.editors.number_row import NumberRow
from engraver.app.views.add_step import AddStep
from engraver.app.views.export_sheet import ExportSheet
from engraver.app.views.sheets import Finder
from engraver.app.window import Window
from engraver.core.errors import FileTrouble
from engraver.core.readiness.measure import that_apply


@pytest.mark.as_shipped
def test_a_dropped_photo_becomes_a_plate_with_its_line_proof_and_gauges(bench: Window) -> None:
    studio = bench.studio
    assert studio.plate is not None and studio.plate.name == "Cork float" and studio.plate.read_as == "relief"
    kinds = [s.kind for s in studio.steps]
    assert kinds == ["crop", "grey", "even-light", "levels", "soften", "falloff", "size"]
    assert [c.uid for c in bench.bench.line.cards] == ["", *(s.uid for s in studio.steps)]
    assert all(c.picture is not None for c in bench.bench.line.cards)
    full = bench.pictures.full
    assert full is not None and full.result.raster.width == 1024 and not full.result.provisional
    assert list(bench.bench.readiness.views) == list(that_apply(bench.studio.destination))
    assert bench.bench.readiness.button.isEnabled() and "cork-float.png" in bench.bench.readiness.caption.text()
    assert bench.bench.proof_view.canvas._image is not None and bench.bench.proof_view.strip._image is not None
    assert str(bench.prefs.recent[0]).endswith("cork_float.jpg")


def test_cards_switch_move_and_leave(bench: Window) -> None:
    uid = choose(bench, "soften")
    card = next(c for c in bench.bench.line.cards if c.uid == uid)
    assert card.switch_rect().width() >= 24 and card.switch_rect().height() >= 24
    QTest.mouseClick(card, LEFT, pos=card.switch_rect().center().toPoint())
    assert not bench.studio.step.on and bench.studio.step_uid == uid  # type: ignore[union-attr]
    QTest.keyClick(card, Qt.Key.Key_Space)
    assert bench.studio.step.on  # type: ignore[union-attr]
    place = [s.uid for s in bench.studio.steps].index(uid)
    QTest.keyClick(bench, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
    assert [s.uid for s in bench.studio.steps].index(uid) == place - 1
    bench.bench.line.wire.dropped.emit(uid, len(bench.bench.line.cards))
    assert bench.studio.steps[-1].uid == uid
    QTest.keyClick(bench, Qt.Key.Key_Delete)
    assert uid not in [s.uid for s in bench.studio.steps]
    bench.studio.undo()
    assert bench.studio.steps[-1].uid == uid
    settle(bench)


@pytest.mark.as_shipped
def test_polarity_turns_round_in_words_and_picture_and_the_file_stays_right(bench: Window, tmp_path: Path) -> None:
    screen = bench.pictures.look.screen if bench.pictures.look else None
    bench.studio.show_finished(True)
    settle(bench)
    before, height = bench.pictures.look.screen, bench.pictures._heights  # type: ignore[union-attr]
    assert bench.bench.plate_view.polarity.text() == "white raises · black is zero"
    QTest.keyClick(bench, Qt.Key.Key_P)
    settle(bench)
    assert bench.bench.plate_view.polarity.text() == "black raises · white is zero"
    after = bench.pictures.look.screen  # type: ignore[union-attr]
    assert screen is not None and np.abs((255 - before.astype(int)) - after).max() <= 1
    assert np.array_equal(height, bench.pictures._heights)  # type: ignore[arg-type]
    QTest.mouseClick(bench.bench.plate_view.polarity, LEFT)
    settle(bench)

    def fill(sheet: QDialog) -> None:
        assert isinstance(sheet, ExportSheet)
        sheet.folder.setText(str(tmp_path))
        sheet.both.setChecked(True)
        sheet.go.click()

    in_dialog(ExportSheet, fill)
    bench.bench.deliveries.export()
    settle(bench)
    up, down = (
        cv2.imread(str(tmp_path / n), cv2.IMREAD_UNCHANGED) for n in ("cork-float.png", "cork-float-turned.png")
    )
    assert up.dtype == np.uint16 and up.shape == (1024, 1024) and up[0].max() == 0
    assert np.abs(65535 - up.astype(int) - down).max() <= 1 and "Exported" in bench.notice.text()

    def again(sheet: QDialog) -> None:
        assert isinstance(sheet, ExportSheet)
        sheet.folder.setText(str(tmp_path))
        assert not sheet.go.isEnabled() and "there already" in sheet.words.text()
        sheet.reject()

    in_dialog(ExportSheet, again)
    bench.bench.deliveries.export()


def test_a_fix_is_an_edit_like_any_other(bench: Window) -> None:
    uid = choose(bench, "falloff")
    bench.studio.remove_step(uid)
    offered(bench)
    view = bench.bench.readiness.views["border"]
    assert view.gauge.verdict == "fault" and "at fault" in bench.bench.readiness.verdict.text()
    menu = bench.bench.readiness.gauge_menu(view.gauge)
    menu.actions()[-1].trigger()
    settle(bench)
    assert bench.studio.step.kind == "falloff" and bench.bench.readiness.views["border"].gauge.verdict == "good"  # type: ignore[union-attr]
    assert bench.studio.history.undo_label == "Fix border"


def test_the_finder_and_add_step_answer_to_the_keyboard(bench: Window) -> None:
    def find(sheet: QDialog) -> None:
        assert isinstance(sheet, Finder)
        QTest.keyClicks(sheet.field, "ball")
        QTest.keyClick(sheet.field, Qt.Key.Key_Return)

    in_dialog(Finder, find)
    QTest.keyClick(bench, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    assert bench.studio.proof.surface == "ball"

    def add(sheet: QDialog) -> None:
        assert isinstance(sheet, AddStep)
        QTest.keyClicks(sheet.field, "light becomes")
        QTest.keyClick(sheet.field, Qt.Key.Key_Return)

    in_dialog(AddStep, add)
    bench.run(bench.commands["add-step"])
    kinds = [s.kind for s in bench.studio.steps]
    assert bench.studio.step.kind == "invert" and kinds.index("invert") == kinds.index("levels") + 1  # type: ignore[union-attr]
    settle(bench)


@pytest.mark.as_shipped
def test_looking_zoom_section_overlays_and_peeking(bench: Window) -> None:
    canvas = bench.bench.plate_view.canvas
    QTest.keyClick(bench, Qt.Key.Key_E)
    settle(bench)
    at = QPointF(150, 140)
    share = canvas.to_share(at)
    canvas.set_zoom(canvas.scale * 3, at)
    moved = canvas.to_share(at)
    assert (moved.x(), moved.y()) == pytest.approx((share.x(), share.y()), abs=1e-6)
    settle(bench)
    assert (
        bench.pictures.look is not None and bench.pictures.look.result.raster.width == 1024
    )  # the full-size picture
    QTest.keyClick(bench, Qt.Key.Key_F)
    assert canvas.zoom is None
    before = [QPointF(p) for p in canvas.section]
    drag(canvas, canvas.to_screen(canvas.section[0]), canvas.to_screen(QPointF(0.2, 0.8)))
    assert canvas.section[0] != before[0] and canvas.section[1] == before[1]
    for key in (Qt.Key.Key_C, Qt.Key.Key_R, Qt.Key.Key_G):
        QTest.keyClick(bench, key)
    assert canvas.overlays.clipping and canvas.overlays.border and canvas.overlays.guides
    canvas.grab()
    QTest.mouseMove(canvas, canvas.to_screen(QPointF(0.5, 0.5)).toPoint())
    choose(bench, "levels")
    shown = bench.pictures.look.screen
    QTest.keyPress(bench, Qt.Key.Key_B)
    settle(bench)
    assert bench.pictures.look.before and not np.array_equal(bench.pictures.look.screen, shown)
    QTest.keyRelease(bench, Qt.Key.Key_B)
    settle(bench)
    assert np.array_equal(bench.pictures.look.screen, shown)


def test_the_proof_is_turned_lit_cut_and_set(bench: Window) -> None:
    canvas, studio = bench.bench.proof_view.canvas, bench.studio
    eye, lamp = bench.looks.bench.eye("flat"), studio.proof.lamp
    drag(canvas, QPointF(60, 60), QPointF(110, 90))
    assert bench.looks.bench.eye("flat").turn != eye.turn
    drag(canvas, QPointF(60, 60), QPointF(110, 90), Qt.MouseButton.RightButton)
    assert studio.proof.lamp != lamp
    auto = bench.pictures.strength
    drag(bench.bench.proof_view.strength, QPointF(20, 10), QPointF(60, 10))
    assert studio.proof.strength is not None and bench.pictures.strength != auto
    QTest.mouseClick(bench.bench.proof_view.amount, LEFT)
    assert studio.proof.strength is None
    QTest.mouseClick(bench.bench.proof_view.ways["cut"], LEFT)
    assert studio.proof.cut
    canvas.reset()
    settle(bench)
    assert bench.looks.bench.eye("flat") == eye and "auto" in bench.bench.proof_view.amount.text()


def test_bad_files_are_told_and_the_work_stands(bench: Window, tmp_path: Path) -> None:
    plates = bench.studio.project.plates
    for name, data in (("words.png", b"barnacles"), ("none.jpg", b""), ("old.engraver", b"PK")):
        (tmp_path / name).write_bytes(data)
        drop(bench, tmp_path / name)
        assert name in bench.notice.text() and bench.notice.isVisible()
        assert bench.studio.project.plates == plates
    drop(bench, tmp_path / "gone.png")
    assert "not there" in bench.notice.text()


def test_a_failing_step_marks_its_card_and_the_last_good_plate_stays(bench: Window) -> None:
    uid = choose(bench, "levels")
    shown = bench.pictures.look
    source = bench.studio.project.sources[0]
    bench.studio.sources.provide(source.file.sha256, lambda: b"")
    bench.studio.engine.cache.__init__(10**9)  # type: ignore[misc]
    bench.studio.set_params(uid, low=20.0)
    settle(bench)
    assert bench.pictures.look is shown and bench.bench.line.cards[0].trouble
    assert bench.bench.settings.trouble.text().startswith("cork_float.jpg cannot be read")


def test_saving_opening_and_a_full_disk(bench: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "quay.engraver"
    bench.filing.save_to(path)
    settle(bench)
    assert path.is_file() and not bench.studio.dirty and bench.studio.project.name == "quay"
    assert not list(bench.places.journals.glob("*/project.json"))
    bench.studio.flip_polarity()
    whole = path.read_bytes()

    def refuse(*_: object) -> None:
        raise FileTrouble("quay.engraver cannot be written", "the disk is full", "Free some space")

    with monkeypatch.context() as patch:
        patch.setattr("engraver.app.filing.save", refuse)
        bench.save()
        settle(bench)
    assert "the disk is full" in bench.notice.text() and path.read_bytes() == whole and bench.studio.dirty
    saved = bench.studio.project
    bench.save()
    settle(bench)
    drop(bench, path)
    assert bench.studio.project == saved and bench.studio.history.undo_label is None


def test_unsaved_work_is_back_at_the_next_start(bench: Window, make_window: Callable[[], Window]) -> None:
    project = bench.studio.project
    settle(bench)
    assert list(bench.places.journals.glob("*/project.json")) and bench.top.kept.text() == "all changes kept"
    bench.close()
    (folder,) = bench.places.journals.iterdir()
    head = folder / "journal.json"
    head.write_text(head.read_text().replace(f'"pid": {os.getpid()}', '"pid": 4194305'))
    after = make_window()
    after.filing.recover()
    settle(after)
    assert "is back" in after.notice.text()
    assert after.studio.project == project and after.studio.dirty and after.pictures.full is not None


def test_both_looks_and_all_text_sizes_can_be_drawn(bench: Window) -> None:
    for key, modifier in ((Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier),):
        QTest.keyClick(bench, key, modifier)
        settle(bench)
    assert bench.prefs.theme == "lamp" and bench.ui.theme.id == "lamp"
    for _ in range(3):
        bench.change_text(1)
    settle(bench)
    assert bench.prefs.text_size == 1.5 and bench.pictures.full is not None
    assert list(bench.bench.readiness.views) and len(bench.bench.line.cards) == 8
    bench.resizeEvent(QResizeEvent(QSize(1280, 800), QSize(1280, 800)))
    assert not bench.grab().isNull()


def test_an_empty_window_teaches(window: Window) -> None:
    settle(window)
    assert window.bench.tray.empty.isVisible() and not window.bench.readiness.button.isEnabled()
    window.studio.add_blank()
    settle(window)
    row = window.bench.settings.rows["side"]
    assert isinstance(row, NumberRow)
    row.field.setText("128*2")
    row.field.editingFinished.emit()
    settle(window)
    assert window.pictures.full is not None and window.pictures.full.result.raster.width == 256
    assert window.studio.plate is not None and window.pictures.full is not None
    assert window.bench.readiness.views["range"].gauge.verdict == "fault"  # a flat ground is nothing yet
    assert isinstance(window.focusWidget(), QLineEdit) is False


@pytest.mark.skipif(shutil.which("Xvfb") is None, reason="no virtual screen on this machine")
def test_the_program_starts_on_a_real_screen(tmp_path: Path) -> None:
    """The command as the artist types it, on an X server, with homes of its own."""
    shot = tmp_path / "bench.png"
    home = {f"XDG_{k}_HOME": str(tmp_path / k) for k in ("CONFIG", "STATE")}
    environment = {**os.environ, **home, "QT_QPA_PLATFORM": "xcb"}
    command = ["xvfb-run", "-a", "-s", "-screen 0 1400x900x24", sys.executable, "-m", "engraver.cli.main"]
    done = subprocess.run(
        [*command, "demo", "--offscreen-shot", str(shot)], env=environment,
        capture_output=True, text=True, timeout=120, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    picture = QImage(str(shot))
    assert (picture.width(), picture.height()) == (1280, 800)
    grey = picture.convertToFormat(QImage.Format.Format_Grayscale8)
    assert len({grey.pixel(x, 280) & 255 for x in range(160, 560)}) > 60  # the plate is there, not one tone


def test_another_look_comes_in_pieces_and_what_is_asked_meanwhile_finds_it_whole(bench: Window) -> None:
    settle(bench)
    old = bench.bench
    bench.change_theme()
    bench.change_text(1)
    assert bench.making and bench.busy
    bench.busy_words("Under way")
    assert bench.making and bench.top.kept.text() == "Under way" and not bench.making
    bench.tell("Told in the middle of it.", "look")
    assert bench.bench is not old and bench.notice.isVisibleTo(bench.face) and bench.ui.theme.id == "lamp"
    settle(bench)
    assert bench.centralWidget() is bench.face and bench.updatesEnabled()
    assert bench.top.kept.text() != "Under way"
