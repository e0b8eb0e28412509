"""From a list of solids to one closed mesh, by the library manifold3d."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Any

import numpy as np

from .. import mesh
from ..errors import BadMesh, Watch, unwatched
from ..numeric import contours
from .model import Solid, Solids

# Sides of a prism and a pyramid where none are said.
_USUAL = {"prism": 6, "pyramid": 4}
# Sides of what is round, and of a rounded edge.
_ROUND, _EDGE, _TORUS = 384, 48, 128


def _true(body: Any, volume: float) -> Any:
    """A body of flat faces, so little larger that it has the volume of the round one."""
    grow = (volume / body.volume()) ** (1 / 3)
    return body.scale((grow, grow, grow))


def _true_round(body: Any) -> Any:
    """The same across its axis only: a circle of ``_ROUND`` sides with the area of a round one."""
    part = 2 * math.pi / _ROUND
    grow = math.sqrt(part / math.sin(part))
    return body.scale((grow, grow, 1.0))


def _profile(points: np.ndarray, solid: Solid, corners: tuple[int, ...], least: float) -> np.ndarray:
    """A section whose corners of these numbers are rounded or cut."""
    size = solid.edge * least
    if solid.edges == "sharp" or size <= 0:
        return points
    radii = [size if n in corners else 0.0 for n in range(len(points))]
    scale = 300.0  # arcs are divided for pixels
    if solid.edges == "round":
        made: np.ndarray = contours.rounded(points * scale, [r * scale for r in radii]) / scale
        return made
    found = []
    for n, point in enumerate(points):
        if radii[n] <= 0:
            found.append(point)
            continue
        for other in (points[n - 1], points[(n + 1) % len(points)]):
            way = other - point
            found.append(point + way / np.hypot(*way) * min(size, np.hypot(*way) / 2))
    return np.array(found)


def _turned(points: np.ndarray, sides: int = _ROUND) -> Any:
    """A section (n, 2) of radius and height, turned round the z axis."""
    from manifold3d import CrossSection, Manifold

    return Manifold.revolve(CrossSection([points.tolist()]), sides)


def _box(s: Solid) -> Any:
    from manifold3d import Manifold

    size = np.array([s.size_x, s.size_y, s.size_z])
    edge = s.edge * float(size.min())
    if s.edges == "sharp" or edge <= 0:
        return Manifold.cube(size.tolist(), True)
    near = np.maximum((size - 2 * edge) / 2, 0)
    corners = [(sx * near[0], sy * near[1], sz * near[2]) for sx in (-1, 1) for sy in (-1, 1) for sz in (-1, 1)]
    if s.edges == "round":
        ball = Manifold.sphere(edge, _EDGE)
        return Manifold.batch_hull([ball.translate(c) for c in corners])
    flat = [np.where(np.arange(3) == axis, size, size - 2 * edge) for axis in range(3)]
    return Manifold.batch_hull([Manifold.cube(f.tolist(), True) for f in flat])


def _cylinder(s: Solid) -> Any:
    half = s.size_z / 2
    least = min(s.size_x, s.size_y, s.size_z) / s.size_x
    section = np.array([(0.0, -half), (0.5, -half), (0.5, half), (0.0, half)])
    # Turned with a diameter of 1; its height is true, so edges of ellipses are ellipses.
    made = _turned(_scaled_profile(section, s, (1, 2), least))
    return _true_round(made).scale((s.size_x, s.size_y, 1.0))


def _scaled_profile(section: np.ndarray, s: Solid, corners: tuple[int, ...], least: float) -> np.ndarray:
    """Edges of one size across and along, where the section is one unit wide and as high as the solid."""
    stretch = np.array([s.size_x, 1.0])
    made: np.ndarray = _profile(section * stretch, s, corners, least * s.size_x) / stretch
    return made


def _tube(s: Solid) -> Any:
    half, hole = s.size_z / 2, 0.5 * s.inner
    wall = (0.5 - hole) * s.size_x
    least = min(wall, s.size_z) / s.size_x
    section = np.array([(hole, -half), (0.5, -half), (0.5, half), (hole, half)])
    return _true_round(_turned(_scaled_profile(section, s, (0, 1, 2, 3), least))).scale((s.size_x, s.size_y, 1.0))


def _cone(s: Solid) -> Any:
    half = s.size_z / 2
    return _true_round(_turned(np.array([(0.0, -half), (0.5, -half), (0.0, half)]))).scale((s.size_x, s.size_y, 1.0))


def _ball(s: Solid) -> Any:
    from manifold3d import Manifold

    return _true(Manifold.sphere(0.5, _ROUND), math.pi / 6).scale((s.size_x, s.size_y, s.size_z))


def _dome(s: Solid) -> Any:
    """The upper half of a ball, its foot at the bottom of its box."""
    from manifold3d import Manifold

    half = Manifold.sphere(0.5, _ROUND).trim_by_plane((0.0, 0.0, 1.0), 0.0)
    grow = math.sqrt((math.pi / 12) / half.volume())
    whole = half.scale((grow, grow, 1.0)).translate((0.0, 0.0, -0.25))
    return whole.scale((s.size_x, s.size_y, 2 * s.size_z))


def _torus(s: Solid) -> Any:
    """A ring as thick as ``inner`` says, of its outer width's half."""
    thick = 0.5 * s.inner / 2
    part = 2 * math.pi / _TORUS
    angle = part * np.arange(_TORUS)
    grow = thick * math.sqrt(part / math.sin(part))
    made = _true_round(_turned(np.column_stack([0.5 - thick + grow * np.cos(angle), grow * np.sin(angle)])))
    return made.scale((s.size_x, s.size_y, s.size_z / (2 * thick)))


