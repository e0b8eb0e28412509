"""Bevels, pillows, thickness, slopes and masks against analytic shapes and open elevations."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import pytest
from scipy import fft, ndimage

from conftest import band_limited
from engraver.core.engine import Request
from engraver.core.engine.line import assemble
from engraver.core.errors import BadPicture
from engraver.core.files.picture import Reading
from engraver.core.numeric import distance, slopes
from engraver.core.params import Stroke
from engraver.core.raster import Raster
from engraver.core.readiness.normals import normal_map_file
from engraver.core.recipe import Step
from engraver.core.steps import StepContext, kind_of
from engraver.core.steps.shape import form_curve
from lines import line_of
from solids import elevations
from test_steps import HANDS
from test_tone import run


def grid(side: int) -> tuple[np.ndarray, np.ndarray]:
    """Pixel centres in shares of the side, about the middle."""
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side - 0.5
    return x, y


def depth_of(shape: str, side: int) -> np.ndarray:
    """The signed distance to an analytic shape, in shares of the side."""
    x, y = grid(side)
    if shape == "disc":
        return 0.31 - np.hypot(x - 0.013, y + 0.021)
    if shape == "bar":  # with round ends
        c, s = np.cos(0.3), np.sin(0.3)
        return 0.083 - np.hypot(x * c + y * s, np.maximum(np.abs(y * c - x * s) - 0.33, 0))
    a, b = np.abs(x) - 0.2, np.abs(y) - 0.2  # a square of half width 0.3 with corners of radius 0.1
    return 0.1 - (np.hypot(np.maximum(a, 0), np.maximum(b, 0)) + np.minimum(np.maximum(a, b), 0))


def mask_of(shape: str, side: int) -> Raster:
    """The shape with borders between pixels, as greys."""
    return Raster.of(np.clip(depth_of(shape, side) * side + 0.5, 0, 1).astype(np.float32))


@pytest.mark.parametrize("shape", ["disc", "bar", "square"])
@pytest.mark.parametrize("side", [256, 1024])
def test_distances_are_the_analytic_ones(shape: str, side: int) -> None:
    """At most half a pixel off anywhere, inside and outside."""
    found = distance.signed(mask_of(shape, side).pixels)
    assert np.abs(found - depth_of(shape, side) * side).max() <= 0.5


def test_far_distances_are_scipys() -> None:
    """SciPy's exact transform of a hard mask, to its own half pixel."""
    mask = band_limited(150, 190, 0.05, 3) > 0.5
    ours = distance.signed(mask.astype(np.float32))
    theirs = ndimage.distance_transform_edt(mask) - ndimage.distance_transform_edt(~mask)
    theirs -= 0.5 * np.sign(theirs)
    assert np.abs(ours - theirs).max() < 0.75 and np.abs(ours - theirs).mean() < 0.12


def test_distances_go_on_over_a_border_that_wraps() -> None:
    mask = np.zeros((40, 60), np.float32)
    mask[:, 50:] = 1
    plain, wrapping = distance.signed(mask), distance.signed(mask, wrap=(True, False))
    assert plain[20, 0] == pytest.approx(-49.5) and wrapping[20, 0] == pytest.approx(-0.5)
    rolled = distance.signed(np.roll(mask, 17, axis=1), wrap=(True, False))
    assert np.allclose(np.roll(wrapping, 17, axis=1), rolled, atol=1e-4)


@pytest.mark.parametrize("shape", ["disc", "bar", "square"])
@pytest.mark.parametrize("side", [256, 1024])
@pytest.mark.parametrize("form", ["straight", "ogee"])
def test_a_bevel_is_its_form_over_the_distance(shape: str, side: int, form: str) -> None:
    """At most half a pixel's worth of distance off, whatever the size."""
    width = 0.06
    result = run("bevel", mask_of(shape, side), width=width, form=form).pixels
    t = np.clip(depth_of(shape, side) / width, 0, 1).astype(np.float32)
    near = [form_curve(np.clip(t + way * 0.5 / side / width, 0, 1), form, ()) for way in (-1, 1)]  # type: ignore[arg-type]
    assert (result >= near[0] - 2e-3).all() and (result <= near[1] + 2e-3).all()


