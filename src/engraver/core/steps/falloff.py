"""Falloff: the plate fades to zero before its border, along an outline that may be ragged."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import model_validator

from ..errors import BadValue
from ..numeric import distance, monotone, noise, resample, shapes, tone, wide
from ..numeric.sections import rounded
from ..numeric.split_rows import rows_at_once, split_rows
from ..params import (
    CurvePoints,
    Params,
    Strokes,
    choice,
    curve,
    flag,
    fraction,
    integer,
    length,
    number,
    position,
)
from ..params import strokes as stroke_field
from ..raster import ZERO_LEVEL, Facts, Pixels, Raster, Wrap
from ..words import per_cent
from .contrast import check_points
from .kind import Outline, StepContext, StepKind, renamed, reseeded
from .placed import placed, stamped, tip_heights

Profile = Literal["straight", "smooth", "round", "sharp", "free"]
BOXES = ("square", "rounded")
SIDES = ("left", "top", "right", "bottom")
_PLACED = ("circle", "oval", *BOXES, "polygon")
# The way of a ragged border's marks is found at this size, whatever the scale, so that they lie the same.
_REFERENCE = 384
# The noise is found on a plate of so many pixels, or of so many over the size of its bays, where they are small.
_BAYS, _BAY = 1024, 48.0
_BITS = 4
_ROUNDS = 3
# What a stroke says that is no part of the shape.
HOLE = "hole"
# A fade takes at most so much of what is deepest in a shape of its own.
_TAKES = 0.9
# A plate of fewer pixels is all border, and may fade out whole.
_SMALL = 8
# OpenCV's filled polygons are wider by the line it draws round them: so many pixels, measured.
_RIM = 0.7


class Falloff(Params):
    profile: Profile = choice(
        "smooth",
        {"straight": "Straight", "smooth": "Smooth", "round": "Round", "sharp": "Sharp", "free": "Free"},
        "Profile", "The form of the fade from the border to the inside.", editor="falloff",
    )  # fmt: skip
    points: CurvePoints = curve(
        ((0.0, 0.0), (0.35, 0.15), (0.7, 0.8), (1.0, 1.0)), "Free profile", "From the border (left) to the inside.",
        when={"profile": "free"}, editor="falloff",
    )  # fmt: skip
    outline: Literal["circle", "oval", "square", "rounded", "polygon", "free", "own"] = choice(
        "circle",
        {"circle": "Circle", "oval": "Oval", "square": "Square", "rounded": "Rounded square", "polygon": "Polygon",
         "free": "Drawn", "own": "Its own shape"},
        "Outline", "The form the plate fades out to. Its own shape follows the silhouette of what is on the plate.",
    )  # fmt: skip
    corner: float = fraction(0.35, 0.0, 1.0, "Corner", "How round the corners are.", when={"outline": "rounded"})
    corners: int = integer(6, 3, 12, "Corners", "How many corners the polygon has.", when={"outline": "polygon"})
    ground: float = fraction(
        0.02, 0.001, 0.5, "Ground", "What is closer to zero than this is ground, not part of the shape.",
        when={"outline": "own"}, step=0.001,
    )  # fmt: skip
    fill: bool = flag(
        True, "Fill the plate", "Off: the outline stays as wide as high on a plate that is not square.",
        when={"outline": BOXES},
    )  # fmt: skip
    left: bool = flag(True, "Left", "Whether this side fades.", when={"outline": BOXES}, editor="falloff")
    top: bool = flag(True, "Top", "Whether this side fades.", when={"outline": BOXES}, editor="falloff")
    right: bool = flag(True, "Right", "Whether this side fades.", when={"outline": BOXES}, editor="falloff")
    bottom: bool = flag(True, "Bottom", "Whether this side fades.", when={"outline": BOXES}, editor="falloff")
    margin: float = length(
        0.016, 0.0, 0.45, "Margin", "Free ground between the outline and the border.", soft=(0.0, 0.2)
    )
    fade: float = length(0.22, 0.0, 0.5, "Fade", "How wide the fade is.")
    ragged: float = fraction(
        0.3, 0.0, 1.0, "Ragged",
        "How far the border wanders inwards, as a share of the fade: a regular border betrays the stamp.",
    )  # fmt: skip
    ragged_by: Literal["noise", "tip"] = choice(
        "noise", {"noise": "Noise", "tip": "A plate as a tip"}, "Broken by", "What breaks up the border.",
    )  # fmt: skip
    ragged_size: float = length(
        0.06, 0.01, 0.5, "Ragged size", "Size of the bays along the border.", soft=(0.01, 0.25)
    )
    seed: int = integer(0, 0, 9999, "Seed", "Another number, other bays.")
    same: bool = flag(
        True, "Same all round", "What the noise takes is evened out round the plate, so that no side is favoured.",
        when={"ragged_by": "noise"},
    )  # fmt: skip
    turn: float = number(
        0.0, -180.0, 180.0, "Turn", "Turns the outline, clockwise.", unit="°", step=1,
        when={"outline": ("oval", *BOXES, "polygon")},
    )  # fmt: skip
    x: float = position("x", 0.5, "Centre across", "Where the outline's middle lies.", when={"outline": _PLACED})
    y: float = position("y", 0.5, "Centre down", "Where the outline's middle lies.", when={"outline": _PLACED})
    tip: Strokes = stroke_field("Tip", "The tones of another plate, laid along the border.")
    strokes: Strokes = stroke_field(
        "Outlines", "Closed outlines drawn on the plate: parts of the shape, and holes in it."
    )

    @model_validator(mode="after")
    def _profile_points(self) -> Falloff:
        check_points(self.points)
        return self


def _migrate(version: int, values: dict[str, Any]) -> dict[str, Any]:
    """Version 1 called *fill* off "same all round"; version 2 called its outlines marks."""
    if version < 3:
        values = renamed(values, "marks", "strokes")
    if version > 1:
        return values
    filled = not values.pop("same", True)
    if filled and values.get("outline", "circle") == "circle":
        values["outline"] = "oval"
    return {**values, "fill": filled}


def profile_curve(t: Pixels, profile: Profile, points: CurvePoints) -> Pixels:
    """Coverage by depth into the fade, t in 0..1: straight, a smoothstep, a quarter circle, a parabola."""
    if profile == "smooth":
        return tone.smoothstep(t)
    if profile == "round":
        return rounded(t)
    if profile == "sharp":
        return t * t
    if profile == "free":
        shaped: Pixels = np.clip(tone.apply_table(t, monotone.table(points)), 0, 1)
        return shaped
    return t


def form_of(params: Falloff) -> shapes.Form | None:
    """The outline when it can be told without looking at the plate."""
    if params.outline == "free" or params.outline == "own":
        return None
    return shapes.Form(
        params.outline, params.margin, params.corner, params.fill,
        (params.left, params.top, params.right, params.bottom), params.corners, params.turn, (params.x, params.y),
    )  # fmt: skip


def outline_of(params: Falloff) -> Outline | None:
    """The outline in the form other steps measure inside of."""
    form = form_of(params)
    return None if form is None else Outline(form)


def _drawn(params: Falloff, raster: Raster, context: StepContext) -> Pixels:
    """1 inside the outlines that were drawn and outside of holes, in their order; smooth over a pixel at borders."""
    mask = np.zeros((raster.height, raster.width), np.uint8)
    around = np.array([[-1, -1], [2, -1], [2, 2], [-1, 2]]) * (raster.width, raster.height) * (1 << _BITS)
    for stroke in params.strokes:
        path = np.round((placed(stroke, context).points - 0.5) * (1 << _BITS))
        one, hole = np.zeros_like(mask), stroke.tag == HOLE
        # Of a hole what lies outside is filled, so that every border is wider by the same line.
        paths = [np.clip(p, -(1 << 24), 1 << 24).astype(np.int32) for p in ((around, path) if hole else (path,))]
        cv2.fillPoly(one, paths, 255, cv2.LINE_AA, _BITS)
        (np.minimum if hole else np.maximum)(mask, one, out=mask)
    inside: Pixels = mask.astype(np.float32) * np.float32(1 / 255)
    return inside


def _silhouette(params: Falloff, raster: Raster) -> tuple[Pixels, float]:
    """What is on the plate, its holes filled, and the level at which it begins."""
    if raster.coverage is not None:
        values, level = raster.coverage, 0.5
    else:
        pixels = raster.pixels if raster.channels == 1 else tone.luma(raster.pixels)
        values, level = np.abs(pixels - np.float32(ZERO_LEVEL[raster.zero])), params.ground
    from scipy import ndimage

    there = values > level
    holes = ndimage.binary_fill_holes(there) & ~there
    return np.where(holes, np.float32(2 * level), np.minimum(values, np.float32(2 * level))).astype(np.float32), level


def _depth(params: Falloff, raster: Raster, context: StepContext, finer: int) -> Pixels:
    """Distance inside the outline in pixels, at ``finer`` times the raster's size."""
    rows, columns = raster.height * finer, raster.width * finer
    # The outermost ring of a full-size plate is zero to the last bit, whatever the margin.
    ring = min(rows, columns) / context.facts.shorter
    form = form_of(params)
    if form is not None:
        return shapes.depth(rows, columns, form, ring)
    if params.outline == "free":
        if not params.strokes:
            margin = max(ring, shapes.inset(params.margin, min(rows, columns)))
            return shapes.from_borders(rows, columns, less=margin)
        values, level, rim = _drawn(params, raster, context), 0.5, _RIM
    else:
        (values, level), rim = _silhouette(params, raster), 0.0
        if not (values > level).any():
            raise BadValue("There is no shape to follow", "the whole plate is at zero", "Choose another outline")
    inside = distance.signed(values, level, check=context.check)
    inside -= np.float32(params.margin * raster.shorter + rim)
    if finer > 1:
        inside = cv2.resize(inside, (columns, rows), interpolation=cv2.INTER_LINEAR) * np.float32(finer)
    deep: Pixels = np.minimum(inside, shapes.from_borders(rows, columns, less=ring))
    return deep


