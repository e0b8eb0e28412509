"""The little pictures of the tray: each plate's is drawn when it changes; at the start as it was last seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from engraver.core.errors import Watch

from .lanes import Lane, LatestLane
from .last_seen import LastSeen
from .looking import tray_of
from .studio import Studio


class TrayPictures(QObject):
    """Follows the project when it is asked to; ``pictures`` is by plate, None for one that cannot be drawn."""

    came = Signal(object)
    _one_came = Signal(str, str, object)

    def __init__(self, studio: Studio, seen: LastSeen, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._studio, self._seen = studio, seen
        self.pictures: dict[str, NDArray[np.uint8] | None] = {}
        self._done: dict[str, str] = {}
        # As they were last seen, by what they were drawn from, and of which project; used in the lane.
        self._last: dict[str, NDArray[np.uint8]] = {}
        self._last_of = ""
        self._lane = LatestLane("tray", stop_old=True, parent=self)
        self._one_came.connect(self._take)

    @property
    def lanes(self) -> list[Lane]:
        return [self._lane]

    def forget(self) -> None:
        """Every plate is to be drawn again."""
        self._done.clear()

    def again(self, plate: str) -> None:
        """There is a better picture of a plate to be had by now."""
        self._done.pop(plate, None)

    def ask(self, *, draw: bool = True) -> None:
        """Draw the plates that have changed; without ``draw`` only those come that were last seen as they are."""
        studio, project, known = self._studio, self._studio.project, dict(self._done)

        def work(check: Watch) -> None:
            if self._last_of != project.name:
                self._last_of, self._last = project.name, self._seen.tray(project.name)
            each = self._one_came.emit
            tray_of(studio.engine, studio.sources, project, known, self._last, each, check, draw=draw)

        self._lane.submit(work, lambda _: self._rests(project.name), lambda error: None)

    def _rests(self, project: str) -> None:
        there = {p.id for p in self._studio.project.plates}
        shown = {key: self.pictures[id] for id, key in self._done.items() if id in there}
        self._seen.tray_rests(project, {key: one for key, one in shown.items() if one is not None})

    def _take(self, id: str, key: str, picture: NDArray[np.uint8] | None) -> None:
        self._done[id] = key
        self.pictures[id] = picture
        self.came.emit({id: picture})
