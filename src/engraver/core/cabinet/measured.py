"""A file or a finished plate as an entry: its picture, its likeness, and what is wrong with it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePath
from types import MappingProxyType

import cv2
import numpy as np
from numpy.typing import NDArray

from .. import limits
from ..engine import Engine, Request, resolve
from ..errors import Watch, unwatched
from ..files.read import facts, load
from ..files.write import encode
from ..numeric.few_levels import bare_steps, even_levels
from ..project.codec import recipe_json
from ..raster import Pixels, Zero
from ..recipe import Brush, Project, Recipe, new_id
from .entry import Entry
from .likeness import likeness

# What is found when a file is taken in, by id, the worst first.
WRONG: Mapping[str, str] = MappingProxyType({
    "unreadable": "It cannot be read", "bands": "Its slopes come out in bands", "border": "Its border shows",
    "white": "It stands on white", "double": "It is there already",
})  # fmt: skip
# The side at which a file is measured; how even a rim is, and how far from zero it may lie.
_SIDE, _EVEN, _BARE = 512, 0.05, 0.024
_BANDED = 0.05


@dataclass(frozen=True, eq=False)
class Measured:
    """An entry, not yet kept: its finished picture, its likeness, and the picture's SHA-256 where that is known."""

    entry: Entry
    picture: bytes
    likeness: NDArray[np.float32]
    digest: str = ""


def of_file(data: bytes, name: str, tags: tuple[str, ...] = ()) -> Measured:
    """A finished file of the artist's. A PNG is kept as it is, anything else as a 16-bit PNG.

    Raises BadPicture where it cannot be read.
    """
    known, grey = facts(data, name), _grey(load(data, name).flat())
    zero, wrong = _judged(grey, known.depth)
    plain = known.format == "PNG" and known.channels == 1 and not known.alpha and known.depth in (8, 16)
    picture = data if plain else _png(grey)
    digest = hashlib.sha256(data).hexdigest()
    entry = Entry(
        id=new_id("k"), name=PurePath(name).stem[: limits.NAME] or "Unnamed", tags=tags, origin=f"file {digest}",
        width=grey.shape[1], height=grey.shape[0], zero=zero, picture=digest, wrong=wrong,
    )  # fmt: skip
    return Measured(entry, picture, likeness(_over_zero(grey, zero, "white" in wrong)), digest if plain else "")


def of_plate(
    project: Project, plate_id: str, engine: Engine, *, brush: Brush | None = None, tags: tuple[str, ...] = (),
    check: Watch = unwatched,
) -> Measured:  # fmt: skip
    """A plate as it is finished, or a brush with it; steps and settings come along.

    Raises
    ------
    StepFailed
        The plate cannot be computed.
    Cancelled
        ``check`` said so.
    """
    plate = project.plate(plate_id)
    line = resolve(project, plate_id, engine.sources)
    raster = engine.evaluate(line, Request(exact=True), check).raster
    grey = _grey(raster.flat())
    recipe = Recipe(id=plate.recipe, name=plate.name, steps=project.line(plate_id))
    more = {"recipe": json.loads(recipe_json(recipe)), "reading": plate.model_dump(mode="json")["reading"]}
    if brush is not None:
        more["settings"] = brush.settings.model_dump(mode="json")
    name = brush.name if brush is not None else plate.name
    entry = Entry(
        id=new_id("k"), name=name, tags=tags, kind="brush" if brush is not None else "alpha", project=project.name,
        origin=f"{brush.id if brush is not None else plate.id} of {project.name}", destination=plate.ready_for,
        width=grey.shape[1], height=grey.shape[0], zero=raster.zero, tiling=any(raster.wrap),
        source=project.source(plate.source).kind, picture="0" * 64, more=more,
    )  # fmt: skip
    return Measured(entry, _png(grey), likeness(_over_zero(grey, raster.zero, False)))


def _png(grey: Pixels) -> bytes:
    return encode(grey, "png", "16")


def _grey(flat: Pixels) -> Pixels:
    """Tones 0..1 of one channel."""
    one = flat if flat.ndim == 2 else flat.mean(axis=2)
    tones: Pixels = np.ascontiguousarray(np.clip(one, 0, 1), np.float32)
    return tones


def _over_zero(grey: Pixels, zero: Zero, white: bool) -> Pixels:
    return 1 - grey if white else grey


def _judged(grey: Pixels, depth: int) -> tuple[Zero, tuple[str, ...]]:
    """The tone that leaves a surface alone, by the border, and what is wrong."""
    by = max(1, min(grey.shape) // _SIDE)
    small = grey[::by, ::by]
    rim = np.concatenate([grey[0], grey[-1], grey[:, 0], grey[:, -1]])
    low, level, top = (float(v) for v in np.percentile(rim, (3, 50, 97)))
    zero: Zero = "mid" if abs(level - 0.5) < 0.1 and top - low < 2 * _EVEN else "black"
    wrong = []
    levels = even_levels(small) if depth <= 8 else 0
    if levels and bare_steps(grey if by == 1 else _middle(grey), levels) > _BANDED:
        wrong.append("bands")
    white = level > 0.75 and float(small.mean()) < level
    bare = 0.5 if zero == "mid" else 1.0 if white else 0.0
    if float(np.percentile(np.abs(rim - bare), 99)) > _BARE:
        wrong.append("border")
    if white:
        wrong.append("white")
    return zero, tuple(wrong)


def _middle(grey: Pixels) -> Pixels:
    """The middle at its own scale: steps must not be reduced away."""
    rows, columns = grey.shape
    top, left = max(0, (rows - _SIDE) // 2), max(0, (columns - _SIDE) // 2)
    return np.ascontiguousarray(grey[top : top + _SIDE, left : left + _SIDE])


def shown(data: bytes, side: int) -> Pixels:
    """A kept picture, float32, 0..1, no larger than so many pixels along its longer side."""
    grey = _grey(load(data, "picture.png").flat())
    by = side / max(grey.shape)
    if by >= 1:
        return grey
    size = max(1, round(grey.shape[1] * by)), max(1, round(grey.shape[0] * by))
    small: Pixels = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    return small
