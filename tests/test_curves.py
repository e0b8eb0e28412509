"""Curves: what runs through their points, the frames along them, roundings, surfaces, edits, files."""

from __future__ import annotations

import json

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import CubicSpline

from engraver.core.curves import edits
from engraver.core.curves.frames import closing, least_turning
from engraver.core.curves.laid import crossings, laid, radii
from engraver.core.curves.model import Curve
from engraver.core.curves.round_body import borders_of, cut_by_plane, is_ring, round_body, sharp_edges, spaced
from engraver.core.curves.spline import beziers, sampled
from engraver.core.curves.way import even, headings, turning
from engraver.core.errors import BadPicture, BadValue
from engraver.core.mesh.model import mesh_of
from engraver.core.proof.curve_file import fitted, on_surface, read_curve
from engraver.core.surfaces import surface
from engraver.core.surfaces.own import OwnMesh


def ring(count: int = 24, radius: float = 1.0) -> np.ndarray:
    a = np.arange(count) * 2 * np.pi / count
    return radius * np.stack([np.cos(a), np.sin(a), 0 * a], -1)


def helix(count: int, turns: float, rise: float) -> np.ndarray:
    t = np.linspace(0, 2 * np.pi * turns, count)
    return np.stack([np.cos(t), np.sin(t), rise * t], -1)


def test_the_curve_is_scipys_spline_through_its_points() -> None:
    rng = np.random.default_rng(3)
    points = rng.normal(size=(7, 3))
    knots = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1) ** 0.5)])
    truth = CubicSpline(knots, points, bc_type="natural")
    places, share = sampled(beziers(points, Curve()), 0.01)
    at = np.interp(share, np.arange(7), knots)
    assert np.abs(truth(at) - places).max() < 1e-9
    around = np.vstack([points, points[:1]])
    knots = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(around, axis=0), axis=1) ** 0.5)])
    places, share = sampled(beziers(points, Curve(closed=True)), 0.01)
    assert (
        np.abs(CubicSpline(knots, around, bc_type="periodic")(np.interp(share, np.arange(8), knots)) - places).max()
        < 1e-9
    )


def test_arc_lengths_are_even_and_those_of_the_formulas() -> None:
    for points, curve, length in (
        (ring(), Curve(closed=True), 2 * np.pi), (helix(60, 2, 0.2), Curve(), 4 * np.pi * np.hypot(1, 0.2)),
        (np.array([[0, 0, 0], [3, 4, 0.0]]), Curve(), 5.0),
    ):  # fmt: skip
        way = laid(points, curve, step=0.02).way
        assert way.length == pytest.approx(length, rel=2e-4)
        legs = np.linalg.norm(np.diff(way.place, axis=0), axis=1)
        assert np.ptp(legs) < 1e-3 * way.step
        for frame in (way.ahead, way.up, way.left):
            assert np.allclose(np.linalg.norm(frame, axis=1), 1, atol=1e-9)
        assert np.abs((way.ahead * way.up).sum(1)).max() < 1e-9 and np.allclose(np.cross(way.up, way.ahead), way.left)


def test_frames_turn_as_little_as_the_paper_says() -> None:
    # W. Wang, B. Jüttler, D. Zheng and Y. Liu (2008): against the normal of Frenet's frame a rotation-minimising one
    # turns by minus the torsion; on a helix that is known. The method is of the fourth order.
    rise, errors = 0.4, []
    for count in (60, 120):
        t = np.linspace(0, 4 * np.pi, count)
        speed = np.hypot(1, rise)
        places = np.stack([np.cos(t), np.sin(t), rise * t], -1)
        ahead = np.stack([-np.sin(t), np.cos(t), rise + 0 * t], -1) / speed
        normal, across = np.stack([-np.cos(t), -np.sin(t), 0 * t], -1), np.zeros((count, 3))
        across = np.cross(ahead, normal)
        made = least_turning(places, ahead, normal[0])
        angle = np.unwrap(np.arctan2((made * across).sum(1), (made * normal).sum(1)))
        errors.append(abs(angle[-1] + rise / speed**2 * speed * t[-1]))
    assert errors[1] < 2e-5 and errors[0] / errors[1] > 12
    # In a plane they do not turn at all (R. Bishop, 1975), and a closed way is closed by what it lacks.
    flat = laid(ring(), Curve(closed=True), step=0.02).way
    assert np.allclose(flat.up, [0, 0, 1])
    bent = ring(40) + np.stack(
        [0 * ring(40)[:, 0], 0 * ring(40)[:, 0], 0.4 * np.sin(3 * np.arange(40) * np.pi / 20)], -1
    )
    way = laid(bent, Curve(closed=True), step=0.02).way
    assert np.allclose(way.up[0], way.up[-1]) and np.allclose(way.place[0], way.place[-1])
    steps, turns = (np.degrees(np.arccos(np.clip((v[:-1] * v[1:]).sum(1), -1, 1))) for v in (way.up, way.ahead))
    assert (steps < turns + 0.5).all() and np.allclose(closing(way.up, way.ahead), way.up, atol=1e-9)


