"""Trials: surfaces at any density, gestures replayed, kept in the project, and taken back as plates and meshes."""

from __future__ import annotations

import json
import math
from dataclasses import replace

import numpy as np
import pytest
import trimesh

from engraver.core.cache import Cache
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.errors import BadValue, Cancelled
from engraver.core.mesh.model import mesh_of
from engraver.core.mesh.tessellate import split
from engraver.core.pressing.expand import expand
from engraver.core.pressing.gesture import Gesture
from engraver.core.pressing.relief import Tip
from engraver.core.pressing.replay import Replay
from engraver.core.project.codec import project_json, read_project
from engraver.core.proof.look import Look
from engraver.core.proof.trial_view import TrialView, TrialWish, lacking
from engraver.core.recipe import Project, Source, Trial, edits, trials
from engraver.core.recipe.references import followers, repointed, tried_in
from engraver.core.sources.blank import Blank
from engraver.core.sources.trial import Given, TrialFrame, framed, heights, made, own_of
from engraver.core.surfaces import SURFACES, surface
from engraver.core.surfaces.own import OwnMesh
from engraver.core.surfaces.view import Eye
from trials import TIP, dome, gesture, look_alike, relief

OURS = [id for id, kind in SURFACES.items() if not kind.geometry.needs_own]
BOX = trimesh.creation.box((2.0, 1.0, 0.5))


def own(body: trimesh.Trimesh = BOX, *, rounded: bool = False) -> OwnMesh:
    return OwnMesh(mesh_of(np.asarray(body.vertices), np.asarray(body.faces), "body"), rounded, f"own {rounded}")


# -- surfaces --------------------------------------------------------------------------


@pytest.mark.parametrize("id", OURS)
def test_a_surface_has_the_points_asked_for_whole_triangles_and_outward_normals(id: str) -> None:
    geometry = surface(id).geometry
    ground = geometry.build(20_000, None)
    assert ground.count == pytest.approx(20_000, rel=0.06)
    assert np.allclose(np.linalg.norm(ground.normals, axis=1), 1, atol=1e-5)
    found = ground.normals_of(ground.points)
    count = ground.even.rows * ground.even.columns if ground.even else ground.count
    alike = (found * ground.normals).sum(axis=1)[:count]
    # Terrain is pressed straight down, not along its slopes; the rest moves along the normals of its triangles.
    assert alike.min() > (0.5 if geometry.day else 0.95)
    body = trimesh.Trimesh(ground.points, ground.faces, process=False)
    edges = np.sort(body.edges, axis=1)
    _, times = np.unique(edges, axis=0, return_counts=True)
    assert times.max() == 2
    if not geometry.plane and id != "pipe":
        assert body.is_watertight and body.volume > 0
    assert set(np.unique(ground.coarse)) <= set(range(ground.count))
    places, normals = geometry.onto(ground.points[:count].astype(float), None)
    assert np.abs(places - ground.points[:count]).max() < 1e-5
    assert np.abs((normals * ground.normals[:count]).sum(1)).min() > 0.999


def test_analytic_areas_and_volumes() -> None:
    """A ball's volume is 4/3 π r³, a tube's π r² l, a rounded box's by J. Steiner's formula (1840)."""
    from engraver.core.surfaces.ball import RADIUS
    from engraver.core.surfaces.box import EDGE, HALF
    from engraver.core.surfaces.pipe import HALF as LONG
    from engraver.core.surfaces.pipe import RADIUS as WIDE

    a, b, c = 2 * (HALF - EDGE)
    steiner = a * b * c + 2 * EDGE * (a * b + b * c + c * a) + math.pi * EDGE**2 * (a + b + c + 4 / 3 * EDGE)
    ball, tube = 4 / 3 * math.pi * RADIUS**3, math.pi * WIDE**2 * 2 * LONG
    for id, volume in (("ball", ball), ("pipe", tube), ("box", steiner)):
        ground = surface(id).geometry.build(60_000, None)
        body = trimesh.Trimesh(ground.points, ground.faces, process=True)
        assert body.volume == pytest.approx(volume, rel=3e-3), id


