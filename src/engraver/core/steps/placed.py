"""Strokes brought from source shares into the raster a step works on."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..numeric.warp import through
from ..params import Stroke
from ..pressing.marks import Mark, along, lay
from ..pressing.tip import tip_of
from ..raster import Pixels
from .kind import StepContext

_BITS = 4
# A lighter touch makes a tip this much narrower at no pressure.
LEAST = 0.35


@dataclass(frozen=True, slots=True)
class Placed:
    """A stroke in pixels of the raster: points (n, 2), the brush's radius, and where it takes from."""

    tag: str
    digest: str
    points: NDArray[np.float64]
    radius: float
    shift: tuple[float, float] | None

    def box(self, margin: float) -> tuple[float, float, float, float]:
        """Left, top, right, bottom of the stroke, grown by its radius and a margin."""
        reach = self.radius + margin
        low, high = self.points.min(axis=0) - reach, self.points.max(axis=0) + reach
        return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def placed(stroke: Stroke, context: StepContext) -> Placed:
    """The stroke in this raster's pixels, by the geometry between the source and the step."""
    places = stroke.points[:, :2].astype(np.float64)
    points = through(context.from_source, places)
    middle = places.mean(axis=0)
    # How long the source's shorter side is here: from a small step about the stroke's middle.
    wide, tall = max(context.source.width, 1), max(context.source.height, 1)
    tiny = 1e-4 * min(wide, tall)
    steps = np.array([(0.0, 0.0), (tiny / wide, 0.0), (0.0, tiny / tall)])
    near = through(context.from_source, middle + steps)
    across, down = near[1] - near[0], near[2] - near[0]
    grow = float(np.sqrt(abs(across[0] * down[1] - across[1] * down[0]))) / 1e-4
    shift = None
    if stroke.shift is not None:
        moved = through(context.from_source, np.array([middle + np.array(stroke.shift)]))[0] - near[0]
        shift = (float(moved[0]), float(moved[1]))
    return Placed(stroke.tag, stroke.digest, points, stroke.radius * grow, shift)


def painted(strokes: Iterable[Placed], height: int, width: int) -> Pixels:
    """Where strokes have painted: coverage 0..1 (H, W), smooth at the brush's rim."""
    mask = np.zeros((height, width), np.uint8)
    for stroke in strokes:
        # OpenCV counts pixel centres as whole numbers; ours lie at .5.
        path = np.round((stroke.points - 0.5) * (1 << _BITS)).astype(np.int64)
        path = np.clip(path, -(1 << 24), 1 << 24).astype(np.int32)
        for place in (path[0], path[-1]):
            cv2.circle(mask, place.tolist(), max(1, round(stroke.radius * (1 << _BITS))), 255, -1, cv2.LINE_AA, _BITS)
        if len(path) > 1:
            thick = max(1, round(2 * stroke.radius))
            cv2.polylines(mask, [path[:, None]], False, 255, min(thick, 32767), cv2.LINE_AA, _BITS)
    cover: Pixels = mask.astype(np.float32)
    cover *= np.float32(1 / 255)
    return cover


def tagged(strokes: Iterable[Stroke], context: StepContext, *tags: str) -> list[Placed]:
    """The strokes with one of these tags, in this raster's pixels."""
    return [placed(stroke, context) for stroke in strokes if stroke.tag in tags]


def tip_heights(stroke: Stroke, context: StepContext) -> Pixels:
    """What is laid along a stroke: what it keeps, or another plate as it is finished now.

    Raises
    ------
    BadValue
        The plate is not there any more.
    """
    if not stroke.tip_plate:
        return stroke.tip_tones
    return tip_of(context.followed(stroke.tip_plate))


def stamped(
    stroke: Stroke, tip: Pixels, path: NDArray[np.float64], pressure: NDArray[np.float64], radius: float, out: Pixels,
    seed: int = 0,
) -> None:  # fmt: skip
    """The tip laid along the path, turned and sized by the stroke's own chance; the greater mark counts."""
    chance = np.random.Generator(np.random.PCG64(int(stroke.digest, 16) ^ seed))

    def marks() -> Iterator[Mark]:
        for x, y, touch in along(np.column_stack([path, pressure]), stroke.spacing * radius):
            turn = stroke.turn * chance.uniform(-1, 1)
            size = radius * (LEAST + (1 - LEAST) * touch) * (1 - stroke.vary * chance.random())
            yield Mark(float(x), float(y), float(size), float(turn), strength=float(touch))

    lay(tip, marks(), out, "greater")