def test_tight_corners_become_arcs_of_the_radius_that_is_asked_for() -> None:
    corner = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0.0]])
    for step in (0.02, 0.005):
        made = laid(corner, Curve(sharp=(1,)), step=step, least=0.2)
        # A fillet of a right angle is shorter than its corner by 2 r - pi r / 2, and cuts it by r (sqrt 2 - 1).
        assert made.way.length == pytest.approx(2 - 0.4 + 0.1 * np.pi, abs=0.01)
        assert made.moved == pytest.approx(0.2 * (np.sqrt(2) - 1), abs=0.006)
        assert radii(made.way.place, False).min() > 0.19 and np.allclose(made.rounded, [[1, 0, 0]], atol=0.02)
    square = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0.0]])
    made = laid(square, Curve(closed=True, sharp=(0, 1, 2, 3)), step=0.01, least=0.1)
    assert len(made.rounded) == 4 and made.way.length == pytest.approx(4 - 0.8 + 0.2 * np.pi, abs=0.02)
    assert radii(made.way.place, True).min() > 0.095 and np.allclose(made.way.place[0], made.way.place[-1])
    straight = laid(np.array([[0, 0, 0], [1, 0, 0.0]]), Curve(), step=0.01, least=0.5)
    assert not len(straight.rounded) and not straight.moved
    back = laid(np.array([[0, 0, 0], [1, 0, 0], [0, 0.02, 0.0]]), Curve(sharp=(1,)), step=0.01, least=0.2)
    assert np.isfinite(back.way.place).all()  # it cannot be rounded, and stays


def test_on_a_ball_two_points_are_joined_by_a_great_circle() -> None:
    ball = surface("ball").geometry
    a, b = ball.chart(np.array([0.3, 0.72]), np.array([0.35, 0.6]))
    way = laid(np.stack([a, b]), Curve(), lambda p: ball.onto(p, None), step=0.01).way
    normal = np.cross(a, b) / np.linalg.norm(np.cross(a, b))
    assert np.abs(way.place @ normal).max() < 1e-6 and np.allclose(np.linalg.norm(way.place, axis=1), 0.95)
    angle = np.arccos(a @ b / 0.95**2)
    assert way.length == pytest.approx(0.95 * angle, rel=1e-5)
    assert np.abs(turning(way)[:, 0]).max() < 1e-3  # it does not turn within the surface
    lifted = laid(np.stack([a, b]), Curve(), lambda p: ball.onto(p, None), step=0.01, offset=0.05).way
    assert lifted.length == pytest.approx(angle, rel=1e-4)


def test_on_a_mesh_the_way_goes_round_and_not_through() -> None:
    rod = trimesh.creation.cylinder(radius=0.4, height=2.0, sections=64)
    own = OwnMesh(mesh_of(rod.vertices, rod.faces, "rod"), key="rod")
    kind = surface("own").geometry
    assert kind.between is not None
    size = 2 / float(np.ptp(rod.vertices, axis=0).max())
    one, other = np.array([0.4 * size, 0, 0]), np.array([-0.4 * size, 0.001, 0])
    way = kind.between(one, other, own)
    legs = np.linalg.norm(np.diff(way, axis=0), axis=1).sum()
    assert legs == pytest.approx(np.pi * 0.4 * size, rel=0.03)  # half round, not through the middle
    near = np.array([0.4 * size * np.cos(0.2), 0.4 * size * np.sin(0.2), 0.1])
    assert len(kind.between(one, near, own)) == 2
    made = laid(
        np.stack([one, other]), Curve(), lambda p: kind.onto(p, own), lambda a, b: kind.between(a, b, own), step=0.02
    )
    assert np.hypot(*made.way.place[:, :2].T).min() > 0.37 * size
    assert made.way.share[0] == 0 and made.way.share[-1] == 1 and (np.diff(made.way.share) >= 0).all()


