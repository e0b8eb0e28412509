"""Paper: for paint tips and masks, judged flat and in ink."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...errors import Watch
from ..paper import page
from .kind import Sheet, SurfaceKind


def _draw(sheet: Sheet, check: Watch) -> NDArray[np.uint8]:
    return page(sheet.height, sheet.paper, *sheet.size, zero=sheet.zero, check=check)


PAPER = SurfaceKind(
    id="paper", name="Paper", command="Proof on paper", key="\\", draw=_draw, foot="paper", suits=("paint", "mask")
)
