"""Framing and greying: maps against independent ones, known sheets, known colours."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from PIL import Image
from skimage import transform

from conftest import band_limited
from engraver.core.engine import Request
from engraver.core.errors import BadPicture, BadValue
from engraver.core.numeric import framing, joints, ruled, tone, warp
from engraver.core.raster import Facts, Raster
from engraver.core.recipe import Step
from engraver.core.recipe.first import first_steps
from engraver.core.steps.frame import Crop, locked
from engraver.core.steps.grey import by_hues, fading_weights
from lines import line_of, run
from test_tone import open_picture

QUAD = ((0.12, 0.08), (0.9, 0.15), (0.82, 0.93), (0.05, 0.85))


def test_the_homography_is_an_independent_ones() -> None:
    """Against scikit-image's ProjectiveTransform, estimated by another method."""
    corners = np.array(QUAD) * (300, 200)
    targets = np.array([(0, 0), (240, 0), (240, 150), (0, 150.0)])
    other = transform.ProjectiveTransform.from_estimate(corners, targets)
    spots = np.random.default_rng(1).random((50, 2)) * (300, 200)
    ours = np.column_stack([spots, np.ones(50)]) @ warp.homography(corners, targets).T
    assert np.abs(ours[:, :2] / ours[:, 2:] - other(spots)).max() < 1e-6
    with pytest.raises(ValueError):
        warp.homography(np.array([(0, 0), (1, 1), (2, 2), (0, 1.0)]), targets)


def test_four_corners_become_a_rectangle() -> None:
    """A smooth function seen through the step's own map, and through scikit-image's warp."""
    pixels = band_limited(200, 300, 0.06, 3)
    line, engine = line_of(pixels, Step.make("straighten", corners=QUAD))
    result = engine.evaluate(line, Request(exact=True)).raster
    step = line.steps[0]
    assert step.declared.matrix is not None
    matrix = step.declared.matrix(step.params, line.facts[0], {})
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    inverse = transform.ProjectiveTransform(np.linalg.inv(shift) @ np.linalg.inv(matrix) @ shift)
    expected = transform.warp(
        pixels.astype(float), inverse, output_shape=(result.height, result.width), order=3, mode="reflect"
    )
    assert np.abs(result.pixels - expected)[4:-4, 4:-4].max() < 4e-3
    for corner, target in zip(QUAD, [(0, 0), (1, 0), (1, 1), (0, 1)], strict=True):
        x, y, w = matrix @ [corner[0] * 300, corner[1] * 200, 1]
        assert np.allclose([x / w, y / w], np.array(target) * (result.width, result.height))


@pytest.mark.parametrize(
    "corners", [QUAD[:3], (QUAD[0], QUAD[2], QUAD[1], QUAD[3]), ((0.5, 0.5),) * 4], ids=["three", "crossed", "point"]
)
def test_corners_that_make_no_rectangle_are_refused(corners: tuple[tuple[float, float], ...]) -> None:
    with pytest.raises(BadValue, match="corners"):
        Step.make("straighten", corners=corners)


def test_a_sheet_is_found_and_laid_straight() -> None:
    truth = np.array([(0.14, 0.1), (0.88, 0.17), (0.83, 0.9), (0.1, 0.82)])
    page = np.full((300, 400), 0.2, np.float32)
    cv2.fillConvexPoly(page, np.int32(truth * (400, 300)), 0.85, cv2.LINE_AA)
    page += 0.02 * np.random.default_rng(2).standard_normal(page.shape).astype(np.float32)
    found = framing.sheet_corners(page)
    assert found is not None and np.abs(np.array(found) - truth).max() < 0.015
    assert framing.sheet_corners(np.full((50, 50), 0.5, np.float32)) is None
    finder = Step.make("straighten").declared.finders[0]
    with pytest.raises(BadPicture, match="No sheet"):
        finder.find(Raster.of(np.full((50, 50), 0.5, np.float32)), Step.make("straighten").params)
    straight = run("straighten", page, **finder.find(Raster.of(page), Step.make("straighten").params))
    assert (straight.pixels > 0.5).mean() > 0.97


