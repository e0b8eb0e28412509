"""How an outline stands up: its height, its top, its border."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Literal

import numpy as np

from ..numeric import outlined
from ..numeric.contours import Contours
from ..numeric.outlined import Bounds, Box
from ..numeric.sections import NAMES, SECTIONS, Section, rounded
from ..params import Params, choice, fraction, length, number
from ..raster import Pixels

BORDERS = {"hard": "Hard", **NAMES}
_BEVELLED = tuple(name for name in BORDERS if name != "hard")


class Standing(Params):
    """What every outline has that stands up from a plate or cuts into it."""

    level: float = fraction(1.0, -1.0, 1.0, "Height", "How high it stands; below 0 it cuts.")
    top: Literal["flat", "domed", "pointed", "slanted", "hollow"] = choice(
        "flat", {"flat": "Flat", "domed": "Domed", "pointed": "Pointed", "slanted": "Slanted", "hollow": "Hollow"},
        "Top", "What its top is like, from the border to the middle.",
    )  # fmt: skip
    lean: float = number(
        0.0, -180.0, 180.0, "Slants to", "Where a slanted top is low, clockwise from the right.", unit="°",
        when={"top": "slanted"},
    )  # fmt: skip
    border: Literal["hard", Section] = choice(
        "hard", BORDERS, "Border", "Cut straight down, or brought down to the ground by a bevel."
    )
    border_width: float = length(
        0.02, 0.0, 1.0, "Border's width", "From the ground to full height.", soft=(0.0, 0.25),
        when={"border": _BEVELLED},
    )  # fmt: skip
    border_side: Literal["inside", "outside"] = choice(
        "inside", {"inside": "Inside", "outside": "Outside"}, "Border lies",
        "Whether the bevel takes from the shape or is added around it.", when={"border": _BEVELLED},
    )  # fmt: skip


# Height 0..1 by the way 0..1 from the border to the middle.
_TOPS: Mapping[str, Callable[[Pixels], Pixels]] = MappingProxyType({
    "domed": rounded, "pointed": lambda t: t, "hollow": lambda t: np.float32(1) - rounded(t),
})  # fmt: skip


def reach_of(standing: Standing, short: float) -> float:
    """How far beside its outline a shape goes, in pixels."""
    outside = standing.border != "hard" and standing.border_side == "outside"
    return standing.border_width * short if outside else 0.0


def even(standing: Standing) -> bool:
    """Whether it is as high everywhere, and its border cut straight."""
    return standing.top == "flat" and (standing.border == "hard" or standing.border_width == 0)


def _slanted(contours: Contours, box: Box, lean: float) -> Pixels:
    """1 where a shape begins, 0 where it ends, evenly in between, going to ``lean`` degrees."""
    c, s = math.cos(math.radians(lean)), math.sin(math.radians(lean))
    along = np.concatenate([points @ (c, s) for points in contours])
    first, far = float(along.min()), max(float(np.ptp(along)), 1e-6)
    x = (np.arange(box.width) + (box.left + 0.5))[None] * c
    y = (np.arange(box.height) + (box.top + 0.5))[:, None] * s
    return np.clip(1 - (x + y - first) / far, 0, 1).astype(np.float32)


def stand(
    standing: Standing, contours: Contours, within: Bounds, even_odd: bool, short: float, rows: int, columns: int
) -> tuple[Box, Pixels, Pixels | float] | None:
    """How an outline stands on a raster.

    Parameters
    ----------
    contours : closed polygons in pixels of the raster
    within : left, top, right, bottom
        Their bounds.
    even_odd : bool
        The fill rule.
    short : float
        The raster's shorter side in pixels, of which lengths are shares.
    rows, columns : int
        Of the raster.

    Returns
    -------
    box, cover, height
        Where on the raster, how much of each pixel it covers, 0..1, and how high it is there, one number
        where it is as high everywhere; None where nothing of it lies on the raster.
    """
    reach = reach_of(standing, short)
    here = outlined.box_of(within, rows, columns, reach)
    if here is None:
        return None
    level = np.float32(standing.level)
    if even(standing):
        return here, outlined.coverage(contours, here, even_odd), float(level)
    # Its border may lie beside the raster and be the nearest all the same.
    width = standing.border_width * short if standing.border != "hard" else 0.0
    far = max(rows, columns) if standing.top in _TOPS else math.ceil(width) + 2
    wide = outlined.box_of(within, rows, columns, reach, beyond=far) or here
    cover = outlined.coverage(contours, wide, even_odd)
    height = np.full(cover.shape, level, np.float32)
    signed = outlined.distance(contours, wide)
    np.negative(signed, out=signed, where=cover < 0.5)
    if standing.top in _TOPS:
        deep = outlined.deepest(contours, wide, signed)
        height *= _TOPS[standing.top](np.clip(signed / np.float32(deep), 0, 1))
    elif standing.top == "slanted":
        height *= _slanted(contours, wide, standing.lean)
    if width > 0:
        form = SECTIONS[standing.border]
        if standing.border_side == "inside":
            height *= form(np.clip(signed / np.float32(width), 0, 1))
        else:
            height *= form(np.clip(1 + signed / np.float32(width), 0, 1))
            cover = np.clip(signed + np.float32(width + 0.5), 0, 1)
    rows_in, columns_in = here.top - wide.top, here.left - wide.left
    part = slice(rows_in, rows_in + here.height), slice(columns_in, columns_in + here.width)
    return here, cover[part], height[part]
