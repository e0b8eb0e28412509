"""Heights from meshes: analytic solids, ray casting by another library, open elevations, handbook volumes."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import Delaunay
from scipy.spatial.transform import Rotation
from trimesh.ray.ray_pyembree import RayMeshIntersector

from conftest import band_limited
from engraver.core.errors import BadMesh
from engraver.core.mesh import kernels, pose, raster
from engraver.core.mesh.capture import AutoFrame, Capture, capture_heights, level, measured, rotation
from engraver.core.mesh.raster import Frame, nearest, on_screen
from engraver.core.mesh.shape import Shape
from engraver.core.raster import Raster
from engraver.core.recipe.first_mesh import first_capture, guess
from solids import elevations, made, open_mesh, sheet, turned_solid

# Right, up and towards the eye, as the words for each view have it.
VIEWS = {
    "top": ((1, 0, 0), (0, 1, 0), (0, 0, 1)), "bottom": ((1, 0, 0), (0, -1, 0), (0, 0, -1)),
    "front": ((1, 0, 0), (0, 0, 1), (0, -1, 0)), "back": ((-1, 0, 0), (0, 0, 1), (0, 1, 0)),
    "left": ((0, -1, 0), (0, 0, 1), (-1, 0, 0)), "right": ((0, 1, 0), (0, 0, 1), (1, 0, 0)),
}  # fmt: skip


def file_heights(found: AutoFrame, raster: Raster) -> np.ndarray:
    """Heights in the file's units: the zero of the capture is black, or the middle tone."""
    return found.zero + (raster.pixels.astype(np.float64) - (0.0 if raster.zero == "black" else 0.5)) * found.units


def heights(shape: Shape, size: int = 256, **params: object) -> tuple[np.ndarray, np.ndarray, Frame]:
    """File heights (H, W), what is covered, and the frame."""
    wanted = Capture.model_validate({"side": size, "samples": "1", "depth": "exact", "margin": 0.0, **params})
    found = measured(shape, wanted)
    raster = capture_heights(shape, wanted, found, wanted.size)
    cover = np.ones(wanted.size, np.float32) if raster.coverage is None else raster.coverage
    return file_heights(found, raster), cover, found.frame


def centres(frame: Frame, size: int) -> tuple[np.ndarray, np.ndarray]:
    """x and y of the pixel centres, in units relative to the middle of the mesh's box."""
    away = (np.arange(size) + 0.5 - size / 2) * frame.width / size
    return np.meshgrid(frame.x + away, frame.y - away)


def solid(name: str) -> tuple[Shape, object, float, float]:
    """A solid seen from the top, its height by its formula over (x, y), its volume by the handbook, sagitta."""
    around = 1600
    sagitta = 1 - np.cos(np.pi / around)
    if name == "pyramid":
        points = [(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0), (0, 0, 1.5)]
        mesh = made(np.array(points, float), np.array([(0, 1, 4), (1, 2, 4), (2, 3, 4), (3, 0, 4)]))
        return Shape(mesh), lambda x, y: 1.5 * (1 - np.maximum(abs(x), abs(y))), 4 * 1.5 / 3, 0.0
    if name == "cone":
        mesh = turned_solid(np.array([1.0, 1e-12]), np.array([0, 1.5]), around)
        return Shape(mesh), lambda x, y: 1.5 * (1 - np.hypot(x, y)), np.pi * 1.5 / 3, sagitta
    t = np.linspace(0, np.pi / 2, 400)
    if name == "hemisphere":
        mesh = turned_solid(np.cos(t) + 1e-12, np.sin(t), around)
        formula = lambda x, y: np.sqrt(np.maximum(1 - x**2 - y**2, 0))  # noqa: E731
        return Shape(mesh), formula, 2 / 3 * np.pi, (1 - np.cos(np.pi / 1600)) + (1 - np.cos(np.pi / 1596))
    t = np.linspace(0, np.pi, 801)
    mesh = turned_solid(1 - 0.4 * np.cos(t), 0.4 * np.sin(t), around)
    formula = lambda x, y: np.sqrt(np.maximum(0.16 - (np.hypot(x, y) - 1) ** 2, 0))  # noqa: E731
    return Shape(mesh), formula, np.pi**2 * 0.16, 1.4 * sagitta + 0.4 * (1 - np.cos(np.pi / 1600))