def test_a_plane_cuts_a_body_in_rings_and_borders_are_found() -> None:
    ball = trimesh.creation.icosphere(4)
    cut = cut_by_plane(
        ball.vertices, ball.faces.astype(np.int32), np.array([0.0, 0.0, 0.3]), np.array([0.0, 0.0, 1.0])
    )
    assert len(cut) == 1 and is_ring(cut[0])
    away = np.hypot(*cut[0][:, :2].T)
    assert np.abs(away - np.sqrt(1 - 0.09)).max() < 4e-3 and np.abs(cut[0][:, 2] - 0.3).max() < 1e-9
    begin = np.array([0.6, 0.0, 0.8])
    closed = round_body(ball.vertices, ball.faces.astype(np.int32), begin, np.array([0.0, 1.0, 0.0]))
    assert np.linalg.norm(closed[0] - begin) < 0.1 and not np.allclose(closed[0], closed[-1])
    open_ = trimesh.creation.cylinder(1.0, 2.0, sections=40)
    wall = open_.faces[np.abs(open_.face_normals[:, 2]) < 0.5].astype(np.int32)
    rims = borders_of(wall)
    assert len(rims) == 2 and all(is_ring(open_.vertices[rim]) for rim in rims)
    assert len(spaced(open_.vertices[rims[0]])) == 24
    edges = sharp_edges(open_.vertices, open_.faces.astype(np.int32))
    assert len(edges) == 2 and all(len(e) == 41 for e in edges)
    with pytest.raises(BadValue, match="cannot go round"):
        plane = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0.0]])
        round_body(plane, np.array([[0, 1, 2]], np.int32), np.array([0.2, 0.2, 0]), np.array([1.0, 0, 0]))


def test_points_are_moved_pulled_held_added_taken_out_and_turned_round() -> None:
    rows = np.column_stack([np.linspace(0, 1, 11), np.zeros((11, 2)), np.arange(11.0)])
    up = np.array([0.5, 0.4, 0.0])
    alone = edits.moved(rows, Curve(), 5, up)
    assert np.array_equal(np.flatnonzero(alone[:, 1]), [5]) and alone[5, 1] == 0.4
    pulled = edits.moved(rows, Curve(), 5, up, reach=0.35)
    assert pulled[5, 1] == 0.4 and 0 < pulled[3, 1] < pulled[4, 1] < 0.4 and not pulled[1, 1]
    held = edits.moved(rows, Curve(held=("start", "end")), 5, up, reach=3.0)
    assert not held[0, 1] and not held[-1, 1] and held[1, 1] > 0.2
    assert np.array_equal(edits.moved(rows, Curve(held=("start",)), 0, up), rows)
    curve = Curve(sharp=(3, 7)).with_handles({4: np.array([[-0.1, 0, 0], [0.1, 0.05, 0]])})
    more, told = edits.inserted(rows, curve, 3, np.array([0.35, 0.1, 0]), 0.5)
    assert told.sharp == (3, 8) and told.handled == (5,) and more[4, 3] == 3.5
    less, back = edits.removed(more, told, 4)
    assert np.array_equal(less, rows) and back == curve
    round_, other = edits.turned_round(rows, curve)
    assert (
        other.sharp == (3, 7)
        and other.handled == (6,)
        and np.allclose(other.handle_of(6), [[0.1, 0.05, 0], [-0.1, 0, 0]])
    )
    a, b = (sampled(beziers(p, c), 0.01)[0] for p, c in ((rows, curve), (round_, other)))
    assert np.allclose(a, b[::-1])
    grown, _ = edits.carried_on(rows, Curve(), "start", np.array([[-0.1, 0, 0, 0], [-0.2, 0, 0, 0.0]]))
    assert grown[0, 0] == -0.2 and grown[1, 0] == -0.1
    bent = alone.copy()
    assert not edits.straightened(bent, Curve(), 5)[0][5, 1] and edits.holding(Curve(), "end").held == ("end",)
    two, same = edits.removed(rows[:2], Curve(), 0)
    assert len(two) == 2 and same == Curve() and edits.sharpened(curve, 3).sharp == (7,)


@given(st.integers(0, 10_000), st.floats(0.02, 0.2))
def test_few_points_of_a_stroke_tell_all_of_it(seed: int, stray: float) -> None:
    rng = np.random.default_rng(seed)
    knots = np.cumsum(rng.normal(size=(6, 3)) * [0.4, 0.4, 0], axis=0)
    stroke, _ = sampled(beziers(knots, Curve()), 0.02)
    few = edits.fewest(stroke, stray)
    made, _ = sampled(beziers(few, Curve()), 0.005)
    away = np.array([np.linalg.norm(made - p, axis=1).min() for p in stroke])
    assert len(few) <= 60 and away.max() < 2 * stray + 0.01 and np.allclose(few[[0, -1]], stroke[[0, -1]])


def test_a_ring_that_is_meant_is_made_true_and_one_that_is_not_is_left() -> None:
    rng = np.random.default_rng(1)
    a = np.linspace(0, 2 * np.pi, 80)
    shaky = np.stack([0.4 * np.cos(a), 0.4 * np.sin(a) + 0.1, 0 * a], -1) + 0.01 * rng.normal(size=(80, 3)) * [
        1,
        1,
        0,
    ]
    rows = np.column_stack([shaky, np.ones((80, 3))])
    points, curve = edits.drawn(rows, 0.1, 0.08)
    assert curve.closed and np.ptp(np.hypot(points[:, 0], points[:, 1] - 0.1)) < 0.01
    assert np.hypot(*(points[0, :2] - rows[0, :2])) < 0.04
    wave = rows.copy()
    wave[:, 1] *= np.linspace(1, 2.4, 80)
    assert edits.ring_of(wave) is None
    line = np.column_stack([np.linspace(0, 1, 40), 0.002 * rng.normal(size=40), np.zeros(40), np.ones((40, 3))])
    points, curve = edits.drawn(line, 0.1, 0.08)
    assert not curve.closed and len(points) == 2


