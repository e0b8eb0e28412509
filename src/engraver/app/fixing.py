"""Fixes off the window's thread: tried before they are offered, and all of them at a press."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from engraver.core.errors import Watch
from engraver.core.readiness import Gauge
from engraver.core.readiness.trying import Pressed, Trying
from engraver.core.recipe import Project

from .lanes import LatestLane
from .measuring import MeasuredPlate

if TYPE_CHECKING:
    from .pictures import Pictures

# The hand has rested so long before fixes are tried.
REST_MS = 700


class Fixing(QObject):
    """Follows what was measured; tells the gauges again once their fixes have been tried."""

    vetted = Signal(object)

    def __init__(self, pictures: Pictures) -> None:
        super().__init__(pictures)
        self._pictures = pictures
        self.lane = LatestLane("fixes", stop_old=True, parent=self)
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._try)
        pictures.measured.connect(self._measured)
        pictures.stale.connect(self.drop)

    def _trying(self, check: Watch, plate: str) -> Trying:
        studio = self._pictures.studio
        return Trying(studio.engine, plate, studio.destination, check)

    def drop(self) -> None:
        """Something changed: what was measured is of no use any more."""
        self._rest.stop()
        self.lane.drop()

    def end(self) -> None:
        self._rest.stop()
        self.lane.end()

    def pause(self, ms: int) -> None:
        """How long the hand has to rest before fixes are tried."""
        self._rest.setInterval(ms)

    def hurry(self) -> None:
        """Try now what waits for the hand to rest."""
        if self._rest.isActive():
            self._rest.stop()
            self._try()

    def _measured(self, full: MeasuredPlate | None) -> None:
        self.drop()
        if full is not None and any(g.fix for g in full.gauges):
            self._rest.start()  # trying takes a second of both cores: not while the hand goes on

    def _try(self) -> None:
        """Try the fixes that the gauges name; only those that help are offered."""
        studio, full = self._pictures.studio, self._pictures.full
        plate, project = studio.plate_id, studio.project
        if full is None or plate is None:
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
