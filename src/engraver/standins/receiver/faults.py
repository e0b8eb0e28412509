"""What an artist would see at the other end, in words: found from what arrived, and from what was meant."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from engraver.core.numeric import grain
from engraver.core.numeric.few_levels import bare_steps, even_levels
from engraver.core.numeric.framing import rim
from engraver.core.raster import Pixels
from engraver.core.words import about

from .habit import Habit
from .reading import Arrived, Unreadable, heights_of, kind_of, read, sides

FaultId = Literal[
    "upside-down", "wrong-zero", "bands", "square-shows", "stretched", "off-centre", "too-large", "unreadable"
]
# The side at which what arrived is held against what was meant.
_SIDE = 256
# What lies at most so far from zero shows no square: half a step of 8 bits, and what compression leaves.
_BARE = 0.012
# A rim is one tone when nearly all of it lies within this.
_EVEN = 0.04
# How far the middle may lie off, in shares of the side: by itself, and against what was meant.
_OFF, _MOVED = 0.06, 0.015
# What counts as form, as a share of the greatest height.
_FORM = 0.25
# From here on two pictures are alike, or each other's reverse.
_ALIKE = 0.5
# Share of slopes in little equal steps from which bands are seen, and of smooth ones from which steps are not hidden.
_BANDS, _STEPPED = 0.08, 0.05


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong, with a sentence."""

    id: FaultId
    says: str


@dataclass(frozen=True, eq=False)
class Received:
    """A file at the other end: its heights, float32 (n, n), before the falloff that a habit adds, None where it could
    not be read; what is wrong, and what else is worth knowing."""

    name: str
    heights: Pixels | None
    faults: tuple[Fault, ...]
    notes: tuple[str, ...] = ()


def receive(data: bytes, name: str, habit: Habit, sent: Pixels | None = None) -> Received:
    """Read a file as a habit does, and say what an artist would see.

    Parameters
    ----------
    sent : float32 (H, W), optional
        What was meant: heights, 1 full height, 0 untouched, below 0 where it cuts. Without it only what the file
        tells by itself is found: a plate that both raises and cuts cannot be known to be upside down.
    """
    notes = ("New files are found only when the program starts again.",) if habit.new_files == "at-start" else ()
    try:
        across = sides(data) if kind_of(data, name) in habit.formats else None
        if across is not None and max(across) > habit.largest:
            return Received(name, None, (_too_large(across, habit),), notes)
        arrived = read(data, name, habit)
    except Unreadable as error:
        return Received(name, None, (Fault("unreadable", f"It cannot be read: {error}."),), notes)
    if max(arrived.width, arrived.height) > habit.largest:
        return Received(name, None, (_too_large((arrived.width, arrived.height), habit),), notes)
    high = heights_of(arrived.tones, habit)
    faults = _stretched(arrived, habit, sent)
    faults += _against(high, sent, habit) if sent is not None else _by_itself(high, habit)
    faults += _banded(arrived, habit, sent)
    return Received(name, high, tuple(faults), notes)


def _too_large(across: tuple[int, int], habit: Habit) -> Fault:
    return Fault("too-large", f"It has {across[0]} × {across[1]} pixels, and {habit.largest} along a side are taken.")


def _stretched(arrived: Arrived, habit: Habit, sent: Pixels | None) -> list[Fault]:
    wide = arrived.width / arrived.height
    meant = sent.shape[1] / sent.shape[0] if sent is not None else 1.0
    squared = habit.square == "stretch" and arrived.width != arrived.height
    if not squared and (sent is None or abs(math.log(wide / meant)) < 0.01):
        return []
    by = max(meant, 1 / meant) if sent is not None and not squared else max(wide, 1 / wide)
    return [Fault("stretched", f"It is stretched: {by:.2f} times as far one way as the other.")]


