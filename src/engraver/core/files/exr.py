"""OpenEXR: half, float and whole-number channels in; one float channel out."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..raster import Pixels
from .picture import Decoded, PictureFacts, believable, broken, check_size

# The layers a height or a picture may lie in, first found first; else any channel that is there.
_COLOUR = ("R", "G", "B")
# What our own files say of their values: other programs leave attributes alone that they do not know.
_BLACK, _WHITE = "heightBlack", "heightWhite"
_GREY = ("Y", "Z", "height", "depth")


def sniff(head: bytes) -> bool:
    return head[:4] == b"v/1\x01"


def _open(data: bytes, name: str, *, header_only: bool) -> Any:
    import OpenEXR

    return OpenEXR.File(io.BytesIO(data), True, header_only, 1)


def _window(header: Any) -> tuple[int, int]:
    low, high = header["dataWindow"]
    return int(high[0]) - int(low[0]) + 1, int(high[1]) - int(low[1]) + 1


def _chosen(names: list[str], name: str) -> tuple[str, ...]:
    if all(c in names for c in _COLOUR):
        return _COLOUR
    plain = [n for n in names if n != "A"]
    if not plain:
        raise broken(name, "it holds no picture")
    return (next((n for n in _GREY if n in plain), plain[0]),)


def facts(data: bytes, name: str) -> PictureFacts:
    """Size and channels from the header (Academy Software Foundation, "OpenEXR File Layout")."""
    with _open(data, name, header_only=True) as file:
        header = file.parts[0].header
        width, height = _window(header)
        check_size(name, width, height)
        names = [c.name for c in header["channels"]]
        pages = len(file.parts)
        if "deep" in str(header.get("type", "")):
            raise broken(name, "it holds several depths in a pixel")
        said = believable(header.get(_BLACK), header.get(_WHITE))
    return PictureFacts(
        "OpenEXR", width, height, 32, len(_chosen(names, name)), alpha="A" in names, samples="float", pages=pages,
        range=said,
    )  # fmt: skip


def decode(data: bytes, name: str, page: int) -> Decoded:
    """The values of the chosen channels, as they are."""
    known = facts(data, name)
    with _open(data, name, header_only=False) as file:
        channels = file.parts[min(page, len(file.parts) - 1)].channels
        chosen = _chosen(list(channels), name)
        planes = [np.array(channels[c].pixels, np.float32) for c in chosen]
        alpha = np.array(channels["A"].pixels, np.float32) if "A" in channels else None
    if any(p.ndim != 2 or p.shape != planes[0].shape or p.size == 0 for p in planes):
        raise broken(name, "its channels have different sizes")
    values: NDArray[np.float32] = planes[0] if len(planes) == 1 else np.stack(planes, axis=2)
    if alpha is not None and alpha.shape == planes[0].shape:
        alpha = np.clip(np.nan_to_num(alpha), 0, 1)
        over = np.where(alpha > 0, alpha, np.float32(1))  # stored multiplied by alpha
        values = np.divide(values, over if values.ndim == 2 else over[..., None], dtype=np.float32)
    else:
        alpha = None
    return Decoded(values, alpha, known)


def encode(values: Pixels, dpi: float | None = None, *, owner: str = "", date: str = "") -> bytes:
    """A grey float picture as one channel ``Y`` of 32 bits, compressed without loss; in it 0 is black, 1 white."""
    import OpenEXR

    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, _BLACK: 0.0, _WHITE: 1.0,
    }  # fmt: skip
    if dpi:
        header["xDensity"] = float(dpi)
    header |= {name: text for name, text in (("owner", owner), ("capDate", date)) if text}
    out = io.BytesIO()
    with OpenEXR.File(header, {"Y": np.array(values, np.float32, order="C")}) as file:
        file.write(out)
    return out.getvalue()
