"""A file, a plate or a brush on its way into the cabinet: its picture, its likeness, and what is wrong with it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import PurePath
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from .. import limits
from ..engine import Engine, Request, resolve
from ..errors import Watch, unwatched
from ..files.read import facts, load
from ..files.write import encode
from ..numeric import resample
from ..numeric.deband import quantum
from ..numeric.few_levels import bare_steps, even_levels
from ..numeric.framing import rim
from ..numeric.tone import luma
from ..project.codec import recipe_json
from ..raster import Pixels, Raster, Zero
from ..recipe import Brush, Project, Recipe, new_id
from .entry import Entry
from .likeness import likeness
from .using import what_made

# What is found when a file is taken in, by id, the worst first.
WRONG: Mapping[str, str] = MappingProxyType({
    "unreadable": "It cannot be read", "bands": "Its slopes come out in bands", "border": "Its border shows",
    "white": "It stands on white", "double": "It is there already",
})  # fmt: skip
# The part of a file that is looked at for bands, in pixels; how even a rim is, and how far from zero it may lie.
_PART, _EVEN, _BARE = 512, 0.05, 0.024
# Share of slopes on which nothing hides the steps, from which bands are seen.
_BANDED = 0.05


@dataclass(frozen=True, eq=False)
class ToKeep:
    """All that :meth:`Cabinet.keep` is given.

    Attributes
    ----------
    entry : Entry
        Its ``picture`` is filled in when it is kept.
    picture : bytes
        The finished picture, a PNG.
    likeness : float32 (LENGTH,)
    digest : str
        SHA-256 of the picture, where it is known already.
    """

    entry: Entry
    picture: bytes
    likeness: NDArray[np.float32]
    digest: str = ""

    @property
    def sides(self) -> tuple[int, int]:
        """Height and width of the picture, in pixels. Raises BadPicture."""
        known = facts(self.picture, "picture.png")
        return known.height, known.width


def of_file(data: bytes, name: str, tags: tuple[str, ...] = ()) -> ToKeep:
    """A finished file of the artist's. A grey PNG is kept as it is, anything else as a 16-bit PNG.

    Raises
    ------
    BadPicture
        It cannot be read.
    """
    known, grey = facts(data, name), _tones(load(data, name))
    zero, wrong = _judged(grey, known.depth)
    plain = known.format == "PNG" and known.channels == 1 and not known.alpha and known.depth in (8, 16)
    digest = hashlib.sha256(data).hexdigest()
    entry = Entry(
        id=new_id("k"), name=PurePath(name).stem[: limits.NAME] or "Unnamed", tags=tags, origin=f"file {digest}",
        width=grey.shape[1], height=grey.shape[0], zero=zero,
        wrong=wrong,
    )  # fmt: skip
    if plain:
        return ToKeep(entry, data, likeness(grey), digest)
    return ToKeep(entry, encode(grey, "png", "16"), likeness(grey))


def of_plate(
    project: Project, plate_id: str, engine: Engine, *, brush: Brush | None = None, tags: tuple[str, ...] = (),
    check: Watch = unwatched,
) -> ToKeep:  # fmt: skip
    """A plate as it is finished, or a brush with it; steps and settings come along.

    Raises
    ------
    StepFailed
        The plate cannot be computed.
    Cancelled
        ``check`` said so.
    """
    plate = project.plate(plate_id)
    raster = engine.evaluate(resolve(project, plate_id, engine.sources), Request(exact=True), check).raster
    grey = _tones(raster)
    recipe = Recipe(id=plate.recipe, name=plate.name, steps=project.line(plate_id))
    more = what_made(project, plate, brush, json.loads(recipe_json(recipe)))
    of = plate if brush is None else brush
    entry = Entry(
        id=new_id("k"), name=of.name, tags=tags, kind="alpha" if brush is None else "brush", project=project.name,
        origin=f"{of.id} of {project.name}", destination=plate.ready_for, width=grey.shape[1], height=grey.shape[0],
        zero=raster.zero, tiling=any(raster.wrap), source=project.source(plate.source).kind, more=more,
    )  # fmt: skip
    return ToKeep(entry, encode(grey, "png", "16"), likeness(grey))


def of_picture(entry: Entry, picture: bytes) -> ToKeep:
    """An entry from another cabinet. Raises BadPicture where its picture cannot be read."""
    return ToKeep(entry, picture, likeness(reduced(picture, _PART)))


def reduced(picture: bytes, side: int) -> Pixels:
    """A kept picture, float32 (H, W), 0..1, its longer side at most so many pixels. Raises BadPicture."""
    return resample.at_most(_tones(load(picture, "picture.png")), side)


def _tones(raster: Raster) -> Pixels:
    """A finished picture's tones, float32 (H, W), 0..1."""
    return np.ascontiguousarray(np.clip(luma(raster.flat()), 0, 1), np.float32)


def _judged(grey: Pixels, depth: int) -> tuple[Zero, tuple[str, ...]]:
    """The tone that leaves a surface alone, by the border, and what is wrong."""
    border = rim(grey)
    low, level, top = (float(v) for v in np.percentile(border, (3, 50, 97)))
    zero: Zero = "mid" if abs(level - 0.5) < 0.1 and top - low < 2 * _EVEN else "black"
    wrong = []
    levels = even_levels(grey) if depth <= 8 else 0
    if levels:
        middle = _middle(grey)
        # The file may hold fewer tones than it has room for.
        if bare_steps(middle, 1 / quantum(middle, 1 / levels)) > _BANDED:
            wrong.append("bands")
    white = level > 0.75 and float(grey.mean()) < level
    bare = 0.5 if zero == "mid" else 1.0 if white else 0.0
    if float(np.percentile(np.abs(border - bare), 99)) > _BARE:
        wrong.append("border")
    if white:
        wrong.append("white")
    return zero, tuple(wrong)


def _middle(grey: Pixels) -> Pixels:
    """The middle at its own scale: steps must not be reduced away."""
    top, left = (max(0, (side - _PART) // 2) for side in grey.shape)
    return np.ascontiguousarray(grey[top : top + _PART, left : left + _PART])
