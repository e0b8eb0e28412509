"""From arrays to picture files: PNG, TIFF, OpenEXR, JPEG and bare 16-bit numbers."""

from __future__ import annotations

import datetime
import io
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePath
from types import MappingProxyType
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import BadValue, FileTrouble
from ..numeric.split_rows import BAND, split_rows
from ..raster import Pixels
from . import exr
from .png_write import png

PictureFormat = Literal["png", "tiff", "exr", "jpeg", "raw"]
Depth = Literal["8", "16", "float"]
EXTENSIONS: Mapping[PictureFormat, str] = MappingProxyType(
    {"png": ".png", "tiff": ".tif", "exr": ".exr", "jpeg": ".jpg", "raw": ".raw"}
)
# Which depths each format can hold.
HOLDS: Mapping[PictureFormat, tuple[Depth, ...]] = MappingProxyType(
    {"png": ("8", "16"), "tiff": ("8", "16", "float"), "exr": ("float",), "jpeg": ("8",), "raw": ("16",)}
)
_JPEG_QUALITY = 97
_ARTIST, _DATE = 0x013B, 0x0132
_S_MIN, _S_MAX = 340, 341


@dataclass(frozen=True, slots=True)
class Signed:
    """Who made a file, and when; both may be left out."""

    author: str = ""
    date: datetime.datetime | None = None

    @property
    def stamp(self) -> str:
        """The date as EXIF and TIFF write it."""
        return self.date.strftime("%Y:%m:%d %H:%M:%S") if self.date else ""


UNSIGNED = Signed()


def quantise(values: Pixels, depth: Depth) -> NDArray[Any]:
    """Clip to 0..1 and round to the nearest stored level; mid-grey is 128, 32768 or 0.5.

    Float keeps everything, clipping nothing.
    """
    if depth == "float":
        return values
    top = 255 if depth == "8" else 65535
    kind = np.uint8 if depth == "8" else np.uint16
    stored = np.empty(values.shape, kind)

    def part(first: int, end: int) -> None:
        levels = np.clip(values[first:end], 0, 1)
        levels *= np.float32(top)
        levels += np.float32(0.5)
        stored[first:end] = levels

    split_rows(part, len(values), BAND)
    return stored


def format_of(name: str | PurePath) -> PictureFormat:
    """The format a file name asks for. Raises BadValue for one that cannot be written."""
    ending = PurePath(name).suffix.lower()
    more: dict[str, PictureFormat] = {".tiff": "tiff", ".jpeg": "jpeg", ".r16": "raw"}
    found = {**more, **{e: k for k, e in EXTENSIONS.items()}}.get(ending)
    if found is None:
        raise BadValue(
            f"{PurePath(name).name} cannot be written", f"{ending or 'no ending'} is not a format for alphas",
            "End the name in .png, .tif, .exr, .jpg or .raw",
        )  # fmt: skip
    return found


def encode(
    values: Pixels, kind: PictureFormat, depth: Depth, dpi: float | None = None, *,
    alpha: Pixels | None = None, signed: Signed = UNSIGNED,
) -> bytes:  # fmt: skip
    """A grey picture file as bytes, without any transfer curve or colour profile.

    Parameters
    ----------
    values : float32 (H, W)
        0..1; white is 1.
    kind, depth
        As :data:`HOLDS` says: OpenEXR is always float, JPEG 8 bits, raw 16 bits little-endian.
    dpi : float, optional
        Stored as pixels per metre (PNG) or per inch (TIFF, OpenEXR, JPEG).
    alpha : float32 (H, W), optional
        Transparency, straight; for an 8-bit PNG.

    Raises
    ------
    BadValue
        For a depth that the format cannot hold.
    """
    if depth not in HOLDS[kind]:
        if kind == "png":
            raise BadValue("A PNG cannot hold float values", "", "Choose TIFF, or 16 bits")
        raise BadValue(f"A {kind.upper()} cannot hold {depth} bits", "", f"It holds: {', '.join(HOLDS[kind])}")
    if kind == "exr":
        return exr.encode(values, dpi, owner=signed.author, date=signed.stamp)
    stored = quantise(values, depth)
    if kind == "raw":
        return stored.astype("<u2").tobytes()
    if kind == "png":
        return _png(stored, dpi, alpha, signed)
    out = io.BytesIO()
    if kind == "jpeg":
        exif = Image.Exif()
        if signed.author:
            exif[_ARTIST] = signed.author
        if signed.date:
            exif[_DATE] = signed.stamp
        density = {"dpi": (round(dpi), round(dpi))} if dpi else {}
        Image.fromarray(stored).save(out, "JPEG", quality=_JPEG_QUALITY, exif=exif, **density)
    else:
        _tiff(stored, out, depth, dpi, signed)
    return out.getvalue()


def _png(stored: NDArray[Any], dpi: float | None, alpha: Pixels | None, signed: Signed) -> bytes:
    words = [("Author", signed.author)] if signed.author else []
    if signed.date:
        words.append(("Creation Time", signed.date.isoformat(timespec="seconds")))
    return png(stored if alpha is None else np.stack([stored, quantise(alpha, "8")], axis=-1), dpi, words)


def _tiff(stored: NDArray[Any], out: io.BytesIO, depth: Depth, dpi: float | None, signed: Signed) -> None:
    import tifffile

    tags: list[tuple[int, str, int, Any, bool]] = [(_ARTIST, "s", 0, signed.author, True)] if signed.author else []
    if depth == "float":  # what is black and what is white (TIFF 6.0, section "Data Sample Format")
        tags += [(_S_MIN, "f", 1, 0.0, True), (_S_MAX, "f", 1, 1.0, True)]
    tifffile.imwrite(
        out, stored, photometric="minisblack", compression="zlib", predictor=depth != "float",
        resolution=(dpi, dpi) if dpi else None, resolutionunit="INCH" if dpi else None, metadata=None,
        extratags=tags, datetime=signed.stamp or None,
    )  # fmt: skip


def encode_picture(picture: NDArray[np.uint8] | NDArray[np.uint16]) -> bytes:
    """A picture as it is looked at, as a PNG: grey (H, W), RGB (H, W, 3) or RGBA (H, W, 4), uint8 or uint16.

    Raises
    ------
    FileTrouble
        When the picture could not be made.
    """
    order = {2: None, 3: [2, 1, 0], 4: [2, 1, 0, 3]}[2 if picture.ndim == 2 else picture.shape[2]]
    good, data = cv2.imencode(".png", picture if order is None else np.ascontiguousarray(picture[..., order]))
    if not good:
        raise FileTrouble("The picture could not be made", "", "Try a smaller side")
    return bytes(data)


def encode_rgb(stored: NDArray[np.uint16], dpi: float) -> bytes:
    """A 16-bit colour TIFF from stored values (H, W, 3), with its resolution."""
    import tifffile

    out = io.BytesIO()
    tifffile.imwrite(
        out, stored, photometric="rgb", compression="zlib", predictor=True,
        resolution=(dpi, dpi), resolutionunit="INCH", metadata=None,
    )  # fmt: skip
    return out.getvalue()
