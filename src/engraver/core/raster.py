"""The picture in flight, what it carries, and the facts known about it without pixels."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from .errors import BadPicture

Pixels = NDArray[np.float32]
Zero = Literal["black", "mid"]
Wrap = tuple[bool, bool]

# From so many values on it pays to start a second thread.
_LARGE = 4_000_000

ZERO_LEVEL: dict[Zero, float] = {"black": 0.0, "mid": 0.5}


@dataclass(frozen=True, slots=True)
class Facts:
    """What can be told about a raster before it is computed.

    Attributes
    ----------
    width, height : int
        Size in pixels at full size.
    channels : int
        1 for grey, 3 for colour.
    coverage : bool
        Whether part of the raster may be "not there".
    wrap : (bool, bool)
        Whether it continues over its borders, along x and along y.
    zero : {"black", "mid"}
        The grey that leaves the surface untouched.
    units : float or None
        Height in scene units of the range 0..1; None when it has no scale.
    source_per_pixel : float
        Source pixels per pixel: the size of the picture's own grain.
    lattice : float or None
        Quantum of the stored values (1/255 for 8 bits) while untouched.
    unit : str
        What ``units`` are counted in, where the source tells it: "m"; "" where it does not.
    spacing : (float, str) or None
        Width of a pixel of the source and what it is counted in, where the source tells it.
    detail : float
        Detail that a pixel of the source can hold, 1 for a picture; less where a mesh has few triangles.
    """

    width: int
    height: int
    channels: int = 1
    coverage: bool = False
    wrap: Wrap = (False, False)
    zero: Zero = "black"
    units: float | None = None
    source_per_pixel: float = 1.0
    lattice: float | None = None
    unit: str = ""
    spacing: tuple[float, str] | None = None
    detail: float = 1.0

    @property
    def shorter(self) -> int:
        return min(self.width, self.height)

    def but(self, **changes: Any) -> Facts:
        return replace(self, **changes)

    def height_words(self) -> str:
        """How far white lies above zero, in the source's own unit; "" where that is not known."""
        if self.units is None or not self.unit:
            return ""
        return f"{self.units * (1 - ZERO_LEVEL[self.zero]):.3g} {self.unit}"

    def spacing_words(self) -> str:
        """How wide a pixel is on the ground; "" where that is not known."""
        if self.spacing is None:
            return ""
        return f"{self.spacing[0] * self.source_per_pixel:.4g} {self.spacing[1]}"


def _sum(values: Pixels) -> float:
    """One sum tells: a single NaN or infinity spreads to it, and it costs one pass; a large one on both cores."""
    if values.size < _LARGE:
        return float(np.add.reduce(values, axis=None))
    half = values.shape[0] // 2
    with ThreadPoolExecutor(2) as pool:
        parts = pool.map(lambda part: float(np.add.reduce(part, axis=None)), (values[:half], values[half:]))
        return sum(parts)


def _seal(array: Any, name: str) -> Pixels:
    sealed: Pixels = np.ascontiguousarray(array, dtype=np.float32)
    if not np.isfinite(_sum(sealed)):
        raise BadPicture(f"the {name} hold values that are not numbers")
    if sealed.base is not None and sealed.flags.writeable:
        sealed = sealed.copy()
    sealed.flags.writeable = False
    return sealed


@dataclass(frozen=True, slots=True)
class Raster:
    """Pixels and what they carry. Make one with :meth:`of`, never directly.

    ``pixels`` is float32 (H, W) or (H, W, 3), C-contiguous, read-only, finite
    and straight (not premultiplied); ``coverage`` is float32 (H, W) in 0..1 or
    None. 1.0 is white; values are unbounded in flight. The other attributes are
    those of :class:`Facts`.
    """

    pixels: Pixels
    coverage: Pixels | None = None
    wrap: Wrap = (False, False)
    zero: Zero = "black"
    units: float | None = None
    source_per_pixel: float = 1.0
    lattice: float | None = None
    unit: str = ""
    spacing: tuple[float, str] | None = None
    detail: float = 1.0

    @classmethod
    def of(cls, pixels: Any, coverage: Any = None, **carried: Any) -> Raster:
        """Seal arrays into a raster.

        Raises
        ------
        BadPicture
            When the shape is not (H, W) or (H, W, 3), or coverage does not match.
        """
        sealed = _seal(pixels, "pixels")
        if sealed.ndim not in (2, 3) or (sealed.ndim == 3 and sealed.shape[2] != 3) or sealed.size == 0:
            raise BadPicture(f"a raster cannot have the shape {sealed.shape}")
        cover = None if coverage is None else _seal(coverage, "coverage")
        if cover is not None and cover.shape != sealed.shape[:2]:
            raise BadPicture("the coverage has another size than the pixels")
        return cls(sealed, cover, **carried)

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    @property
    def shorter(self) -> int:
        return min(self.width, self.height)

    @property
    def channels(self) -> int:
        return 1 if self.pixels.ndim == 2 else 3

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes + (0 if self.coverage is None else self.coverage.nbytes)

    def but(self, **changes: Any) -> Raster:
        """A copy with some parts replaced; new arrays are sealed."""
        for name in ("pixels", "coverage"):
            if changes.get(name) is not None:
                changes[name] = _seal(changes[name], name)
        return replace(self, **changes)

    def facts(self) -> Facts:
        return Facts(
            self.width, self.height, self.channels, self.coverage is not None,
            self.wrap, self.zero, self.units, self.source_per_pixel, self.lattice,
            self.unit, self.spacing, self.detail,
        )  # fmt: skip

    def flat(self) -> Pixels:
        """What is seen, measured and exported: zero + coverage * (pixel - zero)."""
        if self.coverage is None:
            return self.pixels
        level = np.float32(ZERO_LEVEL[self.zero])
        cover = self.coverage if self.channels == 1 else self.coverage[..., None]
        if level == 0:
            return self.pixels * cover
        result: Pixels = level + cover * (self.pixels - level)
        return result

    def flat_points(self, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Pixels:
        """What is seen at some pixels, (n,) or (n, 3); without making the whole flat picture."""
        values: Pixels = self.pixels[rows, columns]
        if self.coverage is None:
            return values
        level, cover = np.float32(ZERO_LEVEL[self.zero]), self.coverage[rows, columns]
        result: Pixels = level + (cover if values.ndim == 1 else cover[:, None]) * (values - level)
        return result
