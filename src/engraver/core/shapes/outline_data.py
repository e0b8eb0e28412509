"""Outlines kept as data: SVG path data in a box of its own, scaled to a shape's width and height."""

from __future__ import annotations

import math
import re
from functools import lru_cache

import numpy as np

from ..errors import BadValue
from ..numeric.contours import Contours, Points, bezier

# Characters of the data of one outline.
MOST = 2_000_000
_WORD = re.compile(r"[MLCZ]|-?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?")
_ONLY = re.compile(r"[MLCZ0-9eE+\-. ,]*\Z")
_TAKES = {"M": 2, "L": 2, "C": 6}
Curves = tuple[tuple[tuple[float, ...], ...], ...]


@lru_cache(maxsize=64)
def _curves(data: str) -> Curves:
    """Each closed outline: its first place, then lines (2 numbers) and curves (6 numbers)."""
    found: list[tuple[tuple[float, ...], ...]] = []
    part: list[tuple[float, ...]] = []
    command = ""
    numbers: list[float] = []
    for word in _WORD.findall(data):
        if word in "MLCZ":
            if numbers:
                raise ValueError("numbers are missing")
            if word in "MZ" and part:
                found.append(tuple(part))
                part = []
            command = word
            continue
        numbers.append(float(word))
        if command not in _TAKES:
            raise ValueError("a number stands where none can be")
        if len(numbers) == _TAKES[command]:
            part.append(tuple(numbers))
            numbers = []
            command = "L" if command == "M" else command
    if part:
        found.append(tuple(part))
    return tuple(found)


def check(data: str) -> None:
    """Raises BadValue when this is no path data of ours: M, L, C, Z and absolute numbers."""
    if len(data) > MOST or not _ONLY.match(data):
        raise BadValue("The outline cannot be read", "it is not the path data of an SVG", "Bring the file in again")
    try:
        _curves(data)
    except ValueError as error:
        raise BadValue("The outline cannot be read", str(error), "Bring the file in again") from None


def contours_of(data: str, width: float, height: float) -> Contours:
    """The outlines as closed polygons about the origin; the data's box -0.5..0.5 becomes width by height."""
    size = np.array([width, height])
    made: list[Points] = []
    for part in _curves(data):
        places: list[Points] = [np.array(part[:1], float) * size]
        for numbers in part[1:]:
            ends = np.array(numbers, float).reshape(-1, 2) * size
            places.append(ends if len(ends) == 1 else bezier(np.concatenate([places[-1][-1:], ends])))
        whole = np.concatenate(places)
        if len(whole) > 2:
            made.append(whole)
    return tuple(made)


def data_of(parts: list[list[Points]]) -> tuple[str, float, float, tuple[float, float]]:
    """Path data in its own box; the width, height and middle of what was given.

    Parameters
    ----------
    parts : list of closed outlines
        Each a list: its first place (1, 2), then lines (1, 2) and cubic curves (3, 2).

    Raises
    ------
    BadValue
        When there is nothing to see, or too much.
    """
    if not parts:
        raise BadValue("There is no outline", "nothing in it is filled or has a stroke", "Choose another file")
    places = np.concatenate([np.concatenate(part) for part in parts])
    low, high = places.min(axis=0), places.max(axis=0)
    size = high - low
    if not np.isfinite(size).all() or float(size.max()) <= 0:
        raise BadValue("There is no outline", "what it holds has no size", "Choose another file")
    safe = np.where(size > 0, size, 1.0)
    words = []
    for part in parts:
        for n, one in enumerate(part):
            share = (one - low) / safe - 0.5
            letter = "M" if n == 0 else "L" if len(one) == 1 else "C"
            words.append(letter + " ".join(f"{v:.7g}" for v in share.ravel()))
        words.append("Z")
    data = "".join(words)
    if len(data) > MOST:
        raise BadValue("The outline is too large", f"it takes {math.ceil(len(data) / 1e6)} MB", "Simplify it")
    return data, float(size[0]), float(size[1]), (float(low[0] + high[0]) / 2, float(low[1] + high[1]) / 2)