def _from_middle(rows: int, columns: int, step: int) -> tuple[Pixels, Pixels]:
    """Every ``step``-th pixel: how far it lies from the middle, across (1, W) and down (H, 1)."""
    y = np.arange(step // 2, rows, step, dtype=np.float32)[:, None] + np.float32(0.5 - rows / 2)
    x = np.arange(step // 2, columns, step, dtype=np.float32)[None] + np.float32(0.5 - columns / 2)
    return x, y


def _waves(x: Pixels, y: Pixels) -> Pixels:
    """The first two harmonics round the middle, cos a, sin a, cos 2a and sin 2a: (4, n) at x (1, W) and y (H, 1)."""
    size = np.reciprocal(np.maximum(np.sqrt(x * x + y * y), np.float32(1e-6)))
    u, v = (x * size).ravel(), (y * size).ravel()
    return np.stack([u, v, u * u - v * v, 2 * u * v])


def _even(params: Falloff, wander: Pixels, deep: Pixels, reach: float, fade: float) -> Pixels:
    """The noise without what would take more from one side than from another.

    As much of the first two harmonics round the middle is taken out as it needs, so that what is left of
    the plate has its centre and its axes where it would have them without noise (Newton's method on
    a thinned plate).
    """
    rows, columns = deep.shape
    step = max(1, min(rows, columns) // 64)
    few = (slice(step // 2, None, step),) * 2
    x, y = _from_middle(rows, columns, step)
    waves = _waves(x, y)
    moments = np.stack([(x + 0 * y).ravel(), (y + 0 * x).ravel(), (x * x - y * y).ravel(), (2 * x * y).ravel()])
    here, thin = deep[few].ravel(), wander[few].ravel()

    def moved(weights: NDArray[np.float64], taken: float = reach) -> NDArray[np.float64]:
        """Centre and axes of what is left, (n, 4), for each of some weights (n, 4)."""
        bent = weights.astype(np.float32) @ waves
        bent += thin
        np.clip(bent, 0, 1, out=bent)
        bent *= np.float32(-taken / fade)
        bent += here * np.float32(1 / fade)
        cover = profile_curve(np.clip(bent, 0, 1, out=bent), params.profile, params.points)
        gone: NDArray[np.float64] = cover @ moments.T / np.maximum(cover.sum(axis=1, keepdims=True), 1e-6)
        return gone

    weights = np.zeros(4)
    wanted = moved(weights[None], 0.0)[0]
    for _ in range(_ROUNDS):
        there = moved(weights + np.vstack([np.zeros(4), np.eye(4) * 0.02]))
        slope = (there[1:] - there[0]).T / 0.02
        weights = np.clip(weights - np.linalg.lstsq(slope, there[0] - wanted, rcond=1e-3)[0], -1, 1)
    from ..numeric import shape_kernels

    even, by = np.empty_like(wander), weights.astype(np.float32)

    def evened(first: int, end: int) -> None:
        shape_kernels.add_waves(wander, by, first, end, even)

    split_rows(evened, rows)
    return even


@lru_cache(maxsize=1)
def _bays(height: int, width: int, cell: float, seed: int, wrap: Wrap) -> Pixels:
    """The noise of a border, kept while the fade is drawn wider; nobody may write into it."""
    found = noise.lattice(height, width, cell, seed, wrap=wrap)
    found.flags.writeable = False
    return found


def wandering(params: Falloff, deep: Pixels, seed: int, wrap: Wrap, fade: float) -> Pixels:
    """0..1: how far the border wanders; the fade in pixels. On large plates its bays are found on a reduced one."""
    rows, columns = deep.shape
    ratio = min(1.0, max(_BAYS, _BAY / params.ragged_size) / min(rows, columns))
    size = max(1, round(rows * ratio)), max(1, round(columns * ratio))
    small = deep if ratio == 1 else cv2.resize(deep, size[::-1], interpolation=cv2.INTER_AREA) * np.float32(ratio)
    wander = _bays(*size, params.ragged_size, seed, wrap)
    if params.same and not any(wrap):
        wander = _even(params, wander, small, params.ragged * fade * ratio, fade * ratio)
    if ratio == 1:
        return wander
    return wide.enlarged(wander, rows, columns, wrap)


def _stamped(params: Falloff, deep: Pixels, seed: int, context: StepContext, fade: float) -> Pixels:
    """0..1: marks of the tip laid along the outline, each turned by chance; the fade in pixels."""
    rows, columns = deep.shape
    ratio = _REFERENCE / min(rows, columns)
    size = max(1, round(columns * ratio)), max(1, round(rows * ratio))
    small = cv2.resize(deep, size, interpolation=cv2.INTER_AREA if ratio < 1 else cv2.INTER_LINEAR)
    at = params.ragged * fade / 2
    paths, _ = cv2.findContours((small > at).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    out, tip = np.zeros_like(deep), tip_heights(params.tip[0], context)
    radius = max(0.6, params.ragged_size * min(rows, columns) / 2)
    for n, path in enumerate(paths):
        places = (path[:, 0].astype(np.float64) + 0.5) / ratio
        closed = np.concatenate([places, places[:1]])
        stamped(params.tip[0], tip, closed, np.ones(len(closed)), radius, out, seed + n)
    return out


def _cover(params: Falloff, raster: Raster, context: StepContext, finer: int) -> Pixels:
    """Coverage 0..1 of a plate at ``finer`` times the raster's size."""
    deep = _depth(params, raster, context, finer)
    rows, columns = deep.shape
    context.check()
    if min(rows, columns) >= _SMALL and not (deep > 0).any():
        raise BadValue(
            "The falloff leaves nothing of the plate", f"the margin is {per_cent(params.margin)} of its side",
            "Make the margin smaller",
        )  # fmt: skip
    fade = params.fade * min(rows, columns)
    if form_of(params) is None:  # a shape that is narrower than the fade is not eaten by it
        fade = min(fade, max(_TAKES * float(deep.max(initial=0)), 1e-3))
    wander: Pixels | None = None
    if params.ragged > 0 and fade > 0 and not (params.ragged_by == "tip" and not params.tip):
        seed = reseeded(context.seed, params.seed)
        if params.ragged_by == "tip":
            wander = _stamped(params, deep, seed, context, fade)
        else:
            wander = wandering(params, deep, seed, context.out.wrap, fade)
        context.check()
    cut = params.fade * context.facts.shorter < 1  # under one full-size pixel: a clean cut, by area

    def faded(first: int, end: int) -> None:
        part = deep[first:end]
        if wander is not None:
            part -= wander[first:end] * np.float32(params.ragged * fade)
        if cut:
            part += np.float32(0.5)
            np.clip(part, 0, 1, out=part)
            return
        outside = part <= 0 if params.profile == "free" else None  # such a profile may start above zero
        part *= np.float32(1 / fade)
        part[...] = profile_curve(np.clip(part, 0, 1, out=part), params.profile, params.points)
        if outside is not None:
            part[outside] = 0

    split_rows(faded, rows, rows_at_once(rows, columns))
    return deep


def _falloff(raster: Raster, params: Falloff, context: StepContext) -> Raster:
    # A steep fade seen on a reduced plate is computed finer and averaged, as full size would be.
    steep = params.profile in ("round", "free") or params.fade * raster.shorter < 12
    finer = 4 if context.scale < 1 and steep else 1
    cover = _cover(params, raster, context, finer)
    if finer > 1:
        cover = resample.area(cover, raster.height, raster.width)
    if raster.coverage is not None:
        cover = cover * raster.coverage
    return raster.but(coverage=cover)


def _extent(params: Falloff, facts: Facts) -> Facts:
    """An axis whose two sides do not fade goes on repeating."""
    form = form_of(params)
    straight = form is not None and params.turn % 90 == 0 and params.turn % 180 == 0
    left, top, right, bottom = form.walled if form is not None and straight else shapes.ALL_SIDES
    open_ = (not left and not right, not top and not bottom)
    return facts.but(coverage=True, wrap=(facts.wrap[0] and open_[0], facts.wrap[1] and open_[1]))


FALLOFF = StepKind(
    id="falloff", name="Falloff", group="edge", help="Fades the plate to zero before its border.",
    params=Falloff, apply=_falloff, extent=_extent, takes="any", gives="any", agreement="scales",
    editor="falloff", version=3, migrate=_migrate,
    words=("fade", "circle", "round", "border", "vignette", "feather"),
)  # fmt: skip