def test_bevels_of_both_sides_and_up_to_the_ridge() -> None:
    disc = mask_of("disc", 300)
    depth = depth_of("disc", 300)
    both = run("bevel", disc, width=0.05, form="straight", side="both").pixels
    assert np.abs(both - np.clip(depth / 0.1 + 0.5, 0, 1)).max() < 0.5 / 300 / 0.1 + 1e-3
    outside = run("bevel", disc, width=0.05, form="straight", side="outside").pixels
    assert np.abs(outside - np.clip(depth / 0.05 + 1, 0, 1)).max() < 0.5 / 300 / 0.05 + 1e-3
    cords = run("bevel", mask_of("bar", 300), ridge=True, form="round").pixels
    t = np.clip(depth_of("bar", 300) / 0.083, 0, 1)
    assert np.abs(cords - np.sqrt(t * (2 - t)))[t > 0.2].max() < 0.02 and cords.max() > 0.98
    raised = run("bevel", disc, form="straight").pixels
    for way in (0.5, -0.5):
        mid = run("bevel", Raster.of(0.5 + way * disc.pixels, zero="mid"), form="straight").pixels
        assert np.abs(mid - 0.5 - way * raised).max() < 1e-5


@pytest.mark.parametrize("side", [256, 512])
def test_a_pillow_on_a_disc_is_the_root_of_a_paraboloid(side: int) -> None:
    """Poisson's equation on a disc: u = (R^2 - r^2) / 4. Within 0.5 % of the peak, the rim within half a pixel."""
    result = run("inflate", mask_of("disc", side)).pixels
    depth = depth_of("disc", side)
    share = np.maximum(0.31**2 - (0.31 - depth) ** 2, 0) / 0.31**2
    inside = depth * side > 4
    assert np.abs(result - np.sqrt(share))[inside].max() <= 0.005
    rim = (np.abs(depth) * side <= 4) & (depth > 0)
    bounds = [np.sqrt(np.maximum(0.31**2 - (0.31 - depth - way * 0.5 / side) ** 2, 0)) / 0.31 for way in (-1, 1)]
    assert (result >= bounds[0] - 0.012)[rim].all() and (result <= bounds[1] + 0.012)[rim].all()


def test_pillows_of_many_shapes_stand_by_their_size_or_alike() -> None:
    x, y = grid(400)
    depth = np.maximum(0.2 - np.hypot(x + 0.22, y), 0.1 - np.hypot(x - 0.25, y))
    raster = Raster.of(np.clip(depth * 400 + 0.5, 0, 1).astype(np.float32))
    plain, alike = run("inflate", raster).pixels, run("inflate", raster, alike=True).pixels
    assert plain[200, 300] == pytest.approx(0.5, abs=0.02) and plain[200, 112] == pytest.approx(1, abs=0.01)
    assert alike[200, 300] == pytest.approx(1, abs=0.02)
    pointed = run("inflate", raster, fullness=1.0).pixels
    assert pointed[200, 150] < plain[200, 150]


def test_thicker_shapes_have_their_border_farther_out() -> None:
    for by in (0.02, -0.03):
        result = run("thicken", mask_of("disc", 400), by=by).pixels
        assert result.sum() / 400**2 == pytest.approx(np.pi * (0.31 + by) ** 2, rel=0.004)


@pytest.mark.parametrize("grey", [0.0, 1.0])
@pytest.mark.parametrize("id", ["bevel", "inflate", "thicken"])
def test_empty_and_full_masks_get_a_clear_word(id: str, grey: float) -> None:
    with pytest.raises(BadPicture, match="shape"):
        run(id, Raster.of(np.full((30, 40), grey, np.float32)))
    dot = np.zeros((30, 40), np.float32)
    dot[12, 20] = 1  # a shape of one pixel
    assert np.isfinite(run(id, Raster.of(dot)).pixels).all()


@pytest.mark.parametrize("green_up", [True, False])
def test_elevations_come_back_from_their_normals(green_up: bool) -> None:
    """The elevation model that ships with matplotlib, mirrored borders: within 0.5 % of its range."""
    height = (elevations() / 30).astype(np.float32)
    colour = slopes.normal_map(height, green_up=green_up)
    result = run("slopes", Raster.of(colour), low=0.0, high=100.0).pixels
    wanted = (height - height.min()) / np.ptp(height)
    assert np.abs(result - result.mean() - (wanted - wanted.mean())).max() <= 0.005


