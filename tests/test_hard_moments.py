"""Hard moments: work in a hurry, files edited by hand, places that cannot be; a word is read and nothing is lost."""

from __future__ import annotations

import json
import os
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF
from PySide6.QtTest import QTest

from conftest import LEFT, band_limited, drop, in_dialog, png_bytes, settle
from engraver.app.views.export_sheet import ExportSheet
from engraver.app.window import Places, Window
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.params import Stroke
from engraver.core.project import journal
from engraver.core.project.project_file import save
from engraver.core.readiness.destinations import keep, shipped
from engraver.core.recipe import Project, Source, Step, edits
from engraver.core.sources.blank import Blank
from engraver.demo.casts import knot_panel
from test_cli import engraver

ROOT = Path(__file__).resolve().parents[1]


def test_another_plate_is_chosen_while_a_mesh_is_turned(window: Window, photo: Path, tmp_path: Path) -> None:
    """The coarse mesh of a moving hand belongs to the moment: what is kept of the plate never holds it."""
    panel = tmp_path / "panel.ply"
    panel.write_bytes(knot_panel(96).file())
    drop(window, photo)
    drop(window, panel)
    window.studio.set_reading(side=256)
    mesh, other = window.studio.plate_id, window.studio.project.plates[0].id
    QTest.mouseClick(window.bench.line.cards[0], LEFT, pos=QPoint(40, 60))
    settle(window)
    canvas = window.bench.capture_view.canvas
    middle = QPointF(canvas.width() / 2, canvas.height() / 2).toPoint()
    before = window.studio.project
    QTest.mousePress(canvas, LEFT, pos=middle)
    QTest.mouseMove(canvas, middle + QPoint(20, 8))
    window.studio.choose_plate(other)
    QTest.mouseMove(canvas, middle + QPoint(60, 20))
    QTest.mouseRelease(canvas, LEFT, pos=middle + QPoint(60, 20))
    settle(window)
    assert window.studio.plate_id == other and window.pictures.full is not None
    assert window.studio.project.plate(other) == before.plate(other)
    window.studio.choose_plate(mesh)
    settle(window)
    assert window.pictures.full.result.raster.width == 256


def test_the_journal_is_written_while_the_hand_goes_on(bench: Window, places: Places) -> None:
    """It does not wait for the hand to rest: a slider that never stops loses two seconds at most."""
    bench.filing.pause(1000)
    uid = next(s.uid for s in bench.studio.steps if s.kind == "falloff")
    written: list[float] = []
    bench.filing.journaled.connect(lambda: written.append(time.monotonic()))
    began, n = time.monotonic(), 0
    while time.monotonic() - began < 3.0:
        n += 1
        bench.studio.set_params(uid, fade=0.1 + 0.3 * (n % 50) / 50)
        QTest.qWait(30)
    assert written and written[0] - began < 2.0 and max(np.diff(written), default=0.0) < 2.0
    found = [json.loads(p.read_bytes()) for p in places.journals.glob("*/project.json")]
    assert len(found) == 1 and found[0]["recipes"]
    assert not journal.found(places.journals)  # it is of a living program


@pytest.mark.parametrize(
    "broken",
    [b"{", b"[]", b'{"plates": 3}', b'{"plates": {"p": []}, "folders": {"x": 4}}', b"[" * 90_000,
     b'{"plates": {"PLATE": {"orders": [{"to": "gone"}]}}, "author": ["x"]}', b'{"plates": {"PLATE": {}}}'],
    ids=lambda b: b[:30].decode(),
)  # fmt: skip
def test_a_damaged_list_of_exports_is_a_word(
    broken: bytes, make_window: Callable[[], Window], places: Places, photo: Path
) -> None:
    places.prefs.parent.mkdir(parents=True, exist_ok=True)
    path = places.prefs.parent / "exports.json"
    path.write_bytes(broken)
    window = make_window()
    said = window.exports.trouble
    assert (broken[:1] == b"[" or broken in (b"{", b'{"plates": 3}')) == ("exports.json is damaged" in said)
    drop(window, photo)
    assert window.studio.plate is not None
    path.write_bytes(broken.replace(b"PLATE", window.studio.plate.id.encode()))
    again = type(window.exports)(window.studio, window.filing, path.parent)
    assert again.last(window.studio.plate.id) is None and isinstance(again.author, str)


