"""PNG (ISO/IEC 15948): every colour type and depth, transparency by chunk, DPI."""

from __future__ import annotations

import io
import struct
import zlib
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from .picture import Decoded, PictureFacts, broken, check_size, upright

SIGNATURE = b"\x89PNG\r\n\x1a\n"
# Bytes of samples up to which they are laid bare in memory.
_LARGE = 600_000_000
_PIXEL_CHUNKS = (b"IHDR", b"PLTE", b"IDAT", b"IEND")


def sniff(head: bytes) -> bool:
    return head.startswith(SIGNATURE)


def _chunks(data: bytes, name: str) -> list[tuple[bytes, bytes]]:
    found, place = [], len(SIGNATURE)
    while place + 12 <= len(data):
        (size,) = struct.unpack_from(">I", data, place)
        kind, body = data[place + 4 : place + 8], data[place + 8 : place + 8 + size]
        if len(body) < size:
            raise broken(name)
        found.append((kind, body))
        place += 12 + size
        if kind == b"IEND":
            return found
    raise broken(name)


def _rebuilt(chunks: list[tuple[bytes, bytes]], keep: tuple[bytes, ...]) -> bytes:
    parts = [SIGNATURE]
    for kind, body in chunks:
        if kind in keep:
            parts += [struct.pack(">I", len(body)), kind, body, struct.pack(">I", zlib.crc32(kind + body))]
    return b"".join(parts)


def _samples(chunks: list[tuple[bytes, bytes]]) -> NDArray[Any] | None:
    """Stored samples, (H, W) or (H, W, n), of 8 or 16 bits, unpacked by a faster library than the decoders use.

    None for what is interlaced, of other depths or with a palette, and for what does not unpack to exactly what its
    header says: the decoder then tells what is wrong.
    """
    width, height, depth, colour, _, _, interlaced = struct.unpack(">IIBBBBB", dict(chunks)[b"IHDR"][:13])
    planes = {0: 1, 2: 3, 4: 2, 6: 4}.get(colour, 0)
    apart = planes * depth // 8
    size = height * (1 + width * apart)
    if interlaced or not planes or depth < 8 or size > _LARGE:
        return None
    import imagecodecs

    from . import png_kernels

    try:
        raw = imagecodecs.deflate_decode(b"".join(body for kind, body in chunks if kind == b"IDAT"), out=size)
    except (imagecodecs.DeflateError, ValueError, RuntimeError):
        return None
    if len(raw) != size:
        return None
    stored = np.empty((height, width * apart), np.uint8)
    if not png_kernels.unfiltered(np.frombuffer(raw, np.uint8).reshape(height, -1), apart, stored):
        return None
    values = stored if depth == 8 else stored.view(">u2").astype(np.uint16)
    return values.reshape(height, width, planes) if planes > 1 else values.reshape(height, width)


def _orientation(chunks: dict[bytes, bytes]) -> int:
    if b"eXIf" not in chunks:
        return 1
    exif = Image.Exif()
    exif.load(chunks[b"eXIf"])
    value = exif.get(0x0112, 1)
    return value if value in range(1, 9) else 1


def facts(data: bytes, name: str) -> PictureFacts:
    """Header facts. Raises BadPicture when the header is not one."""
    if len(data) < 33 or data[12:16] != b"IHDR":
        raise broken(name)
    width, height, depth, colour = struct.unpack_from(">IIBB", data, 16)
    check_size(name, width, height)
    if (colour, depth) not in _LEGAL:
        raise broken(name)
    chunks = dict(_chunks(data, name))
    if _orientation(chunks) >= 5:
        width, height = height, width
    dpi = None
    if len(chunks.get(b"pHYs", b"")) == 9:
        x, _, unit = struct.unpack(">IIB", chunks[b"pHYs"])
        dpi = x * 0.0254 if unit == 1 and x else None
    return PictureFacts(
        "PNG", width, height,
        depth=8 if colour == 3 else depth,
        channels=1 if colour in (0, 4) else 3,
        alpha=colour in (4, 6) or b"tRNS" in chunks,
        samples="bits" if depth == 1 and colour == 0 else "whole",
        dpi=dpi, camera=b"eXIf" in chunks,
    )  # fmt: skip


_LEGAL = {(0, d) for d in (1, 2, 4, 8, 16)} | {(3, d) for d in (1, 2, 4, 8)} | {
    (c, d) for c in (2, 4, 6) for d in (8, 16)
}  # fmt: skip


def decode(data: bytes, name: str, page: int) -> Decoded:
    """Stored samples, exact to the bit; palettes are resolved.

    The transparent colour and the significant-bits chunk are kept away from the
    decoders, which treat them in their own ways; the first is applied here.
    """
    known = facts(data, name)
    chunks = _chunks(data, name)
    parts = dict(chunks)
    colour, bits = data[25], data[24]
    alpha = None
    quick = _samples(chunks)
    if quick is not None:
        values = quick[..., : known.channels] if quick.ndim == 3 else quick
        if values.ndim == 3 and known.channels == 1:
            values = values[..., 0]
        if colour in (4, 6):
            alpha = quick[..., -1] / np.float32(2**bits - 1)
    elif colour == 3:
        clean = _rebuilt(chunks, (*_PIXEL_CHUNKS, b"tRNS"))
        with Image.open(io.BytesIO(clean)) as picture:
            rgba = np.asarray(picture.convert("RGBA"))
        values, alpha = rgba[..., :3], rgba[..., 3] / np.float32(255) if known.alpha else None
    elif bits == 16:
        clean = _rebuilt(chunks, _PIXEL_CHUNKS)
        raw = cv2.imdecode(np.frombuffer(clean, np.uint8), cv2.IMREAD_UNCHANGED)
        if raw is None:
            raise broken(name)
        values = raw[..., :3][..., ::-1] if raw.ndim == 3 and colour in (2, 6) else raw
        if colour == 4:
            values = raw[..., 0]
        if colour in (4, 6):
            alpha = raw[..., -1] / np.float32(65535)
    else:
        clean = _rebuilt(chunks, _PIXEL_CHUNKS)
        with Image.open(io.BytesIO(clean)) as picture:
            raw = np.asarray(picture).astype(np.uint8)
        if bits < 8:  # Pillow spreads 2 and 4 bits over 0..255; 1 bit comes as 0 and 1
            raw = raw if bits == 1 else raw // np.uint8(255 // (2**bits - 1))
        values = raw[..., : known.channels] if raw.ndim == 3 else raw
        if colour in (4, 6):
            alpha = raw[..., -1] / np.float32(255)
        if values.ndim == 3 and values.shape[2] == 1:
            values = values[..., 0]
    if b"tRNS" in parts and colour in (0, 2):
        key = np.array(struct.unpack(f">{known.channels}H", parts[b"tRNS"][: 2 * known.channels]))
        same = values == key if values.ndim == 2 else (values == key).all(axis=2)
        alpha = np.where(same, np.float32(0), np.float32(1))
    turn = _orientation(parts)
    return Decoded(upright(values, turn), None if alpha is None else upright(alpha, turn), known)
