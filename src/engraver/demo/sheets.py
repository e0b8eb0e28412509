"""Sheets of the demo set for a scanner's bed: (height, width) -> colours (H, W, 3) in 0..1."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from engraver.core.numeric import resample
from engraver.core.raster import Pixels

from . import harbour, papers, props


def _net(height: int, width: int) -> Pixels:
    tone = 0.3 + 0.5 * harbour.net_weave(height, width)
    return (tone[..., None] * np.array((1.0, 0.98, 0.93), np.float32)).astype(np.float32)


def _knots(height: int, width: int) -> Pixels:
    page = papers.knot_drawings(900, round(900 * width / height))
    bare = (page.rgb.astype(np.float32) / np.float32(255)) / page.light[..., None]
    return np.clip(resample.resize(bare, height, width), 0, 1)


def _rubbing(height: int, width: int) -> Pixels:
    """A rubbing of barnacles: dark where they stand up."""
    side = min(height, width)
    sheet = np.full((height, width), 0.9, np.float32)
    top, left = (height - side) // 2, (width - side) // 2
    sheet[top : top + side, left : left + side] -= 0.62 * props.barnacles(side)
    return np.repeat(sheet[..., None], 3, axis=2)


SHEETS: Mapping[str, Callable[[int, int], Pixels]] = {
    "Net weave": _net, "Knot-work page": _knots, "Barnacle rubbing": _rubbing,
}  # fmt: skip
