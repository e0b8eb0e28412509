"""Bytes inside parameters: beside a file's JSON where there is room for them, else in base64."""

from __future__ import annotations

import base64
import hashlib
from typing import Any

import numpy as np
from pydantic import SerializationInfo, ValidationInfo

BLOB = "blob:"


def unpacked(value: Any, info: ValidationInfo, what: str) -> Any:
    """Bytes as they came, from the blobs of the context, or from base64. Raises ValueError where it is missing."""
    if not isinstance(value, str):
        return value
    if not value.startswith(BLOB):
        return base64.b64decode(value, validate=True)
    blobs = (info.context or {}).get("blobs", {})
    if value.removeprefix(BLOB) not in blobs:
        raise ValueError(f"{what} is missing from the file")
    return blobs[value.removeprefix(BLOB)]


def checked_points(value: bytes, columns: int, least: int, most: int, what: str) -> bytes:
    """Packed rows of ``columns`` little-endian float32 numbers. Raises ValueError for others, and for odd counts."""
    if len(value) % (4 * columns) or not least <= len(value) // (4 * columns) <= most:
        raise ValueError(f"{what} holds {least} to {most} points of {4 * columns} bytes")
    if not np.isfinite(np.frombuffer(value, "<f4")).all():
        raise ValueError(f"{what} holds points that are not numbers")
    return value


def packed(value: bytes, info: SerializationInfo, digest: str) -> str:
    """Bytes as they are written: by their name where the context takes blobs, by ``digest`` in a key."""
    context = info.context or {}
    if not value:
        return ""
    if context.get("keys"):
        return digest
    if "blobs" in context:
        name = hashlib.sha256(value).hexdigest()
        context["blobs"][name] = value
        return BLOB + name
    return base64.b64encode(value).decode()
