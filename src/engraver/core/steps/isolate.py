"""Isolate: lifts a subject off its ground; the ground goes to zero."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import model_validator

from ..errors import BadValue
from ..numeric import blur, matte, resample, tone
from ..params import Params, Strokes, choice, fraction, length
from ..params import strokes as stroke_field
from ..raster import Facts, Pixels, Raster
from .kind import StepContext, StepKind, measuring_mask, renamed
from .placed import painted, tagged

_SMALLEST = 8
_STROKES, _TONE = {"how": "strokes"}, {"how": "tone"}


class Isolate(Params):
    how: Literal["strokes", "tone"] = choice(
        "strokes",
        {"strokes": "By strokes", "tone": "By tone"},
        "Find it",
        "From a few strokes, or by its tone alone.",
    )
    subject: Literal["bright", "dark"] = choice(
        "bright", {"bright": "Bright", "dark": "Dark"}, "The subject is", "Which side of the cut is kept.", when=_TONE
    )
    find: Literal["auto", "held"] = choice(
        "auto", {"auto": "Found", "held": "Held"}, "Cut", "Found: where two classes of tone part best (Otsu).",
        when=_TONE,
    )  # fmt: skip
    level: float = fraction(
        0.5, 0.0, 1.0, "Cut at", "Half of this tone is kept.", when={"how": "tone", "find": "held"}
    )
    width: float = fraction(0.15, 0.01, 1.0, "Soft over", "From nothing to all, in tone.", when=_TONE)
    reach: float = length(
        0.02, 0.0, 0.2, "Reach", "Half the width of the band in which the border is refined.", when=_STROKES,
        soft=(0.0, 0.08),
    )  # fmt: skip
    grip: float = fraction(
        1.0, 0.0, 1.0, "Grip", "How much the border follows the picture's own wisps.", when=_STROKES
    )
    soften: float = length(0.0, 0.0, 0.1, "Soften", "Softens the border afterwards.", step=0.0005, soft=(0.0, 0.02))
    low: float = fraction(0.0, 0.0, 0.9, "Drop below", "What belongs to it less than this goes entirely.")
    high: float = fraction(1.0, 0.1, 1.0, "All above", "What belongs to it more than this stays entirely.")
    holes: float = length(0.02, 0.0, 0.5, "Fill holes", "Holes up to this size are filled.", soft=(0.0, 0.1))
    specks: float = length(0.02, 0.0, 0.5, "Drop specks", "Islands up to this size are dropped.", soft=(0.0, 0.1))
    strokes: Strokes = stroke_field(
        "Strokes", "Strokes that say keep or remove; they grow to the borders.", when=_STROKES
    )

    @model_validator(mode="after")
    def _order(self) -> Isolate:
        if self.high - self.low < 0.05:
            raise ValueError("“All above” must lie above “Drop below”")
        return self


def _seen(raster: Raster) -> Pixels:
    return blur.spread(raster.pixels, raster.coverage)


def _seeds(raster: Raster, params: Isolate, context: StepContext, size: tuple[int, int]) -> tuple[Pixels, ...]:
    """What is painted to keep and to remove, growing or not, on a raster of ``size``."""
    rows, columns = size
    shrink = np.diag([columns / raster.width, rows / raster.height, 1.0])
    small = StepContext(
        context.facts, context.out, size, from_source=shrink @ context.from_source, source=context.source
    )
    groups = (("keep",), ("remove",), ("keep-only",), ("remove-only",))
    return tuple(painted(tagged(params.strokes, small, *tags), rows, columns) for tags in groups)


def _region(raster: Raster, params: Isolate, context: StepContext) -> Pixels:
    """The region the strokes grow to, 0..1 at the raster's size.

    Raises
    ------
    BadValue
        When the strokes leave nothing.
    """
    ratio = min(1.0, matte.SEED_SIDE / raster.shorter)
    size = max(2, round(raster.height * ratio)), max(2, round(raster.width * ratio))
    keep, remove, only_keep, only_remove = (mask > 0.5 for mask in _seeds(raster, params, context, size))
    seen = _seen(raster)
    small = resample.resize(seen, *size)
    if raster.coverage is not None:
        remove = remove | (resample.resize(raster.coverage, *size) < 0.5)
    if not (remove | only_remove).any():
        # Nothing is said about the ground: it is what touches the border of the picture.
        remove = remove.copy()
        remove[:2], remove[-2:], remove[:, :2], remove[:, -2:] = True, True, True, True
    keep_all, remove_all = keep | only_keep, (remove | only_remove) & ~keep
    keep_all = keep_all & ~only_remove
    if not keep_all.any() or not remove_all.any():
        raise BadValue("The strokes leave nothing", "keep and remove lie over each other", "Take one of them back")
    if keep.any():
        found = matte.grown(small, keep & ~only_remove if (keep & ~only_remove).any() else keep_all, remove_all)
    else:
        found = np.zeros(size, bool)
    found = (found | only_keep) & ~only_remove
    short = min(size)
    found = matte.tidied(found, params.holes * short, params.specks * short)
    # A soft enlargement puts the border between the small pixels, where it was.
    rows, columns = raster.height, raster.width
    soft = cv2.GaussianBlur(found.astype(np.float32), (0, 0), 0.7, borderType=cv2.BORDER_REFLECT)
    big: Pixels = cv2.resize(soft, (columns, rows), interpolation=cv2.INTER_LINEAR)
    return np.clip(big, 0, 1)


def _by_tone(raster: Raster, params: Isolate, context: StepContext) -> Pixels:
    grey = tone.luma(_seen(raster))
    level = params.level if params.find == "held" else context.autos["level"]
    # The paper's grain goes before the cut, not the borders.
    smooth = blur.edge_keeping(grey, 0.003 * raster.shorter, params.width / 2, raster.wrap)
    t = (smooth - np.float32(level)) / np.float32(params.width)
    if params.subject == "dark":
        t = -t
    t = np.clip(t + np.float32(0.5), 0, 1)
    cover: Pixels = t * t * (np.float32(3) - np.float32(2) * t)
    return _tidied(cover, params, raster.shorter)


def _tidied(cover: Pixels, params: Isolate, short: int) -> Pixels:
    """Holes filled and specks dropped, softly: whole pieces of the matte change, borders stay."""
    region: NDArray[np.bool_] = cover > 0.5
    tidy = matte.tidied(region, params.holes * short, params.specks * short)
    if np.array_equal(region, tidy):
        return cover
    rim = np.ones((3, 3), np.uint8)
    filled = cv2.dilate((tidy & ~region).astype(np.uint8), rim).astype(bool)
    dropped = cv2.dilate((region & ~tidy).astype(np.uint8), rim).astype(bool)
    return np.where(filled, np.float32(1), np.where(dropped, np.float32(0), cover))


def _cover(raster: Raster, params: Isolate, context: StepContext, region: Pixels | None = None) -> Pixels:
    """How much of each pixel belongs to the subject, 0..1 (H, W); ``region`` where it is known already."""
    if raster.shorter < _SMALLEST:  # too few pixels to tell a subject from its ground
        return np.ones((raster.height, raster.width), np.float32)
    if params.how == "tone":
        cover = _by_tone(raster, params, context)
    else:
        region = _region(raster, params, context) if region is None else region
        context.check()
        cover = matte.matte(_seen(raster), region, params.reach * raster.shorter, params.grip)
    if params.soften > 0:
        cover = blur.gaussian(cover, params.soften * raster.shorter, raster.wrap)
    if (params.low, params.high) != (0.0, 1.0):
        cover = np.clip((cover - np.float32(params.low)) / np.float32(params.high - params.low), 0, 1)
    return np.clip(cover, 0, 1)


def _waits(params: Isolate) -> bool:
    """Whether nothing is marked to keep yet: then nothing is done."""
    return params.how == "strokes" and not any(s.tag in ("keep", "keep-only") for s in params.strokes)


def _isolate(raster: Raster, params: Isolate, context: StepContext) -> Raster:
    if _waits(params):
        return raster
    cover = _cover(raster, params, context)
    return raster.but(coverage=cover if raster.coverage is None else cover * raster.coverage)


def _measure(raster: Raster, params: Isolate, context: StepContext) -> dict[str, float]:
    return {"level": matte.otsu(tone.luma(raster.pixels), measuring_mask(raster, None))}


def _reveal(raster: Raster, params: Isolate, context: StepContext) -> Raster:
    """The matte, the band in which it was refined set off from what is sure."""
    if _waits(params):
        return raster
    if params.how == "strokes" and raster.shorter >= _SMALLEST:
        region = _region(raster, params, context)
        cover = _cover(raster, params, context, region)
        sure, out = matte.band(region, params.reach * raster.shorter)
        shown = np.where(sure, 0.92, np.where(out, 0.08, 0.2 + 0.6 * cover))
        return raster.but(pixels=shown.astype(np.float32), coverage=None)
    return raster.but(pixels=_cover(raster, params, context), coverage=None)


def _extent(params: Isolate, facts: Facts) -> Facts:
    return facts.but(coverage=True)


def _tells(params: Isolate, autos: Mapping[str, float]) -> str:
    if _waits(params):
        return "Paint over a part of what is to stay (K), then over what goes (M): strokes grow to the borders."
    if params.how == "strokes":
        return "K keeps, M removes. Strokes grow to the borders; L takes back the last leap."
    if "level" not in autos:
        return ""
    return f"Found: the cut at {autos['level'] * 100:.1f} %"


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 called its strokes marks, also as the way to find the subject."""
    if version > 1:
        return values
    lifted = renamed(values, "marks", "strokes")
    return {**lifted, "how": "strokes"} if lifted.get("how") == "marks" else lifted


ISOLATE = StepKind(
    id="isolate", name="Isolate", group="isolate", help="Lifts a subject off its ground; the ground goes to zero.",
    params=Isolate, apply=_isolate, extent=_extent, takes="any", gives="any", version=2,
    migrate=_migrate, agreement="grain",
    measure=_measure, measures=lambda p: p.how == "tone" and p.find == "auto", tells=_tells,
    reveal=_reveal, revealed="the matte", only_here=True, editor="isolate",
    words=("mask", "cut out", "subject", "key"),
)  # fmt: skip