@pytest.mark.parametrize("name", ["pyramid", "cone", "hemisphere", "torus"])
def test_solids_have_the_heights_of_their_formulas(name: str) -> None:
    """Off the facets' own error: their sagitta, seen along the slope, at most 1e-5 of the range."""
    shape, formula, _, sagitta = solid(name)
    z, cover, frame = heights(shape, 301)
    x, y = centres(frame, 301)
    true = formula(x, y)
    rise, run = np.gradient(true, frame.width / 301)
    there = (cover > 0) & (true > 0.15 * true.max())
    allowed = 1e-5 * true.max() + 2.2 * sagitta * np.hypot(1, np.hypot(rise, run))
    assert there.mean() > 0.3
    assert (np.abs(z - true)[there] <= allowed[there]).all()


@pytest.mark.parametrize("name", ["pyramid", "cone", "hemisphere", "torus"])
def test_solids_have_the_volumes_of_the_handbook(name: str) -> None:
    """Heights times area is the volume: Bronshtein, Handbook of Mathematics, solids (from memory)."""
    shape, _, volume, _ = solid(name)
    z, cover, frame = heights(shape, 400, samples="16")
    assert (z * cover).sum() * (frame.width / 400) ** 2 == pytest.approx(volume, rel=1e-3)


@pytest.mark.parametrize("mesh", ["airplane.ply", "ant.ply", "nut.ply"])
@pytest.mark.parametrize("view", ["top", "front", "left"])
def test_heights_are_those_of_ray_casting(mesh: str, view: str) -> None:
    """trimesh with embreex, one ray a pixel centre, on meshes that ship with pyvista."""
    other = open_mesh(mesh)
    shape = Shape(made(other.vertices, other.faces))
    size = 200
    z, cover, frame = heights(shape, size, view=view, margin=0.02)
    right, up, towards = (np.array(axis, float) for axis in VIEWS[view])
    x, y = centres(frame, size)
    far = 2 * shape.reach
    start = shape.mesh.origin + x.reshape(-1, 1) * right + y.reshape(-1, 1) * up + far * towards
    place, ray, _ = RayMeshIntersector(other).intersects_location(start, np.tile(-towards, (size * size, 1)), False)
    cast = np.full(size * size, np.nan)
    cast[ray] = place @ towards
    cast = cast.reshape(size, size)
    both = np.isfinite(cast) & (cover > 0)
    assert (np.isfinite(cast) == (cover > 0)).mean() >= 0.999
    span = float(z[both].max() - z[both].min())
    assert (np.abs(cast - z)[both] <= 1e-4 * span).mean() >= 0.999


def test_straight_views_are_as_they_are_named() -> None:
    """A corner block with three feelers of different lengths: each view shows the right one, at its place."""
    box = trimesh.creation.box((1, 1, 1))
    feelers = [box.copy().apply_scale(0.1).apply_translation(at) for at in ((1.0, 0, 0), (0, 1.4, 0), (0, 0, 1.9))]
    whole = trimesh.util.concatenate([box, *feelers])
    shape = Shape(made(whole.vertices, whole.faces))
    for view, (right, up, towards) in VIEWS.items():
        assert np.allclose(pose.straight(view), [right, up, towards])
        z, cover, frame = heights(shape, 200, view=view)
        for at in ((1.0, 0, 0), (0, 1.4, 0), (0, 0, 1.9)):
            from_middle = np.array(at) - shape.mesh.origin
            along = abs(float(np.array(at) @ towards)) > 0
            if along:
                continue
            column = (from_middle @ right - frame.x) / frame.width * 200 + 100
            row = 100 - (from_middle @ up - frame.y) / frame.width * 200
            assert cover[int(row), int(column)] > 0, (view, at)
            assert z[int(row), int(column)] == pytest.approx(0.05, abs=1e-6)


@given(seed=st.integers(0, 400), snapped=st.booleans())
@settings(max_examples=25, deadline=None)
def test_every_pixel_is_drawn_once(seed: int, snapped: bool) -> None:
    """A triangulated square, corners also right on pixel centres: no gap, no pixel of a shared edge twice."""
    rng = np.random.default_rng(seed)
    inner = rng.uniform(0, 16, (40, 2))
    inner = np.floor(inner * 2) / 2 if snapped else inner
    corners = np.array([(0, 0), (16, 0), (0, 16), (16, 16)], float)
    flat = np.unique(np.concatenate([corners, inner]), axis=0)
    faces = Delaunay(flat).simplices.astype(np.int32)
    points = np.column_stack([flat, rng.uniform(0, 1, len(flat))]).astype(np.float32)
    count = np.zeros((16, 16))
    for face in faces:
        count += nearest(points, face[None], np.eye(3), np.zeros(3), 16, 16)[1]
    assert (count == 1).all()
    turned = faces[:, ::-1].copy()
    a, b = (nearest(points, f, np.eye(3), np.zeros(3), 16, 16)[0] for f in (faces, turned))
    assert np.abs(a - b).max() < 1e-6  # whichever way its faces point
    assert nearest(points, faces, np.eye(3), np.zeros(3), 16, 16, skip_back=True)[1].sum() in (0, 256)


