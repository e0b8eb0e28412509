"""Files as the receiver reads them: by libraries that Engraver itself does not read pictures with."""

from __future__ import annotations

import io
import math
import warnings
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

import cv2
import numpy as np
from numpy.typing import NDArray

from engraver.core.errors import EngraverError
from engraver.core.pressing.tip import heights, squared
from engraver.core.raster import Pixels

from .habit import Habit, Takes

# Pixels that it takes in at most.
_MOST = 16384 * 16384
_FIRST: Mapping[bytes, Takes] = MappingProxyType({
    b"\x89PNG\r\n\x1a\n": "png", b"\xff\xd8\xff": "jpeg", b"II*\x00": "tiff", b"MM\x00*": "tiff",
    b"\x76\x2f\x31\x01": "exr",
})  # fmt: skip


class Unreadable(Exception):
    """The receiver cannot read a file; its words say why."""


@dataclass(frozen=True, eq=False)
class Arrived:
    """What a file has become.

    Attributes
    ----------
    kind : str
    width, height : int
        Of the file, in pixels.
    tones : float32 (H, W)
        0 black to 1 white, of the file's own shape, after what the habit keeps of its bits.
    stored : int
        Bits of a stored value.
    """

    kind: Takes
    width: int
    height: int
    tones: Pixels
    stored: int


def kind_of(data: bytes, name: str) -> Takes | None:
    """What a file is by its first bytes; raw heights have none and go by their name."""
    for first, kind in _FIRST.items():
        if data.startswith(first):
            return kind
    return "raw" if name.lower().endswith((".raw", ".r16")) else None


def sides(data: bytes) -> tuple[int, int] | None:
    """(width, height) as the header of a PNG, JPEG or TIFF says; None for others. Raises Unreadable."""
    from PIL import Image

    if kind_of(data, "") not in ("png", "jpeg", "tiff"):
        return None
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data)) as picture:
                return picture.size
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise Unreadable("the file is damaged, or of a make that it does not read") from error


def read(data: bytes, name: str, habit: Habit) -> Arrived:
    """A file by a habit. Raises Unreadable."""
    kind = kind_of(data, name)
    if kind is None:
        raise Unreadable("it is no picture that the receiver knows")
    if kind not in habit.formats:
        raise Unreadable(f"it reads {', '.join(habit.formats)}, and this is {kind}")
    across = sides(data)
    if across is not None and across[0] * across[1] > _MOST:
        raise Unreadable("it is larger than anything it reads")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            values = _READERS[kind](data)
    except Unreadable:
        raise
    except (EngraverError, ValueError, OSError, RuntimeError, KeyError, SyntaxError, MemoryError) as error:
        raise Unreadable("the file is damaged, or of a make that it does not read") from error
    if values.ndim not in (2, 3) or not values.size:
        raise Unreadable("it holds no picture")
    stored = 32 if values.dtype.kind == "f" else 8 * values.dtype.itemsize
    grey = _grey(values, 1.0 if habit.raises == "black" else 0.0)
    if not np.isfinite(grey).all():
        raise Unreadable("it holds values that are not numbers")
    if stored <= 16:
        kept = min(habit.bits, stored)
        # A program that keeps 8 bits of 16 drops the lower ones.
        levels = 2**kept - 1
        grey = np.minimum(np.floor(grey * 2**kept), levels) / levels if kept < stored else grey
    tones: Pixels = np.ascontiguousarray(grey, np.float32)
    return Arrived(kind, tones.shape[1], tones.shape[0], tones, stored)


def _grey(values: NDArray[np.generic], ground: float) -> NDArray[np.float64]:
    """0..1; colours by Rec. 709's weights for light, what is see-through over a ground, 0 or 1."""
    scale = 1.0 if values.dtype.kind == "f" else float(np.iinfo(values.dtype).max)  # type: ignore[type-var]
    planes = values.astype(np.float64) / scale
    if planes.ndim == 2:
        return planes
    count = planes.shape[2]
    alpha = planes[..., -1] if count in (2, 4) else 1.0
    grey = planes[..., 0] if count <= 2 else planes[..., :3] @ np.array([0.2126, 0.7152, 0.0722])
    found: NDArray[np.float64] = ground + (grey - ground) * alpha
    return found


def _png(data: bytes) -> NDArray[np.generic]:
    import imagecodecs

    return np.asarray(imagecodecs.png_decode(data))


def _jpeg(data: bytes) -> NDArray[np.generic]:
    import imagecodecs

    return np.asarray(imagecodecs.jpeg8_decode(data))


def _tiff(data: bytes) -> NDArray[np.generic]:
    from PIL import Image

    with Image.open(io.BytesIO(data)) as picture:
        found = np.asarray(picture)
    if found.dtype == np.int32:  # Pillow's way of 16 bits where a file says so by its byte order
        found = found.astype(np.uint16)
    return found.astype(np.uint8) * 255 if found.dtype == bool else found


def _exr(data: bytes) -> NDArray[np.generic]:
    import OpenEXR

    with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
        channels = file.channels()
        name = next((n for n in ("Y", "R", *channels) if n in channels), None)
        if name is None:
            raise Unreadable("it holds no picture")
        return np.array(channels[name].pixels, np.float32)


def _raw(data: bytes) -> NDArray[np.generic]:
    side = math.isqrt(len(data) // 2)
    if side * side * 2 != len(data) or not side:
        raise Unreadable("bare heights must be a square of 16-bit values")
    return np.frombuffer(data, "<u2").reshape(side, side)


_READERS = {"png": _png, "jpeg": _jpeg, "tiff": _tiff, "exr": _exr, "raw": _raw}


def heights_of(tones: Pixels, habit: Habit) -> Pixels:
    """Tones 0..1 (H, W) as a square of heights, float32 (n, n): 1 full height, 0 untouched, below where it cuts."""
    high = heights(1 - tones if habit.raises == "black" else tones, habit.zero)
    if habit.square == "pad" or high.shape[0] == high.shape[1]:
        return np.ascontiguousarray(squared(high), np.float32)
    side = max(high.shape)
    stretched: Pixels = cv2.resize(high, (side, side), interpolation=cv2.INTER_LINEAR)
    return stretched