@pytest.mark.parametrize("id", OURS)
def test_own_coordinates_go_there_and_back(id: str) -> None:
    geometry = surface(id).geometry
    x, y = np.meshgrid(np.linspace(0.05, 0.95, 9), np.linspace(0.1, 0.9, 7))
    places = geometry.chart(x.ravel(), y.ravel())
    back = geometry.uncharted(places)
    assert np.allclose(back[0], x.ravel(), atol=1e-9) and np.allclose(back[1], y.ravel(), atol=1e-9)
    assert np.abs(geometry.onto(places, None)[0] - places).max() < 1e-9


@pytest.mark.parametrize("rounded", [False, True])
def test_an_own_mesh_is_brought_to_its_density_and_only_rounded_on_request(rounded: bool) -> None:
    mesh = own(rounded=rounded)
    points, faces, few = mesh.divided(20_000)
    assert 14_000 < len(points) < 60_000 and few.max() < len(points)
    body = trimesh.Trimesh(points, faces, process=False)
    assert body.is_watertight
    assert (body.volume == pytest.approx(1.0, rel=1e-9)) != rounded  # a box of 2 by 1 by ½ keeps its volume
    sides = body.edges_unique_length
    assert sides.max() < 3 * np.median(sides)
    start, triangles = mesh.start
    again, same = split(start, triangles, 10.0)
    assert again is start and same is triangles


def test_few_triangles_holes_and_too_many_points() -> None:
    corners = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 0.3], [1, 1, 0.1]]
    three = trimesh.Trimesh(corners, [[0, 1, 2], [0, 3, 1], [1, 4, 2]])
    ground = surface("own").geometry.build(3000, own(three))
    assert 2000 < ground.count < 12_000 and np.isfinite(ground.points).all()
    made_of = gesture("single", "own", size=0.3)
    pressed = relief("own", 3000, own(three))
    pressed.press(expand(made_of, surface("own").geometry, own(three)), TIP, made_of.settings)
    assert np.isfinite(pressed.points()).all()
    with pytest.raises(BadValue, match="is not there"):
        surface("own").geometry.build(3000, None)
    with pytest.raises(BadValue, match="none is chosen"):
        own_of(Trial(id="t", surface="own"), None, SourceStore())


def test_a_surface_says_what_it_cannot_show() -> None:
    """At 2/1000 between points a mark 0.62 wide has 310 of them; (1024/310)² as many points show all."""
    shown, times = lacking(0.62, 0.002, 1024)
    assert shown == 310 and times == pytest.approx((1024 / 310) ** 2)


# -- replaying ---------------------------------------------------------------------------


def _replay(cache: Cache | None = None, points: int = 10_000) -> Replay:
    geometry = surface("flat").geometry
    return Replay(geometry.build(points, None), geometry, None, f"flat {points}", cache or Cache())


def _several(count: int = 5) -> tuple[Gesture, ...]:
    rng = np.random.default_rng(1)
    return tuple(
        gesture(points=rng.random((4, 2)), n=n, seed=n, size=0.2, spacing=0.6, turn_jitter=1.0, size_jitter=0.5)
        for n in range(count)
    )


TIPS = {"p": TIP}