def _rim(high: Pixels) -> Pixels:
    """The outermost pixels, a hundredth of the side wide."""
    return rim(high, max(1, high.shape[0] // 100))


def _rim_faults(high: Pixels, habit: Habit) -> list[Fault]:
    """What the border tells: its tone where it has one, and whether its square shows."""
    if habit.repeats:
        return _seams(high)
    rim = _rim(high)
    low, level, top = (float(v) for v in np.percentile(rim, (3, 50, 97)))
    if float(np.percentile(np.abs(rim), 99)) <= 2 * _BARE:
        return []
    if top - low <= _EVEN:
        if habit.zero == "black" and level > 0.75:
            return [Fault("upside-down", "It is upside down: what should stand up lies low, in a raised square.")]
        if habit.zero == "black" and level > 0.3:
            return [Fault("wrong-zero", f"Its zero is wrong: the whole square stands up by {about(level)}.")]
        if habit.zero == "mid" and level < -0.6:
            return [Fault("wrong-zero", "Its zero is wrong: the whole square is cut in, black is no zero here.")]
        if habit.zero == "mid" and level > 0.6:
            return [Fault("upside-down", "It is upside down: what should stand up lies low, in a raised square.")]
    return [_shown(rim)]


def _shown(rim: Pixels) -> Fault:
    return Fault("square-shows", f"Its square shows: its border stands off the ground by {about(_most(rim))}.")


def _most(rim: Pixels) -> float:
    return float(np.percentile(np.abs(rim), 99))


def _seams(high: Pixels) -> list[Fault]:
    """A step from one tile to the next, against the steps inside."""
    for one in (high, high.T):
        inside = np.abs(np.diff(one, axis=1))
        across = float(np.abs(one[:, 0] - one[:, -1]).mean())
        usual = float(inside.mean()) + float(inside.std())
        if across > 3 * usual + _BARE:
            return [Fault("square-shows", f"Its square shows: between tiles it jumps by {about(across)}.")]
    return []


def _middle(high: Pixels) -> tuple[float, float] | None:
    """Where the middle of what is there lies off the square's, in shares of its side; None for nothing.

    What is low beside the rest does not count: a ground that is not quite even is no form.
    """
    weight = np.abs(high).astype(np.float64)
    weight[weight < _FORM * float(weight.max(initial=0))] = 0
    total = float(weight.sum())
    if total < 1e-4 * weight.size:
        return None
    n = high.shape[0]
    at = (np.arange(n) + 0.5) / n - 0.5
    return float(weight.sum(axis=0) @ at) / total, float(weight.sum(axis=1) @ at) / total


def _by_itself(high: Pixels, habit: Habit) -> list[Fault]:
    faults = _rim_faults(high, habit)
    # Where the ground is not at zero the form is looked for over it.
    middle = _middle(high - np.float32(np.median(_rim(high)))) if not habit.repeats else None
    if middle is not None and math.hypot(*middle) > _OFF:
        faults.append(_off(math.hypot(*middle)))
    return faults


def _off(by: float) -> Fault:
    return Fault("off-centre", f"It lies {about(by)} of its side off the middle: turned, it jumps aside.")


def _against(high: Pixels, sent: Pixels, habit: Habit) -> list[Fault]:
    """What arrived held against what was meant, both reduced to one square."""
    got, meant = _small(high), _small(sent)
    alike, base, even = _ground(got, meant)
    turned = alike < -_ALIKE
    # An inverted file has its ground at the other end of the scale: that is the same fault.
    expected = 1.0 if turned and habit.zero == "black" else 0.0
    shifted = abs(base - expected) > 0.12 and even
    faults = [Fault("upside-down", "It is upside down: what should stand up is cut in.")] if turned else []
    if shifted:
        way = "stands up" if base > 0 else "is cut in"
        faults.append(Fault("wrong-zero", f"Its zero is wrong: the whole square {way} by {about(abs(base))}."))
    elif not turned:
        faults += _shows(high, sent, habit)
    if not habit.repeats and not shifted:
        there, here = _middle(got - np.float32(base)), _middle(meant)
        moved = math.dist(there, here) if there is not None and here is not None else 0.0
        if moved > _MOVED:
            faults.append(_off(moved))
    return faults


def _shows(high: Pixels, sent: Pixels, habit: Habit) -> list[Fault]:
    """A square that shows, and did not in what was meant."""
    if habit.repeats:
        return [] if _seams(_fitted(sent)) else _seams(high)
    if _most(_rim(high)) - _most(_rim(sent)) <= 2 * _BARE:
        return []
    return [_shown(_rim(high))]


def _ground(got: Pixels, meant: Pixels) -> tuple[float, float, bool]:
    """How alike what arrived and what was meant are, -1..1; what arrived where nothing was meant; and whether that
    is one tone. Where a plate has no bare ground, its straight line tells."""
    x, y = meant.ravel().astype(np.float64), got.ravel().astype(np.float64)
    spread = float(x.std() * y.std())
    alike = float(((x - x.mean()) * (y - y.mean())).mean()) / spread if spread > 1e-9 else 0.0
    bare = np.abs(x) < 0.01
    if bare.mean() > 0.02:
        low, level, top = (float(v) for v in np.percentile(y[bare], (10, 50, 90)))
        return alike, level, top - low < 2 * _EVEN
    slope = alike * float(y.std()) / max(float(x.std()), 1e-9)
    return alike, float(y.mean() - slope * x.mean()), abs(alike) > 0.9


def _small(high: Pixels) -> Pixels:
    found: Pixels = cv2.resize(high.astype(np.float32), (_SIDE, _SIDE), interpolation=cv2.INTER_AREA)
    return found


def _fitted(sent: Pixels) -> Pixels:
    side = max(sent.shape)
    found: Pixels = cv2.resize(sent.astype(np.float32), (side, side), interpolation=cv2.INTER_LINEAR)
    return found


def _banded(arrived: Arrived, habit: Habit, sent: Pixels | None) -> list[Fault]:
    """Too few tones: for a program that keeps 16 bits of what was finer, else where steps lie bare on slopes."""
    levels = even_levels(arrived.tones)
    if not levels or (sent is not None and even_levels(np.abs(sent))):
        return []
    fewer = habit.bits == 16 or arrived.stored > 8 or levels < 255
    if sent is not None and habit.bits == 16:
        return [Fault("bands", f"Its slopes come out in bands: {levels + 1} tones arrived, and more were meant.")]
    share = bare_steps(arrived.tones, levels) if fewer else grain.banding(arrived.tones)
    if share <= (_STEPPED if fewer else _BANDS):
        return []
    return [Fault("bands", f"Its slopes come out in bands: it has {levels + 1} tones, and nothing hides the steps.")]
