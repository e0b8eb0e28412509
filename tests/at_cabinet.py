"""A window at the cabinet with five pieces, for tests."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from conftest import LEFT
from engraver.app.desks.cabinet import CabinetDesk
from engraver.app.lanes import wait_idle
from engraver.app.places import Places
from engraver.app.window import Window
from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.to_keep import of_plate
from engraver.core.engine import Engine, SourceStore
from engraver.core.pressing.settings import checked
from engraver.core.recipe import Project, brushes, edits
from engraver.core.starters import starter
from kept import put

CTRL, SHIFT, NONE = (
    Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.NoModifier,
)  # fmt: skip


def rest(window: Window) -> None:
    """Until nothing of the cabinet is under way either."""
    for _ in range(2):
        wait_idle([*window.pictures.lanes, *window.filing.lanes, *window.cabinet.lanes], lambda: window.busy)


def kept(places: Places) -> dict[str, Entry]:
    """Five pieces, among them one with steps and a brush."""
    with Cabinet(places.cabinet) as cabinet:
        found = {
            "Rope": put(cabinet, "Rope", 1, tags=("deck",), made=1.0),
            "Crust": put(cabinet, "Crust", 2, colour="green", made=2.0),
            "Cork": put(cabinet, "Cork", 3, zero="mid", wrong=("bands",), made=3.0),
        }
        engine = Engine(SourceStore())
        project, plate = starter("boss").added_to(Project(name="Quay"))
        project = edits.rename_plate(project, plate, "Boss")
        found["Boss"] = cabinet.keep(of_plate(project, plate, engine))
        project, brush = brushes.keep(project, plate, checked(size=0.31), "black", name="Boss brush")
        found["Boss brush"] = cabinet.keep(of_plate(project, plate, engine, brush=project.brush(brush)))
    return found


def names(desk: CabinetDesk) -> list[str]:
    return [one.name for one in desk.wall.listed]


def press(desk: CabinetDesk, name: str, how: Qt.KeyboardModifier = NONE) -> None:
    """A press on a piece's cast."""
    QTest.mouseClick(desk.wall.viewport(), LEFT, how, desk.wall.place(names(desk).index(name)).center())
    rest(desk.host)  # type: ignore[arg-type]


def window_of(desk: CabinetDesk) -> Window:
    assert isinstance(desk.host, Window)
    return desk.host