def test_any_order_of_changes_ends_where_a_fresh_start_ends() -> None:
    """Adding, undoing, changing the third, moving, leaving out and wiping, as an artist would, on one relief."""
    five = _several()
    smooth = gesture("smooth", points=[(0.4, 0.4), (0.6, 0.6)], n=9, size=0.3, flow=0.5)
    wipe = Gesture(uid="w", kind="wipe")
    ways: list[tuple[Gesture, ...]] = [
        five, five[:4], five, (*five[:2], five[2].but(seed=77), *five[3:]), (five[1], five[0], *five[2:]),
        (*five, smooth),
        (*five[:3], five[3].but(on=False), five[4]), (*five, wipe), (*five, wipe, five[0]), five[:1], (), five,
    ]  # fmt: skip
    one = _replay()
    for gestures in ways:
        one.bring(gestures, TIPS)
        fresh = _replay(Cache(0))
        fresh.bring(gestures, TIPS)
        assert np.array_equal(one.relief.height, fresh.relief.height)
    assert one.missing(five, TIPS) == 0 and one.missing(five[:4], TIPS) == 0
    other = {"p": Tip(dome()[::-1].copy() ** 2, None, "other")}
    one.bring(five, other)
    fresh = _replay(Cache(0))
    fresh.bring(five, other)
    assert np.array_equal(one.relief.height, fresh.relief.height)


def test_a_stroke_that_grows_under_the_hand_ends_as_the_stroke() -> None:
    before, whole = _several(2), gesture(points=[(0.1, 0.2), (0.4, 0.7), (0.8, 0.3), (0.9, 0.9)], n=7, size=0.15)
    one = _replay()
    for n in range(1, 5):
        one.live(before, whole.but(data=whole.data[: 24 * n]), TIPS)
    one.bring((*before, whole), TIPS)
    fresh = _replay(Cache(0))
    fresh.bring((*before, whole), TIPS)
    assert np.array_equal(one.relief.height, fresh.relief.height)
    one.live(before, whole, TIPS)
    one.bring(before, TIPS)  # the hand gave up
    fresh.bring(before, TIPS)
    assert np.array_equal(one.relief.height, fresh.relief.height)


def test_who_stops_in_the_middle_goes_on_from_what_is_known() -> None:
    five, left = _several(), [3]

    def check(share: float | None = None, /) -> None:
        left[0] -= 1
        if left[0] < 0:
            raise Cancelled

    one = _replay()
    with pytest.raises(Cancelled):
        one.bring(five, TIPS, check)
    one.bring(five, TIPS)
    fresh = _replay(Cache(0))
    fresh.bring(five, TIPS)
    assert np.array_equal(one.relief.height, fresh.relief.height)


def test_what_is_drawn_anew_only_where_it_changed_is_the_whole_picture() -> None:
    for id in ("flat", "ball", "paper"):
        kind, five = surface(id), [g.but(kind="single") for g in _several(4)]
        trial = Trial(id="t", surface=id, points=60_000, gestures=())
        view, look = TrialView(Cache()), Look((160, 120), kind.eye, kind.lamp)
        for n in range(5):
            shown = trial.model_copy(update={"gestures": tuple(five[:n])})
            seen = view.draw(TrialWish(shown, TIPS, look))
            whole = TrialView(Cache()).draw(TrialWish(shown, TIPS, look))
            assert look_alike(seen.picture, whole.picture), (id, n)
        lit = replace(look, lamp=replace(kind.lamp, azimuth=90.0), moving=True)
        assert np.array_equal(view.draw(TrialWish(shown, TIPS, lit)).picture.shape, (120, 160, 3))


def test_places_of_the_picture_are_places_of_the_surface() -> None:
    kind = surface("ball")
    trial = Trial(id="t", surface="ball", points=60_000)
    seen = TrialView(Cache()).draw(TrialWish(trial, {}, Look((300, 200), kind.eye)))
    place = seen.place(150, 100)
    assert place is not None and np.linalg.norm(place) == pytest.approx(0.95, abs=2e-3)
    x, y = seen.projection.pixel(place)
    assert (x / seen.factor, y / seen.factor) == (pytest.approx(150, abs=0.6), pytest.approx(100, abs=0.6))
    assert seen.place(2, 2) is None and seen.place(-5, 900) is None
    eye = Eye(20, 30, 1.5, 0.1, -0.2)
    nearer = eye.zoomed(3.0, 0.2, 0.1)
    # What was seen at (0.2, 0.1) from the middle is seen there still.
    assert (0.2 / eye.zoom - eye.x, 0.1 / eye.zoom - eye.y) == pytest.approx((0.2 / 3 - nearer.x, 0.1 / 3 - nearer.y))