def test_where_a_curve_crosses_itself_is_found() -> None:
    t = np.linspace(0, 2 * np.pi, 40)
    eight = laid(np.stack([np.sin(t), np.sin(2 * t) / 2, 0 * t], -1)[:-1], Curve(closed=True), step=0.01).way
    found = crossings(eight, 0.1)
    assert len(found) and np.linalg.norm(found, axis=1).min() < 0.08
    assert not len(crossings(laid(ring(), Curve(closed=True), step=0.02).way, 0.2))


def test_even_and_headings_keep_to_the_curve() -> None:
    fine = ring(400)
    places, share, length = even(np.vstack([fine, fine[:1]]), True, 0.03, np.linspace(0, 400, 401))
    assert length == pytest.approx(2 * np.pi, rel=1e-6) and np.abs(np.linalg.norm(places, axis=1) - 1).max() < 1e-6
    ahead = headings(places, True)
    assert np.abs((ahead * places).sum(1)).max() < 1e-6 and share[0] == 0


def test_curves_are_read_from_json_and_svg_and_bad_ones_are_told() -> None:
    found = read_curve(b'{"points": [[0, 0, 0], [1, 0, 0], [1, 1, 0]], "closed": true, "sharp": [1]}', "c.json")
    assert found.points.shape == (3, 3) and found.curve.closed and found.curve.sharp == (1,) and not found.shares
    svg = b'<svg xmlns="http://www.w3.org/2000/svg"><circle cx="50" cy="40" r="30" fill="none" stroke="#000"/></svg>'
    circle = read_curve(svg, "c.svg")
    way = laid(circle.points, circle.curve, step=0.5).way
    assert way.length == pytest.approx(60 * np.pi, rel=5e-4) and circle.curve.closed
    assert np.abs(np.hypot(way.place[:, 0] - 50, way.place[:, 1] + 40) - 30).max() < 0.02
    places, curve = on_surface(fitted(circle), surface("flat").geometry.chart)
    assert laid(places, curve, step=0.01).way.length == pytest.approx(0.8 * 2 * np.pi, rel=5e-4)
    drawn = b'<path d="M0 0 L10 0 L10 5" stroke="#000" fill="none"/><path d="M0 0h1"/>'
    path = b'<svg xmlns="http://www.w3.org/2000/svg">' + drawn + b"</svg>"
    bent = read_curve(path, "p.svg")
    assert not bent.curve.closed and bent.others == 1
    assert laid(bent.points, bent.curve, step=0.1).way.length == pytest.approx(15, rel=1e-4)
    for text, words in (
        (b"{", "no JSON"), (b"[]", "holds no curve"), (b'{"points": []}', "holds no curve"),
        (b'{"points": [[0, 1], [0]]}', "cannot be read"), (b'{"points": [[0], [1]]}', "points of 1 numbers"),
        (b'{"points": [[0, 0, 1e99]]}', "lies nowhere"), (b'{"points": [[0, 0]], "colour": 1}', "has no 'colour'"),
        (b'{"points": [[0, 0], [1, 1]], "sharp": [9]}', "cannot be read"),
        (json.dumps({"points": [[0, 0]] * 2001}).encode(), "2,001 points"),
    ):  # fmt: skip
        with pytest.raises(BadValue, match=words):
            read_curve(text, "c.json")
    with pytest.raises(BadPicture):
        read_curve(b"<svg", "c.svg")
    with pytest.raises(BadValue, match="two points at different places"):
        laid(np.zeros((3, 3)), Curve(), step=0.1)
    with pytest.raises(BadValue, match="needs three"):
        laid(np.eye(3)[:2], Curve(closed=True), step=0.1)


@given(st.lists(st.tuples(*[st.floats(-2, 2)] * 3), min_size=2, max_size=12), st.booleans(), st.floats(0, 0.5))
def test_any_points_make_a_way_or_are_told(points: list[tuple[float, ...]], closed: bool, least: float) -> None:
    places = np.array(points)
    try:
        way = laid(places, Curve(closed=closed), step=0.05, least=least).way
    except BadValue:
        assert len(np.unique(places.round(6), axis=0)) < 3
        return
    assert np.isfinite(way.place).all() and np.isfinite(way.up).all() and way.length > 0
    assert np.abs((way.ahead * way.up).sum(1)).max() < 1e-6
