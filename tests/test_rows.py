"""What is shown can be typed; preferences and actions."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog
from scipy import ndimage

from conftest import choose, drop, settle
from engraver.app import prefs
from engraver.app.commands import Command, Commands
from engraver.app.editors.curve_box import CurveBox
from engraver.app.prefs import Prefs
from engraver.app.views.plate_view import sample_line
from engraver.app.window import Window
from engraver.core.params import shown_value, specs, typed_value
from engraver.core.raster import Facts, Raster
from engraver.core.steps import KINDS
from engraver.core.steps.contrast import check_points
from test_edits import value_for

FIELDS = [
    (kind.id, name)
    for kind in KINDS.values()
    for name, spec in specs(kind.params).items()
    if spec.kind.row == "number"
]


@pytest.mark.parametrize(("kind", "name"), FIELDS)
@settings(max_examples=25)
@given(data=st.data(), width=st.integers(64, 6000), height=st.integers(64, 6000))
def test_what_a_field_shows_can_be_typed_back(kind: str, name: str, data: Any, width: int, height: int) -> None:
    """Lengths to half a pixel, others to what four figures hold."""
    spec, facts = specs(KINDS[kind].params)[name], Facts(width, height)
    value = data.draw(value_for(spec))
    again = typed_value(shown_value(value, spec, facts), spec, facts)
    if spec.kind.id in ("length", "position-x", "position-y"):
        side = {"position-x": width, "position-y": height}.get(spec.kind.id, min(width, height))
        assert abs(again - value) * side <= 0.51
    else:
        assert again == pytest.approx(value, rel=6e-4, abs=1e-6)


def test_a_line_sampled_across_a_plate_equals_scipy() -> None:
    """scipy.ndimage.map_coordinates, order 1, borders held."""
    values = np.random.default_rng(2).random((31, 47))
    a, b = QPointF(0.05, 0.9), QPointF(0.97, 0.02)
    t = np.linspace(0, 1, 200)
    x, y = (a.x() + (b.x() - a.x()) * t) * 47 - 0.5, (a.y() + (b.y() - a.y()) * t) * 31 - 0.5
    expected = ndimage.map_coordinates(values, [y, x], order=1, mode="nearest")
    assert np.allclose(sample_line(Raster.of(values), a, b, 200), expected, atol=1e-6)


def test_preferences_survive_what_is_broken(tmp_path: Path) -> None:
    path = tmp_path / "config" / "preferences.json"
    assert prefs.load(path) == Prefs()
    kept = Prefs("lamp", 1.25).with_recent(tmp_path / "a.png").with_recent(tmp_path / "b.png")
    path.parent.mkdir()
    path.write_bytes(prefs.to_json(kept))
    assert prefs.load(path) == kept and kept.recent[0].endswith("b.png")
    for n in range(20):
        kept = kept.with_recent(tmp_path / f"{n}.png")
    assert len(kept.recent) == prefs.RECENT and len(set(kept.recent)) == prefs.RECENT
    for text in (b"", b"[" * 5000, b"[]", b"{", b'{"text_size": "large"}', b'{"recent": 3}'):
        path.write_bytes(text)
        assert prefs.load(path) == Prefs()
    path.write_bytes(b'{"text_size": 7.5, "theme": "neon"}')
    assert prefs.load(path) == Prefs()


def test_actions_are_found_by_every_word_and_keys_are_unique() -> None:
    def command(id: str, name: str, key: str = "") -> Command:
        return Command(id, name, key, "nothing", lambda: None)

    commands = Commands((command("a", "Fit the plate", "F"), command("b", "Plate only"), command("c", "Save", "S")))
    assert [c.id for c in commands.search("plate")] == ["b", "a"]
    assert [c.id for c in commands.search("THE fit")] == ["a"] and not commands.search("fit save")
    with pytest.raises(ValueError):
        Commands((command("a", "One", "F"), command("b", "Two", "F")))
    with pytest.raises(ValueError):
        Commands((command("a", "One"), command("a", "Two")))


presses = st.lists(
    st.tuples(st.integers(0, 240), st.integers(0, 120), st.integers(0, 240), st.integers(0, 120)), max_size=8
)


@given(gestures=presses)
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_no_hand_can_break_a_curve(window: Window, gestures: list[tuple[int, int, int, int]]) -> None:
    """Whatever is pressed and dragged, the points stay between 2 and 32, rising, within the field."""
    box = CurveBox(window.ui)
    box.resize(240, 120)
    for x0, y0, x1, y1 in gestures:
        QTest.mousePress(box, Qt.MouseButton.LeftButton, pos=QPoint(x0, y0))
        QTest.mouseMove(box, QPoint(x1, y1))
        QTest.mouseRelease(box, Qt.MouseButton.LeftButton, pos=QPoint(x1, y1))
        if (x0 + y1) % 3 == 0:
            QTest.keyClick(box, Qt.Key.Key_Delete)
        check_points(box.points)
    box.deleteLater()


def test_the_line_is_walked_renamed_and_scrolled_by_keys(
    window: Window, photo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    drop(window, photo)
    studio, cards = window.studio, window.bench.line.cards
    QTest.keyClick(window, Qt.Key.Key_Period)
    assert studio.step_uid == studio.steps[0].uid
    cards[1].setFocus()
    QTest.keyClick(cards[1], Qt.Key.Key_Right)
    assert studio.step_uid == cards[2].uid and cards[2].chosen and not cards[1].chosen
    QTest.keyClick(window, Qt.Key.Key_Comma)
    assert studio.step_uid == cards[1].uid
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Slab only", True))
    QTest.mouseDClick(cards[1], Qt.MouseButton.LeftButton, pos=QPoint(40, 50))
    assert studio.steps[0].name == "Slab only" and window.bench.settings.title.text() == "Slab only"
    for _ in range(8):
        studio.add_step("curve")
    assert len(window.bench.line.cards) == 16
    settle(window)
    last = choose(window, "size")
    assert window.bench.line.area.horizontalScrollBar().value() > 0
    assert next(c for c in window.bench.line.cards if c.uid == last).visibleRegion().boundingRect().width() > 60


def test_reading_a_source_as_something_else_is_one_undo(window: Window, photo: Path) -> None:
    drop(window, photo)
    before = window.studio.project
    actions = {a.text(): a for a in window.bench.line.read_as_menu().actions()}
    actions["All-over surface"].trigger()
    settle(window)
    assert window.studio.plate is not None and window.studio.plate.read_as == "surface"
    assert "All-over" in window.bench.line.chip_words.text()
    light = next(s for s in window.studio.steps if s.kind == "even-light")
    assert light.params.method == "subtract"  # type: ignore[attr-defined]
    window.studio.undo()
    settle(window)
    assert window.studio.project == before


def test_many_files_at_once_become_many_plates_in_order(window: Window, photo: Path, tmp_path: Path) -> None:
    others = [tmp_path / f"net_{n}.jpg" for n in range(3)]
    for other in others:
        other.write_bytes(photo.read_bytes())
    (tmp_path / "broken.jpg").write_bytes(b"\xff\xd8\xff cut")
    drop(window, others[0], tmp_path / "broken.jpg", *others[1:])
    assert [p.name for p in window.studio.project.plates] == ["Net 0", "Net 1", "Net 2"]
    assert "broken.jpg" in window.notice.text()
    assert len({s.file.sha256 for s in window.studio.project.sources}) == 1
    first = window.studio.project.plates[0]
    QTest.mouseClick(window.bench.tray.items[first.id], Qt.MouseButton.LeftButton)
    assert window.studio.plate_id == first.id
    settle(window)
    assert all(item.picture is not None for item in window.bench.tray.items.values())