# -- in the project ------------------------------------------------------------------------


def _project() -> tuple[Project, str, str, SourceStore]:
    """A plate of cells, and a trial on the flat in which it was pressed."""
    from engraver.core.recipe import Step

    store = SourceStore()
    blank = Source(id="b", kind="blank", name="Blank")
    project, plate = edits.add_plate(
        Project(), blank, "Cells", (Step.make("noise", kind="cells"), Step.make("falloff")), reading=Blank(side=128)
    )
    project, trial = trials.add_trial(project, "flat", points=60_000)
    for n in range(3):
        one = gesture("single", points=[(0.3 + 0.2 * n, 0.5)], n=n, size=0.3, strength=0.1).but(plate=plate)
        project = trials.add_gesture(project, trial, one)
    return project, plate, trial, store


def test_a_trial_lives_in_the_project_file() -> None:
    project, _, trial, _ = _project()
    text, blobs = project_json(project)
    assert len(blobs) == 3
    again = read_project(text, "p", blobs)
    assert again == project and again.trial(trial).gestures[1].points.shape == (1, 6)
    broken = json.loads(text)
    broken["trials"][0]["surface"] = "shelf"
    for data, words in ((json.dumps(broken), "no surface called shelf"), (text, "missing")):
        with pytest.raises(Exception, match=words):
            read_project(data if isinstance(data, bytes) else data.encode(), "p", blobs if "shelf" in words else {})


def test_gestures_are_moved_changed_and_removed_and_keep_their_places_on_another_surface() -> None:
    project, plate, id, _ = _project()
    uids = [g.uid for g in project.trial(id).gestures]
    moved = trials.move_gesture(project, id, uids[2], 0)
    assert [g.uid for g in moved.trial(id).gestures] == [uids[2], uids[0], uids[1]]
    ball = trials.change(project, id, surface="ball").trial(id)
    assert [g.points[0, 0] for g in ball.gestures] == sorted(g.points[0, 0] for g in ball.gestures)
    assert np.linalg.norm(ball.gestures[0].points[0, :3]) == pytest.approx(0.95, abs=1e-6)
    back = trials.change(trials.change(project, id, surface="pipe"), id, surface="flat").trial(id)
    for a, b in zip(back.gestures, project.trial(id).gestures, strict=True):
        assert np.allclose(a.points, b.points, atol=1e-6)
    with pytest.raises(BadValue, match="60,000 to 4,000,000"):
        trials.change(project, id, points=10)
    with pytest.raises(BadValue, match="no longer"):
        trials.set_gesture(project, id, "gone", on=False)
    assert tried_in(project, plate) == (project.trial(id),) and not followers(project, plate)


def test_a_plate_made_of_a_flat_trial_is_pressed_at_its_own_side() -> None:
    """Exact: at 512 it is what 512² points hold; it follows the plate that is pressed; a circle is refused."""
    project, plate, id, store = _project()
    engine = Engine(store)
    project, new = edits.add_plate(
        project,
        Source(id="s", kind="trial", name="T"),
        "Made",
        (),
        reading=TrialFrame(trial=id, side=512, height=0.1),
    )
    line = resolve(project, new, store)
    raster = engine.evaluate(line, Request(exact=True)).raster
    tips = engine.tips({plate: resolve(project, plate, store)})
    dense = relief("flat", 512 * 512)
    for g in project.trial(id).gestures:
        dense.press(expand(g, surface("flat").geometry), tips[plate], g.settings)
    assert np.abs(raster.pixels - dense.height.reshape(512, 512) / 0.2).max() < 1e-5
    half = engine.evaluate(line, Request(side=256)).raster
    assert np.abs(half.pixels - raster.pixels.reshape(256, 2, 256, 2).mean(axis=(1, 3))).mean() < 0.01
    changed = edits.set_reading(project, plate, side=120)
    assert resolve(changed, new, store).keys[-1] != line.keys[-1]
    looped = gesture("single", points=[(0.5, 0.5)], n=8).but(plate=new)
    with pytest.raises(BadValue, match="circle"):
        trials.add_gesture(project, id, looped)
    with pytest.raises(BadValue, match="Made is made of it"):
        trials.remove_trial(project, id)
    frozen = repointed(project, plate, new)
    assert frozen.trial(id).plates == (new,)


