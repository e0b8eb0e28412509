"""Cords: closed bodies of any segment along any curve, against trimesh and formulas; joints, ends, files."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh

from engraver.core.cords.body import Cord, cord_of
from engraver.core.cords.free import free_cord
from engraver.core.cords.loops import matched
from engraver.core.cords.segment import segment_of
from engraver.core.cords.write import MESHES, cord_bytes, corners
from engraver.core.curves.laid import laid
from engraver.core.curves.model import Curve
from engraver.core.errors import BadMesh, BadValue
from engraver.core.mesh.model import Mesh
from engraver.core.mesh.read import load
from engraver.core.pressing.along import course_of
from engraver.core.pressing.settings import checked
from segments import CLOSED_FLAT, SEGMENTS, bar, cup, joined, pipe, rings_of, rope, strands, tube, unlike, walls
from test_cli import engraver
from test_curves import helix, ring


def made(mesh: Mesh, points: np.ndarray, closed: bool = False, **settings: object) -> tuple[Cord, tuple[str, ...]]:
    first, last = settings.pop("first", None), settings.pop("last", None)
    radius = float(settings.pop("radius", 0.0))  # type: ignore[arg-type]
    cord, notes = free_cord(
        segment_of(mesh), points, Curve(closed=closed), checked(made="body", **settings), radius=radius,
        first=first, last=last,  # type: ignore[arg-type]
    )  # fmt: skip
    return cord, tuple(note.words for note in notes)


def body(cord: Cord) -> trimesh.Trimesh:
    return trimesh.Trimesh(cord.points, cord.faces, process=False)


def sound(cord: Cord) -> trimesh.Trimesh:
    """The body, once it is known to be closed, of one orientation, and without triangles of no area."""
    whole = body(cord)
    assert whole.is_watertight and whole.is_winding_consistent and whole.volume > 0
    assert float(whole.area_faces.min()) > 1e-9
    return whole


def wander(seed: int, closed: bool) -> np.ndarray:
    """A curve that bends less than a radius of about 1.2, for segments of about a quarter."""
    rng = np.random.default_rng(seed)
    count = int(rng.integers(4, 9))
    angle = np.sort(rng.uniform(0, 2 * np.pi, 1)) + 2 * np.pi * np.arange(count) / count
    radius = 4 * rng.uniform(0.85, 1.15, count)
    points = np.stack([radius * np.cos(angle), radius * np.sin(angle), rng.uniform(-0.9, 0.9, count)], -1)
    return points if closed else points[: max(3, count - 1)]


@pytest.mark.parametrize("name", SEGMENTS)
def test_closed_cords_are_rings_and_ended_ones_balls_along_any_curve(name: str) -> None:
    mesh = SEGMENTS[name]()
    for seed in range(34):  # 6 segments and 34 curves, in turn closed and ended
        if seed % 2:
            cord, _ = made(mesh, wander(seed, True), closed=True, twist=float(seed % 3))
            assert sound(cord).euler_number == 0
        else:
            how = ("whole", "own", "count")[seed % 3]
            cord, _ = made(mesh, wander(seed, False), fits=how, times=9, ends="flat", twist=0.4 * (seed % 4))
            assert sound(cord).euler_number == CLOSED_FLAT[name]


def test_volumes_of_tubes_are_those_of_the_formulas() -> None:
    # Pappus of Alexandria: the area of the section times the way of its middle. The section is a polygon of n sides.
    count, radius = 64, 0.25
    area = count / 2 * np.sin(2 * np.pi / count) * radius**2
    mesh = tube(count)
    line = np.array([[0, 0, 0], [10, 0, 0.0]])
    for points, closed, length in (
        (3 * ring(), True, 6 * np.pi), (line, False, 10.0),
        (3 * helix(90, 3, 0.15), False, 3 * 6 * np.pi * np.hypot(1, 0.15)),
    ):  # fmt: skip
        cord, _ = made(mesh, points, closed)
        assert sound(cord).volume == pytest.approx(area * length, rel=2e-3)
    round_, _ = made(mesh, line, ends="round")
    assert sound(round_).volume == pytest.approx(area * 10 + 4 / 3 * np.pi * radius**3, rel=4e-3)
    twisted, _ = made(rope(), 3 * ring(), True, twist=2.0)
    plain, _ = made(rope(), 3 * ring(), True)
    assert sound(twisted).volume == pytest.approx(sound(plain).volume, rel=0.01)


def test_pieces_meet_without_gap_and_go_on_alike() -> None:
    cord, told = made(rope(), 2 * ring(), True)
    assert not told and cord.repeats == round(cord.repeats)
    whole = sound(cord)
    # The points of every joint lie at one place in the section, and neighbouring joints are equally far apart.
    joint = np.abs(cord.phase - np.round(cord.phase)) < 1e-9
    numbers, places = np.round(cord.phase[joint]).astype(int), cord.points[joint]
    middles = np.array([places[numbers == k].mean(axis=0) for k in range(int(cord.repeats))])
    legs = np.linalg.norm(middles - np.roll(middles, -1, axis=0), axis=1)
    assert np.ptp(legs) < 1e-3 * legs.mean()
    turned = np.arctan2(middles[:, 1], middles[:, 0])
    for k in range(int(cord.repeats)):  # the same outline everywhere, the last joint's like the first's
        c, s = np.cos(turned[k] - turned[0]), np.sin(turned[k] - turned[0])
        spun = places[numbers == 0] @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
        assert np.abs(spun - places[numbers == k]).max() < 1e-3
    # Normals on both sides of a joint: those of triangles that share its edges differ no more than elsewhere.
    pairs, bend = whole.face_adjacency, np.degrees(whole.face_adjacency_angles)
    phase = cord.phase[cord.faces].mean(axis=1)
    whole_ones = (np.ptp(cord.phase[cord.faces], axis=1) < 1)[pairs].all(axis=1)  # not over where phases begin again
    across = (np.floor(phase[pairs[:, 0]]) != np.floor(phase[pairs[:, 1]])) & whole_ones
    along = (np.abs(np.ptp(cord.phase[whole.face_adjacency_edges], axis=1)) < 1e-9) & ~across
    assert bend[across].max() < bend[along].max() + 1.0
    straight, _ = made(rope(), np.array([[0, 0, 0], [8, 0, 0.0]]), ends="open")
    alone, at = segment_of(rope()), np.abs(straight.phase - 1) < 1e-9
    ends = alone.points[alone.starts[0], :2]  # to the left, which is y here, and up
    away = np.linalg.norm(straight.points[at][:, None, 1:] - ends[None], axis=2).min(axis=1)
    assert away.max() < 1e-6


def test_repeats_at_ones_own_length_are_cut_and_counts_are_kept() -> None:
    line = np.array([[0, 0, 0], [3.4, 0, 0.0]])
    own, _ = made(tube(), line, fits="own")
    assert own.repeats == pytest.approx(3.4) and sound(own).bounds[1, 0] == pytest.approx(3.4)
    whole, _ = made(tube(), line)
    assert whole.repeats == 3 and sound(whole).bounds[1, 0] == pytest.approx(3.4)
    five, told = made(tube(), line, fits="count", times=5)
    assert five.repeats == 5 and any("stretched to 68 %" in t for t in told)
    short, told = made(tube(), np.array([[0, 0, 0], [0.3, 0, 0.0]]), bend=0.0)
    assert short.repeats == 1 and any("shorter than one piece" in t for t in told)
    warped, _ = made(tube(), line * 3, pitch_along=((0.0, 1.0), (1.0, 0.25)))
    at = [warped.points[np.abs(warped.phase - k) < 1e-9][:, 0].mean() for k in range(int(warped.repeats))]
    assert np.diff(at)[0] > 1.8 * np.diff(at)[-1]


def test_roll_and_twist_turn_the_section_by_so_much_and_where_they_are_told_to() -> None:
    line = np.array([[0, 0, 0], [8, 0, 0.0]])

    def corner(cord: Cord, at: float) -> float:
        """The angle of a corner of the bar's section somewhere along it, in degrees, within a quarter turn."""
        n = np.argmin(np.abs(cord.points[:, 0] - at))
        return float(np.degrees(np.arctan2(cord.points[n, 2], cord.points[n, 1]))) % 90

    plain, rolled = made(bar(), line)[0], made(bar(), line, roll=20.0)[0]
    assert corner(plain, 4) == pytest.approx(45, abs=0.01) and corner(rolled, 4) == pytest.approx(65, abs=0.01)
    twisted = made(bar(), line, twist=0.2)[0]
    assert corner(twisted, 0) == pytest.approx(45, abs=0.1) and corner(twisted, 8) == pytest.approx(27, abs=0.5)
    late = made(bar(), line, twist=0.2, twist_along=((0.0, 0.0), (0.5, 0.0), (1.0, 1.0)))[0]
    assert corner(late, 3.5) == pytest.approx(45, abs=0.5) and corner(late, 8) == pytest.approx(27, abs=0.5)


