"""Between places in shares of the source and places in shares of the picture shown."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF

from engraver.core.errors import EngraverError
from engraver.core.numeric.warp import through
from engraver.core.recipe import Step

from ..ui import Ui

Place = tuple[float, float]
Places = NDArray[np.floating]


class SourceMap:
    """By the geometry of the steps before the edited one, whose input is shown; None where that is not known."""

    def __init__(self, ui: Ui) -> None:
        self._ui = ui

    def _matrix(self, step: Step) -> NDArray[np.float64] | None:
        """The homography (3, 3) from the source to the picture shown."""
        studio = self._ui.studio
        try:
            line = studio.line()
        except EngraverError:
            return None
        if line is None:
            return None
        facts, source = line.facts[line.place_before(step.uid)], line.facts[0]
        shrink = np.diag([1 / facts.width, 1 / facts.height, 1.0])
        found: NDArray[np.float64] = (
            shrink @ studio.engine.into(line, step.uid) @ np.diag([source.width, source.height, 1.0])
        )
        return found

    def shown(self, step: Step, places: Places) -> NDArray[np.float64] | None:
        """Where places (n, 2) of the source lie in the picture shown, float64 (n, 2)."""
        matrix = self._matrix(step)
        return None if matrix is None else through(matrix, np.asarray(places, np.float64).reshape(-1, 2))

    def sources(self, step: Step, shares: Places) -> NDArray[np.float64] | None:
        """The places of the source, float64 (n, 2), under places (n, 2) of the picture shown."""
        matrix = self._matrix(step)
        if matrix is None:
            return None
        return through(np.asarray(np.linalg.inv(matrix)), np.asarray(shares, np.float64).reshape(-1, 2))

    def source(self, step: Step, share: QPointF) -> Place | None:
        """The place of the source under one place of the picture shown."""
        found = self.sources(step, np.array([[share.x(), share.y()]]))
        return None if found is None else (float(found[0, 0]), float(found[0, 1]))
