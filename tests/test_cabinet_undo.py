"""What was done to the cabinet is taken back and done again, to the last value, whatever another program did."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest

from at_cabinet import names, press, rest, window_of
from engraver.app.desks.cabinet import CabinetDesk
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet, CabinetTrouble, Entry, Query, drawers
from engraver.core.cabinet.entry import retagged
from engraver.core.cabinet.past import bring_back
from engraver.core.cabinet.undo_log import Change, UndoLog
from engraver.core.cabinet.upkeep import integrity
from kept import put

TABLES = {"entries": "id", "drawers": "id", "lies_in": "drawer, entry", "history": "entry, kept"}
NAMES = ["Rope", "Cork", "O'Hara's \"crust\"", "Würfel; DROP TABLE entries", "-- 100 %", "x" * 40]


def told(cabinet: Cabinet) -> dict[str, list[dict[str, Any]]]:
    """Every value of every table, but for when an entry was used last: that goes on by itself."""
    return {
        table: [
            {
                n: v
                for (_, n, *_), v in zip(cabinet.rows(f"PRAGMA table_info({table})"), row, strict=True)
                if n != "used"
            }
            for row in cabinet.rows(f"SELECT * FROM {table} ORDER BY {by}")
        ]
        for table, by in TABLES.items()
    }


def acts(data: st.DataObject, cabinet: Cabinet) -> Callable[[Cabinet], object]:
    """Something that the desk does, of what is there."""
    ids = [e.id for e in cabinet.find(Query())]
    mine = drawers.drawers(cabinet)
    some = data.draw(st.lists(st.sampled_from(ids), min_size=1, max_size=3, unique=True)) if ids else []
    name = data.draw(st.sampled_from(NAMES))
    drawer = data.draw(st.sampled_from(mine)) if mine else None
    filled = [d.id for d in mine if d.query is None]
    ways: list[Callable[[Cabinet], object]] = [
        lambda c: c.change_each([(id, {"name": name, "tags": (name, "deck"), "favourite": True}) for id in some]),
        lambda c: c.change_each([(id, {"colour": "green", "notes": name}) for id in some]),
        lambda c: c.forget(some),
        lambda c: drawers.add(c, name),
        lambda c: drawers.add(c, name, Query(words=name)),
        lambda c: drawers.put(c, drawers.add(c, name).id, some),
        lambda c: put(c, name, len(name)),
    ]
    if drawer is not None:
        ways += [lambda c: drawers.rename(c, drawer.id, name), lambda c: drawers.remove(c, drawer.id)]
    if filled:
        ways += [lambda c: drawers.put(c, filled[0], some), lambda c: drawers.take_out(c, filled[0], some)]
    return data.draw(st.sampled_from(ways))


@given(data=st.data())
@settings(max_examples=25, deadline=None)
def test_all_is_as_it_was_step_by_step_and_again(data: st.DataObject) -> None:
    with tempfile.TemporaryDirectory() as folder, Cabinet(Path(folder)) as cabinet:
        for n, name in enumerate(NAMES[:4]):
            put(cabinet, name, n, tags=("harbour",))
        log, was, steps = UndoLog(cabinet), [told(cabinet)], []
        for n in range(data.draw(st.integers(1, 8))):
            _, step = log.record(acts(data, cabinet), f"step {n}")
            if step is not None:
                steps.append(step)
                was.append(told(cabinet))
            else:
                assert told(cabinet) == was[-1]
        for _ in range(2):  # back, again, and once more
            again: list[Change] = []
            for before, step in zip(was[-2::-1], reversed(steps), strict=True):
                back = log.undo(step)
                assert back is not None and told(cabinet) == before
                again.append(back)
            steps = []
            for after, back in zip(was[1:], reversed(again), strict=True):
                forth = log.undo(back)
                assert forth is not None and told(cabinet) == after
                steps.append(forth)
        assert integrity(cabinet) == ["ok"]
        for entry in cabinet.find(Query()):  # the words are found that are there, and only these
            first = "".join(c if c.isalnum() else " " for c in entry.name).split()[0]
            assert entry.id in [e.id for e in cabinet.find(Query(words=first))]


def test_what_another_program_did_stays(tmp_path: Path) -> None:
    with Cabinet(tmp_path) as mine, Cabinet(tmp_path) as other:
        rope = put(mine, "Rope", 1)
        log = UndoLog(mine)
        _, named = log.record(lambda c: c.change(rope.id, name="Cable"), "Rename")
        other.change(rope.id, favourite=True, notes="of the pier")
        assert named is not None and named.entries == (rope.id,)
        log.undo(named)
        now = mine.entry(rope.id)
        assert (now.name, now.favourite, now.notes) == ("Rope", True, "of the pier")
        _, gone = log.record(lambda c: c.forget([rope.id]), "Take out")
        put(other, "Rope", 1)  # it comes again from the same file
        assert gone is not None
        with pytest.raises(CabinetTrouble, match="changed since"):
            log.undo(gone)
        assert mine.count() == 1


def test_what_has_no_label_or_fails_or_is_only_used_is_no_step(tmp_path: Path) -> None:
    with Cabinet(tmp_path) as cabinet:
        rope, log = put(cabinet, "Rope", 1), UndoLog(cabinet)
        assert log.record(lambda c: c.change(rope.id, name="Cable"), "")[1] is None
        assert log.record(lambda c: c.change(rope.id, used=9.0), "Use")[1] is None
        assert log.record(lambda c: c.change(rope.id, name="Cable"), "The same name")[1] is None
        with pytest.raises(CabinetTrouble):
            log.record(lambda c: [c.forget([rope.id]), c.entry(rope.id)], "Half of it")
        assert cabinet.count() == 0 and log.record(lambda c: None, "Nothing")[1] is None


def test_a_picture_that_is_brought_back_goes_again(tmp_path: Path) -> None:
    with Cabinet(tmp_path) as cabinet:
        first = put(cabinet, "Rope", 1, origin="quay:rope")
        second = put(cabinet, "Rope", 2, origin="quay:rope")
        log, before = UndoLog(cabinet), told(cabinet)
        assert second.id == first.id and second.picture != first.picture
        _, step = log.record(lambda c: bring_back(c, first.id, first.picture), "Bring back")
        assert cabinet.entry(first.id).picture == first.picture and step is not None
        log.undo(step)
        assert told(cabinet) == before


TAGS = st.lists(st.sampled_from("abcdef"), unique=True, max_size=5).map(tuple)


@given(own=TAGS, before=TAGS, after=TAGS)
def test_tags_of_others_change_by_what_came_and_went(own: Any, before: Any, after: Any) -> None:
    """Against sets: what came is there, what went is not, and of all else no more and no less than it had."""
    found = retagged(own, before, after)
    assert set(found) == set(own) - (set(before) - set(after)) | (set(after) - set(before))
    assert len(set(found)) == len(found) and retagged(before, before, after) == after
    kept = [tag for tag in found if tag in own]
    assert own == before or kept == [tag for tag in own if tag in kept]  # in the order in which it had them


# -- at the desk -------------------------------------------------------------------------


def _undo(window: Window, key: str = "Ctrl+Z") -> None:
    QTest.keySequence(window, QKeySequence(key))
    rest(window)


def test_a_drawer_and_what_lay_in_it_come_back_and_are_seen(desk: CabinetDesk, pieces: dict[str, Entry]) -> None:
    window = window_of(desk)
    window.activateWindow()
    window.cabinet.change(
        lambda c: drawers.put(c, drawers.add(c, "Deck").id, [pieces[n].id for n in ("Rope", "Cork")])
    )
    rest(window)
    assert not window.top.undo.isEnabled()
    (drawer,) = window.cabinet.chest.drawers
    desk.drawer_acts.remove(drawer.id)
    rest(window)
    assert not window.cabinet.chest.drawers and "Remove the drawer Deck" in window.top.undo.toolTip()
    _undo(window)
    assert [d.name for d in window.cabinet.chest.drawers] == ["Deck"] and window.cabinet.state.drawer == drawer.id
    assert sorted(names(desk)) == ["Cork", "Rope"] and "Taken back" in window.notice.text()
    press(desk, "Cork")
    desk.drawer_acts.take_out()
    rest(window)
    assert names(desk) == ["Rope"]
    _undo(window)
    assert sorted(names(desk)) == ["Cork", "Rope"] and window.cabinet.chosen == (pieces["Cork"].id,)
    _undo(window, "Ctrl+Shift+Z")
    assert names(desk) == ["Rope"] and not window.top.redo.isEnabled()


def test_undo_goes_in_the_order_in_which_things_were_done(desk: CabinetDesk, pieces: dict[str, Entry]) -> None:
    """The cabinet's changes and the project's are one row at its desk; elsewhere undo is the project's."""
    window = window_of(desk)
    window.activateWindow()

    def now() -> tuple[bool, str, bool]:
        found = next(one for one in window.cabinet.found.listed if one.id == pieces["Rope"].id)
        return found.favourite, window.studio.project.name, found.colour == "red"

    press(desk, "Rope")
    QTest.keyClick(desk.wall, Qt.Key.Key_F)
    rest(window)
    studio, before = window.studio, now()[1]
    studio.edit(studio.project.model_copy(update={"name": "Pier"}), "Rename the project")
    window.cabinet.set_entries((pieces["Rope"].id,), "colour", colour="red")
    rest(window)
    states = [now()]
    for _ in range(3):
        _undo(window)
        states.append(now())
    assert states == [(True, "Pier", True), (True, "Pier", False), (True, before, False), (False, before, False)]
    for state in states[2::-1]:
        _undo(window, "Ctrl+Shift+Z")
        assert now() == state
    window.go_to("bench")
    assert "Rename the project" in window.top.undo.toolTip()
    _undo(window)
    assert now() == (True, before, True)


