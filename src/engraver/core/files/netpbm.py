"""Netpbm's plain formats (PBM, PGM, PPM: P1 to P6) and PFM, their float sister.

Sources: the format pages of the Netpbm library; for PFM, P. Debevec's description (Pf grey, PF colour, rows from
the bottom up, a negative scale for little-endian numbers).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from .picture import Decoded, PictureFacts, broken, check_size

_TOKEN = re.compile(rb"(?:\s|#[^\n\r]*[\n\r])*([^\s#]+)")
_KINDS = (b"P1", b"P2", b"P3", b"P4", b"P5", b"P6", b"Pf", b"PF")
_BITS, _COLOUR, _FLOAT, _PLAIN = (b"P1", b"P4"), (b"P3", b"P6", b"PF"), (b"Pf", b"PF"), (b"P1", b"P2", b"P3")


@dataclass(frozen=True, slots=True)
class _Header:
    kind: bytes
    width: int
    height: int
    top: float
    begin: int

    @property
    def channels(self) -> int:
        return 3 if self.kind in _COLOUR else 1


def sniff(head: bytes) -> bool:
    return head[:2] in _KINDS and head[2:3] in (b" ", b"\t", b"\n", b"\r")


def _header(data: bytes, name: str) -> _Header:
    kind, at, found = data[:2], 2, []
    for _ in range(2 if kind in _BITS else 3):
        token = _TOKEN.match(data, at)
        if token is None:
            raise broken(name, "its header is not complete")
        found.append(float(token.group(1)))
        at = token.end()
    width, height = int(found[0]), int(found[1])
    check_size(name, width, height)
    top = found[2] if len(found) > 2 else 1.0
    if not np.isfinite(top) or top == 0 or (kind not in _FLOAT and not 1 <= top <= 65535):
        raise broken(name, f"its header says that white is {top:g}")
    return _Header(kind, width, height, top, at + 1)


def _facts(head: _Header) -> PictureFacts:
    kind = "PFM" if head.kind in _FLOAT else {1: "PGM", 3: "PPM"}[head.channels]
    if head.kind in _BITS:
        return PictureFacts("PBM", head.width, head.height, 1, 1, samples="bits")
    if head.kind in _FLOAT:
        return PictureFacts(kind, head.width, head.height, 32, head.channels, samples="float")
    return PictureFacts(kind, head.width, head.height, 8 if head.top == 255 else 16, head.channels)


def facts(data: bytes, name: str) -> PictureFacts:
    return _facts(_header(data, name))


def decode(data: bytes, name: str, page: int) -> Decoded:
    """The first picture of the file; whatever its white is, it becomes that of 8 or 16 bits. Raises BadPicture."""
    head = _header(data, name)
    count = head.width * head.height * head.channels
    shape = (head.height, head.width, 3) if head.channels == 3 else (head.height, head.width)
    if head.kind == b"P4":
        rows = -(-head.width // 8)
        packed = _some(data, name, head, "u1", rows * head.height).reshape(head.height, rows)
        values = 1 - np.unpackbits(packed, axis=1)[:, : head.width]
    elif head.kind in _FLOAT:
        order = "<f4" if head.top < 0 else ">f4"
        values = _some(data, name, head, order, count).reshape(shape)[::-1].astype(np.float32)
    elif head.kind in _PLAIN:
        values = _typed(data, name, head, count).reshape(shape)
    else:
        values = _some(data, name, head, "u1" if head.top < 256 else ">u2", count).reshape(shape)
    if head.kind not in (*_FLOAT, *_BITS) and head.top not in (255, 65535):
        values = np.round(values * (65535 / head.top))
    kind = np.uint8 if head.kind in _BITS or head.top == 255 else np.uint16
    return Decoded(np.ascontiguousarray(values if head.kind in _FLOAT else values.astype(kind)), None, _facts(head))


def _some(data: bytes, name: str, head: _Header, kind: str, count: int) -> np.ndarray:
    if len(data) - head.begin < count * np.dtype(kind).itemsize:
        raise broken(name, "it ends before its last row")
    return np.frombuffer(data, kind, count, head.begin)


def _typed(data: bytes, name: str, head: _Header, count: int) -> np.ndarray:
    """Numbers written out in digits; those of a PBM need no spaces between them."""
    text = re.sub(rb"#[^\n\r]*", b" ", data[head.begin - 1 :])
    if head.kind == b"P1":
        digits = re.sub(rb"[^01]", b"", text)[:count]
        values = 1 - (np.frombuffer(digits, np.uint8) - ord("0"))
    else:
        values = np.array(text.split(None, count)[:count], np.int64)
    if len(values) < count or values.min() < 0 or values.max() > head.top:
        raise broken(name, "its numbers do not fit its header")
    return values
