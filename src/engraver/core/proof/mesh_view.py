"""A mesh as it is looked at before it is captured: in plaster, with what would be cut flat."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.capture import AutoFrame, Capture, outline_frame, posed
from engraver.core.mesh.raster import Frame, nearest, on_screen
from engraver.core.mesh.shape import Shape

from ..errors import Watch, unwatched
from ..raster import Pixels
from ..surfaces.view import Colour, Lamp
from .plaster import plaster_ramp

# The lamp of the capture view, from the upper left; and a weak one from the other side.
LAMP = Lamp(315.0, 33.0)
_FILL = Lamp(120.0, 30.0)
_AMBIENT = 0.2
# Room round the whole mesh when it is first looked at.
ROOM = 1.22
# A view stays while the mesh takes so much of its shorter side.
_FILLS = 0.55
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


def home(shape: Shape, params: Capture, width: int, height: int, now: Frame | None = None) -> Frame:
    """The frame of a view of (width, height) pixels that shows all of the mesh as it is turned.

    ``now``, the frame that is shown, stays while the mesh lies in it and fills enough of it: turning a mesh a little
    does not move the eye.
    """
    view = posed(shape, params, coarse=True)
    if view.rolled is None:
        own = outline_frame(view)
        shorter = width / max(1, min(width, height))
        if now is not None:
            across, up = now.width, now.width * height / max(1, width)
            inside = abs(own.x - now.x) + own.width / 2 <= across / 2 and abs(own.y - now.y) + own.width / 2 <= up / 2
            if inside and own.width >= _FILLS * min(across, up):
                return now
        return Frame(own.x, own.y, own.width * ROOM * shorter)
    rolled = view.rolled
    length = rolled.high - rolled.low
    reach = max(rolled.width, length * width / max(1, height))
    return Frame(0.0, (rolled.low + rolled.high) / 2, reach * ROOM)


def see(
    shape: Shape, params: Capture, frame: Frame, size: tuple[int, int], *,
    found: AutoFrame | None = None, surround: Colour = (134, 133, 127),
    tints: tuple[Colour, Colour] = ((154, 68, 32), (35, 105, 94)), check: Watch = unwatched,
    coarse: bool = False,
) -> Seen:  # fmt: skip
    """Draw the mesh in the pose of a capture.

    Parameters
    ----------
    frame : Frame
        What of the eye's plane the picture shows.
    size : (int, int)
        Height and width in pixels.
    found : AutoFrame, optional
        What the capture came to: what it cuts flat is hatched.
    tints : two colours
        For what is cut at the top and at the bottom.
    coarse : bool
        From few triangles, for while the hand moves.
    """
    from engraver.core.mesh import kernels

    view = posed(shape, params, coarse=coarse)
    rows, columns = size
    to_pixels, shift = on_screen(frame, columns, rows)
    height, cover = nearest(
        view.points, view.faces, to_pixels @ view.matrix, shift, columns, rows,
        samples=1 if coarse else 4, skip_back=params.skip_back, check=check,
    )  # fmt: skip
    check()
    there = cover > 0
    open_: Pixels = np.where(there, height, np.float32(-np.inf)).astype(np.float32)
    light, picture = np.empty_like(open_), np.empty((rows, columns, 3), np.uint8)
    lamp, fill = (lamp.direction().astype(np.float64) * (1, -1, 1) for lamp in (LAMP, _FILL))
    kernels.shade(open_, frame.width / columns, lamp, fill, _AMBIENT, 0, rows, light)
    height += np.float32(view.base)
    lo, hi = -np.inf, np.inf
    if found is not None:
        grain = (found.hi - found.lo) * 1e-4
        lo, hi = found.lo - grain, found.hi + grain
    ground, colours = np.array(surround, np.float32), np.array(tints, np.float32)
    kernels.plaster(light, cover, height, plaster_ramp(), ground, lo, hi, colours, _HATCH, picture)
    height[~there] = np.nan
    return Seen(picture, height, frame)
