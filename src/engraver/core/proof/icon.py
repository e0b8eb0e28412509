"""Icons: a plate pressed as a brush would, framed so that nothing is cut off, and told apart at 32 pixels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from ..cache import Cache
from ..errors import Watch, unwatched
from ..pressing.gesture import Does
from ..pressing.settings import StrokeSettings, checked
from ..pressing.tip import squared
from ..raster import Pixels
from ..shapes.lettering import Text, lettered, outlines, reach
from ..surfaces import surface
from ..surfaces.view import Colour, Eye
from .look import Look
from .strength import first_strength
from .trial_files import relief_of
from .trial_picture import TrialPicture
from .trial_view import pressed_once

Kind = Literal["ball", "mark", "stroke", "flat"]
Place = Literal["top", "bottom", "middle"]
_POINTS = 250_000
# How strong a plate is pressed for an icon, beside the proof's own strength, and at least and at most.
_STRONGER, _LEAST, _MOST = 2.2, 0.05, 0.2
# The spread of light that an icon should have at this side, and how far it is lifted to reach it.
_LOOKED_AT, _SPREAD, _LIFT = 32, 0.1, 2.4
# Room round what is framed, and what counts as there.
_ROOM, _THERE = 0.05, 0.02
# Height of lettering, as a share of the side: what can be chosen.
LETTERS: Mapping[str, float] = MappingProxyType({"small": 0.12, "medium": 0.17, "large": 0.26})
# Height of a capital letter of the typeface, in ems, and where lettering stands, as shares of the side.
_CAPITAL = 0.73
_LINES: Mapping[Place, float] = MappingProxyType({"top": 0.14, "middle": 0.5, "bottom": 0.86})


@dataclass(frozen=True)
class _Way:
    """How a kind of icon is pressed: where, by which gesture through which places (shares of the surface), and with
    what settings; ``whole`` shows all of the surface, not only the marks."""

    on: str
    does: Does
    through: tuple[tuple[float, float], ...]
    settings: Mapping[str, Any]
    whole: bool = False


_WAVE = tuple((0.14 + 0.72 * t / 24, 0.5 + 0.1 * float(np.sin(2 * np.pi * t / 24))) for t in range(25))
_WAYS: Mapping[Kind, _Way] = MappingProxyType({
    "ball": _Way("ball", "single", ((0.5, 0.5),), {"size": 0.8}, whole=True),
    "mark": _Way("flat", "single", ((0.5, 0.5),), {"size": 0.62, "turn": -20.0}),
    "stroke": _Way("flat", "stroke", _WAVE, {"size": 0.3, "spacing": 0.7, "meets": "highest", "taper_in": 0.0}),
})  # fmt: skip
KINDS: Mapping[Kind, str] = MappingProxyType({
    "ball": "Pressed on a ball", "mark": "One mark, turned", "stroke": "A short stroke", "flat": "The plate itself",
})  # fmt: skip


def icon(
    height: Pixels, *, kind: Kind = "ball", side: int = 256, colour: Colour | None = None, words: str = "",
    place: Place = "bottom", clear: bool = True,
    letters: float = LETTERS["medium"], cache: Cache | None = None, check: Watch = unwatched,
) -> NDArray[np.uint8]:  # fmt: skip
    """A plate's icon, uint8 (side, side, 4), RGBA.

    Parameters
    ----------
    height : float32 (H, W)
        Heights of the finished plate: 1 for white, 0 where nothing happens, below where it cuts.
    colour : (r, g, b), optional
        Of what is pressed, in place of plaster.
    words : str
        Short lettering over it; letters that the font lacks are refused with BadValue.
    clear : bool
        The ground is see-through; else it is plain.
    letters : float
        Height of the lettering's capitals, as a share of the side; it is less where the words are wide.
    cache : Cache, optional
        Keeps the surface that is pressed on, for who makes many.
    """
    tall = squared(height)
    light, cover = (
        _flat(tall)
        if kind == "flat"
        else _pressed(tall, _WAYS[kind], 2 * side, cache if cache is not None else Cache(0), check)
    )
    light, cover = _framed(light, cover, side)
    light = _lifted(light, cover)
    tint = np.array(colour if colour is not None else (226, 222, 213), np.float32) / 255
    rgb: Pixels = np.clip(light[..., None] * tint / np.float32(0.72), 0, 1)
    if words:
        rgb, cover = _lettered(rgb, cover, words, place, letters)
    if not clear:
        ground = np.array((58, 60, 62), np.float32) / 255
        rgb, cover = (ground + (rgb - ground) * cover[..., None]).astype(np.float32), np.ones_like(cover)
    made: NDArray[np.uint8] = np.round(np.dstack([rgb, cover]) * 255).astype(np.uint8)
    return made


def _flat(tall: Pixels) -> tuple[Pixels, Pixels]:
    """The plate's own tones, and where it is not zero."""
    low = min(0.0, float(tall.min()))
    return ((tall - low) / max(1e-6, 1 - low)).astype(np.float32), _footprint(tall)