def _wedge(s: Solid) -> Any:
    """A ramp that rises along x."""
    from manifold3d import CrossSection, Manifold

    ramp = CrossSection([[(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5)]])
    made = Manifold.extrude(ramp, 1.0).translate((0.0, 0.0, -0.5)).rotate((90.0, 0.0, 0.0))
    return made.scale((s.size_x, s.size_y, s.size_z))


def _footed(s: Solid) -> np.ndarray:
    """A polygon that fills a box of 1 by 1: four sides lie along the axes."""
    sides = s.sides or _USUAL[s.kind]
    turn = math.pi / 4 if sides == 4 else math.pi / 2
    angle = turn + 2 * math.pi * np.arange(sides) / sides
    reach = math.sqrt(0.5) if sides == 4 else 0.5
    return np.column_stack([reach * np.cos(angle), reach * np.sin(angle)])


def _pyramid(s: Solid) -> Any:
    from manifold3d import CrossSection, Manifold

    foot = CrossSection([_footed(s).tolist()])
    made = Manifold.extrude(foot, 1.0, 0, 0.0, (0.0, 0.0)).translate((0.0, 0.0, -0.5))
    return made.scale((s.size_x, s.size_y, s.size_z))


def _prism(s: Solid) -> Any:
    """Its edges round the top and foot, and those along it."""
    from manifold3d import CrossSection, Manifold

    foot = _footed(s) * (s.size_x, s.size_y)
    edge = s.edge * min(s.size_x, s.size_y, s.size_z)
    if s.edges == "sharp" or edge <= 0:
        return Manifold.extrude(CrossSection([foot.tolist()]), s.size_z).translate((0.0, 0.0, -s.size_z / 2))
    middle = CrossSection([foot.tolist()]).offset(-edge, _joints(), 2.0, 0)
    parts = []
    for ring in middle.to_polygons():
        for x, y in ring:
            for z in (edge - s.size_z / 2, s.size_z / 2 - edge):
                if s.edges == "round":
                    parts.append(Manifold.sphere(edge, _EDGE).translate((float(x), float(y), z)))
    if s.edges == "round":
        return Manifold.batch_hull(parts)
    inner = Manifold.extrude(middle, s.size_z).translate((0.0, 0.0, -s.size_z / 2))
    outer = Manifold.extrude(CrossSection([foot.tolist()]), s.size_z - 2 * edge)
    return Manifold.batch_hull([inner, outer.translate((0.0, 0.0, edge - s.size_z / 2))])


def _joints() -> Any:
    from manifold3d import JoinType

    return JoinType.Miter


_MAKES: Mapping[str, Callable[[Solid], Any]] = MappingProxyType({
    "box": _box, "cylinder": _cylinder, "cone": _cone, "ball": _ball, "dome": _dome, "torus": _torus,
    "wedge": _wedge, "pyramid": _pyramid, "prism": _prism, "tube": _tube,
})  # fmt: skip


def body_of(solid: Solid) -> Any:
    """One solid as a manifold, turned about x, y and z and brought to its place."""
    made = _MAKES[solid.kind](solid)
    return made.rotate((solid.turn_x, solid.turn_y, solid.turn_z)).translate((solid.at_x, solid.at_y, solid.at_z))


def joined(solids: Solids, check: Watch = unwatched) -> Any:
    """All solids in order as one manifold; the first begins it, whatever it says."""
    whole: Any = None
    for solid in solids:
        check()
        body = body_of(solid)
        if whole is None:
            whole = body
        elif solid.op == "join":
            whole = whole + body
        elif solid.op == "cut":
            whole = whole - body
        else:
            whole = whole ^ body
    return whole


def mesh_from(solids: Solids, name: str, check: Watch = unwatched) -> mesh.Mesh:
    """The closed mesh of a list of solids.

    Raises
    ------
    BadMesh
        Nothing is left of it.
    """
    whole = joined(solids, check)
    if whole is None or whole.is_empty():
        raise BadMesh(f"Nothing is left of {name}", "what is cut or kept takes all of it", "Change the last solids")
    found = whole.to_mesh()
    # Copies: arrays that share its memory would keep the library's own mesh to the program's end.
    points = np.array(found.vert_properties, np.float64)[:, :3]
    return mesh.mesh_of(points, np.array(found.tri_verts, np.int32), name)