def _lumpy(seed: int) -> trimesh.Trimesh:
    """A body with deep hollows, so that much of it hides behind the rest."""
    ball = trimesh.creation.icosphere(5, 1.0)
    out = ball.vertices
    far = 1 + 0.4 * np.sin(7 * out[:, 0] + seed) * np.sin(6 * out[:, 1]) * np.sin(5 * out[:, 2])
    return trimesh.Trimesh(out * far[:, None], ball.faces, process=False)


def _bodies() -> dict[str, trimesh.Trimesh]:
    lump, turned, small = _lumpy(0), _lumpy(1), _lumpy(2)
    turned.invert()
    small.apply_scale(0.3)
    small.invert()
    small.apply_translation((0.2, 0.1, 1.4))
    open_ = trimesh.Trimesh(lump.vertices, lump.faces[lump.triangles_center[:, 2] < 0.3], process=False)
    triangles = np.random.default_rng(3).uniform(-1, 1, (2000, 3, 3))
    loose = trimesh.Trimesh(triangles.reshape(-1, 3), np.arange(6000).reshape(-1, 3), process=False)
    return {
        "closed": lump, "inside out": turned, "a turned body over another": trimesh.util.concatenate([lump, small]),
        "open, seen from behind too": open_, "loose triangles, large and small": loose,
    }  # fmt: skip


