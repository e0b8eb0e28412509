"""Icons of the project's brushes: the plate pressed on a ball, made one by one off the window's thread."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from engraver.core.engine import Request, resolve
from engraver.core.errors import EngraverError, Watch
from engraver.core.pressing.tip import heights_of
from engraver.core.proof.icon import icon
from engraver.core.recipe import Brush

from .lanes import LatestLane
from .studio import Studio

SIDE = 48
_PLATE, _MOST = 256, 200
Icon = NDArray[np.uint8]


class BrushIcons:
    """Keeps icons by what they are made from."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._known: dict[str, Icon | None] = {}

    def _key(self, brush: Brush) -> str:
        try:
            return resolve(self._studio.project, brush.plate.id, self._studio.sources).keys[-1]
        except EngraverError:
            return ""

    def at_hand(self, brush: Brush) -> Icon | None:
        """A brush's icon, uint8 (SIDE, SIDE, 4); None while it is not made, or cannot be."""
        return self._known.get(self._key(brush))

    def ask(self, lane: LatestLane, done: Callable[[], object]) -> None:
        """Make the first icon that is missing; ``done`` is called when it is there."""
        project, engine = self._studio.project, self._studio.engine
        missing = ((b, key) for b in project.brushes if (key := self._key(b)) and key not in self._known)
        brush, key = next(missing, (None, ""))
        if brush is None:
            return
        plate = brush.plate.id

        def work(check: Watch) -> Icon:
            raster = engine.evaluate(resolve(project, plate, engine.sources), Request(side=_PLATE), check).raster
            return icon(heights_of(raster), side=SIDE, cache=engine.sources.cache, check=check)

        def made(one: Icon | None) -> None:
            self._known = dict([*self._known.items(), (key, one)][-_MOST:])
            done()

        lane.submit(work, made, lambda _: made(None))
