"""HEIC and HEIF: phone photos, read by pillow-heif (libheif), which turns them upright."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from PIL import Image

from ..errors import BadPicture
from .picture import Decoded, PictureFacts, check_size

_BRANDS = (b"heic", b"heix", b"hevc", b"heim", b"heis", b"mif1", b"msf1")
_MAKE = 0x010F


def sniff(head: bytes) -> bool:
    return head[4:8] == b"ftyp" and head[8:12] in _BRANDS


def _opened(data: bytes, name: str) -> Any:
    """The container, its pixels not decoded yet."""
    try:
        import pillow_heif
    except ImportError as error:
        raise BadPicture(
            f"{name} cannot be read", "the decoder for HEIC pictures is not installed",
            "Install pillow-heif, or export the photo as JPEG",
        ) from error  # fmt: skip
    file = pillow_heif.open_heif(io.BytesIO(data))
    check_size(name, *file.size)
    return file


def _facts(file: Any) -> PictureFacts:
    exif = Image.Exif()
    if file.info.get("exif"):
        exif.load(file.info["exif"])
    grey = file.mode.startswith("L")
    return PictureFacts(
        "HEIC", int(file.size[0]), int(file.size[1]), depth=8, channels=1 if grey else 3,
        alpha=file.mode in ("RGBA", "RGBa", "LA", "La"), camera=_MAKE in exif, lossy=True,
    )  # fmt: skip


def facts(data: bytes, name: str) -> PictureFacts:
    return _facts(_opened(data, name))


def decode(data: bytes, name: str, page: int) -> Decoded:
    """8-bit samples, upright as the file's own transforms say; more bits are brought to 8 by the decoder."""
    file = _opened(data, name)
    known = _facts(file)
    picture = file.to_pillow()
    if known.alpha:
        rgba = np.asarray(picture.convert("RGBA"))
        return Decoded(rgba[..., :3], rgba[..., 3].astype(np.float32) / np.float32(255), known)
    return Decoded(np.asarray(picture.convert("L" if known.channels == 1 else "RGB")), None, known)