def wall(seed: int) -> np.ndarray:
    """Fourteen rows of bricks, light joints, grain: 900 pixels square, seen straight on."""
    bricks = np.full((900, 900), 0.45, np.float32)
    for row in range(14):
        top, bottom = round(row * 900 / 14), round((row + 1) * 900 / 14)
        bricks[top : top + 4] = 0.75
        for n in range(6):
            left = round((n + 0.5 * (row % 2)) * 180)
            bricks[top:bottom, left : left + 4] = 0.75
    bricks += np.random.default_rng(seed).normal(0, 0.03, bricks.shape).astype(np.float32)
    return cv2.GaussianBlur(bricks, (0, 0), 1.0)


@pytest.mark.parametrize("seed", range(6))
def test_a_wall_seen_aslant_is_made_straight_by_its_joints(seed: int) -> None:
    """Against the homography through which it was looked at: the sides found lie along its rows and columns."""
    corners = np.array([(-150, -150), (850, -150), (850, 650), (-150, 650)], np.float32)
    corners += np.random.default_rng(seed).uniform(-130, 130, (4, 2)).astype(np.float32)
    looked = cv2.getPerspectiveTransform(np.float32([(0, 0), (900, 0), (900, 900), (0, 900)]), corners)
    seen = cv2.warpPerspective(wall(seed), looked, (700, 500)) * np.linspace(0.7, 1, 700, dtype=np.float32)
    found = joints.wall_corners(seen)
    assert found is not None and all(0 <= value <= 1 for corner in found for value in corner)
    places = np.float32(found) * np.float32((700, 500))
    assert cv2.contourArea(places) > 0.6 * 700 * 500
    sides = np.diff(cv2.perspectiveTransform(places[None], np.linalg.inv(looked))[0], axis=0)
    turned = np.degrees(np.arctan2(sides[:, 1], sides[:, 0])) - (0, 90, 180)
    assert np.abs((turned + 180) % 360 - 180).max() < 0.3
    (first, *_) = first_steps("surface", Facts(700, 500), Raster.of(seen))
    assert first.kind == "straighten" and first.params.corners == found  # type: ignore[attr-defined]


def turned(axis: int, degrees: float) -> np.ndarray:
    matrix = np.eye(3)
    i, j = (n for n in range(3) if n != axis)
    matrix[i, i] = matrix[j, j] = np.cos(np.radians(degrees))
    matrix[j, i] = np.sin(np.radians(degrees))
    matrix[i, j] = -matrix[j, i]
    return matrix


@pytest.mark.parametrize(
    ("aside", "median", "most"), [((20, 45), 0.02, 0.12), ((0, 0), 0.08, 0.22)], ids=["both", "one"]
)
def test_a_rectangle_seen_aslant_keeps_its_proportions(aside: tuple[int, int], median: float, most: float) -> None:
    """Against a pinhole camera: exactly, where both pairs of sides meet; by a usual lens, where one pair does."""
    ours, looks = [], []
    for seed in range(60):
        rng = np.random.default_rng(seed)
        wide, lens = rng.uniform(0.5, 2), rng.uniform(0.7, 1.4) * 1000
        stands = turned(0, rng.uniform(25, 50)) @ turned(1, rng.uniform(*aside))
        flat = np.array([(-wide, -1, 0), (wide, -1, 0), (wide, 1, 0), (-wide, 1, 0)]) / 2 @ stands.T
        seen = lens * flat[:, :2] / (flat[:, 2:] + 3.5) + (500, 375)
        corners = tuple((float(x), float(y)) for x, y in seen / (1000, 750))
        for sides, errors in (("true", ours), ("seen", looks)):
            step = Step.make("straighten", corners=corners, sides=sides)
            facts = step.declared.extent(step.params, Facts(1000, 750))
            errors.append(abs(np.log(facts.width / facts.height / wide)))
    assert np.median(ours) < median and max(ours) < most and np.median(looks) > 2.5 * np.median(ours)
    older = Step.make("straighten").declared.migrate(1, {"corners": QUAD})
    assert older["sides"] == "seen"


def test_what_has_no_two_families_of_lines_is_left_as_it_lies() -> None:
    for name in ("gravel", "grass", "coins", "camera", "moon", "text", "page", "rocket", "retina"):
        assert joints.wall_corners(tone.luma(open_picture(name))) is None, name
    for side in (1, 2, 7, 40, 150, 300):
        for seed in range(12):
            speckled = np.random.default_rng(seed).standard_normal((side, side + seed)).astype(np.float32)
            assert joints.wall_corners(speckled) is None and joints.wall_corners(speckled * 0) is None
    straight = first_steps("surface", Facts(900, 900), Raster.of(wall(1)))
    assert straight[0].kind == "crop"  # a wall that is straight stays
    finder = Step.make("straighten").declared.finders[1]
    with pytest.raises(BadPicture, match="No lines"):
        finder.find(Raster.of(band_limited(300, 300, 0.05, 2)), Step.make("straighten").params)


