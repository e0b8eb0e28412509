"""Gauges on analytic shapes, delivering, fixes, and the default recipes on open photographs."""

from __future__ import annotations

import math

import numpy as np
import png as pypng
import pytest
import skimage.data

from conftest import band_limited, png_bytes
from engraver.core.engine import Engine, Line, Request, SourceStore, resolve
from engraver.core.errors import BadValue
from engraver.core.proof.strength import first_strength, steepness
from engraver.core.raster import Raster
from engraver.core.readiness import Gauge, Measured, deliver, destination, measure
from engraver.core.readiness.fixes import apply_fix
from engraver.core.readiness.measure import gauges
from engraver.core.recipe import Project, Source, Step, edits
from engraver.core.recipe.first import first_steps
from engraver.core.recipe.recognise import guess
from engraver.demo.photos import barnacle_slab, sand_ripples

STAMP, BOTH = destination("sculpt-stamp"), destination("sculpt-stamp-mid")


def disc(side: int, radius: float) -> np.ndarray:
    y, x = np.mgrid[0:side, 0:side] + 0.5
    return np.hypot(x - side / 2, y - side / 2) / (radius * side)


def gauge(pixels: np.ndarray, id: str, to: object = STAMP) -> Gauge:
    return {g.id: g for g in measure(pixels.astype(np.float32), to)}[id]  # type: ignore[arg-type]


@pytest.mark.parametrize("side", [256, 1024, 2048])
def test_steepness_of_a_cone_is_that_of_its_flank(side: int) -> None:
    """A cone of radius r and height S W has the slope S / r: under 60 degrees up to S = r tan 60."""
    cone = np.maximum(0, 1 - disc(side, 0.4)).astype(np.float32)
    assert steepness(cone) == pytest.approx(0.4 * math.tan(math.radians(60)), rel=0.03)
    ripple = 0.5 + 0.5 * np.sin(2 * np.pi * 20 * (np.arange(side) + 0.5) / side)
    waves = np.tile(ripple, (side, 1)).astype(np.float32)
    # The slope of a sine is a cosine: its 95th percentile is cos(4.5 degrees) of the largest.
    steep = math.pi * 20 * math.cos(math.radians(4.5))
    assert steepness(waves) == pytest.approx(math.tan(math.radians(60)) / steep, rel=0.05)


def test_lift_of_a_plateau_and_of_small_domes() -> None:
    plateau = (disc(512, 0.4) < 1) * 0.6
    grain = np.random.default_rng(3).normal(0, 0.08, (512, 512))
    found = gauge(np.where(plateau > 0, plateau + grain, 0), "lift")
    assert found.numbers["lift"] == pytest.approx(0.6, abs=0.08) and found.verdict == "fault" and found.fix == "lift"
    bare = gauge(plateau, "lift")  # an emblem: nothing is on its top, and taking the lift out would destroy it
    assert bare.numbers["lift"] == pytest.approx(0.6, abs=0.08) and bare.verdict == "look" and not bare.fix
    y, x = np.mgrid[0:512, 0:512] / 32 * 2 * np.pi
    bumps = np.where(disc(512, 0.4) < 1, np.maximum(0, np.sin(x) * np.sin(y)) ** 2 + 0.01, 0)
    assert gauge(bumps, "lift").verdict == "good"
    two_way = 0.5 + 0.4 * np.where(disc(512, 0.4) < 1, np.sin(x) * np.sin(y), 0)
    assert abs(gauge(two_way, "lift", BOTH).numbers["lift"]) < 0.05


def test_border_range_and_size_tell_what_is_there() -> None:
    flat = np.zeros((256, 256))
    flat[60:200, 60:200] = np.linspace(0.1, 0.98, 140)
    assert [g.verdict for g in measure(flat.astype(np.float32), STAMP)][:3] == ["good", "good", "good"]
    flat[0, 3] = 0.03
    border = gauge(flat, "border")
    assert border.numbers["departure"] == pytest.approx(0.03, abs=1e-5)
    assert (border.verdict, border.fix) == ("fault", "falloff")
    clipped = np.where(disc(256, 0.4) < 0.9, 1.4, 0.0)
    found = gauge(clipped, "clipping")
    assert found.numbers["clipped_high"] == pytest.approx(1.0) and found.verdict == "fault"
    assert gauge(flat * 0.3, "range").verdict == "look"
    assert gauge(np.zeros((256, 256)), "range").verdict == "fault"
    for shape, verdict in (((300, 300), "fault"), ((128, 128), "fault"), ((512, 256), "fault"), ((512, 512), "good")):
        assert gauge(np.zeros(shape), "size").verdict == verdict


