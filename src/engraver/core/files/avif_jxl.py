"""AVIF and JPEG XL, at all the bits that they hold; sizes are known before pixels are made."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .picture import Decoded, PictureFacts, broken, check_size, upright

_BOXES = b"\0\0\0\x0cJXL \r\n\x87\n"
_BARE = b"\xff\x0a"
_DAMAGED = "it is damaged or cut short"
_ORIENTATION = 0x0112
# ISO/IEC 18181-1, 6.3 (SizeHeader): bits of a side for each selector, and sides as shares of the height.
_SIDE_BITS = (9, 13, 18, 30)
_RATIOS = ((1, 1), (12, 10), (4, 3), (3, 2), (16, 9), (5, 4), (2, 1))


def sniff_avif(head: bytes) -> bool:
    return head[4:12] in (b"ftypavif", b"ftypavis")


def sniff_jxl(head: bytes) -> bool:
    return head.startswith((_BARE, _BOXES))


class _Bits:
    """Bits of a byte string, the least significant first."""

    def __init__(self, data: bytes) -> None:
        self._value, self._at = int.from_bytes(data, "little"), 0

    def take(self, count: int) -> int:
        found = (self._value >> self._at) & ((1 << count) - 1)
        self._at += count
        return found


def _codestream(data: bytes, name: str) -> bytes:
    """The first bytes of the picture itself, out of its boxes where it has some."""
    if data.startswith(_BARE):
        return data[2:16]
    at = 0
    while at + 8 <= len(data):
        size, kind = int.from_bytes(data[at : at + 4], "big"), data[at + 4 : at + 8]
        head = 8
        if size == 1:
            size, head = int.from_bytes(data[at + 8 : at + 16], "big"), 16
        if kind in (b"jxlc", b"jxlp"):
            begin = at + head + (4 if kind == b"jxlp" else 0)
            return data[begin + 2 : begin + 16]
        if size < head:
            break
        at += size
    raise broken(name, "it holds no picture")


def jxl_size(data: bytes, name: str) -> tuple[int, int]:
    """Width and height as the header says. Raises BadPicture."""
    bits = _Bits(_codestream(data, name))
    small = bits.take(1)

    def side() -> int:
        return (bits.take(5) + 1) * 8 if small else bits.take(_SIDE_BITS[bits.take(2)]) + 1

    height = side()
    ratio = bits.take(3)
    if not ratio:
        return side(), height
    over, under = _RATIOS[ratio - 1]
    return height * over // under, height


def _avif_head(data: bytes) -> tuple[tuple[int, int], int]:
    """Its size, and how it is to be turned (EXIF's numbers)."""
    with Image.open(io.BytesIO(data), formats=("AVIF",)) as picture:
        turn = picture.getexif().get(_ORIENTATION, 1)
        return picture.size, turn if turn in range(1, 9) else 1


def _avif_bits(data: bytes) -> int:
    """Bits of a sample, from the first configuration box (AV1 in ISO base media files, 2.3.3)."""
    at = data.find(b"av1C")
    flags = data[at + 6] if at >= 0 and at + 6 < len(data) else 0
    return (12 if flags & 0x20 else 10) if flags & 0x40 else 8


def _avif(data: bytes, name: str) -> Decoded:
    import imagecodecs

    size, turn = _avif_head(data)
    check_size(name, *size)
    try:
        values = np.asarray(imagecodecs.avif_decode(data, index=0))
    except imagecodecs.AvifError as error:
        raise broken(name, _DAMAGED) from error
    bits = _avif_bits(data)
    if bits > 8:
        values = np.round(values * (65535 / (2**bits - 1))).astype(np.uint16)
    return _parts(values, "AVIF", turn)


def _jxl(data: bytes, name: str) -> Decoded:
    import imagecodecs

    check_size(name, *jxl_size(data, name))
    try:
        return _parts(np.asarray(imagecodecs.jpegxl_decode(data)), "JPEG XL", 1)
    except imagecodecs.JpegxlError as error:
        raise broken(name, _DAMAGED) from error


def _parts(values: NDArray[Any], kind: str, turn: int) -> Decoded:
    """Colours and what covers them, of the first picture. Samples are of 8 or 16 bits, or float with white at 1."""
    if values.ndim == 4:
        values = values[0]
    floats, alpha = values.dtype.kind == "f", None
    if values.ndim == 3 and values.shape[2] in (2, 4):
        top = np.float32(1 if floats else np.iinfo(values.dtype).max)
        alpha, values = values[..., -1].astype(np.float32) / top, values[..., :-1]
    if values.ndim == 3 and values.shape[2] == 1:
        values = values[..., 0]
    values = np.ascontiguousarray(upright(values.astype(np.float32) if floats else values, turn))
    found = PictureFacts(
        kind, values.shape[1], values.shape[0], 8 * values.dtype.itemsize, 1 if values.ndim == 2 else 3,
        alpha=alpha is not None, samples="float" if floats else "whole", lossy=values.dtype.itemsize == 1,
    )  # fmt: skip
    return Decoded(values, upright(alpha, turn) if alpha is not None else None, found)


def _either(data: bytes, name: str) -> Decoded:
    return (_jxl if sniff_jxl(data[:16]) else _avif)(data, name)


def facts(data: bytes, name: str) -> PictureFacts:
    """Their headers do not tell all of it: the picture is read once."""
    return _either(data, name).facts


def decode(data: bytes, name: str, page: int) -> Decoded:
    """The first picture of the file. Raises BadPicture."""
    return _either(data, name)
