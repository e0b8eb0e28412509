"""Meshes of known shape, and open meshes and elevations that ship inside other packages."""

from __future__ import annotations

import importlib.util
from pathlib import Path

import numpy as np
import trimesh

from engraver.core.mesh.model import Mesh, mesh_of
from engraver.core.mesh.shape import Shape


def open_data(package: str, *inside: str) -> Path:
    """A file that ships with a package, without importing the package."""
    found = importlib.util.find_spec(package)
    assert found is not None and found.submodule_search_locations
    return Path(found.submodule_search_locations[0], *inside)


def open_mesh(name: str) -> trimesh.Trimesh:
    """One of pyvista's example meshes, read by trimesh."""
    return trimesh.load(open_data("pyvista", "examples", name), force="mesh", process=False)


def elevations() -> np.ndarray:
    """A square of the elevation model that ships with matplotlib (Jacksboro fault, USGS), in metres."""
    with np.load(open_data("matplotlib", "mpl-data", "sample_data", "jacksboro_fault_dem.npz")) as data:
        return np.asarray(data["elevation"][:256, :256], np.float64)


def made(points: np.ndarray, faces: np.ndarray, name: str = "made") -> Mesh:
    return mesh_of(np.asarray(points, np.float64), np.asarray(faces), name)


def grid_faces(rows: int, columns: int) -> np.ndarray:
    """Two triangles for each cell of a (rows, columns) lattice of points."""
    n = np.arange(rows * columns).reshape(rows, columns)
    a, b, c, d = n[:-1, :-1].ravel(), n[:-1, 1:].ravel(), n[1:, :-1].ravel(), n[1:, 1:].ravel()
    return np.concatenate([np.column_stack([a, c, b]), np.column_stack([b, c, d])])


def sheet(z: np.ndarray, step: float = 1.0) -> Mesh:
    """A height field as a mesh; row 0 lies at the top (largest y)."""
    rows, columns = z.shape
    y, x = np.mgrid[0:rows, 0:columns]
    points = np.column_stack([x.ravel() * step, (rows - 1 - y.ravel()) * step, z.ravel()])
    return made(points, grid_faces(rows, columns))


def turned_solid(radius: np.ndarray, height: np.ndarray, around: int) -> Mesh:
    """A surface of revolution about z: rings of the given radii at the given heights."""
    angle = np.linspace(0, 2 * np.pi, around, endpoint=False)
    ring = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    points = np.concatenate(
        [np.column_stack([r * ring, np.full(around, h)]) for r, h in zip(radius, height, strict=True)]
    )
    n = np.arange(len(radius) * around).reshape(len(radius), around)
    a, b = n[:-1].ravel(), n[1:].ravel()
    c, d = np.roll(n, -1, axis=1)[:-1].ravel(), np.roll(n, -1, axis=1)[1:].ravel()
    return made(points, np.concatenate([np.column_stack([a, c, b]), np.column_stack([b, c, d])]))


def shape_of(mesh: Mesh) -> Shape:
    return Shape(mesh)
