"""A surface with marks in it: heights over its points, changed gesture by gesture."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.model import Mesh

from ..errors import Watch, unwatched
from ..numeric.split_rows import cores, split_rows
from ..params import CurvePoints
from ..raster import Pixels
from ..surfaces.ground import LIES, SCENE, Ground
from .expand import Marks
from .gesture import KEEPS, Keeps
from .marks import sizes_for
from .settings import StrokeSettings
from .strip import Strip
from .tooth import tooth as shipped_tooth

ACTS = {"raise": 0, "cut": 0, "level": 1, "gather": 2}
MEETS = {"add": 0, "highest": 1, "keep": 2, "replace": 3}
INK = 4
_TABLE = 2049
# The least spread of tones that is taken for a tooth.
_FLAT = 1e-6
_NONE = np.zeros(0, np.float32)
_NO_TOOTH = np.zeros((0, 0), np.float32)
_NO_ROWS, _NO_CELLS = np.zeros(0, np.float64), np.zeros(0, np.int32)
_NOWHERE, _NO_CELLS_ALONG = np.zeros(3), np.zeros(3, np.int64)
_NO_MOVES = np.zeros((0, 3), np.float32)
# How far a smoothing spreads, as a share of the tool's width, and how often it goes over the points at most.
_SPREADS, _MOST_ROUNDS = 0.03, 60
# Marks that are pressed before it is asked whether anybody still waits.
_AT_ONCE = 512
# Added to the normal equations of a plane, so that a single point has one, too.
_RIDGE = 1e-12
# Parts for each core where parts are of unlike work.
_SHARES = 4
# Points under marks from which a second core is worth its thread.
_WORTH = 20_000


@dataclass(frozen=True, eq=False)
class Tip:
    """A plate as it is pressed: heights over its square, float32 (n, n), 1 for white, -1..1 where it cuts; times
    its coverage 0..1 where that is given. ``key`` names it; ``sizes`` are the smaller ones made so far, ``joined``
    those of them that the compiled loops were given last. ``strip`` is the plate as it lies along a curve, ``body``
    the mesh that it is made from, where one is."""

    tall: Pixels
    cover: Pixels | None = None
    key: str = ""
    sizes: dict[int, tuple[Pixels, ...]] = field(default_factory=dict)
    strip: Strip | None = None
    body: Mesh | None = None
    joined: list[Any] = field(default_factory=list)

    @property
    def nbytes(self) -> int:
        # Smaller sizes come to about twice the largest; a strip is of the same pixels, or has as many.
        strip = 0 if self.strip is None else 2 * self.strip.tall.nbytes
        body = 0 if self.body is None else self.body.nbytes
        return 3 * (self.tall.nbytes + (0 if self.cover is None else self.cover.nbytes)) + strip + body


# A mark as a row, the points under it, and its share at each.
_Under = tuple[NDArray[np.float64], NDArray[np.int32], Pixels]
# A tool is round and even; its falloff is the settings'.
_ROUND = "soft"


@lru_cache(maxsize=16)
def fall_table(fall: str, points: CurvePoints = ()) -> Pixels:
    """What a falloff leaves at the square of the distance from the middle, 0..1 in even steps; empty for none.

    *Soft* is 1 - 3r² + 2r³, *round* the half ball sqrt(1 - r²), *peaked* (1 - r)²; *drawn* joins its points.
    """
    if fall == "none":
        return _NONE
    r = np.sqrt(np.linspace(0, 1, _TABLE))
    if fall == "drawn":
        x, y = np.array(points, float).T
        drawn: Pixels = np.interp(r, x, y).astype(np.float32)
        return drawn
    made = {"soft": 1 - r * r * (3 - 2 * r), "round": np.sqrt(np.maximum(0, 1 - r * r)), "peak": (1 - r) ** 2}
    table: Pixels = made[fall].astype(np.float32)
    return table


def tones_of(tip: Tip | None) -> Pixels | None:
    """A plate's tones as a tooth, 0..1 between its lowest and its highest; None for none."""
    if tip is None:
        return None
    low, high = float(tip.tall.min()), float(tip.tall.max())
    tones: Pixels = ((tip.tall - low) / max(high - low, _FLAT)).astype(np.float32)
    return tones


def fall_of(s: StrokeSettings) -> Pixels:
    """The falloff of settings, as :func:`fall_table` gives it."""
    return fall_table(s.fall, s.fall_curve if s.fall == "drawn" else ())


def bite_of(s: StrokeSettings, plate: Pixels | None) -> tuple[Pixels, NDArray[np.float64]]:
    """The tooth of settings for the compiled loops: its tones, empty for none, and how it bites.

    Parameters
    ----------
    plate : float32 (H, W), optional
        The tones of a plate that is the tooth; else the one that the settings name.
    """
    bites = plate if s.tooth == "plate" else shipped_tooth(s.tooth) if s.tooth != "none" else None
    how = (s.tooth_depth, 1 / (s.tooth_scale * SCENE), s.tooth_contrast, s.tooth_brightness, s.tooth_fixed == "mark")
    return _NO_TOOTH if bites is None else bites, np.array(how, np.float64)