def test_size_runs_along_and_pressure_rules_it() -> None:
    line = np.array([[0, 0, 0], [10, 0, 0.0]])
    thin, _ = made(tube(), line, size_along=((0.0, 1.0), (1.0, 0.5)))
    wide = np.hypot(thin.points[:, 1], thin.points[:, 2])
    assert wide[thin.points[:, 0] < 0.1].max() == pytest.approx(0.25, rel=0.02)
    assert wide[thin.points[:, 0] > 9.9].max() == pytest.approx(0.125, rel=0.02)
    s = checked(made="body", press_size=1.0, press_least=0.0)
    segment, rows = segment_of(tube()), np.array([[0, 0, 0, 1.0], [10, 0, 0, 0.5]])
    laid_ = laid(rows, Curve(), step=0.05)
    course = course_of(s, rows, laid_, segment.width, segment.long / segment.width)
    assert course.width[0] == pytest.approx(0.5) and course.width[-1] == pytest.approx(0.25)
    assert sound(cord_of(segment, laid_.way, course, s)).volume > 0


def test_a_bore_strands_and_ends_that_are_not_alike() -> None:
    bore, _ = made(pipe(), 3 * ring(), True)
    outer = sound(bore)
    assert outer.body_count == 2 and outer.volume == pytest.approx(np.pi * (0.25**2 - 0.15**2) * 6 * np.pi, rel=0.04)
    assert segment_of(pipe()).words == "It lies along its z axis, 2 bodies together; 2 open ends at either side"
    two, _ = made(strands(), 3 * ring(), True, fits="count", times=7)
    assert sound(two).body_count == 1  # after an odd number each strand is the other one
    assert sound(made(strands(), 3 * ring(), True, fits="count", times=8)[0]).body_count == 2
    cord, told = made(unlike(), 3 * ring(), True)
    assert sound(cord).euler_number == 0 and any("not alike" in words for words in told)
    a, b, apart = matched(ring(7)[:, :2], ring(12)[:, :2])
    assert sorted(set(b)) == list(range(7)) and np.array_equal(a, np.arange(7)) and 0 < apart < 0.5
    a, b, apart = matched(ring(9)[:, :2], np.roll(ring(9), 4, axis=0)[:, :2])
    assert apart < 1e-12 and np.allclose(ring(9)[a.argsort()], np.roll(ring(9), 4, axis=0)[b.argsort()])