def test_tags_of_many_are_added_and_taken_away_not_replaced(desk: CabinetDesk, pieces: dict[str, Entry]) -> None:
    window = window_of(desk)
    window.cabinet.set_entries((pieces["Crust"].id,), "tags", tags=("old", "wall"))
    rest(window)
    window.cabinet.choose([pieces["Crust"].id, pieces["Rope"].id])
    rest(window)
    desk.panel.tags.setText("pier, deck")
    desk.panel.tags.editingFinished.emit()
    rest(window)
    with Cabinet(window.places.cabinet) as cabinet:
        assert cabinet.entry(pieces["Rope"].id).tags == ("pier", "deck")
        assert cabinet.entry(pieces["Crust"].id).tags == ("old", "wall", "pier")


def test_what_cannot_be_taken_back_is_told_and_the_rest_stands(desk: CabinetDesk, pieces: dict[str, Entry]) -> None:
    window = window_of(desk)
    window.activateWindow()
    window.cabinet.change(lambda c: c.forget([pieces["Rope"].id]), label="take Rope out")
    rest(window)
    with Cabinet(window.places.cabinet) as other:
        put(other, "Rope", 1)
    _undo(window)
    assert "cannot be taken back" in window.notice.text() and len(names(desk)) == 5
    assert not window.top.undo.isEnabled()