def test_a_wrapping_surface_comes_back_from_its_normals() -> None:
    """A periodic surface of few waves: within 0.2 %; and where slopes are known, so is the height."""
    y, x = np.mgrid[0:128, 0:192] * (2 * np.pi)
    height = (6 * np.sin(3 * x / 192 + 2 * y / 128) + 4 * np.cos(5 * x / 192) * np.sin(4 * y / 128)).astype(
        np.float32
    )
    colour = Raster.of(slopes.normal_map(height, (True, True)), wrap=(True, True))
    result = run("slopes", colour, low=0.0, high=100.0).pixels * np.ptp(height)
    assert np.abs(result - result.mean() - (height - height.mean())).max() <= 0.002 * np.ptp(height)
    slope = slopes.integrate(np.full((40, 50), 0.3, np.float32), np.zeros((40, 50), np.float32))
    assert np.corrcoef(slope[20], np.arange(50))[0, 1] > 0.999


def test_the_integral_solves_poissons_equation() -> None:
    """Against SciPy's cosine transforms: the surface from slopes of a smooth field is the one that made them."""
    field = 8 * band_limited(90, 110, 0.08, 9)
    found = slopes.integrate(*slopes.of_height(field, (False, False)))
    off = fft.dctn(found - (field - field.mean()), norm="ortho")
    assert np.abs(off).max() < 0.05


def test_what_is_no_normal_map_is_told() -> None:
    rng = np.random.default_rng(2)
    photo = Raster.of(rng.random((40, 50, 3)).astype(np.float32))
    with pytest.raises(BadPicture, match="no normal map"):
        run("slopes", photo)
    with pytest.raises(BadPicture, match="grey"):
        run("slopes", Raster.of(np.zeros((10, 10), np.float32)))


def test_masks_lie_where_they_are_said_to() -> None:
    """A dish and a dome on a plain: hollows, ridges, slopes, heights and the open sky by their own definitions."""
    x, y = grid(300)
    left, right = np.hypot(x + 0.25, y), np.hypot(x - 0.25, y)
    dome = 0.3 * np.exp(-((right / 0.06) ** 2)) - 0.3 * np.exp(-((left / 0.06) ** 2))
    raster = Raster.of((0.5 + dome).astype(np.float32))
    at = {"dish": (150, 75), "dome": (150, 225), "plain": (20, 150)}

    def mask(**values: Any) -> dict[str, float]:
        result = run("mask-from", raster, **values).pixels
        assert result.min() >= 0 and result.max() <= 1
        return {name: float(result[place]) for name, place in at.items()}

    hollow, ridge = mask(what="hollows", size=0.3), mask(what="ridges", size=0.3)
    assert hollow["dish"] > 0.9 and hollow["dome"] < 0.05 and hollow["plain"] < 0.1
    assert ridge["dome"] > 0.9 and ridge["dish"] < 0.05
    high = mask(what="heights", low=0.7, high=1.0, softness=0.05)
    assert high["dome"] > 0.9 and high["plain"] == 0
    sky = mask(what="sky", size=0.15, strength=0.5)
    assert sky["dome"] > 0.95 and sky["plain"] > 0.9 and sky["dish"] < 0.75
    plane = Raster.of((0.5 + 0.4 * x).astype(np.float32))
    angle = np.degrees(np.arctan(0.4 * 0.5))  # white is half the side high
    below, above = (
        run("mask-from", plane, what="slope", strength=0.5, least=angle + d, softness=0.01).pixels[150, 150]
        for d in (1.0, -1.0)
    )
    assert below == 0 and above == 1


