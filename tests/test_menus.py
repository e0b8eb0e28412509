"""Menus of several things to choose from: a tick at the one in force, names as they were typed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from conftest import settle
from engraver.app.dialogs import recent_menu
from engraver.app.ui import literal
from engraver.app.window import Window

NAME = "Rope & chain && net"


def ticked(menu: QMenu) -> list[str]:
    return [a.text() for a in menu.actions() if a.isChecked()]


def take(menu: QMenu, words: str) -> QAction:
    found = next(a for a in menu.actions() if a.text() == words)
    found.trigger()
    return found


def test_what_is_in_force_has_the_tick(window: Window, photo: Path) -> None:
    window.filing.open_paths([photo])
    settle(window)
    window.studio.set_proof(points=250_000)
    window.trials.set_trial("Fewer", points=250_000)
    bench, desk = window.bench, window.desk("proof")
    proof, bar, tools = bench.proof_view, desk.surfaces, desk.tools
    menus: list[tuple[Callable[[], QMenu], str, str]] = [
        (bench.plate_view.zoom_menu, "Fit", "200 %"), (proof.cover_menu, "one mark", "2 × 2 tiles"),
        (proof.density_menu, "¼ M points", "½ M points"), (bar.surface_menu, "Flat", "Ball"),
        (bar.density_menu, "¼ M points", "60 k points"), (bar.second_menu, "One density", "Beside 60 k points"),
        (tools.arms_menu, "No arms", "6 arms"),
    ]  # fmt: skip
    for menu, first, then in menus:
        assert ticked(menu()) == [first]
        take(menu(), then)
        settle(window)
        assert ticked(menu()) == [then]
    kinds = bench.line.read_as_menu()
    assert len(ticked(kinds)) == 1
    other = next(a.text() for a in kinds.actions() if not a.isChecked())
    take(kinds, other)
    settle(window)
    assert ticked(bench.line.read_as_menu()) == [other]


def test_an_ampersand_is_part_of_a_name(window: Window, tmp_path: Path, photo: Path) -> None:
    assert literal(NAME) == "Rope && chain &&&& net"
    window.filing.open_paths([photo])
    settle(window)
    window.trials.new_trial()
    window.trials.set_trial("Rename", name=NAME)
    bar = window.desk("proof").surfaces
    assert ticked(bar.trial_menu())[0].startswith(literal(NAME))
    assert bar.trials.text().startswith(literal(NAME)[:6])
    window.keep_prefs(window.prefs.with_recent(tmp_path / f"{NAME}.png"))
    assert recent_menu(window).actions()[0].text().startswith(literal(f"{NAME}.png"))