@pytest.mark.parametrize("angle", [-6.3, 0.0, 2.4, 11.0])
def test_a_skew_sheet_is_turned_level(angle: float) -> None:
    page = np.full((360, 360), 0.15, np.float32)
    sheet = cv2.boxPoints(((180.0, 180.0), (270.0, 220.0), angle))
    cv2.fillConvexPoly(page, np.int32(sheet * 16), 0.85, cv2.LINE_AA, 4)
    assert ruled.skew(page) == pytest.approx(angle, abs=0.15)
    level = run("straighten", page, how="level")
    assert abs(ruled.skew(level.pixels)) < 0.15


@pytest.mark.parametrize("shape", [(40, 64), (64, 41), (50, 50)])
@pytest.mark.parametrize("how", ["crop", "zero", "border", "stretch"])
def test_what_is_not_square_becomes_square_as_said(shape: tuple[int, int], how: str) -> None:
    pixels = np.random.default_rng(4).random(shape).astype(np.float32)
    result = run("square", pixels, how=how)
    assert result.width == result.height == (min(shape) if how == "crop" else max(shape))
    height, width = shape
    if how == "crop":
        top, left = (height - result.height) // 2, (width - result.width) // 2
        assert np.array_equal(result.pixels, pixels[top : top + result.height, left : left + result.width])
    if how in ("zero", "border"):
        top, left = (result.height - height) // 2, (result.width - width) // 2
        assert np.array_equal(result.pixels[top : top + height, left : left + width], pixels)
    if how == "zero" and height != width:
        assert result.coverage is not None and result.coverage.sum() == height * width
        assert result.flat().sum() == pytest.approx(pixels.sum(), rel=1e-6)
    if how == "border" and height < width:
        assert np.array_equal(result.pixels[top - 1, left:], pixels[0])


@pytest.mark.parametrize("by", ["box", "weight"])
def test_what_is_there_goes_to_the_middle(by: str) -> None:
    pixels = np.zeros((200, 200), np.float32)
    pixels[20:60, 30:110] = 0.8
    result = run("centre", pixels, by=by, margin=0.1).flat()
    rows, columns = np.nonzero(result.max(axis=1) > 0.4)[0], np.nonzero(result.max(axis=0) > 0.4)[0]
    assert (columns[0], columns[-1] + 1) == (pytest.approx(20, abs=1.5), pytest.approx(180, abs=1.5))
    assert (rows[0] + rows[-1] + 1) / 2 == pytest.approx(100, abs=1)
    plain = run("centre", pixels, by=by, fit=False).flat()
    assert plain.sum() == pytest.approx(pixels.sum(), rel=0.01)


def test_nothing_to_centre_says_so() -> None:
    cover = Raster.of(np.zeros((20, 20), np.float32), np.zeros((20, 20), np.float32))
    step = Step.make("centre")
    assert step.declared.measure is not None
    from engraver.core.steps import StepContext

    context = StepContext(cover.facts(), cover.facts(), (20, 20))
    with pytest.raises(BadPicture, match="nothing to centre"):
        step.declared.measure(cover, step.params, context)


def test_the_largest_even_square_keeps_to_its_tolerance() -> None:
    y, x = np.mgrid[0:240, 0:360]
    light = np.where(x < 220, 0.7, 0.7 - (x - 220) * 0.004) + 0.02 * np.random.default_rng(5).standard_normal(
        (240, 360)
    )
    found = framing.largest_even_square(light.astype(np.float32), 0.12)
    assert found is not None
    cx, _, side = found
    assert 0.8 < side <= 1 and cx * 360 + side * 120 < 265
    assert framing.largest_even_square((x * y / 86400).astype(np.float32) ** 4, 0.01) is None
    finder = Step.make("crop").declared.finders[0]
    changes = finder.find(Raster.of(light.astype(np.float32)), Step.make("crop").params)
    assert Step.make("crop", **changes).params == Crop(**changes)


