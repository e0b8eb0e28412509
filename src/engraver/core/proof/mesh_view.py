"""A mesh as it is looked at before it is captured: in plaster, with what would be cut flat."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..mesh.capture import Capture, Found, posed
from ..mesh.raster import Frame, nearest, on_screen
from ..mesh.shape import Shape
from ..raster import Pixels
from .scene import Colour, Lamp, plaster_ramp

# The lamp of the capture view, from the upper left; and a weak one from the other side.
LAMP = Lamp(315.0, 33.0)
_FILL = Lamp(120.0, 30.0)
_AMBIENT = 0.2
# Room round the whole mesh when it is first looked at.
ROOM = 1.1
_TINT = 0.5
_HATCH = 7


@dataclass(frozen=True, slots=True)
class Seen:
    """What the eye sees.

    Attributes
    ----------
    picture : uint8 (H, W, 3)
        Plaster on the surround; hatched in the tints where the depth range cuts.
    heights : float32 (H, W)
        The file's heights towards the eye; NaN where nothing is.
    frame : Frame
        Of the whole picture.
    """

    picture: NDArray[np.uint8]
    heights: Pixels
    frame: Frame


def home(shape: Shape, params: Capture, width: int, height: int) -> Frame:
    """The frame of a view of (width, height) pixels that shows all of the mesh, however it is turned."""
    shorter = width / max(1, min(width, height))
    if not params.roll_out:
        return Frame(0.0, 0.0, shape.reach * ROOM * shorter)
    rolled = posed(shape, params, moving=True).rolled
    assert rolled is not None
    length = rolled.high - rolled.low
    reach = max(rolled.width, length * width / max(1, height))
    return Frame(0.0, (rolled.low + rolled.high) / 2, reach * ROOM)


def see(
    shape: Shape, params: Capture, frame: Frame, size: tuple[int, int], *,
    moving: bool = False, found: Found | None = None, surround: Colour = (134, 133, 127),
    tints: tuple[Colour, Colour] = ((154, 68, 32), (35, 105, 94)), check: Callable[[], None] = lambda: None,
) -> Seen:  # fmt: skip
    """Draw the mesh in the pose of a capture.

    Parameters
    ----------
    frame : Frame
        What of the eye's plane the picture shows.
    size : (int, int)
        Height and width in pixels.
    moving : bool
        From few triangles, for while the hand turns it.
    found : Found, optional
        What the capture came to: what it cuts flat is hatched.
    tints : two colours
        For what is cut at the top and at the bottom.
    """
    from ..mesh import kernels

    view = posed(shape, params, moving=moving)
    rows, columns = size
    to_pixels, shift = on_screen(frame, columns, rows)
    height, cover = nearest(
        view.points, view.faces, to_pixels @ view.matrix, shift, columns, rows,
        samples=1 if moving else 4, skip_back=params.skip_back, check=check,
    )  # fmt: skip
    check()
    there = cover > 0
    open_: Pixels = np.where(there, height, np.float32(-np.inf)).astype(np.float32)
    light = np.empty_like(open_)
    lamp, fill = (lamp.direction().astype(np.float64) * (1, -1, 1) for lamp in (LAMP, _FILL))
    kernels.shade(open_, frame.width / columns, lamp, fill, _AMBIENT, 0, rows, light)
    ramp = plaster_ramp()
    picture = ramp[np.clip(light * (len(ramp) - 1), 0, len(ramp) - 1).astype(np.int32)]
    picture += (np.array(surround, np.float32) - picture) * (1 - cover)[..., None]
    told = height + np.float32(view.base)
    if found is not None:
        grain = np.float32((found.hi - found.lo) * 1e-4)
        y, x = np.ogrid[:rows, :columns]
        line = ((x + y) % _HATCH) < _HATCH // 2
        for cut, tint in ((told > found.hi + grain, tints[0]), (told < found.lo - grain, tints[1])):
            spot = cut & there & line
            picture[spot] += (np.array(tint, np.float32) - picture[spot]) * _TINT
    told[~there] = np.nan
    return Seen(np.clip(picture + 0.5, 0, 255).astype(np.uint8), told, frame)