def test_a_frame_of_a_flat_trial_is_that_part_of_it() -> None:
    project, plate, id, store = _project()
    tips = Engine(store).tips({plate: resolve(project, plate, store)})
    given = Given(project.trial(id), tips, None, "k")
    whole, _ = heights(given, TrialFrame(trial=id, side=400), (400, 400), store)
    part, _ = heights(given, TrialFrame(trial=id, side=100, x=0.5, y=0.5, width=0.25), (100, 100), store)
    assert np.abs(part - whole[150:250, 150:250]).max() < 1e-6 and part.max() > 0


@pytest.mark.parametrize("on", ["ball", "pipe", "box", "own", "terrain"])
@pytest.mark.parametrize("tilt", [0.0, 25.0, 50.0])
def test_what_was_pressed_is_taken_without_its_body_however_it_is_turned(on: str, tilt: float) -> None:
    """Its height over the body along the normal, as it was pressed; nothing beside it, nor beside the body."""
    mesh = own() if on == "own" else None
    pressed = gesture("single", on, points=[(0.5, 0.5)], size=0.3, strength=0.02)
    trial = Trial(id="t", surface=on, points=200_000, gestures=(pressed,))
    given = Given(trial, TIPS, mesh, on)
    reading = framed(trial, "pressed", "black", Eye(tilt, 0.0), mesh)
    replay = Replay(trial.declared.geometry.build(200_000, mesh), trial.declared.geometry, mesh, on, Cache(0))
    replay.bring(trial.gestures, TIPS)
    risen, cover = heights(given, reading, (256, 256), SourceStore())
    most = float(replay.relief.height.max())
    assert cover is None and most > 0
    seen = replay.relief.ground.normals[replay.relief.height.argmax()] @ Eye(tilt, 0.0).rotation()[2]
    if seen > 0.3:
        assert risen.max() == pytest.approx(most, rel=0.05)
    assert (np.abs(risen) > 0.03 * most).mean() < 0.15
    raster = made(given, reading, (256, 256), SourceStore(), lambda share=None: None)
    assert raster.coverage is None and raster.facts().coverage is False
    assert abs(float(np.median(raster.pixels))) < 1e-3 and (
        seen < 0.3 or raster.pixels.max() == pytest.approx(1, rel=0.05)
    )


@pytest.mark.parametrize("on", ["ball", "own", "flat"])
def test_a_trial_as_it_is_seen_is_captured_with_its_outline(on: str) -> None:
    mesh = own() if on == "own" else None
    acts = "gather" if on == "flat" else "raise"
    pressed = gesture("single", on, points=[(0.5, 0.5)], size=0.3, strength=0.2, acts=acts)
    trial = Trial(id="t", surface=on, points=60_000, gestures=(pressed,))
    reading = TrialFrame(trial="t", side=128, seen="eye", width=1.1)
    raster = made(Given(trial, TIPS, mesh, on), reading, (128, 128), SourceStore(), lambda share=None: None)
    assert raster.coverage is not None and raster.coverage[64, 64] == 1 and raster.coverage[0, 0] == 0
    assert raster.flat()[0, 0] == 0
    if on != "flat":  # gathered, the flat has moved sideways alone
        assert raster.pixels.max() == pytest.approx(1, abs=0.02)
    if on == "ball":
        area = math.pi * (0.95 / 2.2) ** 2
        assert raster.coverage.mean() == pytest.approx(area, rel=0.01)
