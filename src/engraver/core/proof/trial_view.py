"""A trial as it is looked at: the surface at its density, its gestures pressed, and the picture of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..cache import Cache
from ..cords.trial import cords_of
from ..errors import Watch, unwatched
from ..pressing.gesture import Does, Gesture, packed_points
from ..pressing.relief import Tip
from ..pressing.replay import Replay
from ..pressing.settings import StrokeSettings
from ..raster import Pixels
from ..recipe.trial import LEAST_POINTS, Trial
from ..sources.trial import ground_of
from ..surfaces import surface
from ..surfaces.own import OwnMesh
from .look import Look, Seen
from .trial_picture import TrialPicture


@dataclass(frozen=True, eq=False)
class TrialWish:
    """What is to be seen.

    Attributes
    ----------
    trial : Trial
    tips : mapping
        The plates that its gestures press, by id.
    look : Look
    own : OwnMesh, optional
        The mesh that it is made on.
    live : Gesture, optional
        One that the hand is still making, after all others.
    points : int, optional
        Another density than the trial's.
    """

    trial: Trial
    tips: Mapping[str, Tip]
    look: Look
    own: OwnMesh | None = None
    live: Gesture | None = None
    points: int | None = None


def pressed_once(
    on: str, tall: Pixels, settings: StrokeSettings, look: Look, *, does: Does = "single",
    through: Sequence[tuple[float, float]] = ((0.5, 0.5),), points: int = LEAST_POINTS,
) -> TrialWish:  # fmt: skip
    """A plate pressed into a surface by one gesture, outside any project.

    Parameters
    ----------
    on : str
        A key of ``SURFACES``.
    tall : float32 (n, n)
        The plate's heights: 1 for white, 0 where nothing happens, below where it cuts.
    does : str
        A key of ``GESTURES``.
    through : sequence of (x, y)
        The places of the gesture, in the surface's own coordinates.
    points : int
        How many points the surface has.
    """
    x, y = np.array(through, np.float64).T
    places = surface(on).geometry.chart(x, y)
    gesture = Gesture(uid="once", kind=does, plate="plate", settings=settings, data=packed_points(places))
    trial = Trial(id="once", surface=on, points=points, gestures=(gesture,))
    return TrialWish(trial, {"plate": Tip(tall)}, look)


class TrialView:
    """Holds one surface with what was pressed into it last; belongs to one thread.

    Parameters
    ----------
    cache : Cache
        For surfaces, and for heights on the way.
    """

    def __init__(self, cache: Cache) -> None:
        self._cache = cache
        self._key = ""
        self._replay: Replay | None = None
        self._picture: TrialPicture | None = None

    def forget(self) -> None:
        """Let go of the surface and its picture."""
        self._key, self._replay, self._picture = "", None, None

    def draw(self, wish: TrialWish, check: Watch = unwatched) -> Seen:
        """The picture of what is wished. Raises BadValue, BadMesh or Cancelled."""
        trial, geometry = wish.trial, wish.trial.declared.geometry
        points = wish.points or trial.points
        key = f"{trial.surface} {points} {wish.own.key if wish.own is not None else ''}"
        if key != self._key or self._replay is None or self._picture is None:
            ground = ground_of(trial, wish.own, self._cache, points)
            check()
            self._replay = Replay(ground, geometry, wish.own, key, self._cache)
            self._picture = TrialPicture(self._replay.relief, geometry)
            self._key = key
        gestures = trial.gestures if wish.live is None else (*trial.gestures, wish.live)
        if wish.live is not None:
            self._replay.live(trial.gestures, wish.live, wish.tips, check)
        else:
            self._replay.bring(trial.gestures, wish.tips, check)
        cords = cords_of(gestures, geometry, wish.own, wish.tips, self._cache, check)
        return self._picture.draw(wish.look, check, cords)

    def missing(self, wish: TrialWish) -> int:
        """How many gestures have to be pressed to draw a wish; 0 where another surface comes first."""
        return self._replay.missing(wish.trial.gestures, wish.tips) if self._replay is not None else 0

    @property
    def edge(self) -> float:
        """Distance between neighbouring points in scene units; 0 before anything was drawn."""
        return self._replay.relief.ground.edge if self._replay is not None else 0.0


def lacking(width: float, edge: float, plate: int) -> tuple[int, float]:
    """How many of a plate's pixels a surface shows across a mark, and how many times as many points show all.

    Parameters
    ----------
    width : float
        Of the mark, in scene units.
    edge : float
        Between neighbouring points, in scene units.
    plate : int
        Pixels across the plate.
    """
    shown = min(plate, round(width / max(edge, 1e-9)))
    return shown, (plate * edge / max(width, 1e-9)) ** 2