def test_a_locked_crop_keeps_its_ratio() -> None:
    params = Crop(shape="free", width=0.6, height=0.3, lock=True)
    assert locked(params, {"width": 0.8}) == {"width": 0.8, "height": pytest.approx(0.4)}
    assert locked(params, {"height": 0.5}) == {"height": 0.5, "width": pytest.approx(1.0)}
    assert locked(params, {"x": 0.2}) == {"x": 0.2}
    assert locked(Crop(shape="free", width=0.6, height=0.3), {"width": 0.8}) == {"width": 0.8}


# -- grey ------------------------------------------------------------------------------


def ruled_paper() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A page with blue ruled lines under black ink, 8-bit RGB, and where lines and ink lie."""
    y, x = np.mgrid[0:300, 0:400]
    lines = (y % 30 < 4) & (y > 10)
    ink = np.abs(np.hypot(x - 200, y - 150) - 90) < 10
    rgb = np.full((300, 400, 3), (0.93, 0.92, 0.88))
    rgb[lines] = (0.55, 0.66, 0.85)
    rgb[ink] = (0.12, 0.12, 0.14)
    return (rgb * 255 + 0.5).astype(np.uint8), lines & ~ink, ink


@pytest.mark.parametrize(("kind", "limit"), [("png", 0.02), ("jpeg", 0.08)])
def test_ruled_lines_fade_while_the_ink_stays(kind: str, limit: float) -> None:
    """Contrast below 2 % from PNG and 8 % from a 4:2:0 JPEG; the ink keeps at least 80 % of its own."""
    rgb, lines, ink = ruled_paper()
    out = io.BytesIO()
    picture = Image.fromarray(rgb)
    picture.save(out, "PNG") if kind == "png" else picture.save(out, "JPEG", quality=88, subsampling=2)
    pixels = np.asarray(Image.open(io.BytesIO(out.getvalue())).convert("RGB"), np.float32) / 255
    paper = ~(lines | ink) & (cv2.dilate((lines | ink).astype(np.uint8), np.ones((5, 5), np.uint8)) == 0)
    plain = run("grey", pixels).pixels
    faded = run("grey", pixels, mix="fade", line=(0.55, 0.66, 0.85), paper=(0.93, 0.92, 0.88)).pixels

    def contrast(grey: np.ndarray, where: np.ndarray) -> float:
        return abs(float(grey[paper].mean() - grey[where].mean())) / float(grey[paper].mean())

    assert contrast(plain, lines) > 0.2 and contrast(faded, lines) < limit
    assert contrast(faded, ink) >= 0.8 * contrast(plain, ink)


def test_fading_weights_do_what_they_say() -> None:
    rng = np.random.default_rng(6)
    for _ in range(40):
        line, paper = (tuple(v) for v in rng.random((2, 3)))
        weights = fading_weights(line, paper)
        assert sum(weights) == pytest.approx(1) and np.dot(weights, line) == pytest.approx(np.dot(weights, paper))
        # Any other such mix lies further from luma: the family is one-dimensional.
        aside = np.cross(np.subtract(paper, line), np.ones(3))
        near = [np.linalg.norm(weights + t * aside - tone.LUMA_709) for t in (-0.05, 0.0, 0.05)]
        assert near[1] == min(near)
    with pytest.raises(BadValue, match="brightness alone"):
        fading_weights((0.5, 0.5, 0.5), (0.9, 0.9, 0.9))


def test_six_hues_with_their_own_lumas_are_luma() -> None:
    """BT.709 lumas of the six pure hues give luma for every colour; each slider moves its own hue alone."""
    rgb = np.random.default_rng(7).random((40, 50, 3)).astype(np.float32)
    assert np.abs(run("grey", rgb, mix="hues").pixels - tone.mix(rgb, tone.LUMA_709)).max() < 1e-5
    pure = np.array([[(1, 0, 0), (1, 1, 0), (0, 1, 0), (0, 1, 1), (0, 0, 1), (1, 0, 1), (0.4, 0.4, 0.4)]], np.float32)
    wanted = (0.1, 0.2, 0.3, 0.4, 0.5, 0.6)
    assert np.allclose(by_hues(pure, wanted)[0], [*wanted, 0.4])


def test_straightened_corners_keep_facts_true() -> None:
    step = Step.make("straighten", corners=QUAD)
    facts = step.declared.extent(step.params, Facts(300, 200, lattice=1 / 255, wrap=(True, True)))
    assert facts.coverage and facts.lattice is None and facts.wrap == (False, False)
