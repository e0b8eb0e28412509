"""Drawing a plate that is tried on a surface of the bench."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..surfaces import Sheet, SurfaceKind
from .paper import page
from .scene import BenchScene


def drawn(
    kind: SurfaceKind, sheet: Sheet, check: Watch = unwatched, scene: BenchScene | None = None
) -> NDArray[np.uint8]:
    """The sheet's plate on a surface that the bench offers, uint8 (rows, columns, 3), RGB.

    ``scene`` holds what was drawn before, for who draws again and again.
    """
    if kind.single is None:
        return page(sheet.height, sheet.paper, *sheet.size, zero=sheet.zero, check=check)
    return (BenchScene() if scene is None else scene).draw(kind, sheet, check)
