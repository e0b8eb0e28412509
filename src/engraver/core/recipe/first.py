"""The first minute: what a dropped picture is read as, and the line it starts with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..files.picture import PictureFacts
from ..numeric import framing, joints, matte, resample, tone
from ..params import Stroke
from ..raster import Facts, Raster
from .models import PictureAs, Recipe, Step
from .recognise import ALIKE, RING, corners_apart, mark_tone, mid_ground

Raises = Literal["white", "black"]
READ_AS: Mapping[PictureAs, str] = MappingProxyType({
    "surface": "All-over surface", "relief": "Relief on dark", "drawing": "Drawing on paper",
    "tip": "Marks for a paint tip", "subject": "Subject on a ground", "sheet": "Flatbed sheet", "plain": "As it is",
})  # fmt: skip
# Photographs in which what is light need not be high, and a share of light parts that is doubtful.
LIGHT_MAY_BE_LOW: frozenset[PictureAs] = frozenset({"surface", "subject"})
FEW_LIGHT = 0.2
# With less spread of tone a subject is a silhouette. It is marked at up to so many places, as thick as this.
_FLAT, _MARKS, _THICK = 0.08, 4, 0.35
LARGEST_TIP = 2500
# From such a slope of its sides on a wall is made straight by itself, one degree; and where so much of it is left.
_SLANT, _LEFT = 0.0175, 0.4
# Destinations that pictures are made ready for by what they are.
_TIP, _CLEAR, _GRID, _MID = "paint-tip", "clear-tip", "terrain-grid", "sculpt-stamp-mid"
CHOOSES = frozenset({_TIP, _CLEAR, _GRID, _MID})
# Tones of a mark so near black or white are that; of any other mark every tone is made white.
_FULL, _WHITE = 0.02, ((0.0, 1.0), (1.0, 1.0))
# The side of a plate that a picture begins with, in pixels.
FIRST_SIDE = 1024
# A soft threshold: the paper's grain goes to zero, ink past its middle to nearly full; the darkest a hair under
# white, as what lies beyond the levels goes on along the curve and would be cut.
INK = ((0.0, 0.0), (0.22, 0.0), (0.55, 0.72), (1.0, 0.999))


@dataclass(frozen=True, slots=True)
class _Subject:
    """Keep strokes where a subject lies, and whether it is one flat tone, a silhouette."""

    strokes: tuple[Stroke, ...] = (Stroke.through([(0.5, 0.5)], 0.05, "keep"),)
    flat: bool = False


def _subject(raster: Raster | None) -> _Subject:
    """Where the subject lies: the middles of what differs from the tone of the picture's border."""
    if raster is None:
        return _Subject()
    ratio = min(1.0, 256 / raster.shorter)
    rows, columns = (max(4, round(n * ratio)) for n in (raster.height, raster.width))
    small = resample.resize(raster.pixels, rows, columns)
    grey = tone.luma(small)
    edge = max(1, round(RING * min(rows, columns)))
    if corners_apart(grey, edge) > ALIKE:
        planes = small if small.ndim == 3 else small[..., None]
        corner = np.median(
            np.concatenate([planes[:edge, :edge], planes[-edge:, -edge:]]).reshape(-1, planes.shape[2]), 0
        )
        apart = np.abs(planes - corner).max(axis=2).astype(np.float32)
        there = apart > min(matte.otsu(apart), 1.5 * ALIKE)
    else:
        there = framing.what_is_there(grey, None, 0.0) > 0.5
    solid = matte.tidied(there, 0, 6)
    if not solid.any():
        return _Subject()
    core = cv2.erode(solid.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    flat = core.any() and float(np.ptp(np.percentile(grey[core], (2, 98)))) < _FLAT
    return _Subject(_middles(solid), bool(flat))


def _middles(solid: NDArray[np.bool_]) -> tuple[Stroke, ...]:
    """A stroke in the middle of the thickest part, and in each other part that is hardly thinner."""
    rows, columns = solid.shape
    left, strokes, first = solid.astype(np.uint8), list[Stroke](), 0.0
    while len(strokes) < _MARKS:
        deep = cv2.distanceTransform(cv2.copyMakeBorder(left, 1, 1, 1, 1, cv2.BORDER_CONSTANT), cv2.DIST_L2, 5)
        depth = float(deep.max())
        first = first or depth
        if depth < _THICK * first:
            break
        y, x = (int(n) - 1 for n in np.unravel_index(int(np.argmax(deep)), deep.shape))
        radius = min(0.05, 0.6 * depth / min(rows, columns))
        strokes.append(Stroke.through([((x + 0.5) / columns, (y + 0.5) / rows)], radius, "keep"))
        cv2.circle(left, (x, y), max(1, round(1.1 * depth)), 0, -1)
    return tuple(strokes)


def _straight(raster: Raster | None) -> tuple[Step, ...]:
    """What makes a wall, a floor or boards straight that are seen aslant; nothing where no lines tell."""
    if raster is None:
        return ()
    corners = joints.wall_corners(tone.luma(raster.pixels))
    if corners is None:
        return ()
    places = np.array(corners) * (raster.width, raster.height)
    across, down = np.abs(np.roll(places, -1, axis=0) - places).T
    slant = np.minimum(across, down) / np.maximum(np.hypot(across, down), 1e-9)
    left = cv2.contourArea(np.array(corners, np.float32))
    return (Step.make("straighten", corners=corners),) if slant.max() > _SLANT and left > _LEFT else ()


def _falloff(fade: float) -> Step:
    return Step.make("falloff", margin=0.016, fade=fade, ragged=0.3, ragged_size=0.06)


def first_steps(read_as: PictureAs, facts: Facts, raster: Raster | None = None) -> tuple[Step, ...]:
    """The line a source of this kind starts with; shares are of the plate's side.

    ``raster`` lets a subject be marked where it lies, and a wall that is seen aslant be made straight.
    """
    make = Step.make
    if read_as == "plain":
        return (make("grey"),) if facts.channels == 3 else ()
    grey, size = make("grey"), make("size", side=FIRST_SIDE)
    if read_as == "surface":
        return (
            *_straight(raster), make("crop"), grey,
            make("even-light", light="blur", method="subtract", radius=0.125),
            make("levels", low=10.0, high=99.8, toe=0.08),
            make("soften", method="edge-keeping", radius=0.003),
            _falloff(0.22), size,
        )  # fmt: skip
    if read_as == "relief":
        return (
            make("crop"), grey,
            make("even-light", light="surface", method="divide"),
            make("levels", low=30.0, high=99.7, toe=0.05),
            make("soften", method="gaussian", radius=0.0015),
            _falloff(0.15), size,
        )  # fmt: skip
    if read_as in ("drawing", "tip"):
        tip = read_as == "tip"
        return (
            grey, make("even-light", light="paper", window=0.06, percent=0.9), make("invert"),
            make("levels", low=45.0, high=98.0 if tip else 98.5, toe=0.0),
            make("curve", points=INK),
            *(() if tip else (make("soften", radius=0.002),)),
            make("centre", by="heights", margin=0.04 if tip else 0.06), make("square", how="zero"),
            make("size", side=min(LARGEST_TIP, facts.shorter)) if tip else size,
        )  # fmt: skip
    if read_as == "subject":
        found = _subject(raster)
        # The darkest part of a body is still body; a silhouette has no tones of its own and becomes a cushion.
        black = 1.0 if found.flat else 0.12
        return (
            make("isolate", strokes=found.strokes, soften=0.001), grey,
            make("levels", low=2.0, high=99.5, toe=0.0, out_black=black), make("soften", radius=0.0015),
            make("falloff", outline="own", margin=0.0, fade=0.06 if found.flat else 0.02, ragged=0.0),
            make("centre", by="heights", margin=0.06), make("square", how="zero"), size,
        )  # fmt: skip
    return (
        make("straighten", how="level"), make("crop", width=0.78), grey,
        make("even-light", light="surface", method="divide"),
        make("levels", low=1.0, high=99.0, toe=0.0), size,
    )  # fmt: skip


def first_of(
    read_as: PictureAs, facts: Facts, known: PictureFacts | None, raster: Raster | None
) -> tuple[tuple[Step, ...], Raises, str]:
    """What a plate of a picture begins with: its line, the tone that stands up as it is shown, and the destination
    that it is most likely made for, one of :data:`CHOOSES`, "" for the usual one.

    Parameters
    ----------
    facts : Facts
        Of the picture as it is read.
    known : PictureFacts, optional
        What its header told.
    raster : Raster, optional
        The picture, reduced.
    """
    steps = first_steps(read_as, facts, raster)
    if read_as == "tip":
        return steps, "black", _TIP
    if read_as != "plain" or raster is None:
        return steps, "white", ""
    shade = mark_tone(raster)
    if shade is not None:  # a mark is as high as it is opaque
        if shade < _FULL:
            steps += (Step.make("invert"),)
        elif shade < 1 - _FULL:
            steps += (Step.make("curve", points=_WHITE),)
        return steps, "black" if shade < 0.5 else "white", _CLEAR
    cuts = mid_ground(raster)
    if cuts:
        steps += (Step.make("zero", zero="mid", tones="keep"),)
    ground = known is not None and (known.elevation or known.spacing is not None)
    return steps, "white", _GRID if ground else _MID if cuts else ""


def shipped_recipe(read_as: PictureAs) -> Recipe:
    """The recipe that ships for a kind, for any picture of it."""
    steps = first_steps(read_as, Facts(4096, 4096, channels=3))
    named = tuple(s.model_copy(update={"uid": f"{read_as}-{s.kind}"}) for s in steps)
    return Recipe(id=f"shipped-{read_as}", name=READ_AS[read_as], steps=named)
