"""Fixes off the window's thread: tried before they are offered, and all of them at a press."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from engraver.core.errors import Watch
from engraver.core.readiness import Gauge
from engraver.core.readiness.trying import Pressed, Trying
from engraver.core.recipe import Project

from .lanes import LatestLane
from .measuring import MeasuredPlate

if TYPE_CHECKING:
    from .pictures import Pictures


class Fixing(QObject):
    """Follows what was measured; tells the gauges again once their fixes have been tried."""

    vetted = Signal(object)

    def __init__(self, pictures: Pictures) -> None:
        super().__init__(pictures)
        self._pictures = pictures
        self.lane = LatestLane("fixes", stop_old=True, parent=self)
        pictures.measured.connect(self._try)
        pictures.stale.connect(self.lane.drop)

    def _trying(self, check: Watch, plate: str) -> Trying:
        studio = self._pictures.studio
        return Trying(studio.engine, plate, studio.destination, check)

    def _try(self, full: MeasuredPlate | None) -> None:
        """Try the fixes that the gauges name; only those that help are offered."""
        studio = self._pictures.studio
        plate, project = studio.plate_id, studio.project
        if full is None or plate is None:
            return
        if not any(g.fix for g in full.gauges):
            self.vetted.emit(full.gauges)
            return

        def work(check: Watch) -> tuple[Gauge, ...]:
            return tuple(self._trying(check, plate).vetted(project, full.gauges))

        def done(found: tuple[Gauge, ...]) -> None:
            if self._pictures.full is full:
                self.vetted.emit(found)

        self.lane.submit(work, done, lambda error: None)

    def fix_all(self) -> None:
        """Press fixes until none is offered, in one undoable edit."""
        studio = self._pictures.studio
        plate, project = studio.plate_id, studio.project
        if plate is None or self._pictures.full is None:
            return

        def work(check: Watch) -> tuple[Project, list[Pressed]]:
            fixed, pressed, _ = self._trying(check, plate).fix_all(project)
            return fixed, pressed

        self._pictures.ask("Fixing…", work, lambda found: studio.fixed(project, *found))
