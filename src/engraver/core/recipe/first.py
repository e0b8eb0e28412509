"""The first minute: what a dropped picture is read as, and the line it starts with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

import cv2
import numpy as np
from numpy.typing import NDArray

from ..files.picture import PictureFacts
from ..numeric import framing, matte, resample, surface, tone
from ..numeric.ranks import median, percentile
from ..params import Stroke
from ..raster import Facts, Pixels, Raster
from .models import PictureAs, Recipe, Step

READ_AS: Mapping[PictureAs, str] = MappingProxyType({
    "surface": "All-over surface", "relief": "Relief on dark", "drawing": "Drawing on paper",
    "tip": "Marks for a paint tip", "subject": "Subject on a ground", "sheet": "Flatbed sheet", "plain": "As it is",
})  # fmt: skip
# Photographs in which what is light need not be high, and a share of light parts that is doubtful.
LIGHT_MAY_BE_LOW: frozenset[PictureAs] = frozenset({"surface", "subject"})
FEW_LIGHT = 0.2
RING = 0.08
# Corners that differ by less are of one tone.
_ALIKE = 0.08
# With less spread of tone a subject is a silhouette. It is marked at up to so many places, as thick as this.
_FLAT, _MARKS, _THICK = 0.08, 4, 0.35
LARGEST_TIP = 2500
# The side of a plate that a picture begins with, in pixels.
FIRST_SIDE = 1024
# A soft threshold: the paper's grain goes to zero, ink past its middle to nearly full.
INK = ((0.0, 0.0), (0.22, 0.0), (0.55, 0.72), (1.0, 1.0))


@dataclass(frozen=True, slots=True)
class Cues:
    """What is measured on a picture before it is read as something.

    ``ring`` is the spread of tone in the outer 8 % as a share of that inside; ``light`` the
    tone of the ground; ``paper`` the share of pixels near the light of the paper round them;
    ``saturation`` the median colourfulness; ``ink`` how dark the darkest 2 % are against
    the paper; ``lid`` how much darker the borders are; ``pieces`` how much of what stands
    out is its largest piece; ``solid`` how thick the darkest thing is, as a share of the side.
    ``dark`` says whether things stand out by being bright; ``corners`` how far the tone that all
    four corners share lies from the inside's, 0 where they share none; ``boxed`` how much of the
    rectangle round the largest bright piece that piece fills.
    """

    ring: float
    light: float
    paper: float
    saturation: float
    ink: float
    lid: float
    pieces: float
    solid: float
    dark: bool
    corners: float
    boxed: float


def _spread(values: Pixels) -> float:
    return percentile(values, 90) - percentile(values, 10)


def _closed(there: Pixels) -> NDArray[np.uint8]:
    closed: NDArray[np.uint8] = cv2.morphologyEx(
        (there > 0.5).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8)
    )
    return closed


def _largest(there: Pixels) -> float:
    """The share of the largest piece in all that is there, closed a little so that pores do not part it."""
    closed = _closed(there)
    count, _, stats, _ = cv2.connectedComponentsWithStats(closed, connectivity=8)
    return float(stats[1:, cv2.CC_STAT_AREA].max() / closed.sum()) if count > 1 else 0.0


def _deepest(there: NDArray[np.bool_]) -> float:
    """The radius of the largest disc inside what is there, in pixels."""
    return float(cv2.distanceTransform(there.astype(np.uint8), cv2.DIST_L2, 5).max())


def _boxed(there: Pixels) -> float:
    """How much of the smallest rectangle round the largest piece it fills: 1 for a sheet, 0.79 for a disc."""
    closed = _closed(there)
    outlines, _ = cv2.findContours(closed, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    if not outlines:
        return 0.0
    largest = max(outlines, key=cv2.contourArea)
    (_, (wide, tall), _) = cv2.minAreaRect(largest)
    return float(cv2.contourArea(largest) / max(wide * tall, 1.0))


def _corners(grey: Pixels, edge: int) -> float:
    """How far the tone of the four corners lies from that of the inside; 0 where they are not alike and plain."""
    parts = [grey[:edge, :edge], grey[:edge, -edge:], grey[-edge:, :edge], grey[-edge:, -edge:]]
    tones = np.array([median(part) for part in parts])
    if np.ptp(tones) > _ALIKE or max(_spread(part) for part in parts) > _ALIKE:
        return 0.0
    rows, columns = grey.shape
    inside = grey[rows // 4 : -rows // 4, columns // 4 : -columns // 4]
    return median(np.abs(inside - tones.mean()))


def cues(raster: Raster) -> Cues:
    """Measure a picture, reduced to 256 pixels."""
    ratio = min(1.0, 256 / raster.shorter)
    rows, columns = max(12, round(raster.height * ratio)), max(12, round(raster.width * ratio))
    small = resample.resize(raster.pixels, rows, columns)
    grey = tone.luma(small)
    edge = max(1, round(RING * min(rows, columns)))
    ring = np.ones(grey.shape, bool)
    ring[edge:-edge, edge:-edge] = False
    inner = grey[edge:-edge, edge:-edge]
    colourful = (small.max(axis=2) - small.min(axis=2)) if small.ndim == 3 else np.zeros_like(grey)
    ground = np.maximum(surface.local_percentile(grey, max(5, min(rows, columns) // 4), 90), 0.02)
    share: Pixels = (grey / ground).astype(np.float32)
    far = max(1, edge // 2)
    rim = np.concatenate([grey[:far].ravel(), grey[-far:].ravel(), grey[:, :far].ravel(), grey[:, -far:].ravel()])
    lid = median(inner) - median(rim)
    # With the light evened out too, so that a ramp over a plain ground does not count as texture.
    rings = [_spread(v[ring]) / max(_spread(v[edge:-edge, edge:-edge]), 1e-6) for v in (grey, share)]
    # On a dark ground things are bright; on a lighter one they are told, by colour too, against the light there.
    even = small / ground[..., None] if small.ndim == 3 else share[..., None]
    apart = np.abs(even - np.median(even[ring], axis=0)).max(axis=2).astype(np.float32)
    marked = (apart > matte.otsu(apart)).astype(np.float32)
    dark = lid > 0.02 or median(grey[ring]) < 0.25
    bright = framing.what_is_there(grey, None, 0.0)
    pieces = _largest(bright if dark else marked)
    return Cues(
        ring=min(rings),
        light=median(ground),
        paper=float((np.abs(share - 1) < 0.12).mean()),
        saturation=median(colourful),
        ink=1 - percentile(share, 2),
        lid=lid,
        pieces=pieces,
        solid=_deepest(_closed(marked) > 0) / min(rows, columns),
        dark=dark,
        corners=_corners(grey, edge),
        boxed=_boxed(bright),
    )


def guess(raster: Raster, facts: PictureFacts | None = None) -> PictureAs:
    """What a picture most likely is.

    No camera, a DPI tag, darker borders and something that fills its rectangle: a flatbed sheet.
    Corners of one plain tone that most of the inside has not, and one thing: a subject. More than
    half near the light of an unsaturated paper, with ink: a drawing. Many bright things on a
    darker ground: a relief. A ring with under a third of the inside's
    spread: a relief where it is dark and many things stand out, else a subject on a
    ground. Otherwise an all-over surface.
    """
    found = cues(raster)
    scanned = facts is not None and not facts.camera and facts.dpi is not None and facts.dpi > 75
    if scanned and found.lid > 0.1 and found.boxed > 0.85:
        return "sheet"
    if found.corners > 0.12 and found.pieces > 0.85:
        return "subject"
    if (
        found.paper > 0.5
        and found.light > 0.3
        and found.saturation < 0.2
        and found.ink > 0.35
        and found.solid < 0.095
    ):
        return "drawing"
    if found.dark and found.pieces < 0.3:
        return "relief"
    if found.ring < 1 / 3:
        return "subject" if found.pieces > 0.85 else "relief"
    return "surface"


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
    if _corners(grey, edge) > _ALIKE:
        planes = small if small.ndim == 3 else small[..., None]
        corner = np.median(
            np.concatenate([planes[:edge, :edge], planes[-edge:, -edge:]]).reshape(-1, planes.shape[2]), 0
        )
        apart = np.abs(planes - corner).max(axis=2).astype(np.float32)
        there = apart > min(matte.otsu(apart), 1.5 * _ALIKE)
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


def _falloff(fade: float) -> Step:
    return Step.make("falloff", margin=0.016, fade=fade, ragged=0.3, ragged_size=0.06)


def first_steps(read_as: PictureAs, facts: Facts, raster: Raster | None = None) -> tuple[Step, ...]:
    """The line a source of this kind starts with; shares are of the plate's side.

    ``raster`` lets a subject be marked where it lies.
    """
    make = Step.make
    if read_as == "plain":
        return (make("grey"),) if facts.channels == 3 else ()
    grey, size = make("grey"), make("size", side=FIRST_SIDE)
    if read_as == "surface":
        return (
            make("crop"), grey,
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


def shipped_recipe(read_as: PictureAs) -> Recipe:
    """The recipe that ships for a kind, for any picture of it."""
    steps = first_steps(read_as, Facts(4096, 4096, channels=3))
    named = tuple(s.model_copy(update={"uid": f"{read_as}-{s.kind}"}) for s in steps)
    return Recipe(id=f"shipped-{read_as}", name=READ_AS[read_as], steps=named)
