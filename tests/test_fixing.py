"""Fixes as they are offered: tried first, all at a press, told, taken back as one; by mouse and in the terminal."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import skimage.data
from click.testing import CliRunner
from PIL import Image
from PySide6.QtTest import QTest

from conftest import LEFT, drop, offered, png_bytes, settle
from engraver.app.window import Window
from engraver.cli.main import main
from engraver.core.engine import Engine, SourceStore
from engraver.core.errors import Cancelled
from engraver.core.readiness.destinations import destination
from engraver.core.readiness.trying import Trying
from engraver.core.recipe import Project, Step, edits


def plate_of(picture: np.ndarray, *steps: Step) -> tuple[Trying, Project]:
    store = SourceStore()
    source = store.add(png_bytes((picture * 255).astype(np.uint8)), "cork.png")
    project, plate = edits.add_plate(Project(), source, "Cork", steps)
    return Trying(Engine(store), plate, destination("sculpt-stamp")), project


def test_a_fix_that_would_not_help_is_not_offered_and_says_why() -> None:
    """White noise right up to the border: softening once more only takes its range away."""
    noise = np.random.default_rng(3).random((300, 300))
    trying, project = plate_of(noise, Step.make("falloff"), Step.make("soften", radius=0.25))
    found = trying.gauges_of(project)
    offered = {g.id: g for g in trying.vetted(project, list(found.values()))}
    tried = [id for id, g in found.items() if g.fix]
    assert tried
    for id in tried:
        gauge = offered[id]
        assert gauge.fix or gauge.says != found[id].says
        if not gauge.fix:
            assert "was tried" in gauge.says or "nothing more" in gauge.says


def test_trying_that_nobody_waits_for_stops_and_is_no_verdict() -> None:
    trying, project = plate_of(np.random.default_rng(3).random((200, 200)))
    found = list(trying.gauges_of(project).values())
    assert any(g.fix for g in found if g.id != "size")

    def stopped(share: float | None = None, /) -> None:
        raise Cancelled

    trying.check = stopped
    with pytest.raises(Cancelled):
        trying.vetted(project, found)


def test_fixes_end_and_are_told_one_by_one() -> None:
    blob = np.zeros((240, 320))
    blob[60:140, 40:180] = 0.5 + 0.5 * np.random.default_rng(2).random((80, 140))
    trying, project = plate_of(blob)
    fixed, done, after = trying.fix_all(project)
    assert 2 <= len(done) <= 12 and all(p.label and p.uid for p in done)
    assert not any(g.verdict == "fault" for g in after if g.id in ("size", "border"))
    assert trying.fix_all(fixed)[1] == []
    flat, project = plate_of(np.zeros((64, 64)))
    assert len(flat.fix_all(project)[1]) <= 2  # words, no endless presses


def test_fix_all_in_the_window_is_one_entry(bench: Window, tmp_path: Path) -> None:
    Image.fromarray(skimage.data.gravel()).save(tmp_path / "gravel.png")
    drop(bench, tmp_path / "gravel.png")
    settle(bench)
    bench.studio.set_destination("tiling-height")
    offered(bench)
    row, before = bench.bench.readiness, bench.studio.project
    assert row.views["seam"].gauge.verdict == "fault" and row.views["seam"].gauge.fix and row.fix_all.isVisible()
    told: list[str] = []
    bench.studio.told.connect(lambda words, kind: told.append(words))
    QTest.mouseClick(row.fix_all, LEFT)
    offered(bench)
    assert row.views["seam"].gauge.verdict == "good" and not row.fix_all.isVisible()
    assert any("make it seamless" in words for words in told)
    bench.studio.undo()
    assert bench.studio.project == before


def test_the_terminal_guesses_fixes_and_tells(tmp_path: Path) -> None:
    Image.fromarray(skimage.data.gravel()).save(tmp_path / "gravel.png")
    words = ["make", str(tmp_path / "gravel.png"), "--as", "auto", "--for", "tiling-height", "--fix"]
    result = CliRunner().invoke(main, [*words, "-o", str(tmp_path / "out.png")])
    assert result.exit_code == 0, result.output
    assert "read as all-over surface" in result.output and "fixed seam: make it seamless" in result.output
    with Image.open(tmp_path / "out.png") as made:
        assert made.size == (1024, 1024)
    alone = CliRunner().invoke(main, ["make", str(tmp_path / "gravel.png"), "--fix", "-o", str(tmp_path / "b.png")])
    assert alone.exit_code == 2 and "--for" in alone.output