def test_end_pieces_close_a_cord_point_to_point_or_by_a_ring_of_triangles() -> None:
    line, cap = np.array([[0, 0, 0], [6, 0, 0.0]]), segment_of(cup(24))
    assert cap.cap and "closes" in cap.words
    both, told = made(tube(24), line, first=cap, last=cap)
    assert sound(both).euler_number == 2 and not told
    assert sound(both).bounds[:, 0] == pytest.approx([-0.25, 6.25], abs=1e-6)
    other, told = made(tube(24), line, first=None, last=segment_of(cup(15)))
    assert sound(other).euler_number == 2 and any("15 points" in words for words in told)
    wrong, told = made(tube(24), line, last=segment_of(tube()))
    assert sound(wrong).euler_number == 2 and any("open at one place" in words for words in told)
    bent, _ = made(bar(), line, ends="round")
    assert sound(bent).euler_number == 2
    star = joined(walls(rings_of(24, 2, 0.5, lambda up, a: 0.25 - 0.2 * (np.cos(a) > 0.3) * np.cos(6 * a) ** 2)))
    assert sound(made(star, line, ends="round")[0]).euler_number == 2
    open_, _ = made(tube(), line, ends="open")
    assert not body(open_).is_watertight and body(open_).euler_number == 0


def test_links_of_a_chain_stand_for_themselves_and_come_out_even() -> None:
    link = trimesh.creation.torus(0.35, 0.1, major_sections=24, minor_sections=10)
    link.apply_scale([1.4, 1, 1])
    mesh = load(link.export(file_type="ply"), "link.ply")
    cord, told = made(mesh, 3 * ring(), True, pitch=0.7, next_turn=90.0)
    assert cord.repeats % 2 == 0 and not told and body(cord).body_count == cord.repeats
    assert body(cord).is_watertight and body(cord).euler_number == 0
    odd, told = made(mesh, 3 * ring(), True, fits="count", times=21, next_turn=90.0)
    assert any("stand alike" in words for words in told) and body(odd).body_count == 21
    # A link keeps its length, whatever the pitch, and every second one lies flat.
    straight, _ = made(mesh, np.array([[0, 0, 0], [8, 0, 0.0]]), pitch=0.7, next_turn=90.0)
    links = [part.extents for part in body(straight).split()]
    assert all(e[0] == pytest.approx(1.26, rel=1e-3) for e in links)
    assert links[2][1] == pytest.approx(links[3][2], rel=1e-6) != pytest.approx(links[3][1], rel=0.1)
    apart, _ = made(tube(), 3 * ring(), True, joined="apart")
    assert body(apart).body_count == apart.repeats and not body(apart).is_watertight