def test_delivering_zero_polarity_and_depth() -> None:
    heights = np.zeros((256, 256), np.float32)
    heights[64:192, 64:192] = 0.5
    up = Raster.of(heights.copy())

    def stored(data: bytes) -> np.ndarray:
        _, _, rows, info = pypng.Reader(bytes=data).read()
        assert info["bitdepth"] == 16 and info["greyscale"]
        return np.vstack([np.array(r) for r in rows])

    assert set(np.unique(stored(deliver(up, STAMP).file()))) == {0, 32768}
    assert set(np.unique(stored(deliver(up, STAMP, reverse=True).file()))) == {65535, 32768}
    # Black-zero to mid-grey-zero is 0.5 + v / 2; untouched ground is mid-grey exactly.
    assert set(np.unique(stored(deliver(up, BOTH).files("x")[1][1]))) == {32768, 49151}
    both = Raster.of(0.5 + heights / 2, zero="mid")
    assert np.array_equal(deliver(both, STAMP).pixels, heights)
    cuts = Raster.of(0.5 - heights / 2, zero="mid")
    with pytest.raises(BadValue, match="cannot cut"):
        deliver(cuts, STAMP)
    with pytest.raises(BadValue, match="'crop'"):
        deliver(Raster.of(np.zeros((20, 30), np.float32)), STAMP)
    assert deliver(up, STAMP, side=512).pixels.shape == (512, 512)


def finished(project: Project, plate: str, store: SourceStore) -> Raster:
    return Engine(store).evaluate(resolve(project, plate, store), Request(exact=True)).raster


def _resolved(source: Source, store: SourceStore) -> Line:
    project, plate = edits.add_plate(Project(), source, "bare", ())
    return resolve(project, plate, store)


EVEN = (Step.make("levels"), Step.make("falloff"))
SPOILT: dict[str, tuple[str, tuple[Step, ...]]] = {
    "size": ("sculpt-stamp", EVEN),
    "border": ("sculpt-stamp", EVEN[:1]),
    "border of a strip": ("stroke-strip", EVEN[:1]),
    "lift": ("sculpt-stamp", EVEN[1:]),
    "steepness": ("sculpt-stamp", (Step.make("levels", find="held", black=0.48, white=0.52), EVEN[1])),
    "range": ("sculpt-stamp", (Step.make("levels", out_white=0.5), EVEN[1])),
    "clipping": ("sculpt-stamp", (Step.make("levels", low=10.0, high=80.0), EVEN[1])),
    "noise": ("sculpt-stamp", (Step.make("levels", low=1.0, high=99.9), EVEN[1])),
    "centre": ("sculpt-stamp", EVEN),
    "seam": ("tiling-height", EVEN[:1]),
    "seam of a strip": ("stroke-strip", EVEN[:1]),
    "evenness": ("tiling-height", (Step.make("levels", low=0.0, high=100.0),)),
    "size not square": ("sculpt-stamp", ()),
    "size not square, though cropped": ("sculpt-stamp", (Step.make("crop", shape="free", width=0.9, height=0.6),)),
    "range without levels": ("sculpt-stamp", EVEN[1:]),
    "centre of what is centred by its box": ("sculpt-stamp", (Step.make("centre"),)),
    "stairs": ("paint-tip", (Step.make("threshold", how="level", softness=0.0), Step.make("size", side=1024))),
    "banding": ("sculpt-stamp", (Step.make("levels", find="held", black=0.4, white=0.72, toe=0.0),)),
}


