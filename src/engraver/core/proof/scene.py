"""A plate tried on the bench: one mark, or tiles, pressed into a surface and drawn in plaster."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from ..errors import Watch, unwatched
from ..pressing.expand import Marks, fixed_right
from ..pressing.relief import Relief, Tip
from ..pressing.settings import StrokeSettings
from ..pressing.tip import squared
from ..raster import Pixels, Wrap
from ..surfaces import Sheet, SurfaceKind, surface
from ..surfaces.ground import Ground
from .look import Look
from .trial_picture import TrialPicture

# Surfaces that are kept with what was pressed into them: one for while things move, one for when they rest.
_HELD = 2


@dataclass
class _Held:
    relief: Relief
    picture: TrialPicture
    pressed: tuple[Any, ...] = ()


@lru_cache(maxsize=3)
def _ground(id: str, points: int) -> Ground:
    """A surface of the bench, the same for every window."""
    return surface(id).geometry.build(points, None)


class BenchScene:
    """Presses a plate into surfaces and draws them; belongs to one thread."""

    def __init__(self) -> None:
        self._held: OrderedDict[tuple[str, int], _Held] = OrderedDict()

    def forget(self) -> None:
        """Let go of what is held."""
        self._held.clear()

    def _on(self, kind: SurfaceKind, points: int) -> _Held:
        key = kind.id, points
        held = self._held.get(key)
        if held is None:
            relief = Relief(_ground(kind.id, points))
            held = self._held[key] = _Held(relief, TrialPicture(relief, kind.geometry))
        self._held.move_to_end(key)
        while len(self._held) > _HELD:
            self._held.popitem(last=False)
        return held

    def pressed(self, kind: SurfaceKind, sheet: Sheet, check: Watch = unwatched) -> Relief:
        """The surface with the sheet's plate in it. Raises Cancelled when nobody waits any more."""
        assert kind.single is not None
        held = self._on(kind, sheet.points)
        wanted = (sheet.height, sheet.strength, sheet.cut, sheet.repeats, sheet.wrap)
        if held.pressed and held.pressed[0] is wanted[0] and held.pressed[1:] == wanted[1:]:
            return held.relief
        held.pressed = ()
        tall, half, strength = (
            np.clip(sheet.height, -1, 1).astype(np.float32, copy=False),
            kind.single.half,
            sheet.strength,
        )
        if sheet.repeats:  # the mark grows to all that tiles cover; white stands as high as in one tile
            half = half * kind.single.covered
            tall = covered(tall, sheet.repeats, round(2 * half / held.relief.ground.edge), sheet.wrap)
            strength = strength / sheet.repeats
        check()
        place, normal = kind.geometry.onto(np.array([[0.0, 0.0, 1.0]]), None)
        one = np.ones(1)
        mark = Marks(
            place,
            normal,
            fixed_right(normal),
            half * one,
            one,
            one,
            one,
            strength * (-1 if sheet.cut else 1) * one,
            one,
        )
        held.relief.go_back(None)
        held.relief.press(mark, Tip(squared(tall)), _PLAIN, None, check)
        held.relief.all_changed = True
        held.pressed = wanted
        return held.relief

    def draw(self, kind: SurfaceKind, sheet: Sheet, check: Watch = unwatched) -> NDArray[np.uint8]:
        """A plate pressed into plaster: uint8 (height, width, 3), RGB. Raises Cancelled."""
        assert kind.single is not None
        self.pressed(kind, sheet, check)
        check()
        fit = min(sheet.size[0], sheet.size[1] * kind.single.upright) / kind.single.reach
        look = Look(sheet.size, sheet.eye, sheet.lamp, rough=not sheet.smooth, surround=sheet.surround, fit=fit)
        return self._on(kind, sheet.points).picture.draw(look, check).picture


_PLAIN = StrokeSettings()


def covered(tile: Pixels, repeats: int, points: int, wrap: Wrap = (True, True)) -> Pixels:
    """A square sheet of tiles, ``repeats`` across, in about as many pixels as the surface has points.

    Of a strip one row, or one column, along the axis that repeats.
    """
    if wrap == (False, True):
        return np.ascontiguousarray(covered(tile.T, repeats, points, (True, False)).T)
    across = max(4, -(-points // repeats))
    down = max(4, round(across * tile.shape[0] / tile.shape[1]))
    way = cv2.INTER_AREA if across <= tile.shape[1] else cv2.INTER_LINEAR
    one = cv2.resize(tile, (across, down), interpolation=way)
    rows = -(-across * repeats // down) if wrap[1] else 1
    sheet = np.tile(one, (rows, repeats))
    return np.ascontiguousarray(sheet[: across * repeats])