def test_each_stroke_of_the_hand_does_what_it_says() -> None:
    """Raise, cut, level, zero, smooth and smudge on a plain ramp; what lies beside a stroke stays."""
    x, _ = grid(200)
    ramp = (0.5 + 0.5 * x).astype(np.float32)

    def stroke(tag: str, **more: Any) -> np.ndarray:
        marks = (Stroke.through([(0.35, 0.5), (0.65, 0.5)], 0.08, tag, soft=0.3, **more),)
        kind = kind_of("hand")
        facts = Raster.of(ramp).facts()
        around = StepContext(facts, facts, (200, 200), from_source=np.diag([200.0, 200.0, 1.0]), source=facts)
        return kind.apply(Raster.of(ramp), kind.params(strokes=marks), around).pixels

    for tag, change in (("raise", 0.3), ("cut", -0.3)):
        result = stroke(tag, strength=0.3)
        assert result[100, 100] - ramp[100, 100] == pytest.approx(change, abs=0.01)
        assert np.array_equal(result[:60], ramp[:60])
    assert stroke("zero")[100, 100] == pytest.approx(0, abs=1e-3)
    level = stroke("level")[100, 75:125]
    assert np.ptp(level) < 1e-3 and level[0] == pytest.approx(ramp[100, 70], abs=0.01)
    assert np.abs(stroke("smooth") - ramp).max() < 0.01  # a ramp is smooth already
    carried = stroke("smudge")
    assert carried[100, 120] < ramp[100, 120] - 0.02 and np.array_equal(carried[:60], ramp[:60])
    half = stroke("raise", strength=0.3, pressure=[0.5, 0.5])
    assert half[100, 100] - ramp[100, 100] == pytest.approx(0.15, abs=0.01)


def test_strokes_kept_from_before_change_nothing() -> None:
    """More and fewer strokes, in any order, through one engine: the same pixels as from the beginning."""
    pixels = band_limited(120, 140, 0.1, 5)
    line, engine = line_of(pixels, Step.make("hand", strokes=HANDS))
    for count in (2, 6, 3, 4, 6, 1, 5):
        step = line.steps[0].with_params(strokes=HANDS[:count])
        ours = engine.evaluate(assemble(line.source, Reading(), (step,), 1, engine.sources), Request(exact=True))
        fresh_line, fresh = line_of(pixels, step)
        assert np.array_equal(ours.raster.pixels, fresh.evaluate(fresh_line, Request(exact=True)).raster.pixels)


def test_a_tip_leaves_its_own_marks() -> None:
    """A plate's tones laid once are those tones, at the brush's size; along a stroke, turned by its chance."""
    x, y = grid(64)
    tones = np.clip(1 - 3 * np.hypot(x - 0.2, y), 0, 1)
    tip = (tones * 65535).astype("<u2").tobytes()
    blank = Raster.of(np.zeros((256, 256), np.float32))
    kind, facts = kind_of("hand"), blank.facts()
    around = StepContext(facts, facts, (256, 256), from_source=np.diag([256.0, 256.0, 1.0]), source=facts)

    def made(*places: tuple[float, float], **more: Any) -> np.ndarray:
        stroke = Stroke.through(places, 0.25, "raise", tip=tip, **more)
        return kind.apply(blank, kind.params(strokes=(stroke,)), around).pixels

    once = made((0.5, 0.5))
    wanted = np.kron(tones, np.ones((2, 2)))  # 128 pixels across, about the middle
    assert np.abs(once[64:192, 64:192] - wanted).mean() < 0.02 and once[:60].max() == 0
    row = made((0.25, 0.5), (0.75, 0.5), spacing=1.0, turn=90.0, vary=0.3)
    assert np.array_equal(row, made((0.25, 0.5), (0.75, 0.5), spacing=1.0, turn=90.0, vary=0.3))
    plain = made((0.25, 0.5), (0.75, 0.5), spacing=1.0)
    assert not np.allclose(row, plain) and plain[128].max() > 0.9
    with pytest.raises(ValueError, match="square"):
        Stroke.through([(0.5, 0.5)], 0.1, "raise", tip=b"abc")


def test_a_normal_map_file_holds_the_true_slopes() -> None:
    """A ramp half as high as it is wide: every normal leans by its own angle; 16 bits, read by OpenCV."""
    ramp = Raster.of(np.tile(np.linspace(0, 1, 200, dtype=np.float32), (100, 1)))
    stored = cv2.imdecode(np.frombuffer(normal_map_file(ramp, 0.5), np.uint8), cv2.IMREAD_UNCHANGED)
    assert stored.dtype == np.uint16 and stored.shape == (100, 200, 3)
    n = stored[50, 100, ::-1] / 65535 * 2 - 1
    slope = 0.5 * 200 / 199
    assert np.allclose(n, np.array([-slope, 0, 1]) / np.hypot(slope, 1), atol=2e-4)
    assert np.abs(np.linalg.norm(stored / 65535 * 2 - 1, axis=2) - 1).max() < 1e-4
