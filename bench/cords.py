"""Figures of curves: a cord of many pieces made, and a band or a cord that follows the hand."""

from __future__ import annotations

import time

import numpy as np

from bench.core import timed
from bench.figures import Figure, at_most, median, percentile
from engraver.core.cache import Cache
from engraver.core.cords.body import cord_of
from engraver.core.cords.segment import segment_of
from engraver.core.curves.laid import laid
from engraver.core.curves.model import Curve
from engraver.core.mesh.model import Mesh, mesh_of
from engraver.core.pressing.along import course_of
from engraver.core.pressing.gesture import Gesture, packed_points
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.settings import checked
from engraver.core.pressing.strip import Strip
from engraver.core.proof.look import Look
from engraver.core.proof.trial_view import TrialView, TrialWish
from engraver.core.recipe import Trial
from engraver.core.surfaces import surface
from engraver.demo.cordage import plait, rope_lay

SIZE, IN_HAND, FEW = (850, 590), (510, 354), 70_000


def _rope() -> Mesh:
    """A piece of rope of about 2,000 triangles."""
    cast = rope_lay()
    return mesh_of(cast.points, cast.faces, "rope")


def made() -> list[Figure]:
    """300 pieces of a rope of 1,920 triangles in one closed cord: from the curve's points to the body."""
    segment, angle = segment_of(_rope()), np.arange(24) * 2 * np.pi / 24
    points = 1000 * np.stack([np.cos(angle), 1.3 * np.sin(angle), 0 * angle, 0 * angle + 1], -1)
    settings = checked(made="body", fits="count", times=300)

    def make() -> None:
        ready = laid(points, Curve(closed=True), step=segment.width / 14, least=segment.width / 2)
        course = course_of(settings, points, ready, segment.width, segment.long / segment.width)
        cord_of(segment, ready.way, course, settings)

    make()
    return [at_most("a cord of 300 pieces of 1,920 triangles made", min(timed(make)), "s", 0.6)]


def _followed(on: str, body: bool) -> list[float]:
    """Milliseconds of each picture while a point of a curve is moved, drawn as the desk does while the hand moves."""
    kind, share = surface(on), np.linspace(0.15, 0.85, 9)
    places = kind.geometry.chart(share, 0.5 + 0.12 * np.sin(9 * share))
    tip = Tip(np.zeros((1, 1), np.float32), None, "t", strip=Strip(plait().heights, None, True), body=_rope())
    how = {"size": 0.05, "made": "body"} if body else {"size": 0.14, "strength": 0.08}
    view, took = TrialView(Cache()), []
    for n in range(30):
        moved = places.copy()
        moved[4, 1] += 0.05 * np.sin(n / 4)
        moved = kind.geometry.onto(moved, None)[0]
        gesture = Gesture(
            uid="a", kind="along", plate="p", settings=checked(**how), data=packed_points(moved), curve=Curve()
        )
        trial = Trial(id="t", surface=on, points=FEW, gestures=(gesture,))
        wish = TrialWish(trial, {"p": tip}, Look(IN_HAND, kind.eye, kind.lamp, rough=True))
        start = time.perf_counter()
        view.draw(wish)
        took.append((time.perf_counter() - start) * 1000)
    return took[5:]


def followed() -> list[Figure]:
    """What the hand waits for while it moves a point: 50 ms are 20 pictures a second."""
    found: list[Figure] = []
    for words, on, body in (("a band on the flat", "flat", False), ("a band on the ball", "ball", False),
                            ("a cord on the ball", "ball", True)):  # fmt: skip
        took = _followed(on, body)
        found.append(at_most(f"a point of {words} moved: median", median(took), "ms", 50))
        found.append(at_most(f"a point of {words} moved: 95 %", percentile(took, 0.95), "ms", 75))
    return found
