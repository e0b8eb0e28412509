"""The cabinet as a whole, from its desk: moved to a file and back, looked over, written out; narrow, broken."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from at_cabinet import CTRL, names, press, rest, window_of
from conftest import LEFT
from engraver.app.casts import Lamps
from engraver.app.desks.cabinet import CabinetDesk
from engraver.app.desks.pack import PackDesk
from engraver.app.places import Places
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet, Entry, Query, drawers
from engraver.core.cabinet.moving import join
from engraver.demo import cabinet as demo_cabinet
from engraver.demo.cabinet import fill, old_files
from kept import png, put, tones


def menu_action(desk: CabinetDesk, id: str, words: str) -> None:
    next(a for a in desk.drawer_acts.menu(id).actions() if a.text() == words).trigger()


def test_a_drawer_moves_to_one_file_and_comes_back_without_doubles(
    desk: CabinetDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, pieces: dict[str, Entry]
) -> None:
    window, out = window_of(desk), tmp_path / "deck"
    window.cabinet.change(lambda c: drawers.put(c, drawers.add(c, "Deck").id, [pieces["Rope"].id, pieces["Boss"].id]))
    rest(window)
    (drawer,) = window.cabinet.chest.drawers
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), ""))
    menu_action(desk, drawer.id, "Move it to one file…")
    rest(window)
    assert "2 pieces written to deck.cabinet" in window.notice.text()
    with Cabinet(tmp_path / "other") as other:
        assert join(other, tmp_path / "deck.cabinet") == (2, 0)
        assert {e.name: e.more for e in other.find()} == {n: pieces[n].more for n in ("Rope", "Boss")}
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(tmp_path / "deck.cabinet"), ""))
    window.commands["cabinet-join"].do()
    rest(window)
    assert "0 came, 2 were there" in window.notice.text()
    (tmp_path / "deck.cabinet").write_bytes(b"broken")
    window.commands["cabinet-join"].do()
    rest(window)
    assert "damaged" in window.notice.text() and len(names(desk)) == 5
    menu_action(desk, drawer.id, "Remove the drawer")
    rest(window)
    assert not window.cabinet.chest.drawers and len(names(desk)) == 5


def test_looking_it_over_tells_what_is_damaged_and_its_cast_says_so(
    desk: CabinetDesk, places: Places, pieces: dict[str, Entry]
) -> None:
    window = window_of(desk)
    window.commands["cabinet-check"].do()
    rest(window)
    assert "5 pieces and 4 pictures looked over. All is well." in window.notice.text()
    with Cabinet(places.cabinet) as cabinet:
        broken = put(cabinet, "Broken", 40)
        cabinet.blobs.path(broken.picture).write_bytes(b"no picture")
    window.cabinet.refresh()
    rest(window)
    press(desk, "Broken")
    one = desk.wall.listed[names(desk).index("Broken")]
    assert window.cabinet.casts.broken(desk.wall._key(one)) and desk.panel.cast.cast is None
    window.commands["cabinet-check"].do()
    rest(window)
    assert "The picture of Broken is damaged." in window.notice.text()
    window.commands["cabinet-open"].do()
    rest(window)
    assert "damaged" in window.notice.text() and not window.studio.project.plates


def test_finished_files_are_written_where_one_says_and_names_do_not_clash(
    desk: CabinetDesk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window, folder = window_of(desk), tmp_path / "out"
    folder.mkdir()
    (folder / "rope.png").write_bytes(b"mine")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(folder))
    QTest.keyClick(desk.wall, Qt.Key.Key_A, CTRL)
    window.commands["cabinet-write"].do()
    rest(window)
    assert (folder / "rope.png").read_bytes() == b"mine" and (folder / "rope-2.png").read_bytes() == png(1)
    assert sorted(p.name for p in folder.iterdir()) == [
        "boss-brush.png", "boss.png", "cork.png", "crust.png", "rope-2.png", "rope.png",
    ]  # fmt: skip


@pytest.mark.parametrize("text", [1.0, 1.5])
def test_in_a_small_window_the_drawers_go_into_the_bar_and_nothing_is_cut(
    text: float, pieces: dict[str, Entry], make_window: Callable[[], Window]
) -> None:
    window = make_window()
    window.rebuild(type(window.prefs)(window.prefs.theme, text))
    window.resize(1024, 700)
    rest(window)
    for id in ("pack", "cabinet"):
        window.go_to(id)
        rest(window)
        found = window.desk(id)
        assert isinstance(found, CabinetDesk | PackDesk)
        assert found.bar.width() >= found.bar.minimumSizeHint().width() and window.width() == 1024
        for button in (*found.bar.findChildren(type(found.bar.first.itemAt(0).widget())),):
            assert not button.isVisible() or button.width() >= button.sizeHint().width() - 1, button
    found = window.desk("cabinet")
    assert isinstance(found, CabinetDesk) and found.drawers.isVisible() is (text == 1.0)
    assert found.bar.drawer.isVisible() is (text == 1.5) and found.wall.width() > 300
    if text == 1.5:
        assert found.bar.drawer.text() == "Everything ▾"


def test_a_cabinet_that_cannot_be_written_is_shown_and_says_so(
    pieces: dict[str, Entry], places: Places, make_window: Callable[[], Window], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("engraver.core.cabinet.store.migrate", lambda base: base.execute("CREATE TABLE x.y (z)"))
    window = make_window()
    window.go_to("cabinet")
    rest(window)
    desk = window.desk("cabinet")
    assert isinstance(desk, CabinetDesk)
    assert len(names(desk)) == 5 and "can be read, not changed" in desk.bar.count.text()
    press(desk, "Rope")
    QTest.mouseClick(desk.panel.star, LEFT)
    rest(window)
    assert "cannot be written" in window.notice.text()
    window.commands["cabinet-copy"].do()
    rest(window)
    assert QGuiApplication.clipboard().image().width() == 48


def test_lamps_stand_in_few_places_and_light_turns_with_them() -> None:
    lamps = Lamps()
    assert lamps.table(4, 0, 10) is lamps.table(4.1, 0.05, 10)
    tables = {id(lamps.table(10 * np.cos(a), 10 * np.sin(a), 10)) for a in np.linspace(0, 2 * np.pi, 500)}
    assert len(tables) == 32
    left, right = (lamps.table(x, 0, 10).reshape(256, 256) for x in (-10, 10))
    assert np.array_equal(left[:, 1:], right[:, :0:-1])  # mirrored: the lamp on the other side


def test_the_demos_old_files_have_what_they_are_there_for_and_filling_twice_is_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from engraver.core.recipe import Project
    from engraver.core.sources import SourceStore

    monkeypatch.setattr(demo_cabinet, "demo_project", lambda sources, folder: Project(name="Saltmarrow Quay"))
    few = {id: one for id, one in demo_cabinet.STARTERS.items() if id in ("soft-disc", "crest", "slot")}
    monkeypatch.setattr(demo_cabinet, "STARTERS", few)
    with Cabinet(tmp_path / "cabinet") as cabinet:
        assert fill(cabinet, SourceStore()) == fill(cabinet, SourceStore()) == 6
        assert cabinet.count() == 6 and [d.name for d in drawers.drawers(cabinet)] == [
            "Carvings", "Metal that tiles", "The old hull",
        ]  # fmt: skip
        wrong = {e.name: set(e.wrong) for e in cabinet.find(Query(tag="old"))}
    assert len(old_files()) == 4 and all(wrong.values())
    assert "bands" in wrong["old_barnacles"] and "border" in wrong["plank_b"]


def test_a_kept_picture_is_the_file_of_the_artist_to_the_byte_and_others_read_it(tmp_path: Path) -> None:
    with Cabinet(tmp_path / "cabinet") as cabinet:
        entry = put(cabinet, "Rope", 1)
        data = cabinet.picture(entry)
    assert data == png(1)
    stored = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert np.array_equal(stored, np.round(tones(1) * 65535).astype(np.uint16))
