"""Cords as files of other programs: closed meshes with texture places along and across, and names."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from engraver.core.mesh.model import together

from .body import Cord

MESHES = (".ply", ".obj", ".stl", ".glb")
Named = tuple[str, NDArray[np.floating], NDArray[np.int32]]


def corners(cord: Cord) -> NDArray[np.float64]:
    """Texture places at the corners of each triangle, float64 (m, 3, 2): along, one to a repeat, and round, 0..1.

    A triangle that lies over the place where either begins again goes on beyond it.
    """
    u, v = cord.phase[cord.faces], cord.across[cord.faces]
    v = v + ((v.max(axis=1, keepdims=True) - v) > 0.5)
    if cord.closed:
        u = u + ((u.max(axis=1, keepdims=True) - u) > cord.repeats / 2) * cord.repeats
    return np.stack([u, v], axis=-1)


def _obj(cords: Sequence[Cord], others: Sequence[Named]) -> bytes:
    """A Wavefront OBJ: points are shared, texture places have numbers of their own, so a closed cord stays closed."""
    lines, first, textures = ["# A cord. vt: along, one to a repeat; round, 0..1"], 1, 1
    for n, cord in enumerate(cords):
        places, which = np.unique(corners(cord).reshape(-1, 2).round(6), axis=0, return_inverse=True)
        lines.append(f"o {_name(n, len(cords))}")
        lines += [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in cord.points.tolist()]
        lines += [f"vt {u:.6g} {v:.6g}" for u, v in places.tolist()]
        corner = np.stack([cord.faces + first, which.reshape(-1, 3) + textures], axis=-1).reshape(-1, 6)
        lines += ["f {}/{} {}/{} {}/{}".format(*row) for row in corner.tolist()]
        first, textures = first + len(cord.points), textures + len(places)
    for name, points, faces in others:
        lines.append(f"o {name}")
        lines += [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in points.tolist()]
        lines += [f"f {a} {b} {c}" for a, b, c in (faces + first).tolist()]
        first += len(points)
    return ("\n".join(lines) + "\n").encode()


def _name(n: int, count: int) -> str:
    return "cord" if count == 1 else f"cord {n + 1}"


def _glb(cords: Sequence[Cord], others: Sequence[Named]) -> bytes:
    """A binary glTF 2.0: a mesh for each cord; points at which texture places begin again stand in it twice."""
    import trimesh

    scene = trimesh.Scene()
    for n, cord in enumerate(cords):
        rows = np.column_stack([cord.faces.reshape(-1, 1), corners(cord).reshape(-1, 2).round(6)])
        kept, which = np.unique(rows, axis=0, return_inverse=True)
        numbers = kept[:, 0].astype(np.int64)
        body = trimesh.Trimesh(
            cord.points[numbers], which.reshape(-1, 3), process=False, vertex_normals=cord.normals[numbers],
            visual=trimesh.visual.TextureVisuals(uv=kept[:, 1:]),
        )  # fmt: skip
        scene.add_geometry(body, node_name=_name(n, len(cords)), geom_name=_name(n, len(cords)))
    for name, points, faces in others:
        scene.add_geometry(trimesh.Trimesh(points, faces, process=False), node_name=name, geom_name=name)
    written = scene.export(file_type="glb")
    assert isinstance(written, bytes)
    return written


def cord_bytes(cords: Sequence[Cord], ending: str, others: Sequence[Named] = ()) -> bytes:
    """Cords, and other bodies beside them, as a mesh file.

    Parameters
    ----------
    ending : str
        One of ``MESHES``. OBJ and GLB have names and texture places; PLY and STL are triangles alone.
    others : sequence of (name, points, faces)
    """
    import trimesh

    if ending == ".obj":
        return _obj(cords, others)
    if ending == ".glb":
        return _glb(cords, others)
    bodies = [(c.points, c.faces) for c in cords] + [(points, faces) for _, points, faces in others]
    written = trimesh.Trimesh(*together(bodies), process=False).export(file_type=ending.removeprefix("."))
    return written if isinstance(written, bytes) else str(written).encode()
