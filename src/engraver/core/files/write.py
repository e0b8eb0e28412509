"""From arrays to picture files: grey PNG in 8 or 16 bits, grey TIFF in 16 bits or float, float OpenEXR."""

from __future__ import annotations

import io
from pathlib import PurePath
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..errors import BadValue
from ..raster import Pixels
from . import exr

PictureFormat = Literal["png", "tiff", "exr"]
Depth = Literal["8", "16", "float"]


def quantise(values: Pixels, depth: Depth) -> NDArray[Any]:
    """Clip to 0..1 and round to the nearest stored level; mid-grey is 128, 32768 or 0.5.

    Float keeps everything, clipping nothing.
    """
    if depth == "float":
        return values
    top = 255 if depth == "8" else 65535
    kind = np.uint8 if depth == "8" else np.uint16
    levels = np.clip(values, 0, 1)
    levels *= np.float32(top)
    levels += np.float32(0.5)
    return levels.astype(kind)


def format_of(name: str | PurePath) -> PictureFormat:
    """The format a file name asks for. Raises BadValue for one that cannot be written."""
    ending = PurePath(name).suffix.lower()
    if ending == ".png":
        return "png"
    if ending in (".tif", ".tiff"):
        return "tiff"
    if ending == ".exr":
        return "exr"
    raise BadValue(
        f"{PurePath(name).name} cannot be written", f"{ending or 'no ending'} is not a format for alphas",
        "End the name in .png, .tif or .exr",
    )  # fmt: skip


def encode(values: Pixels, kind: PictureFormat, depth: Depth, dpi: float | None = None) -> bytes:
    """A grey picture file as bytes, without any transfer curve or colour profile.

    Parameters
    ----------
    values : float32 (H, W)
        0..1; white is 1.
    kind, depth
        PNG takes 8 and 16 bits; TIFF 16 bits and float; OpenEXR is always float.
    dpi : float, optional
        Stored as pixels per metre (PNG) or per inch (TIFF, OpenEXR).

    Raises
    ------
    BadValue
        For a depth that the format cannot hold.
    """
    if kind == "png" and depth == "float":
        raise BadValue("A PNG cannot hold float values", "", "Choose TIFF, or 16 bits")
    if kind == "exr":
        return exr.encode(values, dpi)
    stored = quantise(values, depth)
    out = io.BytesIO()
    if kind == "png":
        more = {"dpi": (dpi, dpi)} if dpi else {}
        Image.fromarray(stored).save(out, "PNG", compress_level=3, **more)
        return out.getvalue()
    import tifffile

    tifffile.imwrite(
        out, stored, photometric="minisblack", compression="zlib", predictor=depth != "float",
        resolution=(dpi, dpi) if dpi else None, resolutionunit="INCH" if dpi else None, metadata=None,
    )  # fmt: skip
    return out.getvalue()


def encode_rgb(stored: NDArray[np.uint16], dpi: float) -> bytes:
    """A 16-bit colour TIFF from stored values (H, W, 3), with its resolution."""
    import tifffile

    out = io.BytesIO()
    tifffile.imwrite(
        out, stored, photometric="rgb", compression="zlib", predictor=True,
        resolution=(dpi, dpi), resolutionunit="INCH", metadata=None,
    )  # fmt: skip
    return out.getvalue()