@pytest.mark.parametrize("typed", ["~nosuch/stamps", "/proc/1/root/stamps", "a\0b", "x" * 5000, "no/such"])
def test_a_folder_that_cannot_be_is_told_in_the_sheet(bench: Window, typed: str) -> None:
    def fill(sheet: object) -> None:
        assert isinstance(sheet, ExportSheet)
        sheet.folder.setText(typed)
        said.append((sheet.go.isEnabled(), sheet.words.text()))
        sheet.reject()

    said: list[tuple[bool, str]] = []
    settle(bench)
    in_dialog(ExportSheet, fill)
    bench.bench.deliveries.export()
    assert said == [(False, "That folder is not there.")]


def test_the_terminal_names_files_as_the_window_does_and_looks_before_it_writes(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    base = shipped()["sculpt-stamp"]
    own = tmp_path / "config" / "engraver" / "destinations"
    own.mkdir(parents=True)
    keep(base.model_copy(update={"id": "quay", "name": "Quay", "name_pattern": "quay_{plate}_{side}"}), own)
    keep(base.model_copy(update={"id": "same", "name": "Same", "name_pattern": "all"}), own)
    store = SourceStore()
    project = Project(name="Quay")
    for n, name in enumerate(("Rope", "Chain")):
        source = store.add(png_bytes((band_limited(64, 64, 0.1, n) * 255).astype(np.uint8)), f"{name}.png")
        project, _ = edits.add_plate(project, source, name, (Step.make("grey"),))
    path, out = tmp_path / "quay.engraver", tmp_path / "out"
    save(project, path, store)
    done = engraver("export", path, "--for", "quay", "-o", out)
    assert done.exit_code == 0, done.stderr
    side = base.sizes.nearest(64)
    assert sorted(p.name for p in out.iterdir()) == [f"quay_chain_{side}.png", f"quay_rope_{side}.png"]
    # A pattern without the plate's name is one name for both: told before anything is written.
    done = engraver("export", path, "--for", "same", "-o", out)
    assert done.exit_code == 1 and "two exports would write it" in done.stderr and len(list(out.iterdir())) == 2
    done = engraver("export", path, "--for", "quay", "--for", "same", "--plate", "Rope", "-o", out)
    assert done.exit_code == 1 and "is there already" in done.stderr and len(list(out.iterdir())) == 2


def test_a_word_that_dev_does_not_know_ends_with_two() -> None:
    done = subprocess.run([ROOT / "dev", "nosuch"], capture_output=True, text=True, check=False, env={**os.environ})
    assert done.returncode == 2 and "no command 'nosuch'" in done.stderr


def test_one_bound_holds_for_everything_that_is_kept() -> None:
    """Runs of strokes, levels of pictures and rasters of steps together stay under it."""
    store = SourceStore(12_000_000)
    pixels = (band_limited(512, 512, 0.05, 8) * 255).astype(np.uint8)
    source = store.add(png_bytes(pixels), "cork.png")
    project, plate = edits.add_plate(Project(), source, "Cork", (Step.make("grey"), Step.make("hand")))
    engine, uid, strokes = Engine(store), project.line(plate)[-1].uid, ()
    for n in range(18):
        strokes = (*strokes, Stroke.through([(0.1, 0.05 * n), (0.9, 0.05 * n)], 0.05))
        project = edits.set_params(project, plate, uid, strokes=strokes)
        engine.evaluate(resolve(project, plate, store), Request(exact=True))
        assert engine.cache is store.cache and engine.cache.used <= 12_000_000 + 16_000_000
        large = sum(v.nbytes for v in engine.cache._large.values())
        assert large <= 12_000_000
    assert large > 4_000_000  # it is used, not empty


def test_a_crowd_of_plates_comes_in_a_few_at_a_time_and_in_order(window: Window, tmp_path: Path) -> None:
    project, tile = Project(name="Quay"), Source(id="b", kind="blank", name="Blank")
    for n in range(130):
        project, _ = edits.add_plate(project, tile, f"Tile {n}", (), reading=Blank(side=16))
    save(project, tmp_path / "quay.engraver", window.studio.sources)
    tray = window.bench.tray
    drop(window, tmp_path / "quay.engraver")
    while len(tray.items) < 130:
        QTest.qWait(5)
    window.studio.choose_plate(project.plates[99].id)
    settle(window)
    QTest.qWait(50)
    places = [tray.items[p.id].y() for p in project.plates]
    assert places == sorted(places) and len(set(places)) == 130
    chosen = tray.items[project.plates[99].id]
    assert tray._area.viewport().rect().contains(chosen.mapTo(tray._area.viewport(), chosen.rect().center()))
