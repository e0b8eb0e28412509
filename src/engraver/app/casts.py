"""Casts of what is kept, as views show them: made or read elsewhere, a few at a time, those in sight first."""

from __future__ import annotations

from collections import OrderedDict
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from engraver.core.cabinet.reliefs import SIDE, Reliefs
from engraver.core.errors import EngraverError, Watch
from engraver.core.proof.relief_light import HIGH, LOW, lamp_table, plaster_colours
from engraver.core.raster import Zero

from .lanes import Lane, LatestLane

Cast = NDArray[np.uint8]
Key = tuple[str, Zero, int]
# Casts that are made before any of them is shown, and bytes of those that are at hand.
_AT_ONCE, _MOST = 8, 128_000_000
# Where the lamp can stand: so many directions, and heights from its middle to its rim.
_TURNS, _HEIGHTS = 32, 6


class Lamps:
    """Tables of light for a lamp that wanders, each made once."""

    def __init__(self) -> None:
        self.colours = plaster_colours()
        self._tables: dict[tuple[int, int], NDArray[np.uint8]] = {}

    def table(self, x: float, y: float, reach: float) -> NDArray[np.uint8]:
        """The light on something from a lamp that stands ``x`` to the right and ``y`` below of it; at ``reach`` it
        comes from low down. All in one unit."""
        away = float(np.hypot(x, y))
        turn = round(np.degrees(np.arctan2(y, x)) / 360 * _TURNS) % _TURNS if away > 0 else 0
        height = round(min(1.0, away / max(reach, 1e-6)) * (_HEIGHTS - 1))
        if (turn, height) not in self._tables:
            stands = HIGH + (LOW - HIGH) * height / (_HEIGHTS - 1)
            self._tables[turn, height] = lamp_table(turn * 360 / _TURNS, stands)
        return self._tables[turn, height]


class Casts(QObject):
    """Keeps casts at hand, by picture, zero and side."""

    came = Signal()

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._reliefs = Reliefs(folder)
        self._known: OrderedDict[Key, Cast | None] = OrderedDict()
        self._bytes = 0
        self._wanted: list[Key] = []
        self._lane = LatestLane("casts", stop_old=False, parent=self)

    @property
    def lanes(self) -> list[Lane]:
        return [self._lane]

    def at_hand(self, key: Key) -> Cast | None:
        """A cast, its longer side as the key says; None while it is not there, or cannot be made."""
        found = self._known.get(key)
        if found is not None:
            self._known.move_to_end(key)
        return found

    def broken(self, key: Key) -> bool:
        """Whether it cannot be made."""
        return key in self._known and self._known[key] is None

    def want(self, keys: list[Key]) -> None:
        """These are in sight: those that are missing are made, in order; what was wanted before no longer counts."""
        self._wanted = [key for key in dict.fromkeys(keys) if key not in self._known]
        self._next()

    def _next(self) -> None:
        some = self._wanted[:_AT_ONCE]
        if not some:
            return

        def work(check: Watch) -> dict[Key, Cast | None]:
            return {key: self._made(key) for key in some}

        self._lane.submit(work, self._done, lambda _: None)

    def _made(self, key: Key) -> Cast | None:
        digest, zero, side = key
        try:
            if side > SIDE:
                return self._reliefs.large(digest, zero, side)
            kept = self._reliefs.get(digest, zero)
        except EngraverError:
            return None
        by = side / max(kept.shape[:2])
        size = max(1, round(kept.shape[1] * by)), max(1, round(kept.shape[0] * by))
        small = cv2.resize(kept, size, interpolation=cv2.INTER_AREA)
        return np.ascontiguousarray(small)

    def _done(self, made: dict[Key, Cast | None]) -> None:
        for key, cast in made.items():
            self._known[key] = cast
            self._bytes += cast.nbytes if cast is not None else 0
        while self._bytes > _MOST and len(self._known) > len(made):
            _, old = self._known.popitem(last=False)
            self._bytes -= old.nbytes if old is not None else 0
        self._wanted = [key for key in self._wanted if key not in self._known]
        self.came.emit()
        self._next()