def _footprint(tall: Pixels) -> Pixels:
    """Where heights are not zero, whole: what is enclosed belongs to it. 0..1, with a soft rim."""
    there = (np.abs(tall) > _THERE * max(1e-6, float(np.abs(tall).max()))).astype(np.uint8)
    if not there.any():
        there[:] = 1
    outer, _ = cv2.findContours(there, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    cv2.drawContours(there, outer, -1, 1, cv2.FILLED)
    soft: Pixels = cv2.GaussianBlur(there.astype(np.float32), (0, 0), max(0.8, tall.shape[0] / 400))
    return soft


def _pressed(tall: Pixels, way: _Way, side: int, cache: Cache, check: Watch) -> tuple[Pixels, Pixels]:
    """The light on the surface, 0..1, and what of it belongs to the icon."""
    kind = surface(way.on)
    strength = min(_MOST, max(_LEAST, _STRONGER * first_strength(tall)))
    settings: StrokeSettings = checked(strength=strength, **way.settings)
    eye = kind.eye if way.whole else Eye(0.0, 0.0)
    wish = pressed_once(
        way.on, tall, settings, Look((side, side), eye, kind.lamp), does=way.does, through=way.through, points=_POINTS
    )
    relief = relief_of(wish, cache, check)
    picture = TrialPicture(relief, kind.geometry)
    seen = picture.draw(wish.look, check)
    cover = picture.cover()
    ground = np.array(wish.look.surround, np.float32)
    own = (seen.picture - ground * (1 - cover[..., None])) / np.maximum(cover[..., None], 1e-3)
    light = (np.clip(own, 0, 255).mean(axis=2) / 255).astype(np.float32)
    if way.whole:
        return light, cover
    even = relief.ground.even
    assert even is not None  # the flat is a grid
    left, top = (v / seen.factor for v in seen.projection.pixel(np.array([-1.0, 1.0, 0.0])))
    right, bottom = (v / seen.factor for v in seen.projection.pixel(np.array([1.0, -1.0, 0.0])))
    marks = _footprint(relief.height.reshape(even.rows, even.columns))
    to = np.array([[(right - left) / even.columns, 0, left], [0, (bottom - top) / even.rows, top]])
    placed = cv2.warpAffine(marks, to, (side, side), flags=cv2.INTER_AREA)
    return light, (placed * cover).astype(np.float32)


def _framed(light: Pixels, cover: Pixels, side: int) -> tuple[Pixels, Pixels]:
    """What is there in the middle of a square, with a little room; nothing is cut off."""
    rows, columns = np.flatnonzero(cover.max(axis=1) > _THERE), np.flatnonzero(cover.max(axis=0) > _THERE)
    if not len(rows):
        rows, columns = np.arange(cover.shape[0]), np.arange(cover.shape[1])
    wide = max(rows[-1] - rows[0], columns[-1] - columns[0]) + 1
    by = side * (1 - 2 * _ROOM) / wide
    x, y = (columns[0] + columns[-1] + 1) / 2, (rows[0] + rows[-1] + 1) / 2
    soft = max(0.0, 0.45 / by - 0.45)  # what is reduced is smoothed first
    to = np.array([[by, 0, side / 2 - x * by - 0.5 + by / 2], [0, by, side / 2 - y * by - 0.5 + by / 2]])

    def placed(one: Pixels) -> Pixels:
        smooth = cv2.GaussianBlur(one, (0, 0), soft) if soft > 0.2 else one
        found: Pixels = cv2.warpAffine(smooth, to, (side, side), flags=cv2.INTER_LINEAR)
        return found

    share = placed(cover)
    # Light beside what is there must not creep in at its rim.
    own = placed(light * cover) / np.maximum(share, np.float32(1e-3))
    return own.astype(np.float32), np.clip(share, 0, 1)


def _lifted(light: Pixels, cover: Pixels) -> Pixels:
    """With more contrast where a small icon would be nearly one tone; for the icon alone."""
    spread = spread_of(light, cover)
    gain = min(_LIFT, max(1.0, _SPREAD / max(spread, 1e-4)))
    middle = float((light * cover).sum() / max(float(cover.sum()), 1e-6))
    lifted: Pixels = np.clip(middle + (light - middle) * np.float32(gain), 0, 1).astype(np.float32)
    return lifted


def spread_of(light: Pixels, cover: Pixels) -> float:
    """How much an icon varies at 32 pixels: the standard deviation of its tones 0..1 where it is there."""
    size = (_LOOKED_AT, _LOOKED_AT)
    there = cv2.resize(cover, size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(light * cover, size, interpolation=cv2.INTER_AREA) / np.maximum(there, 1e-3)
    inside = small[there > 0.5]
    return float(inside.std()) if inside.size else 0.0


def _lettered(rgb: Pixels, cover: Pixels, words: str, place: Place, tall: float) -> tuple[Pixels, Pixels]:
    """White letters with a dark rim, as wide as the icon at most."""
    side = cover.shape[0]
    shapes = outlines(Text(words[:24], weight=700.0))
    if not shapes:
        return rgb, cover
    em = min(tall * side / _CAPITAL, 0.46 * side / reach(shapes)[0])
    room = em * _CAPITAL / side / 2 + 0.03
    line = min(1 - room, max(room, _LINES[place]))
    letters = lettered(shapes, em, (side / 2, line * side), side, side)
    rim = cv2.GaussianBlur(cv2.dilate(letters, np.ones((3, 3), np.uint8)), (0, 0), max(0.8, side / 160))
    rim = np.clip(rim * 1.6, 0, 1)
    shown = rgb * (1 - rim[..., None]) + rim[..., None] * 0.08
    shown = shown * (1 - letters[..., None]) + letters[..., None]
    return shown.astype(np.float32), np.maximum(cover, rim)