@dataclass(frozen=True, eq=False)
class Kept:
    """Heights as they were, to go back to."""

    height: Pixels
    moves: Pixels | None

    @property
    def nbytes(self) -> int:
        return self.height.nbytes + (0 if self.moves is None else self.moves.nbytes)


def _where(ground: Ground) -> tuple[Any, ...]:
    """How a surface's points are looked up, for the compiled loops."""
    even, cells = ground.even, ground.cells
    if even is not None:
        return even.numbers(), _NO_CELLS, _NOWHERE, 1.0, _NO_CELLS_ALONG, LIES.index(ground.lies), ground.radius
    assert cells is not None
    return _NO_ROWS, cells.starts, cells.low, cells.per, cells.dims, LIES.index(ground.lies), ground.radius


class Relief:
    """Heights over a surface's points; belongs to one thread.

    Attributes
    ----------
    ground : Ground
    height : float32 (n,)
        Along each point's normal, in scene units; on a page how much of it is inked.
    moves : float32 (n, 3) or None
        How points were moved otherwise.
    page : bool
        Marks leave ink, whatever they do elsewhere.
    touched : uint8 (n,)
        Which points were reached since that was last asked.
    """

    def __init__(self, ground: Ground, *, page: bool = False) -> None:
        self.ground, self.page = ground, page
        self.height: Pixels = np.zeros(ground.count, np.float32)
        self.moves: Pixels | None = None
        self.touched = np.zeros(ground.count, np.uint8)
        self.all_changed = True
        # The tooth that marks were last pressed with, how it bites, and what it leaves at each point.
        self._bitten: tuple[Pixels, NDArray[np.float64], NDArray[np.float64]] = (_NO_TOOTH, _NOWHERE, _NO_ROWS)

    # -- what was there ------------------------------------------------------------

    def kept(self) -> Kept:
        return Kept(self.height.copy(), None if self.moves is None else self.moves.copy())

    def go_back(self, to: Kept | None) -> None:
        """Heights as they were kept; none at all for None. Only points that differ count as changed."""
        if self.moves is not None or (to is not None and to.moves is not None):
            self.all_changed = True
        moves = None if to is None or to.moves is None else to.moves.copy()
        before = np.float32(0) if to is None else to.height
        self.touched |= self.height != before
        self.height[:], self.moves = before, moves

    def changed(self) -> NDArray[np.int32] | None:
        """The points that marks reached since this was last asked; None for all of them."""
        if self.all_changed:
            self.touched[:] = 0
            self.all_changed = False
            return None
        # As truth values: NumPy finds them twenty times as quickly as numbers.
        which = np.flatnonzero(self.touched.view(np.bool_)).astype(np.int32)
        self.touched[which] = 0
        return which

    def moves_for(self, sideways: bool) -> Pixels:
        """How points were moved otherwise than along their normals, for the compiled loops that move more: float32
        (n, 3), empty where none was and none will be ``sideways``."""
        if sideways and self.moves is None:
            self.moves = np.zeros((self.ground.count, 3), np.float32)
        return _NO_MOVES if self.moves is None else self.moves

    def points(self) -> Pixels:
        """Where the points stand, float32 (n, 3)."""
        from . import moving_kernels

        out, ground = np.empty_like(self.ground.points), self.ground
        moves = self.moves_for(sideways=False)
        split_rows(
            lambda a, b: moving_kernels.displace(ground.points, ground.normals, self.height, moves, a, b, out),
            ground.count,
        )
        return out

    # -- marks ---------------------------------------------------------------------

    def press(
        self, marks: Marks, tip: Tip, settings: StrokeSettings, tooth: Pixels | None = None,
        check: Watch = unwatched,
    ) -> None:  # fmt: skip
        """Press marks one after the other.

        Parameters
        ----------
        tooth : float32 (H, W), optional
            The tones of a plate that is the tooth; else the one that the settings name.

        Raises
        ------
        Cancelled
            Nobody waits any more; what was pressed is pressed.
        """
        from . import relief_kernels

        if not len(marks):
            return
        s, ground = settings, self.ground
        rows = marks.rows()
        if s.acts == "cut":
            rows[:, 13] *= -1
        acts = 0 if self.page else ACTS[s.acts]
        push = int(s.push == "mark" and acts == 0 and not self.page)
        moves = self.moves_for(acts == 2 or bool(push))
        sizes = sizes_for(tip.tall, tip.cover, rows[:, 9] / ground.edge, tip.sizes, tip.joined)
        bites, how = bite_of(s, tooth)
        left_by = self._left_by(bites, how)
        fall = fall_of(s)
        meets = INK if self.page else MEETS[s.meets]
        plain = not (acts or push or sizes.wide.size or fall.size or bites.size) and meets < MEETS["keep"]
        on = ground.points, ground.normals, *_where(ground)
        parts = cores() if float(np.sum((rows[:, 9] / ground.edge) ** 2)) * 4 > _WORTH else 1
        for first in range(0, len(rows), _AT_ONCE):
            check()
            some = np.ascontiguousarray(rows[first : first + _AT_ONCE])
            which = sizes.which[first : first + _AT_ONCE]

            def band(a: int, b: int, some: NDArray[np.float64] = some, which: NDArray[np.int64] = which) -> None:
                if plain:
                    relief_kernels.press_plain(
                        *on,
                        some,
                        which,
                        sizes.tall,
                        sizes.starts,
                        sizes.sides,
                        meets,
                        self.height,
                        self.touched,
                        a,
                        b,
                    )
                    return
                relief_kernels.press(
                    *on, some, which, sizes.tall, sizes.wide, sizes.starts, sizes.sides, fall, bites, how, left_by,
                    acts, meets, push, s.level, self.height, moves, self.touched, a, b,
                )  # fmt: skip

            self._split(band, some, parts)

    def _left_by(self, tooth: Pixels, how: NDArray[np.float64]) -> NDArray[np.float64]:
        """What a tooth leaves of marks at each point, float64 (n,), not a number where none has asked: the same for
        every mark, as long as it is fixed to the surface. Empty for one that is fixed to the mark, and for none."""
        if not tooth.size or how[4]:
            return _NO_ROWS
        before, was, left = self._bitten
        if not (np.array_equal(how, was) and np.array_equal(tooth, before)):
            left = np.full(self.ground.count, np.nan)
            self._bitten = tooth, how, left
        return left

    def _split(self, band: Callable[[int, int], None], rows: NDArray[np.float64], parts: int) -> None:
        """Share the rows, or the cells, that marks reach among the cores, about evenly."""
        ground, reach = self.ground, rows[:, 9] * math.sqrt(2)
        even, cells = ground.even, ground.cells
        if even is not None:
            at = rows[:, 1] if ground.lies == "plane" else ground.radius * np.arctan2(rows[:, 5], rows[:, 4])
            ends = np.concatenate([at - reach, at + reach])
            cuts, total = (ends - even.y) / even.down, even.rows
            if ground.lies == "round":
                cuts, total = np.array([0.0, even.rows]), even.rows
            layer = 1
        else:
            assert cells is not None
            cuts = (np.concatenate([rows[:, 2] - reach, rows[:, 2] + reach]) - cells.low[2]) * cells.per
            layer = int(cells.dims[0] * cells.dims[1])
            total = layer * int(cells.dims[2])
            cuts = np.clip(cuts, 0, int(cells.dims[2]))
            if parts > 1:  # layers of a bent surface hold unlike many points: whoever is done takes another part
                parts *= _SHARES
        low, high = float(cuts.min()), float(cuts.max())
        inner = [round(low + (high - low) * n / parts) * layer for n in range(1, parts)]
        edges = [0, *(min(max(0, e), total) for e in inner), total]

        def share(first: int, end: int) -> None:
            for n in range(first, end):
                band(edges[n], edges[n + 1])

        split_rows(share, parts, 1)

    # -- tools ---------------------------------------------------------------------

    def smooth(
        self, marks: Marks, settings: StrokeSettings, keeps: Keeps = "nothing", check: Watch = unwatched
    ) -> None:
        """Even out heights under a round tool: the umbrella operator of G. Taubin (1995), as often as brings
        heights about 3 % of the tool's width together, whatever the density."""
        from . import tool_kernels

        starts, around = self.ground.around
        for m, found, share in self._under(marks, settings, check):
            rounds = round(2 * (_SPREADS * 2 * m[9] / self.ground.edge) ** 2)
            out = np.empty(len(found), np.float32)
            tool_kernels.smooth(
                self.height, self.ground.faces, starts, around, found, share, list(KEEPS).index(keeps),
                min(_MOST_ROUNDS, max(1, rounds)), out,
            )  # fmt: skip
            self.touched[found] = 1

    def scrape(self, marks: Marks, settings: StrokeSettings, check: Watch = unwatched) -> None:
        """Take off what stands over the plane of least squares of what is under a round tool."""
        from . import tool_kernels

        ground = self.ground
        for m, found, share in self._under(marks, settings, check):
            at = ground.points[found] + ground.normals[found] * self.height[found, None]
            if self.moves is not None:
                at = at + self.moves[found]
            sums, sides = np.eye(3) * _RIDGE, np.zeros(3)
            tool_kernels.plane_sums(at, m, found, share, sums, sides)
            offset, *slopes = np.linalg.solve(sums, sides)
            across, upward = (slope / m[9] for slope in slopes)
            tool_kernels.scrape(at, ground.normals, m, found, share, offset, across, upward, self.height)
            self.touched[found] = 1

    def _under(self, marks: Marks, settings: StrokeSettings, check: Watch) -> Iterator[_Under]:
        """Each mark of a round tool with the points under it and its share at each."""
        from . import tool_kernels

        ground, where = self.ground, _where(self.ground)
        fall = fall_table(settings.fall if settings.fall != "none" else _ROUND, settings.fall_curve)
        found, share = np.empty(ground.count, np.int32), np.empty(ground.count, np.float32)
        for m in marks.rows():
            check()
            count = tool_kernels.reached(ground.points, ground.normals, *where, m, fall, found, share)
            if count > 3:
                yield m, found[:count].copy(), share[:count] * np.float32(m[14])