@pytest.mark.parametrize("broken", list(SPOILT))
def test_every_fix_puts_its_gauge_right(broken: str) -> None:
    """A photo spoilt in one way; the offered fix, pressed at most three times, makes the gauge good."""
    store = SourceStore()
    grain = np.random.default_rng(8).random((300, 300))
    waves = band_limited(300, 300, 0.03, 8)
    left, right = (np.roll(np.maximum(0, 1 - disc(300, r)), by, axis=1) for r, by in ((0.2, -70), (0.1, 90)))
    pictures = {
        "evenness": 0.3 * grain + 0.7 * np.linspace(0, 1, 300), "lift": 0.7 + 0.3 * grain,
        "centre": np.roll(np.maximum(0, 1 - disc(300, 0.25)), (30, -50), axis=(0, 1)),
        "noise": 0.2 + 0.6 * waves + 0.15 * (grain - 0.5), "seam": waves, "stairs": waves,
        "banding": 0.4 + 0.3 * waves,
        "size not square": grain[:220], "size not square, though cropped": grain[:220],
        "range without levels": 0.55 * grain,
        "centre of what is centred by its box": left + 0.3 * right,
    }  # fmt: skip
    grain = pictures.get(broken, pictures.get(broken.split()[0], grain))
    source = store.add(png_bytes((grain * 255).astype(np.uint8)), "cork.png")
    id, to = broken.split()[0], destination(SPOILT[broken][0])
    project, plate = edits.add_plate(Project(), source, "Cork", SPOILT[broken][1])

    def now() -> Gauge:
        one = deliver(finished(project, plate, store), to, judge=True)
        return next(g for g in gauges(Measured.delivered(one)) if g.id == id)

    assert now().verdict != "good"
    for _ in range(3):
        if now().verdict != "good":
            project, uid = apply_fix(project, plate, now(), to)
            assert uid in [s.uid for s in project.line(plate)]
    assert now().verdict == "good"


@pytest.mark.parametrize("name", ["brick", "grass", "gravel"])
def test_the_default_recipe_on_open_photographs(name: str) -> None:
    """scikit-image's brick, grass and gravel (CC0): read as a surface, lift and steepness as the design promises."""
    store = SourceStore()
    source = store.add(png_bytes(getattr(skimage.data, name)()), f"{name}.png")
    picture = Engine(store).evaluate(
        _resolved(source, store), Request()
    ).raster  # fmt: skip
    assert guess(picture) == "surface"
    project, plate = edits.add_plate(Project(), source, name, first_steps("surface", picture.facts()))
    raster = finished(project, plate, store)
    gauges = {g.id: g for g in measure(deliver(raster, STAMP).pixels, STAMP)}
    assert abs(gauges["lift"].numbers["lift"]) <= 0.35
    assert gauges["border"].numbers["departure"] == 0 and gauges["size"].verdict == "good"
    strength = first_strength(raster.flat())
    assert strength == pytest.approx(min(0.03, gauges["steepness"].numbers["strength"]))
    # At the automatic strength 95 % of the relief lies under 60 degrees: counted directly, with NumPy's gradient.
    # One pixel more of reach than the gauge's own differences leaves a little room.
    gy, gx = np.gradient(np.clip(raster.flat(), 0, 1) * strength * raster.width)
    slope = np.degrees(np.arctan(np.hypot(gx, gy)))[raster.flat() > 1e-4]
    assert np.mean(slope < 60) > 0.93


def test_the_demo_photos_come_out_as_their_truth() -> None:
    """The generator keeps the heights: a finished plate must follow them, not the lamp."""
    for photo, kind, least in ((barnacle_slab(500), "relief", 0.9), (sand_ripples(400, 560), "surface", 0.8)):
        store = SourceStore()
        left, top, width, height = photo.kept
        source = store.add(png_bytes(photo.rgb[top : top + height, left : left + width]), photo.name)
        facts = Engine(store).evaluate(_resolved(source, store), Request()).raster
        assert guess(facts) == kind
        project, plate = edits.add_plate(Project(), source, "x", first_steps(kind, facts.facts()))
        line = resolve(project, plate, store)
        soften = next(s.uid for s in line.steps if s.kind == "soften")
        raster = Engine(store).evaluate(line, Request(upto=soften, exact=True)).raster
        side = min(width, height)
        x, y = (width - side) // 2, (height - side) // 2
        truth = photo.heights[y : y + side, x : x + side]
        inside = disc(side, 0.48) < 1
        assert np.corrcoef(np.clip(raster.pixels, 0, 1)[inside], truth[inside])[0, 1] > least
        assert photo.file()[:3] == b"\xff\xd8\xff"


@pytest.mark.parametrize("name", ["page", "text"])
def test_a_drawing_is_not_cut_flat_by_its_first_line(name: str) -> None:
    """scikit-image's print and handwriting (public domain), which are made larger to the side of the plate."""
    store = SourceStore()
    source = store.add(png_bytes(getattr(skimage.data, name)()), f"{name}.png")
    picture = Engine(store).evaluate(_resolved(source, store), Request()).raster
    project, plate = edits.add_plate(Project(), source, name, first_steps("drawing", picture.facts()))
    told = {g.id: g for g in gauges(Measured.delivered(deliver(finished(project, plate, store), STAMP)))}
    assert told["clipping"].verdict == "good" and all(g.verdict != "fault" for g in told.values())
