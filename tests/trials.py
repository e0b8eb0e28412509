"""Small things that tests of trials share."""

from __future__ import annotations

from typing import Any

import numpy as np

from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.relief import Relief, Tip
from engraver.core.pressing.settings import checked
from engraver.core.surfaces import surface


def look_alike(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether pictures are the same but for a tone here and there, and some pixels of an outline: what is drawn anew
    is drawn of all triangles, also where few of them show as much."""
    apart = np.abs(one.astype(int) - other)
    return bool((apart > 6).mean() < 0.004 and apart.mean() < 0.1)


def dome(side: int = 129) -> np.ndarray:
    """A soft white disc, 0 at its border with no kink: (1 - r²)²."""
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side * 2 - 1
    return (np.clip(1 - x * x - y * y, 0, 1) ** 2).astype(np.float32)


def gesture(kind: str = "stroke", on: str = "flat", points: Any = ((0.5, 0.5),), n: int = 0, **more: Any) -> Gesture:
    """A gesture through places in a surface's own coordinates; further words are its own, or its settings'."""
    rows = np.array([(*p, 1.0)[:3] for p in points], float)
    own = {k: more.pop(k) for k in ("mirror", "arms", "corner", "keeps", "seed", "on_") if k in more}
    places = surface(on).geometry.chart(rows[:, 0], rows[:, 1])
    return Gesture(
        uid=f"g{n}", kind=kind, plate="p", settings=checked(**more), data=packed_points(places, rows[:, 2]), **own
    )  # type: ignore[arg-type]


def relief(on: str = "flat", points: int = 40_000, own: Any = None) -> Relief:
    """A surface without marks."""
    geometry = surface(on).geometry
    return Relief(geometry.build(points, own), page=geometry.page)


TIP = Tip(dome(), None, "dome")
