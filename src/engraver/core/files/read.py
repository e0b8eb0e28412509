"""From bytes to a raster: the table of formats, told apart by their first bytes."""

from __future__ import annotations

import struct
import warnings
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import cv2
from PIL import Image

from .. import limits
from ..errors import BadPicture, EngraverError, file_trouble
from ..raster import Raster
from . import avif_jxl, exr, heic, netpbm, plain, png, tiff
from .picture import Decoded, PictureFacts, Reading, broken, stated_range, to_raster


@dataclass(frozen=True, slots=True)
class Format:
    """One picture format: how to recognise, look into and decode it."""

    name: str
    extensions: tuple[str, ...]
    sniff: Callable[[bytes], bool]
    facts: Callable[[bytes, str], PictureFacts]
    decode: Callable[[bytes, str, int], Decoded]


FORMATS = (
    Format("PNG", (".png",), png.sniff, png.facts, png.decode),
    Format("JPEG", (".jpg", ".jpeg"), plain.sniff_jpeg, plain.facts, plain.decode),
    Format("TIFF", (".tif", ".tiff"), tiff.sniff, tiff.facts, tiff.decode),
    Format("WebP", (".webp",), plain.sniff_webp, plain.facts, plain.decode),
    Format("BMP", (".bmp",), plain.sniff_bmp, plain.facts, plain.decode),
    Format("OpenEXR", (".exr",), exr.sniff, exr.facts, exr.decode),
    Format("GIF", (".gif",), plain.sniff_gif, plain.facts, plain.decode),
    Format("Netpbm", (".pgm", ".ppm", ".pbm", ".pnm", ".pfm"), netpbm.sniff, netpbm.facts, netpbm.decode),
    Format("AVIF", (".avif",), avif_jxl.sniff_avif, avif_jxl.facts, avif_jxl.decode),
    Format("JPEG XL", (".jxl",), avif_jxl.sniff_jxl, avif_jxl.facts, avif_jxl.decode),
    Format("HEIC", (".heic", ".heif"), heic.sniff, heic.facts, heic.decode),
    # The last: it has no mark of its own.
    Format("TGA", (".tga",), plain.sniff_tga, plain.facts, plain.decode),
)
_HEAD = 32
EXTENSIONS = tuple(e for f in FORMATS for e in f.extensions)
_TROUBLE = (
    ValueError, TypeError, LookupError, AttributeError, RuntimeError, ArithmeticError, AssertionError, OSError,
    EOFError, SyntaxError, struct.error, cv2.error,
)  # fmt: skip


def _format(data: bytes, name: str) -> Format:
    if not data:
        raise BadPicture(f"{name} cannot be read", "the file is empty (0 bytes)", "Copy or export it again")
    for known in FORMATS:
        if known.sniff(data[:_HEAD]):
            return known
    raise BadPicture(
        f"{name} cannot be read",
        "it is not a picture of a kind Engraver knows",
        f"It takes {', '.join(known.name for known in FORMATS)}",
    )


@contextmanager
def _fenced(name: str) -> Iterator[None]:
    """Decoders end in many ways on a file that is damaged; the artist reads one sentence."""
    try:
        with warnings.catch_warnings():
            # Pillow warns of large pictures long before our own bound; beyond twice its bound it raises.
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            yield
    except EngraverError:
        raise
    except Image.DecompressionBombError as error:
        raise broken(name, "its header claims more pixels than Engraver takes in") from error
    except MemoryError as error:
        raise BadPicture(f"{name} cannot be read", "it does not fit into memory", "Close other programs") from error
    except _TROUBLE as error:
        raise broken(name) from error


def is_picture(data: bytes) -> bool:
    """Whether the first bytes are those of a picture format that is known."""
    return any(known.sniff(data[:_HEAD]) for known in FORMATS)


def read_bytes(path: Path) -> bytes:
    """The contents of a file, or a FileTrouble that says why not."""
    try:
        if path.stat().st_size > limits.FILE_BYTES:
            raise BadPicture(f"{path.name} cannot be read", "the file is larger than 2 GB", "Make it smaller")
        return path.read_bytes()
    except OSError as error:
        raise file_trouble("opened", path, error) from error


def facts(data: bytes, name: str) -> PictureFacts:
    """What the header tells. Raises BadPicture for anything that is not a usable picture."""
    with _fenced(name):
        return _format(data, name).facts(data, name)


def load(data: bytes, name: str, reading: Reading | None = None) -> Raster:
    """Decode a picture into a raster.

    Parameters
    ----------
    data : bytes
        The whole file.
    name : str
        For messages.
    reading : Reading, optional
        Page, lowest and highest stored value, reversed.

    Raises
    ------
    BadPicture
        When it is no picture, damaged, too large, or has no finite value.
    """
    reading = reading or Reading()
    return converted(decoded(data, name, reading.page), reading, name)


def decoded(data: bytes, name: str, page: int) -> Decoded:
    """The samples of a page as the file stores them. Raises BadPicture as :func:`load` does."""
    with _fenced(name):
        return _format(data, name).decode(data, name, page)


def converted(stored: Decoded, reading: Reading, name: str) -> Raster:
    """A raster of samples as they are stored. Raises BadPicture as :func:`load` does."""
    with _fenced(name):
        return to_raster(stored, reading, name)


def first_reading(data: bytes, name: str) -> Reading:
    """The reading a new plate starts with: lo and hi are stated for pictures that need them."""
    known = facts(data, name)
    if not known.ranged:
        return Reading()
    if known.range is not None:
        return Reading(lo=known.range[0], hi=known.range[1])
    raster = load(data, name, Reading(lo=0.0, hi=1.0))
    there = raster.coverage > 0 if raster.coverage is not None else raster.pixels == raster.pixels
    lo, hi = stated_range(known, raster.pixels, there)
    return Reading(lo=lo, hi=hi)
