"""What is only looked at: kept over a theme and a restart, never in the project; and actions that know their time."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from conftest import settle
from engraver.app import state
from engraver.app.commands import Command, Commands
from engraver.app.window import Places, Window
from engraver.core.surfaces import ON_BENCH


def test_how_the_bench_is_looked_at_outlives_a_theme_and_a_restart(
    bench: Window, make_window: Callable[[], Window], places: Places
) -> None:
    project = bench.studio.project
    canvas = bench.bench.plate_view.canvas
    for key in (Qt.Key.Key_C, Qt.Key.Key_G):
        QTest.keyClick(canvas, key)
    bench.looks.set(overlays=replace(bench.looks.bench.overlays, clipping=True, guides=True, section=False))
    bench.looks.set(section=((0.1, 0.2), (0.9, 0.8)), zoom=3.0, pan=(12.0, -7.0), tray=False)
    before = bench.looks.bench
    bench.change_theme()
    settle(bench)
    assert bench.looks.bench == before and not bench.bench.tray.isVisible()
    assert bench.bench.plate_view.canvas.to_screen is not None and bench.studio.project is project
    bench.close()
    again = make_window()
    now = again.looks.bench
    assert now == replace(before, zoom=None, pan=(0.0, 0.0), split=now.split)
    assert not again.bench.tray.isVisible() and now.overlays.clipping and not now.overlays.section


@pytest.mark.parametrize(
    "broken",
    [b"", b"{", b"[]", b'{"zoom": 1e400}', b'{"zoom": -3}', b'{"shown": "all"}', b'{"split": [1, 2, 3, 4, 5]}',
     b'{"section": [[0, 0]]}', b'{"section": [[NaN, 0], [1, 1]]}', b'{"eyes": {"flat": {"tilt": NaN}}}',
     b"[" * 90_000, b"0" * 200_000],
    ids=lambda b: b[:24].decode(),
)  # fmt: skip
def test_a_broken_look_is_as_at_first(broken: bytes, tmp_path: Path) -> None:
    path = tmp_path / "looks.json"
    path.write_bytes(broken)
    assert state.read(path) == state.BenchState()
    assert state.read(tmp_path / "none.json") == state.BenchState()


def test_a_look_is_read_as_it_was_written(tmp_path: Path) -> None:
    path = tmp_path / "looks.json"
    look = state.BenchState(shown="proof", overlays=state.Overlays(repeat=True))
    path.write_bytes(state.to_json(look))
    assert state.read(path) == look
    some = json.loads(path.read_bytes())
    some["eyes"] = {}  # a surface that is new since then is looked at as at first
    path.write_text(json.dumps(some))
    assert set(state.read(path).eyes) == set(ON_BENCH)


def test_the_state_is_frozen_and_knows_what_it_has() -> None:
    looks, told = state.Looks(state.BenchState()), []
    looks.changed.connect(lambda: told.append(1))
    looks.set(tray=True)
    assert not told
    looks.set(tray=False)
    assert told == [1]
    with pytest.raises(TypeError, match="no curtain"):
        looks.set(curtain=True)
    with pytest.raises(AttributeError):
        looks.bench.tray = True  # type: ignore[misc]


def test_a_command_runs_only_when_it_has_what_it_needs_and_is_found_by_other_words() -> None:
    ran: list[str] = []
    there = False
    flatten = Command(
        "flatten", "Flatten", "F7", lambda: ran.append("x"), when=lambda: there, synonyms=("level out",)
    )
    commands = Commands((flatten, Command("press", "Press the flat", "", lambda: None)))
    flatten.do()
    there = True
    flatten.do()
    assert ran == ["x"]
    assert [c.id for c in commands.search("level out")] == ["flatten"]
    assert [c.id for c in commands.search("FLAT")] == ["flatten", "press"] and not commands.search("level press")
    with pytest.raises(ValueError, match="share"):
        Commands((flatten, replace(flatten, id="other")))


def test_an_empty_window_offers_only_what_it_can_do(window: Window) -> None:
    """Every action is tried on an empty bench: what needs a plate knows it, and nothing escapes."""
    idle = {c.id for c in window.commands if not c.when()}
    assert {"export", "duplicate-plate"} & idle or idle
    for command in window.commands:
        if not command.when():
            command.do()
    assert not window.studio.project.plates and not window.studio.dirty
