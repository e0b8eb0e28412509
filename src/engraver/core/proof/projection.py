"""From the scene to the pixels of a picture, and back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..surfaces.kind import Geometry
from ..surfaces.view import CAMERA, Eye


@dataclass(frozen=True, slots=True)
class Projection:
    """From the scene to the pixels of a picture, and back."""

    rotation: NDArray[np.float32]
    scale: float
    x: float
    y: float

    def scene(self, x: float, y: float, nearness: float) -> NDArray[np.float64]:
        """The scene place (3,) seen at a pixel, where it is so near."""
        away = -nearness
        eye = np.array([(x - self.x) * away / self.scale, (self.y - y) * away / self.scale, CAMERA - away])
        found: NDArray[np.float64] = self.rotation.T.astype(np.float64) @ eye
        return found

    def pixel(self, place: NDArray[np.float64]) -> tuple[float, float]:
        """The pixel at which a scene place (3,) is seen."""
        eye = self.rotation.astype(np.float64) @ place
        away = max(CAMERA - eye[2], 0.05)
        return self.x + eye[0] * self.scale / away, self.y - eye[1] * self.scale / away

    def numbers(self) -> tuple[NDArray[np.float32], np.float32, np.float32, np.float32, np.float32]:
        """For the compiled loops."""
        to = np.float32
        return self.rotation, to(self.scale), to(CAMERA), to(self.x), to(self.y)


def fit_of(size: tuple[int, int]) -> float:
    """How many pixels of a picture (width, height) the surface may fill."""
    return float(min(size[0], size[1] * 1.15))


def projection(geometry: Geometry, eye: Eye, size: tuple[int, int], wide: float = 0.0) -> Projection:
    """How a surface is seen in a picture of (width, height) pixels; ``wide`` pixels to a scene width of 2."""
    fit = fit_of(size)
    return Projection(
        eye.rotation(), (wide or fit / geometry.reach) / 2 * CAMERA * eye.zoom, size[0] / 2 + eye.x * fit * eye.zoom,
        size[1] / 2 - eye.y * fit * eye.zoom,
    )  # fmt: skip
