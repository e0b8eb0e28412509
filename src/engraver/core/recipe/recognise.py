"""What a picture is recognised as: finished heights, a surface, a relief, a drawing, a subject or a sheet."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from ..files.picture import PictureFacts
from ..numeric import framing, matte, resample, surface, tone
from ..numeric.ranks import median, percentile
from ..raster import Pixels, Raster
from .models import PictureAs

RING = 0.08
# Corners that differ by less are of one tone.
ALIKE = 0.08
# Tones that are one, in a picture made smaller; how near mid-grey is exactly that, in 8 bits; a first step off black.
_ONE_TONE, _MID, _SOFT = 1e-5, 0.6 / 255, 0.06


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


def corners_apart(grey: Pixels, edge: int) -> float:
    """How far the tone of the four corners lies from that of the inside; 0 where they are not alike and plain."""
    parts = [grey[:edge, :edge], grey[:edge, -edge:], grey[-edge:, :edge], grey[-edge:, -edge:]]
    tones = np.array([median(part) for part in parts])
    if np.ptp(tones) > ALIKE or max(_spread(part) for part in parts) > ALIKE:
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
        corners=corners_apart(grey, edge),
        boxed=_boxed(bright),
    )


def _rim(raster: Raster) -> float | None:
    """The one tone of every pixel along the border of a grey picture; None where they differ, or have colour."""
    sides = [raster.pixels[0], raster.pixels[-1], raster.pixels[:, 0], raster.pixels[:, -1]]
    rim = np.concatenate([side.reshape(-1) for side in sides])
    return float(rim[0]) if float(np.ptp(rim)) < _ONE_TONE else None


def mid_ground(raster: Raster) -> bool:
    """Whether a picture stands on exactly mid-grey: that is its zero."""
    rim = _rim(raster) if raster.coverage is None else None
    return rim is not None and abs(rim - 0.5) < _MID


def mark_tone(raster: Raster) -> float | None:
    """The one tone of a mark that is written in its transparency alone, as tips are; None for any other picture."""
    if raster.coverage is None or float(np.ptp(raster.coverage)) < 0.5:
        return None
    grey = tone.luma(raster.pixels)[raster.coverage > _SOFT]
    return float(grey.mean()) if float(np.ptp(grey)) < 2 / 255 else None


def _rises_from_black(raster: Raster) -> bool:
    """Whether a picture stands on exactly black and leaves it softly, as a stamp does, and no cut-out."""
    if _rim(raster) != 0:
        return False
    grey = tone.luma(raster.pixels)
    there = (grey > 0).astype(np.uint8)
    outline = (there > 0) & (cv2.erode(there, np.ones((3, 3), np.uint8), borderValue=0) == 0)
    return bool(outline.any()) and median(grey[outline]) < _SOFT


def _scanned(facts: PictureFacts) -> bool:
    """Whether a picture may come from a scanner: these say their dots per inch, programs none or 72."""
    return not facts.camera and facts.dpi is not None and facts.dpi > 75


def finished(raster: Raster, facts: PictureFacts) -> bool:
    """Whether a picture holds heights already: then nothing is done to it.

    It is a mark in its transparency alone; or it is grey, though it may be written as colour, and has float or signed
    values, or heights that are counted; 16 bits from no camera and no scanner; or a plain ground of exactly mid-grey
    or, left softly, black, which no camera gives.
    """
    if mark_tone(raster) is not None:
        return True
    if raster.channels == 3 and bool((np.ptp(raster.pixels, axis=2) > _ONE_TONE).any()):
        return False
    if facts.ranged or (facts.depth >= 16 and not facts.camera and not _scanned(facts)):
        return True
    return not facts.camera and not facts.lossy and (mid_ground(raster) or _rises_from_black(raster))


def guess(raster: Raster, facts: PictureFacts | None = None) -> PictureAs:
    """What a picture most likely is.

    What holds heights already: as it is. No camera, a DPI tag, darker borders and something that
    fills its rectangle: a flatbed sheet. Corners of one plain tone that most of the inside has not,
    and one thing: a subject. More than half near the light of an unsaturated paper, with ink: a
    drawing. Many bright things on a darker ground: a relief. A ring with under a third of the
    inside's spread: a relief where it is dark and many things stand out, else a subject on a
    ground. Otherwise an all-over surface.
    """
    if facts is not None and finished(raster, facts):
        return "plain"
    found = cues(raster)
    if facts is not None and _scanned(facts) and found.lid > 0.1 and found.boxed > 0.85:
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