def test_bends_tighter_than_the_cord_are_rounded_or_told_with_their_place() -> None:
    corner = np.array([[0, 0, 0], [4, 0, 0], [4, 4, 0.0]])
    segment = segment_of(tube())
    cord, notes = free_cord(segment, corner, Curve(sharp=(1,)), checked(made="body", bend=0.6))
    assert "1 corner was rounded" in notes[0].words and np.allclose(notes[0].places, [[4, 0, 0]], atol=0.1)
    assert sound(cord).euler_number == 2 and not any("runs into itself" in note.words for note in notes)
    _, notes = free_cord(segment, corner, Curve(sharp=(1,)), checked(made="body", bend=0.0))
    tight = next(note for note in notes if "runs into itself" in note.words)
    assert np.linalg.norm(tight.places[0] - [4, 0, 0]) < 0.3
    t = np.linspace(0, 2 * np.pi, 30)[:-1]
    _, told = made(tube(), 4 * np.stack([np.sin(t), np.sin(2 * t) / 2, 0 * t], -1), True)
    assert any("crosses itself" in words for words in told)


@pytest.mark.parametrize("ending", MESHES)
def test_files_hold_the_same_closed_body_with_texture_places(ending: str, tmp_path: Path) -> None:
    cord, _ = made(rope(), 2 * ring(), True)
    path = tmp_path / f"cord{ending}"
    path.write_bytes(cord_bytes((cord,), ending))
    back = trimesh.load(path, force="mesh")
    back.merge_vertices(merge_tex=True, merge_norm=True)
    assert back.is_watertight and back.euler_number == 0
    assert back.volume == pytest.approx(sound(cord).volume, rel=1e-5)
    uv = corners(cord)
    assert np.ptp(uv[..., 0], axis=1).max() < 1.5 and np.ptp(uv[..., 1], axis=1).max() < 0.5
    assert uv[..., 0].max() == pytest.approx(cord.repeats) and uv.min() >= 0
    if ending == ".obj":
        text = path.read_text()
        assert "o cord" in text and text.count("\nvt ") > len(cord.points)
    if ending == ".glb":
        scene = trimesh.load(path)
        assert list(scene.geometry) == ["cord"] and scene.geometry["cord"].visual.uv is not None


