"""TIFF 6.0: 1 to 32 bits, float, elevation with holes, any common compression."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from . import geo
from .picture import Decoded, PictureFacts, Samples, believable, broken, check_size, upright

_GDAL_NODATA = 42113
_S_MIN, _S_MAX = 340, 341


def sniff(head: bytes) -> bool:
    return head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")


def _page(data: bytes, name: str, page: int) -> tuple[Any, Any, PictureFacts]:
    import tifffile

    file = tifffile.TiffFile(io.BytesIO(data))
    pages = len(file.pages)
    if page >= pages:
        raise broken(name, f"it has {pages} pages, and page {page + 1} was asked for")
    one: Any = file.pages[page]
    width, height = int(one.imagewidth), int(one.imagelength)
    check_size(name, width, height)
    kind: Samples = {1: "whole", 2: "signed", 3: "float"}.get(int(one.sampleformat), "whole")  # type: ignore[assignment]
    depth = int(one.bitspersample)
    if kind == "whole" and depth == 1:
        kind = "bits"
    if int(one.samplesperpixel) * width * height * max(depth, 8) / 8 > 4e9:
        raise broken(name, "its header claims more data than Engraver takes in")
    channels = 3 if int(one.photometric) in (2, 3, 5, 6) else 1
    if int(one.photometric) == 6:
        depth = 8
    base = {5: 4, 3: 1}.get(int(one.photometric), channels)
    if _orientation(one) >= 5:
        width, height = height, width
    found = PictureFacts(
        "TIFF", width, height, 8 if int(one.photometric) == 3 else depth, channels,
        alpha=int(one.samplesperpixel) > base, samples=kind, dpi=_dpi(one), pages=pages,
        lossy=int(one.compression) in (6, 7, 50001), range=_said_range(one, kind),
        elevation=kind == "whole" and depth >= 16 and channels == 1 and geo.on_the_ground(one),
        unit=geo.height_unit(one), spacing=geo.spacing(one),
    )  # fmt: skip
    return file, one, found


def _orientation(page: Any) -> int:
    tag = page.tags.get(274)
    return int(tag.value) if tag is not None and tag.value in range(1, 9) else 1


def _dpi(page: Any) -> float | None:
    tag, unit = page.tags.get(282), page.tags.get(296)
    if tag is None:
        return None
    top, bottom = tag.value
    value = float(top / bottom) if bottom else 0.0
    scale = 2.54 if unit is not None and int(unit.value) == 3 else 1.0
    return value * scale if value > 1 and (unit is None or int(unit.value) != 1) else None


def _said_range(page: Any, kind: Samples) -> tuple[float, float] | None:
    """What a float file says is its smallest and largest value: black and white."""
    low, high = page.tags.get(_S_MIN), page.tags.get(_S_MAX)
    return believable(low.value, high.value) if kind == "float" and low is not None and high is not None else None


def _nodata(page: Any, kind: Samples, depth: int) -> float | None:
    tag = page.tags.get(_GDAL_NODATA)
    if tag is not None:
        try:
            return float(str(tag.value).strip("\0 "))
        except ValueError:
            return None
    return -32768.0 if kind == "signed" and depth == 16 else None


def facts(data: bytes, name: str) -> PictureFacts:
    file, _, found = _page(data, name, 0)
    file.close()
    return found


def decode(data: bytes, name: str, page: int) -> Decoded:
    """Stored samples; palettes resolved, white-is-zero turned round, holes told by their tag."""
    file, one, known = _page(data, name, page)
    try:
        values = np.asarray(one.asarray(maxworkers=1))
        if values.ndim == 3 and int(one.planarconfig) == 2:
            values = np.moveaxis(values, 0, -1)
        photometric = int(one.photometric)
        if photometric == 3:
            table = np.asarray(one.colormap).T >> 8
            values = table[values].astype(np.uint8)
        alpha = None
        base = {5: 4}.get(photometric, known.channels)
        if values.ndim == 3 and values.shape[2] > base and known.samples == "whole":
            top = float(2**known.depth - 1)
            alpha = values[..., base].astype(np.float32) / np.float32(top)
            if int(one.extrasamples[0]) == 1:  # associated: stored multiplied by alpha
                over = np.where(alpha > 0, alpha, 1)[..., None]
                values = np.minimum(np.round(values[..., :base] / over), top)
        if values.ndim == 3:
            values = values[..., :base] if base > 1 else values[..., 0]
        if photometric == 5:
            top = float(2**known.depth - 1)
            values = np.round((top - values[..., :3]) * ((top - values[..., 3:4]) / top))
        if photometric == 0 and known.samples in ("whole", "bits"):
            values = (2**known.depth - 1) - values.astype(np.int64)
        if values.size == 0 or values.ndim != (3 if known.channels == 3 else 2) or values.shape[2:] not in ((), (3,)):
            raise broken(name, "its header and its pixels do not agree")
    finally:
        file.close()
    turn = _orientation(one)
    hole = _nodata(one, known.samples, known.depth)
    return Decoded(upright(values, turn), None if alpha is None else upright(alpha, turn), known, hole)
