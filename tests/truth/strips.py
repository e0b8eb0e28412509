"""Ruled lines and streaks: taken out where they are, none made where there are none."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from engraver.core.numeric import lines
from lines import run
from truth.fact import Fact
from truth.pictures import PHOTOS, square

SIDE = 384
Tones = NDArray[np.float32]


def _ruled(share: float) -> Callable[[Tones], Tones]:
    def spoil(clean: Tones) -> Tones:
        made = clean.copy()
        for row in range(10, SIDE, 24):
            made[row : row + 2] *= np.float32(share)
        return made

    return spoil


def _streak(strength: float) -> Callable[[Tones], Tones]:
    def spoil(clean: Tones) -> Tones:
        made = clean.copy()
        made[200:202] += np.float32(strength) * (1 - made[200:202])
        return made

    return spoil


CASES = {
    "ruled lines": ("dark", _ruled(0.8)),
    "faint ruled lines": ("dark", _ruled(0.96)),
    "one bright streak": ("bright", _streak(0.12)),
    "one faint streak": ("bright", _streak(0.03)),
}


def _rms(a: Tones, b: Tones) -> float:
    return float(np.sqrt(np.square(a - b).mean()))


def _profile(values: Tones) -> Tones:
    """The plain alternative: each row's median is brought to the running median of its neighbours'."""
    rows = np.median(values, axis=1)
    level: Tones = values - (rows - ndimage.median_filter(rows, 13, mode="reflect"))[:, None]
    return level


def facts(quick: bool) -> Iterator[Fact]:
    """What is long and straight in the picture itself may go: it is told from what was added."""
    names = ("grass", "coffee") if quick else PHOTOS
    own_of: dict[tuple[str, str], Tones] = {}
    for case, (which, spoil) in CASES.items():
        ours, plain = [], []
        for name in names:
            clean = np.clip(square(name, SIDE), 0.02, 0.98)
            spoilt = spoil(clean)
            without = run("lines", spoilt, which=which).pixels
            if (name, which) not in own_of:
                own_of[name, which] = run("lines", clean, which=which).pixels
            own = own_of[name, which]
            ours.append(_rms(without, own) / _rms(spoilt, clean))
            plain.append(_rms(_profile(spoilt), clean) / _rms(spoilt, clean))
            yield Fact(f"{case}: rms error over that of doing nothing", name, "doing nothing", ours[-1], 1.06)
        mean = float(np.mean(ours) / np.mean(plain))
        yield Fact(f"{case}: mean error over that of row medians", f"{len(names)} pictures", "row medians", mean, 1.0)
    yield from _margin()


def _margin() -> Iterator[Fact]:
    """A page of level lines with one upright margin is level."""
    page = np.full((SIDE, SIDE), 0.9, np.float32)
    page[20::24] *= np.float32(0.8)
    page[21::24] *= np.float32(0.8)
    page[:, 50:54] *= np.float32(0.4)
    found = lines.direction(page, 6, bright=(False,), limit=0.01)
    yield Fact("direction of level lines with a margin, degrees", "drawn page", "level", abs(found), 0.02)
