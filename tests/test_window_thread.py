"""The window's thread reads and writes no file while work goes on, and does not compute what can be read off."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QPointF
from PySide6.QtTest import QTest

from conftest import drop, settle
from engraver.app.exporting import ExportWish
from engraver.app.window import Window
from engraver.core.project.bundle import Bundle
from engraver.core.raster import Raster
from engraver.core.readiness.export import Order
from engraver.core.recipe import edits

_watching: list[list[str]] = []
# Drawn icons and modules that are imported when they are first needed are the program's own.
OWN = (".svg", ".py", ".pyc", ".so", ".nbi", ".nbc", ".otf")


def _heard(event: str, arguments: tuple[Any, ...]) -> None:
    """Audit hooks (PEP 578) stay for the life of the process: it listens only while a list is there."""
    if not _watching or event != "open" or threading.current_thread() is not threading.main_thread():
        return
    name = str(arguments[0])
    if not name.endswith(OWN) and not name.startswith(("/proc", "/sys", "/dev")) and not name.isdigit():
        _watching[-1].append(name)


sys.addaudithook(_heard)


@contextmanager
def no_file_on_the_windows_thread(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[str]]:
    found: list[str] = []
    read = Bundle.read

    def told(self: Bundle, member: str, most: int) -> bytes:
        if threading.current_thread() is threading.main_thread():
            found.append(member)
        return read(self, member, most)

    with monkeypatch.context() as patch:
        patch.setattr(Bundle, "read", told)
        _watching.append(found)
        try:
            yield found
        finally:
            _watching.pop()


def test_the_listener_hears(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "a.txt"
    path.write_text("a")
    with no_file_on_the_windows_thread(monkeypatch) as found:
        path.read_text()
    assert found == [str(path)]


def test_no_file_is_touched_on_the_windows_thread(
    window: Window, photo: Path, tmp_path: Path, make_window: Callable[[], Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Taking in, working, saving, exporting, measuring, opening, pointing."""
    big = tmp_path / "big.png"
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (1200, 1200, 3), np.uint8)).save(big)
    monkeypatch.setattr("engraver.core.sources.intake.LINK_ABOVE", 1_000_000)
    project = tmp_path / "quay.engraver"
    with no_file_on_the_windows_thread(monkeypatch) as found:
        drop(window, photo)
        drop(window, big)
        linked = window.studio.project.sources[1]
        assert linked.file.link is not None and linked.file.facts is not None
        for uid in [s.uid for s in window.studio.steps][:4]:
            window.studio.choose_step(uid)
            settle(window)
        window.studio.choose_step("")
        canvas = window.bench.plate_view.canvas
        for x in (0.2, 0.4, 0.6):
            QTest.mouseMove(canvas, canvas.to_screen(QPointF(x, 0.5)).toPoint())
        window.filing.save_to(project)
        window.filing.save_to(tmp_path / "second.engraver")
        settle(window)
        full, plate = window.pictures.full, window.studio.plate
        assert full is not None and plate is not None
        wish = ExportWish((Order(window.studio.destination, tmp_path, "stamp"),))
        window.exports.export(plate.id, full, wish)
        window.change_theme()
        settle(window)
    assert not found
    assert project.is_file() and (tmp_path / "second.engraver").is_file() and (tmp_path / "stamp.png").is_file()
    assert window.exports.last(plate.id) is not None
    again = make_window()
    with no_file_on_the_windows_thread(monkeypatch) as found:
        drop(again, project)
        again.studio.choose_plate(again.studio.project.plates[1].id)
        settle(again)
        again.studio.edit(edits.rename_plate(again.studio.project, plate.id, "Rough"), "Rename")
        settle(again)
    assert not found and again.pictures.full is not None


def test_the_readings_under_the_pointer_do_not_flatten_the_plate(
    bench: Window, monkeypatch: pytest.MonkeyPatch
) -> None:
    canvas = bench.bench.plate_view.canvas
    for x in (0.2, 160.5 / 320):  # from elsewhere: a pointer that is already there sends no move
        QTest.mouseMove(canvas, canvas.to_screen(QPointF(x, 120.5 / 240)).toPoint())
    assert bench.bench.plate_view.section.readout.startswith("x 160  y 120")

    def flat(self: Raster) -> None:
        raise AssertionError("the whole plate was flattened")

    monkeypatch.setattr(Raster, "flat", flat)
    for x in (0.3, 0.6):
        QTest.mouseMove(canvas, canvas.to_screen(QPointF(x, 0.4)).toPoint())
        bench.bench.plate_view.grab()
    assert bench.bench.plate_view.section.readout
