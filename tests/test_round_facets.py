"""Coarse meshes whose facets are rounded come close to the body they stand for; sharp edges stay where they are."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from engraver.core.mesh.capture import Capture, capture_heights, measured
from engraver.core.mesh.model import Mesh
from engraver.core.mesh.shape import Shape
from engraver.core.mesh.tessellate import parted, rounded
from solids import made


def _mesh(body: trimesh.Trimesh) -> Mesh:
    return made(body.vertices, body.faces)


def _whole(mesh: Mesh) -> trimesh.Trimesh:
    """With points at one place joined, as at sharp edges."""
    body = trimesh.Trimesh(mesh.points + mesh.origin, mesh.faces, process=False)
    body.merge_vertices(digits_vertex=5)
    return body


def test_a_coarse_ball_comes_close_to_a_ball() -> None:
    coarse = _mesh(trimesh.creation.icosphere(2))
    fine = rounded(coarse, 60, 20_000)
    corners = coarse.points[coarse.faces].astype(float).mean(axis=1)
    off = 1 - np.linalg.norm(corners, axis=1).min()  # the middle of a facet, as it was
    away = np.abs(np.linalg.norm(fine.points.astype(float), axis=1) - 1).max()
    assert len(fine.points) > 10_000 and away < off / 4
    body = _whole(fine)
    assert body.is_watertight and body.volume == pytest.approx(4 / 3 * np.pi, rel=0.006)
    assert _whole(coarse).volume < 0.97 * 4 / 3 * np.pi


@pytest.mark.parametrize("crease", [10.0, 45.0, 89.0])
def test_a_box_stays_a_box(crease: float) -> None:
    box = _mesh(trimesh.creation.box((2, 1, 0.5)))
    points, faces = parted(box.points.astype(float), box.faces, crease)
    assert len(points) == 24 and len(faces) == 12  # four corners to a side
    body = _whole(rounded(box, crease, 5000))
    assert body.is_watertight and body.volume == pytest.approx(1.0, rel=1e-6) and body.area == pytest.approx(7.0)
    one = parted(box.points.astype(float), box.faces, 91.0)[0]
    assert len(one) == 8  # everything is one when no edge is sharp


def test_a_rim_stays_sharp_and_round_walls_become_round() -> None:
    """A can of 24 sides: its lids stay flat in their planes, its walls come close to the cylinder."""
    can = _mesh(trimesh.creation.cylinder(1.0, 6.0, sections=24))
    body = _whole(rounded(can, 40, 30_000))
    z = body.vertices[:, 2]
    assert body.is_watertight and z.max() == pytest.approx(3, abs=1e-6) and z.min() == pytest.approx(-3, abs=1e-6)
    lids = np.abs(body.face_normals[:, 2]) > 0.5
    assert np.abs(np.abs(body.face_normals[lids, 2]) - 1).max() < 1e-5
    walls = np.abs(z) < 1  # the rim itself keeps its corners
    radius = np.hypot(*body.vertices[walls, :2].T)
    sagitta = 1 - np.cos(np.pi / 24)
    assert 1 - radius.min() < sagitta / 3 and radius.max() < 1 + sagitta / 3


def test_open_borders_do_not_move_and_a_fine_mesh_stays() -> None:
    sheet = _mesh(trimesh.creation.icosphere(3).slice_plane([0, 0, 0.2], [0, 0, 1]))
    fine = rounded(sheet, 60, 9000)
    low = float((fine.points + fine.origin)[:, 2].min())
    assert low == pytest.approx(float((sheet.points + sheet.origin)[:, 2].min()), abs=1e-6)
    assert rounded(sheet, 60, 100) is sheet


def test_a_capture_of_a_coarse_dome_shows_no_facets() -> None:
    """Heights against z = sqrt(1 - r²): the facets' errors fall, and nothing is asked for at 0 degrees."""
    shape = Shape(_mesh(trimesh.creation.icosphere(3)))
    errors = {}
    for crease in (0.0, 60.0):
        params = Capture(view="top", side=256, frame="set", frame_size=0.5, depth="exact", crease=crease)
        found = measured(shape, params)
        raster = capture_heights(shape, params, found, (256, 256))
        tall = raster.pixels.astype(float) * found.units + found.lo
        at = (np.arange(256) + 0.5) / 256 - 0.5
        x, y = np.meshgrid(at, at)
        side = found.frame.width
        errors[crease] = np.abs(tall - np.sqrt(1 - (side * x) ** 2 - (side * y) ** 2)).max()
    assert errors[60.0] < errors[0.0] / 3 and errors[0.0] > 2e-3
    assert shape.rounded(0.0) is shape and shape.rounded(60.0) is shape.rounded(60.0)