@pytest.mark.parametrize("name", _bodies())
def test_what_is_put_off_and_passed_over_changes_nothing(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    body = _bodies()[name]
    points, faces = body.vertices.astype(np.float32), body.faces.astype(np.int32)
    matrix, shift = on_screen(Frame(0.05, 0.0, 2.2), 150, 173)
    plainly = nearest(points, faces, matrix, shift, 150, 173, samples=4)
    monkeypatch.setattr(raster, "_ALONE", 0)
    tall, cover = nearest(points, faces, matrix, shift, 150, 173, samples=4)
    assert np.array_equal(tall, plainly[0]) and np.array_equal(cover, plainly[1])
    drawn = np.full((346, 300), -np.inf, np.float32)
    later, tiles = np.empty(len(faces), np.int32), np.empty((44, 38), np.float32)
    screen = raster.placed(points, np.diag([2.0, 2.0, 1.0]) @ matrix, np.diag([2.0, 2.0, 1.0]) @ shift)
    count = kernels.heights(screen, faces, kernels.PUT_OFF, 0, 346, drawn, later)
    kernels.farthest(drawn, tiles)
    left = kernels.not_hidden(screen, faces, later, count, 0, 346, 300, tiles)
    assert left < count / 4 or name != "closed"  # nearly all of its other side is passed over


def test_a_height_field_comes_back() -> None:
    """Elevation model (matplotlib's sample data) to grid to mesh to capture: within 1e-5 of the range."""
    field = elevations()
    shape = Shape(sheet(field, 90.0))
    size = field.shape[0]
    frame = {"frame": "set", "frame_x": 0.0, "frame_y": 0.0, "frame_size": size * 90.0 / shape.reach}
    z, cover, _ = heights(shape, size, **frame)
    assert (cover[1:-1, 1:-1] == 1).all()
    assert np.abs(z - field)[1:-1, 1:-1].max() <= 1e-5 * np.ptp(field)


@pytest.mark.parametrize("zero_at", ["lowest", "border", "middle", "picked"])
def test_zero_and_scale_are_told_in_the_files_units(zero_at: str) -> None:
    """A slanted plane from 20 to 30 units: what is zero, what is white, and back to heights."""
    x = np.tile(np.arange(65) / 64.0, (65, 1))
    shape = Shape(sheet(20 + 10 * x, 1.0))
    params = Capture(side=64, samples="1", depth="exact", margin=0.0, zero_at=zero_at, picked=22.0)  # type: ignore[arg-type]
    found = measured(shape, params)
    raster = capture_heights(shape, params, found, params.size)
    assert raster.units == pytest.approx(found.units)
    zero = {"lowest": found.lo, "middle": (found.lo + found.hi) / 2, "picked": 22.0}.get(zero_at, found.zero)
    assert found.zero == pytest.approx(zero)
    assert found.lo == pytest.approx(20.08, abs=0.01) and found.hi == pytest.approx(29.92, abs=0.01)
    assert raster.pixels.min() >= 0 and raster.pixels.max() <= 1
    assert raster.zero == ("black" if zero_at == "lowest" else "mid")
    told = file_heights(found, raster)
    assert np.abs(told - (20 + 10 * (np.arange(64) + 0.5) / 64)).max() < 1e-4
    assert 20.0 < found.zero < 30.0


def test_spikes_do_not_rule_and_the_range_cuts_flat() -> None:
    z = 5 * band_limited(80, 80, 0.05, 3).astype(np.float64)
    z[40, 40], z[10, 60] = 60.0, -60.0
    shape = Shape(sheet(z))
    exact, auto = (measured(shape, Capture(side=512, depth=d)) for d in ("exact", "auto"))
    assert exact.hi > 50 and exact.lo < -50
    assert 3 < auto.hi < 12 and -6 < auto.lo < 1.5
    raster = capture_heights(shape, Capture(side=512), auto, (512, 512))
    assert raster.pixels.min() >= 0 and raster.pixels.max() <= 1 and (raster.pixels == 1).any()


def test_the_frame_inside_holds_no_ground() -> None:
    """A round disc: the largest covered square has half the disc's width squared twice (side = r times root two)."""
    t = np.linspace(0, 1, 40)
    shape = Shape(turned_solid(10 * t + 1e-9, np.cos(9 * t), 200))
    params = Capture(frame="inside", side=256)
    found = measured(shape, params)
    assert found.frame.width == pytest.approx(10 * np.sqrt(2), rel=0.02)
    assert capture_heights(shape, params, found, params.size).coverage is None
    cage = Shape(made(np.array([(0, 0, 0), (1, 0, 0), (0, 1e-4, 0)], float), np.array([(0, 1, 2)])))
    with pytest.raises(BadMesh, match="Nothing lies inside"):
        measured(cage, params)


def carved(seed: int = 2, size: int = 120) -> np.ndarray:
    """A panel's relief: bumps on a plain ground."""
    return 3.0 * np.maximum(band_limited(size, size, 0.06, seed).astype(np.float64) - 0.45, 0)


@given(seed=st.integers(0, 30))
@settings(max_examples=8, deadline=None)
def test_lay_flat_finds_the_plane_however_it_lies(seed: int) -> None:
    """Total least squares: the normal of a tilted panel with a stray tenth found, its carving to the eye."""
    rng = np.random.default_rng(seed)
    flat = sheet(carved(seed))
    turn = Rotation.random(random_state=seed).as_matrix()
    lump = trimesh.creation.icosphere(2, 6.0).apply_translation((20, -30, 9))
    points = np.concatenate([flat.points + flat.origin, np.add(lump.vertices, (60, 60, 0))])
    faces = np.concatenate([flat.faces, lump.faces + len(flat.points)])
    shape = Shape(made(points @ turn.T + rng.normal(0, 50, 3), faces))
    normal = turn @ (0, 0, 1)
    assert np.degrees(np.arccos(min(1.0, float(shape.flat[2] @ normal)))) < 0.5
    tilted = Capture(view="flat", tilt=4.0, turn=-3.0, side=256, frame="inside", roll=12.0)
    better = level(shape, tilted)
    matrix = rotation(shape, tilted.but(turn=better.turn, tilt=better.tilt, roll=better.roll))
    assert np.degrees(np.arccos(min(1.0, float(matrix[2] @ normal)))) < 1.5
    again = pose.turn_of(matrix, shape.flat)
    assert np.allclose(pose.turned(shape.flat, again), matrix, atol=1e-9)


def test_a_mesh_a_little_off_says_which_view_is_near() -> None:
    for view, off in itertools.product(pose.STRAIGHT, (0.0, 2.0, 5.0)):
        name, degrees = pose.off_straight(pose.turned(pose.straight(view), pose.Turn(tilt=off)))
        assert (name, round(degrees, 6)) == (view, off)


def test_bodies_are_joined_or_chosen() -> None:
    a, b = trimesh.creation.box((1, 1, 1)), trimesh.creation.icosphere(3, 0.8).apply_translation((5, 0, 0))
    both = trimesh.util.concatenate([a, b])
    shape = Shape(made(both.vertices, both.faces))
    assert len(shape.bodies.names) == 2
    whole, ball, box = (heights(shape, 64, body=n)[2].width for n in (0, 1, 2))
    assert whole == pytest.approx(6.3) and ball == pytest.approx(1.6, abs=0.01) and box == pytest.approx(1.0)
    with pytest.raises(BadMesh, match="2"):
        measured(shape, Capture(body=3))


def test_facts_of_a_mesh() -> None:
    """Holes and edge lengths against trimesh: Euler's formula and its own edges."""
    ball = trimesh.creation.icosphere(4, 30.0)
    shape = Shape(made(ball.vertices, ball.faces))
    assert shape.facts.triangles == len(ball.faces) and shape.facts.holes == 0 and shape.facts.unit == "mm"
    assert shape.facts.edge == pytest.approx(float(ball.edges_unique_length.mean()), rel=0.03)
    open_ = ball.faces[~np.isin(np.arange(len(ball.faces)), (5, 900, 1700))]
    assert Shape(made(ball.vertices, open_)).facts.holes == 3
    assert "3 open borders" in Shape(made(ball.vertices, open_)).facts.words("mm")


def test_what_a_mesh_becomes_at_first() -> None:
    """Design, section 6: framed inside with mid-grey zero for a surface, whole with black zero for an object."""
    ball = trimesh.creation.icosphere(4, 30.0)
    assert guess(Shape(made(ball.vertices, ball.faces))) == "object"
    panel = Shape(sheet(carved()))
    assert guess(panel) == "detail"
    first = first_capture(panel)
    assert (first.view, first.frame, first.zero, first.depth, first.side) == ("top", "inside", "mid", "auto", 2048)
    assert first_capture(Shape(made(ball.vertices, ball.faces))).zero == "black"
    wide = first_capture(panel, "object", Capture(view="left", unit="cm"))
    assert (wide.view, wide.unit, wide.frame) == ("left", "cm", "whole")


def test_nothing_in_the_frame_is_told() -> None:
    shape = Shape(sheet(carved()))
    with pytest.raises(BadMesh, match="Nothing lies in the frame"):
        measured(shape, Capture(frame="set", frame_x=0.9, frame_size=0.01, side=64))


def test_screen_and_frame_agree() -> None:
    to_pixels, shift = on_screen(Frame(3.0, -2.0, 8.0), 80, 40)
    assert np.allclose(to_pixels @ (3.0, -2.0, 7.0) + shift, (40, 20, 7.0))
    assert np.allclose(to_pixels @ (-1.0, 0.0, 0.0) + shift, (0, 0, 0))


@pytest.mark.parametrize("seed", range(8))
def test_turns_are_those_of_euler_angles(seed: int) -> None:
    """Turned about up, tilted about right, rolled about the eye: intrinsic z, x, y of SciPy's Rotation."""
    rng = np.random.default_rng(seed)
    by = pose.Turn(*rng.uniform((-180, -89, -180), (180, 89, 180)))
    base = pose.straight(pose.STRAIGHT[seed % len(pose.STRAIGHT)])
    ours = pose.turned(base, by)
    theirs = Rotation.from_euler("ZXY", (-by.roll, by.tilt, by.turn), degrees=True).as_matrix() @ base
    assert np.abs(ours - theirs).max() < 1e-12
    back = pose.turn_of(ours, base)
    assert (back.turn, back.tilt, back.roll) == pytest.approx((by.turn, by.tilt, by.roll), abs=1e-9)


@pytest.mark.parametrize("seed", range(6))
def test_the_smallest_rotation_onto_an_axis(seed: int) -> None:
    rng = np.random.default_rng(seed)
    normal, axis = (v / np.linalg.norm(v) for v in rng.normal(size=(2, 3)))
    if seed == 0:
        axis = -normal
    turned = pose.onto(normal, axis)
    assert np.allclose(turned @ normal, axis, atol=1e-9) and np.allclose(turned @ turned.T, np.eye(3), atol=1e-9)
    angle = np.degrees(Rotation.from_matrix(turned).magnitude())
    assert angle == pytest.approx(np.degrees(np.arccos(np.clip(normal @ axis, -1, 1))), abs=1e-5)
