"""JPEG, WebP, BMP, GIF and TGA: 8-bit pictures, read by Pillow and turned upright; of several the first."""

from __future__ import annotations

import io
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .picture import Decoded, PictureFacts, check_size, upright

_ORIENTATION, _MAKE, _EXPOSURE = 0x0112, 0x010F, 0x8769
# Rows that are taken from Pillow at once.
_ROWS = 256


def sniff_jpeg(head: bytes) -> bool:
    return head.startswith(b"\xff\xd8\xff")


def sniff_webp(head: bytes) -> bool:
    return head[:4] == b"RIFF" and head[8:12] == b"WEBP"


def sniff_bmp(head: bytes) -> bool:
    return head.startswith(b"BM")


def sniff_gif(head: bytes) -> bool:
    return head.startswith((b"GIF87a", b"GIF89a"))


def sniff_tga(head: bytes) -> bool:
    """It has no mark of its own: whether every field of its header is possible (Truevision TGA 2.0, page 5)."""
    if len(head) < 18 or head[1] > 1 or head[2] not in (1, 2, 3, 9, 10, 11) or head[16] not in (8, 15, 16, 24, 32):
        return False
    mapped = head[2] in (1, 9)
    return mapped == (head[1] == 1) and any(head[12:14]) and any(head[14:16]) and not head[17] & 0xC0


@contextmanager
def _opened(data: bytes, name: str) -> Iterator[Image.Image]:
    with Image.open(io.BytesIO(data), formats=("JPEG", "WEBP", "BMP", "GIF", "TGA")) as picture:
        check_size(name, *picture.size)
        yield picture


def _facts(picture: Image.Image) -> tuple[PictureFacts, int]:
    exif = picture.getexif()
    turn = exif.get(_ORIENTATION, 1)
    turn = turn if turn in range(1, 9) else 1
    width, height = picture.size if turn < 5 else picture.size[::-1]
    dpi = picture.info.get("dpi")
    density = float(dpi[0]) if isinstance(dpi, tuple) and picture.info.get("jfif_unit", 1) else None
    grey = picture.mode in ("1", "L")
    kind = {"MPO": "JPEG", "DIB": "BMP", "WEBP": "WebP"}.get(picture.format or "", picture.format or "")
    found = PictureFacts(
        kind, width, height,
        depth=1 if picture.mode == "1" else 8,
        channels=1 if grey else 3,
        alpha=picture.mode == "RGBA" or "transparency" in picture.info,
        samples="bits" if picture.mode == "1" else "whole",
        dpi=density if density and density > 1 else None,
        camera=_MAKE in exif or bool(exif.get_ifd(_EXPOSURE)),
        lossy=kind in ("JPEG", "WebP"),
    )  # fmt: skip
    return found, turn


def facts(data: bytes, name: str) -> PictureFacts:
    with _opened(data, name) as picture:
        return _facts(picture)[0]


def decode(data: bytes, name: str, page: int) -> Decoded:
    """8-bit samples; CMYK becomes RGB; a picture cut short is refused, never half read."""
    with _opened(data, name) as picture:
        known, turn = _facts(picture)
        picture.load()
        alpha = None
        if picture.mode in ("1", "L"):
            values = np.asarray(picture).astype(np.uint8)
        elif known.alpha:
            rgba = _array(picture, "RGBA")
            values, alpha = rgba[..., :3], upright(rgba[..., 3] / np.float32(255), turn)
        else:
            values = _array(picture, "RGB")
    return Decoded(upright(values, turn), alpha, known)


def _array(picture: Image.Image, mode: str) -> NDArray[np.uint8]:
    """A picture's samples (H, W, channels) in a mode; row by row, as Pillow would hold three copies of the whole."""
    width, height = picture.size
    found = np.empty((height, width, len(mode)), np.uint8)
    for top in range(0, height, _ROWS):
        part = picture.crop((0, top, width, min(height, top + _ROWS)))
        found[top : top + _ROWS] = np.asarray(part if part.mode == mode else part.convert(mode))
    return found
