"""Strokes brought from source shares into the raster a step works on."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..params import Stroke
from ..raster import Pixels
from .kind import Matrix, StepContext

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


def _through(matrix: Matrix, places: NDArray[np.float64]) -> NDArray[np.float64]:
    homogeneous = np.column_stack([places, np.ones(len(places))]) @ matrix.T
    found: NDArray[np.float64] = homogeneous[:, :2] / homogeneous[:, 2:]
    return found


def placed(stroke: Stroke, context: StepContext) -> Placed:
    """The stroke in this raster's pixels, by the geometry between the source and the step."""
    places = stroke.points[:, :2].astype(np.float64)
    points = _through(context.from_source, places)
    middle = places.mean(axis=0)
    # How long the source's shorter side is here: from a small step about the stroke's middle.
    wide, tall = max(context.source.width, 1), max(context.source.height, 1)
    tiny = 1e-4 * min(wide, tall)
    steps = np.array([(0.0, 0.0), (tiny / wide, 0.0), (0.0, tiny / tall)])
    near = _through(context.from_source, middle + steps)
    across, down = near[1] - near[0], near[2] - near[0]
    grow = float(np.sqrt(abs(across[0] * down[1] - across[1] * down[0]))) / 1e-4
    shift = None
    if stroke.shift is not None:
        moved = _through(context.from_source, np.array([middle + np.array(stroke.shift)]))[0] - near[0]
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


def along(path: NDArray[np.float64], step: float) -> NDArray[np.float64]:
    """Rows of ``path`` (n, 2 or more) at even ways along it, about ``step`` apart; its ends among them."""
    legs = np.hypot(*np.diff(path[:, :2], axis=0).T) if len(path) > 1 else np.zeros(0)
    total = float(legs.sum())
    count = int(total / max(step, 0.5))
    if count < 1:
        return path[:1]
    way, at = np.concatenate([[0.0], np.cumsum(legs)]), np.linspace(0, total, count + 1)
    return np.column_stack([np.interp(at, way, path[:, k]) for k in range(path.shape[1])])


def stamped(
    stroke: Stroke, path: NDArray[np.float64], pressure: NDArray[np.float64], radius: float, out: Pixels,
    seed: int = 0,
) -> None:  # fmt: skip
    """The tip laid along the path, turned and sized by the stroke's own chance; the greatest of all marks counts."""
    tones = stroke.tip_tones
    half = tones.shape[0] / 2
    chance = np.random.Generator(np.random.PCG64(int(stroke.digest, 16) ^ seed))
    for x, y, touch in along(np.column_stack([path, pressure]), stroke.spacing * radius):
        angle = np.radians(stroke.turn) * chance.uniform(-1, 1)
        size = radius * (LEAST + (1 - LEAST) * touch) * (1 - stroke.vary * chance.random())
        reach = int(size * 1.5) + 2
        rows = slice(max(0, int(y) - reach), min(out.shape[0], int(y) + reach + 1))
        columns = slice(max(0, int(x) - reach), min(out.shape[1], int(x) + reach + 1))
        if rows.start >= rows.stop or columns.start >= columns.stop:
            continue
        # From a pixel of the mark back into the tip, centres at .5 on both sides.
        scale = half / max(size, 1e-6)
        c, s = np.cos(angle) * scale, np.sin(angle) * scale
        u, v = columns.start + 0.5 - x, rows.start + 0.5 - y
        back = np.array([[c, s, c * u + s * v + half - 0.5], [-s, c, c * v - s * u + half - 0.5]])
        spot = out[rows, columns]
        way = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        source = tones
        if scale > 1.5:  # a mark smaller than its tip is averaged
            shrink = 1 / scale
            source = cv2.resize(tones, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
            back = shrink * back + np.array([[0, 0, 0.5 * shrink - 0.5]] * 2)
        mark = cv2.warpAffine(source, back, (spot.shape[1], spot.shape[0]), flags=way)
        np.maximum(spot, mark * np.float32(touch), out=spot)
