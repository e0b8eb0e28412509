"""The artist's own mesh, brought to the density that is asked for without being rounded."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.borders import lone_edges
from engraver.core.mesh.model import Mesh, inside_out
from engraver.core.mesh.tessellate import divided, point_normals

from ..errors import BadValue
from . import flat
from .ground import COARSE_POINTS, Faces, Ground, Places, ground_of
from .kind import Geometry, SurfaceKind
from .view import Eye

# The most points that a surface may have, and how many places it is looked up by.
MOST_POINTS = 4_400_000
_LOOKED_UP = 60_000
# Places at which a straight way is looked at, by how much a leg of it may jump, and how often a way is pulled taut.
_CHORD, _JUMPS, _TAUT = 17, 2.5, 40


@dataclass(frozen=True, eq=False)
class OwnMesh:
    """A mesh as a surface: about 2 wide, its middle at the origin.

    Attributes
    ----------
    mesh : Mesh
    rounded : bool
        Its facets are smoothed as it is divided.
    key : str
        Names it.
    """

    mesh: Mesh
    rounded: bool = False
    key: str = field(default="", compare=False)

    @cached_property
    def start(self) -> tuple[Places, Faces]:
        """Its points in scene units, and its triangles; those of a closed body face outwards, however it was written.

        Raises BadValue where it has too many points.
        """
        if len(self.mesh.points) > MOST_POINTS:
            raise BadValue(
                f"The mesh has {len(self.mesh.points) / 1e6:.1f} million points",
                f"a surface has {MOST_POINTS / 1e6:.1f} million at most", "Choose a coarser one",
            )  # fmt: skip
        points, faces = self.mesh.points.astype(np.float64), self.mesh.faces
        if not self.open and inside_out(points, faces):
            faces = np.ascontiguousarray(faces[:, ::-1])
        return points * (2 / float(self.mesh.extent.max())), faces

    @cached_property
    def open(self) -> bool:
        """Whether it has open borders."""
        return len(lone_edges(self.mesh.faces)) > 0

    def divided(self, count: int) -> tuple[Places, Faces, Faces]:
        """Points and triangles, brought to about so many points, as they are where there are as many; and the
        triangles of an earlier round, between few of the same points."""
        few = self.start[1]
        for points, faces in divided(*self.start, count, bulging=self.rounded):
            few = faces if len(points) <= COARSE_POINTS else few
            if len(points) > MOST_POINTS:
                raise BadValue(
                    "The mesh cannot be brought to this density", "its triangles are too uneven",
                    "Ask for fewer points, or even its triangles out",
                )  # fmt: skip
        return points, faces, few

    @cached_property
    def looked_up(self) -> tuple[Any, Places, Places]:
        """A tree of places on it, those places, and their normals: the same at every density."""
        from scipy.spatial import cKDTree

        points, faces, _ = self.divided(_LOOKED_UP)
        return cKDTree(points), points, point_normals(points, faces)

    @cached_property
    def net(self) -> Any:
        """The places it is looked up by as a graph of their distances along the surface (SciPy's sparse form)."""
        from scipy.sparse import coo_matrix

        points, faces, _ = self.divided(_LOOKED_UP)
        ends = np.sort(np.stack([faces, np.roll(faces, -1, axis=1)], -1).reshape(-1, 2), axis=1)
        ends = np.unique(ends, axis=0)
        long = np.linalg.norm(points[ends[:, 0]] - points[ends[:, 1]], axis=1)
        return coo_matrix((long, (ends[:, 0], ends[:, 1])), shape=(len(points), len(points))).tocsr()


def build(points: int, own: Any) -> Ground:
    """The mesh with about so many points; with its own where it has more."""
    places, faces, few = _mesh(own).divided(points)
    return ground_of(places, point_normals(places, faces), faces, few, "bent", open=_mesh(own).open)


def _mesh(own: Any) -> OwnMesh:
    if not isinstance(own, OwnMesh):
        raise BadValue("The surface is a mesh that is not there", "", "Choose a mesh for it")
    return own


def onto(places: Places, own: Any) -> tuple[Places, Places]:
    """The nearest places, and normals joined from the nearest four points by their distance."""
    tree, points, normals = _mesh(own).looked_up
    away, near = tree.query(places, k=min(4, len(points)))
    away, near = away.reshape(len(places), -1), near.reshape(len(places), -1)
    share = 1 / np.maximum(away, 1e-9)
    share /= share.sum(1, keepdims=True)
    found = (normals[near] * share[..., None]).sum(1)
    found /= np.maximum(np.linalg.norm(found, axis=1, keepdims=True), 1e-12)
    # Onto the plane of the nearest point.
    first: NDArray[np.int64] = near[:, 0]
    off = ((places - points[first]) * normals[first]).sum(1, keepdims=True)
    return places - off * normals[first], found


def between(one: Places, other: Places, own: Any) -> Places:
    """The shortest way along the mesh between two places (3,): E. Dijkstra's along its net (1959), pulled taut.

    Where straight ahead leads along the surface the two places are all that is told.
    """
    ends = np.stack([one, other])
    straight = float(np.linalg.norm(other - one))
    chord = onto(one + np.linspace(0, 1, _CHORD)[:, None] * (other - one), own)[0]
    legs = np.linalg.norm(np.diff(chord, axis=0), axis=1)
    if straight < 1e-9 or legs.max() < _JUMPS * straight / (_CHORD - 1):
        return ends
    from scipy.sparse.csgraph import dijkstra

    mesh = _mesh(own)
    tree, points, _ = mesh.looked_up
    begin, end = (int(n) for n in tree.query(ends)[1])
    _, before = dijkstra(mesh.net, directed=False, indices=begin, return_predecessors=True)
    walked = [end]
    while walked[-1] != begin:
        if before[walked[-1]] < 0:
            return ends  # two bodies that nothing joins
        walked.append(int(before[walked[-1]]))
    way = np.vstack([one, points[walked[::-1][1:-1]], other])
    for _ in range(_TAUT):
        way[1:-1] = onto((way[:-2] + way[2:]) / 2, own)[0]
    kept = np.linspace(0, len(way) - 1, min(len(way), max(3, int(len(way) ** 0.5) + 2))).round().astype(int)
    found: Places = way[kept]
    return found


def chart(x: Places, y: Places) -> Places:
    """What lies in front, as it is seen from straight ahead."""
    return np.stack([2 * x - 1, 1 - 2 * y, np.ones_like(x)], -1)


OWN = SurfaceKind(
    id="own", name="Own mesh", help="A mesh of your own, brought to the density that is asked for.",
    geometry=Geometry(build, onto, chart, flat.uncharted, alike=False, needs_own=True, reach=1.2, between=between),
    eye=Eye(tilt=14.0, turn=-12.0), tilts=(-170.0, 170.0),
)  # fmt: skip