def test_pieces_that_cannot_be_repeated_are_told() -> None:
    def side_hole() -> Mesh:
        points, faces = walls(rings_of(24, 6, 1.0, lambda up, a: 0.25 + 0 * a))
        middle = points[faces].mean(axis=1)
        return joined((points, faces[~((np.abs(middle[:, 2] - 0.5) < 0.15) & (middle[:, 0] > 0.15))]))

    with pytest.raises(BadMesh, match=r"3 open ends: 1 at one end, 1 at the other, 1 between"):
        segment_of(side_hole())
    fan = joined((np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1.0]]),
                  np.array([[0, 1, 2], [0, 1, 3], [0, 1, 4]])))  # fmt: skip
    with pytest.raises(BadMesh, match="more than two triangles"):
        segment_of(fan)
    with pytest.raises(BadValue, match="million triangles"):
        made(tube(200, 100), np.array([[0, 0, 0], [3000, 0, 0.0]]))
    inside_out = joined((tube().points.astype(float), tube().faces[:, ::-1]))
    assert sound(made(inside_out, 3 * ring(), True)[0]).volume > 0


def test_in_the_terminal_a_curve_and_a_piece_become_a_file(tmp_path: Path) -> None:
    body(Cord(rope().points.astype(float), rope().faces, *np.zeros((2, 1)), 1, False)).export(tmp_path / "rope.stl")
    curve = tmp_path / "ring.json"
    curve.write_text(json.dumps({"points": (2 * ring(16)).tolist()}))
    out = tmp_path / "ring.glb"
    done = engraver("cord", tmp_path / "rope.stl", "--along", curve, "--closed", "--repeat", "12", "-o", out)
    assert done.exit_code == 0, done.output
    back = trimesh.load(out, force="mesh")
    back.merge_vertices(merge_tex=True, merge_norm=True)
    assert back.is_watertight and back.euler_number == 0
    again = tmp_path / "again.glb"
    engraver("cord", tmp_path / "rope.stl", "--along", curve, "--closed", "--repeat", "12", "-o", again)
    assert again.read_bytes() == out.read_bytes()
    tall = tmp_path / "ring.exr"
    assert (
        engraver("cord", tmp_path / "rope.stl", "--along", curve, "--closed", "-o", tall, "--side", "64").exit_code
        == 0
    )
    with_radius = tmp_path / "r.stl"
    engraver("cord", tmp_path / "rope.stl", "--along", curve, "--radius", "0.1", "-o", with_radius)
    assert trimesh.load(with_radius).bounds[1, 2] == pytest.approx(0.1, rel=0.05)
    t = (np.indices((32, 64)).sum(0) % 8 < 4).astype(np.uint8) * 255
    cv2.imwrite(str(tmp_path / "strip.png"), t)
    (tmp_path / "s.json").write_text('{"points": [[0.2, 0.5], [0.5, 0.3], [0.8, 0.5]]}')
    band = tmp_path / "band.exr"
    done = engraver("cord", tmp_path / "strip.png", "--along", tmp_path / "s.json", "--on", "flat", "-o", band)
    assert done.exit_code == 0 and band.stat().st_size > 10_000
    for words, said in (
        (("--ends", "x"), "--ends x cannot be read"), (("--repeat", "0"), "no number of repeats"),
        (("-o", tmp_path / "a.txt"), "of no kind"), (("--radius", "-1"), "no radius"),
        (("--ends", f"{tmp_path / 'rope.stl'},"), "cannot close an end"), (("--settings", "wobble=1"), "wobble"),
        (("--along", tmp_path / "none.json"), "none.json"), (("--on", "ball", "-o", band), "no picture"),
    ):  # fmt: skip
        done = engraver("cord", tmp_path / "rope.stl", "--along", curve, "-o", out, *words)
        assert done.exit_code in (1, 2) and said in done.output and "Traceback" not in done.output, (
            words,
            done.output,
        )
    done = engraver("cord", tmp_path / "strip.png", "--along", curve, "-o", out)
    assert done.exit_code == 2 and "a band lies on a surface" in done.output
