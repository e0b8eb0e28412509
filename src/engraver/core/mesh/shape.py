"""A mesh with what is found of it once and used often: its bodies, poses, axis, a coarse copy, its facts."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from . import pose, rolling
from .borders import lone_edges
from .model import Mesh, broken
from .tessellate import rounded

FEW = 150_000
_CELLS = 90
# Loose pieces are told apart as bodies up to this many; more are dust of a scan.
MOST_BODIES = 40
_ROLLED_KEPT = 3
# To so many points a mesh is divided whose facets are rounded.
_ROUNDED = 500_000


@dataclass(frozen=True, slots=True)
class MeshFacts:
    """What is told of a mesh: counts, size, holes, mean length of an edge, and whether the file says its unit."""

    format: str
    triangles: int
    points: int
    extent: tuple[float, float, float]
    edge: float
    holes: int
    bodies: tuple[str, ...]
    unit: str
    unit_said: bool = False

    def words(self, unit: str = "") -> str:
        """One line for the artist; ``unit`` is that of the capture."""
        named = f" {unit}" if unit and unit != "none" else " units"
        if unit == self.unit != "none" and not self.unit_said:
            named += " (guessed)"
        sides = (f"{v:,.0f}" if v >= 1000 else f"{v:.3g}" for v in self.extent)
        size = "\N{NO-BREAK SPACE}×\N{NO-BREAK SPACE}".join(sides)
        holes = {0: "closed", 1: "1 open border"}.get(self.holes, f"{self.holes:,} open borders")
        return f"{self.triangles:,} triangles {self.format} · {size}{named} · {holes}"


def guessed_unit(unit: str, extent: tuple[float, float, float]) -> str:
    """What a mesh's lengths most likely are in: what the format says, else millimetres for large numbers.

    Common practice: printers and scanners write millimetres, from ten to a few thousand for
    a thing on a table. Smaller numbers are left unsaid.
    """
    return unit or ("mm" if 10 <= max(extent) < 5000 else "none")


class Shape:
    """A mesh, and what is worked out of it when it is first asked for.

    Safe to use from several threads: at worst something is worked out twice.
    """

    def __init__(self, mesh: Mesh, format: str = "", *, exact: bool = False) -> None:
        self.mesh = mesh
        self.format = format
        # Made from formulas: its triangles say nothing of how much detail it holds.
        self.exact = exact
        self._bodies: dict[int, Shape] = {}
        self._rounded: dict[float, Shape] = {}
        self._rolled: OrderedDict[tuple[str, rolling.Form, float], rolling.Rolled] = OrderedDict()

    @property
    def nbytes(self) -> int:
        return self.mesh.nbytes * 2

    @cached_property
    def reach(self) -> float:
        """Diameter of the ball round the origin that holds everything, in units."""
        points = self.mesh.points
        return 2 * float(np.sqrt(np.einsum("ij,ij->i", points, points).max()))

    @cached_property
    def flat(self) -> pose.Matrix:
        return pose.flat(self.mesh)

    @cached_property
    def axis(self) -> rolling.Axis:
        return rolling.found_axis(self.mesh)

    def rolled(self, axis: str, form: rolling.Form, turn: float, *, coarse: bool = False) -> rolling.Rolled:
        """The mesh laid out round an axis of the file, or the found one; ``coarse``: from few triangles."""
        key = (axis, form, turn)
        line = self.axis if axis == "found" else rolling.set_axis(axis)
        if coarse:
            return rolling.roll_out(self.coarse, line, form=form, turn=turn)
        found = self._rolled.get(key)
        if found is None:
            found = rolling.roll_out(self.mesh, line, form=form, turn=turn)
            self._rolled[key] = found
            while len(self._rolled) > _ROLLED_KEPT:
                self._rolled.pop(next(iter(self._rolled)), None)
        return found

    def rounded(self, crease: float) -> Shape:
        """With its facets rounded between edges that bend by so many degrees or more; as it is for 0."""
        if crease <= 0:
            return self
        found = self._rounded.get(crease)
        if found is None:
            self._rounded = {crease: (found := Shape(rounded(self.mesh, crease, _ROUNDED), self.format))}
        return found

    def body(self, number: int) -> Shape:
        """The body of this number, counted from 1; everything for 0."""
        if number <= 0:
            return self
        split = self.bodies
        if number > len(split.names):
            raise broken("The body", f"the mesh has {max(1, len(split.names))}")
        if number not in self._bodies:
            self._bodies[number] = Shape(split.body(number), self.format)
        return self._bodies[number]

    @cached_property
    def bodies(self) -> Mesh:
        """The mesh with its bodies told apart: by the file's names, else by what hangs together."""
        mesh = self.mesh
        if mesh.part is not None:
            return mesh
        from scipy.sparse import coo_array
        from scipy.sparse.csgraph import connected_components

        a, b, c = mesh.faces.T
        ones = np.ones(2 * len(a), np.int8)
        links = coo_array((ones, (np.concatenate([a, b]), np.concatenate([b, c]))), shape=(len(mesh.points),) * 2)
        count, label = connected_components(links, directed=False)
        of_face = label[a]
        sizes = np.bincount(of_face, minlength=count)
        if not 2 <= int((sizes > 0).sum()) <= MOST_BODIES:
            return mesh
        order = np.argsort(-sizes, kind="stable")
        rank = np.empty(count, np.int16)
        rank[order] = np.arange(count, dtype=np.int16)
        names = tuple(f"Piece {n + 1}" for n in range(int((sizes > 0).sum())))
        return Mesh(mesh.points, mesh.faces, mesh.origin, rank[of_face], names, mesh.unit)

    @cached_property
    def coarse(self) -> Mesh:
        """Few triangles for while the hand moves: points in one cell of a grid become one.

        Vertex clustering: J. Rossignac and P. Borrel, 1993.
        """
        from . import kernels

        mesh = self.mesh
        if len(mesh.faces) <= FEW:
            return mesh
        cell = max(float(mesh.extent.max()) / _CELLS, 1e-30)
        cells = np.floor(mesh.points / np.float32(cell)).astype(np.float32) + np.float32(0)
        first, to = np.empty(len(cells), np.int32), np.empty(len(cells), np.int32)
        table = np.full(1 << (len(cells) * 2).bit_length(), -1, np.int32)
        count = kernels.join(cells, cells.view(np.int32), table, first, to)
        faces = to.take(mesh.faces)
        a, b, c = faces.T
        faces = faces.take(np.flatnonzero((a != b) & (b != c) & (c != a)), axis=0)
        return Mesh(mesh.points.take(first[:count], axis=0), faces, mesh.origin, None, (), mesh.unit)

    @cached_property
    def edge(self) -> float:
        """Mean length of an edge, in units, from evenly taken triangles."""
        faces = self.mesh.faces[:: max(1, len(self.mesh.faces) // 20_000)]
        corner = self.mesh.points[faces].astype(np.float64)
        return float(np.linalg.norm(corner - np.roll(corner, 1, axis=1), axis=2).mean())

    @cached_property
    def holes(self) -> int:
        """How many closed borders there are: edges that belong to one triangle, joined end to end."""
        from scipy.sparse import coo_array
        from scipy.sparse.csgraph import connected_components

        rim = lone_edges(self.mesh.faces)
        if not len(rim):
            return 0
        known, ends = np.unique(rim, return_inverse=True)
        ends = ends.reshape(rim.shape)
        links = coo_array((np.ones(len(rim), np.int8), (ends[:, 0], ends[:, 1])), shape=(len(known),) * 2)
        return int(connected_components(links, directed=False)[0])

    @cached_property
    def facts(self) -> MeshFacts:
        mesh = self.mesh
        x, y, z = (float(v) for v in mesh.extent)
        return MeshFacts(
            self.format, len(mesh.faces), len(mesh.points), (x, y, z), 0.0 if self.exact else self.edge, self.holes,
            self.bodies.names, guessed_unit(mesh.unit, (x, y, z)), bool(mesh.unit),
        )  # fmt: skip
