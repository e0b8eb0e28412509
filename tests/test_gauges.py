"""Gauges against known truths: formulas, known noise, known enlarging, flat plates."""

from __future__ import annotations

from itertools import product

import cv2
import numpy as np
import pytest
from PIL import Image

from conftest import band_limited
from engraver.core.numeric import detail, grain, seam
from engraver.core.numeric.stairs import Stairs, stairs
from engraver.core.readiness import Gauge, measure, shipped
from engraver.core.readiness.kinds import KINDS
from engraver.core.readiness.measure import ALL, that_apply
from test_readiness import disc
from test_tone import open_picture

ANY = shipped()
PICTURES = ("brick", "grass", "gravel", "camera", "coins")


def square(name: str) -> np.ndarray:
    values = open_picture(name)
    side = min(values.shape) // 12 * 12
    return np.ascontiguousarray(values[:side, :side])


def enlarged(values: np.ndarray, by: int, kernel: str) -> np.ndarray:
    side = len(values)
    small = cv2.resize(values, (side // by,) * 2, interpolation=cv2.INTER_AREA)
    ways = {"cubic": cv2.INTER_CUBIC, "lanczos": cv2.INTER_LANCZOS4, "linear": cv2.INTER_LINEAR}
    if kernel in ways:
        return cv2.resize(small, (side, side), interpolation=ways[kernel])
    way = Image.Resampling.BICUBIC if kernel == "pillow cubic" else Image.Resampling.LANCZOS
    return np.asarray(Image.fromarray(small).resize((side, side), way), np.float32)


@pytest.mark.parametrize("name", PICTURES)
def test_true_detail_of_enlarged_pictures_is_told_within_a_tenth(name: str) -> None:
    """scikit-image's pictures (CC0) reduced by 2 to 6 and enlarged by OpenCV and Pillow."""
    values = square(name)
    for by, kernel in product((2, 3, 4, 6), ("cubic", "lanczos", "pillow cubic", "pillow lanczos", "linear")):
        found = detail.true_detail(enlarged(values, by, kernel))
        assert found.share == pytest.approx(1 / by, rel=0.1), (by, kernel)
    if name != "brick":  # whose own spectrum breaks off: its photo is softer than its size
        assert detail.true_detail(values).how == "full"


def test_the_spectrum_alone_tells_odd_factors_and_says_when_it_cannot() -> None:
    for name, small in product(("grass", "gravel"), (240, 215, 181, 140)):
        values = square(name)
        side = len(values)
        reduced = cv2.resize(values, (small, small), interpolation=cv2.INTER_AREA)
        found = detail.true_detail(cv2.resize(reduced, (side, side), interpolation=cv2.INTER_CUBIC))
        assert found.how == "breaks off" and found.share * side == pytest.approx(small, rel=0.1)
    values = square("gravel")
    assert detail.true_detail(cv2.GaussianBlur(values, (0, 0), 2.0)).how == "cannot tell"
    doubled = np.repeat(np.repeat(values[:250, :250], 2, axis=0), 2, axis=1)
    assert detail.true_detail(doubled).kernel == "nearest" and detail.true_detail(doubled).share == 0.5


@pytest.mark.parametrize("sigma", [0.005, 0.01, 0.02, 0.04, 0.08])
@pytest.mark.parametrize("reach", [0.5, 1.2])
def test_known_noise_is_found_within_a_tenth(sigma: float, reach: float) -> None:
    """White noise on a smooth relief, clipped at both ends in one case."""
    relief = 0.5 + reach * (band_limited(512, 512, 0.01, 4) - 0.5)
    noisy = np.clip(relief + np.random.default_rng(5).normal(0, sigma, relief.shape), 0, 1).astype(np.float32)
    assert grain.noise(noisy) == pytest.approx(sigma, rel=0.1)


def test_banding_is_told_from_smooth_slopes_noise_and_stairs() -> None:
    def stored(values: np.ndarray, top: int) -> np.ndarray:
        return (np.round(values * top) / top).astype(np.float32)

    ramp = np.tile(np.linspace(0, 1, 512, dtype=np.float32), (512, 1))
    rng = np.random.default_rng(2)
    for smooth in (ramp, ramp.T, 0.2 + 0.3 * ramp, 0.5 * ramp + 0.5 * ramp.T):
        assert grain.banding(stored(smooth, 255)) > 0.08 and grain.banding(stored(smooth, 65535)) < 0.02
        noisy = np.clip(smooth + rng.normal(0, 0.01, smooth.shape), 0, 1)
        assert grain.banding(stored(noisy, 255)) < 0.02
        assert grain.banding(stored(smooth, 6)) < 0.02  # a true stair
    assert grain.banding(np.zeros((64, 64), np.float32)) == 0


def test_a_seam_is_ranked_by_hand() -> None:
    """Of columns whose steps are 1 to 19 hundredths the wrap's own lies where it lies."""
    heights = np.concatenate([[0.0], np.cumsum(np.arange(1, 20) / 100)])
    values = np.tile(heights.astype(np.float32), (8, 1))
    found = seam.seam(values)
    assert found.step == 1.0 and found.over > seam.FAULT
    tent = np.concatenate([heights, heights[-2:0:-1]]).astype(np.float32)
    assert seam.seam(np.tile(tent, (8, 1))).over <= seam.GOOD
    flat = seam.seam(np.full((30, 40), 0.3, np.float32))
    assert flat.flat and flat.over == 0


@pytest.mark.parametrize("seed", range(3))
def test_what_is_truly_periodic_has_a_good_seam_however_it_is_rolled(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = 96
    u, v = np.fft.fftfreq(n)[:, None], np.fft.fftfreq(n)[None]
    shape = 1 / (0.02 + np.hypot(u, v)) ** (1 + 0.5 * seed)
    made = np.fft.ifft2(np.fft.fft2(rng.normal(size=(n, n))) * shape).real
    tile = ((made - made.min()) / np.ptp(made)).astype(np.float32)
    drawn = (np.add.outer(np.arange(n) // 24, np.arange(n) // 24) % 2).astype(np.float32)
    for by in range(0, n, 5):
        for picture in (tile, drawn):
            rolled = np.roll(picture, (by, 2 * by), axis=(0, 1))
            assert max(seam.seam(rolled).over, seam.seam_down(rolled).over) <= seam.GOOD
    assert seam.seam(tile[:, : n // 2]).over > seam.GOOD or seam.seam_down(tile[: n // 2]).over > seam.GOOD


def test_repeat_finds_the_period_of_a_weave() -> None:
    wave = np.sin(2 * np.pi * np.arange(256) / 32)
    weave = (0.5 + 0.25 * np.add.outer(wave, wave)).astype(np.float32)
    found = seam.repeat(weave)
    assert found.regular and found.strength > 0.95 and found.away * 256 == pytest.approx(32, abs=1)
    assert one(weave, "repeat", "tiling-height").verdict == "good"
    assert seam.repeat(np.random.default_rng(1).random((256, 256), dtype=np.float32)).strength < 0.1


def test_a_spot_that_is_there_twice_is_no_weave() -> None:
    """A tile put twice into itself repeats at a half; one spot copied makes one pair of peaks, and no third."""
    grain = np.random.default_rng(2).random((256, 128), dtype=np.float32)
    twice = seam.repeat(np.tile(grain, (1, 2)))
    assert twice.strength > 0.99 and twice.away == pytest.approx(0.5) and not twice.regular
    assert one(np.tile(grain, (1, 2)), "repeat", "tiling-height").verdict == "look"
    copied = np.random.default_rng(3).random((256, 256), dtype=np.float32)
    copied[20:200, 10:75] = copied[20:200, 80:145]
    found = seam.repeat(copied)
    assert found.strength > 0.15 and found.away * 256 == pytest.approx(70, abs=1) and not found.regular


@pytest.mark.parametrize("seed", range(4))
def test_like_forms_strewn_on_even_ground_are_no_copied_patch(seed: int) -> None:
    rng = np.random.default_rng(seed)
    strewn = np.zeros((512, 512))
    y, x = np.mgrid[-256:256, -256:256]
    dome = np.clip(1.5 - np.hypot(x, y) / 7, 0, 1)
    for _ in range(200):
        strewn = np.maximum(strewn, np.roll(dome, rng.integers(512, size=2), axis=(0, 1)) * rng.uniform(0.5, 1))
    assert one(strewn, "repeat", "tiling-height").verdict == "good"
    stamped = cv2.GaussianBlur(rng.random((512, 512)), (0, 0), 1.5)
    whole = stamped.copy()
    for _ in range(6):  # six spots taken from six places, as by hand
        (fr, fc), (tr, tc) = rng.integers(0, 432, size=(2, 2))
        stamped[tr : tr + 80, tc : tc + 80] = whole[fr : fr + 80, fc : fc + 80]
    assert one(stamped, "repeat", "tiling-height").verdict == "look"


def test_the_grain_along_a_strip_is_no_repeat() -> None:
    grain = cv2.blur(np.random.default_rng(4).random((200, 512), dtype=np.float32), (1, 5))
    along = grain.mean(axis=1, keepdims=True) * np.ones((1, 512), np.float32) + np.float32(0.02) * grain
    assert seam.repeat(along, (True, True)).strength > 0.6
    assert seam.repeat(along, (True, False)).strength < 0.3


def one(values: np.ndarray, id: str, to: str) -> Gauge:
    return {g.id: g for g in measure(values.astype(np.float32), ANY[to])}[id]


def test_centre_and_evenness_of_plain_forms() -> None:
    y, x = np.mgrid[0:256, 0:256] + 0.5
    spot = np.clip(1 - np.hypot(x - 148, y - 128) / 60, 0, 1)
    found = one(spot, "centre", "sculpt-stamp")
    assert found.numbers["off"] == pytest.approx(20 / 256, rel=0.02) and found.fix == "centre"
    assert one(np.maximum(0, 1 - disc(256, 0.4)), "centre", "sculpt-stamp").verdict == "good"
    ramp = np.tile(np.linspace(0, 1, 256), (256, 1))
    # Six block means of a ramp spread by its own spread times the root of 35/36.
    assert one(ramp, "evenness", "tiling-height").numbers["spread"] == pytest.approx((35 / 36) ** 0.5, rel=0.02)


@pytest.mark.parametrize("to", list(ANY))
def test_a_flat_or_odd_plate_breaks_no_gauge(to: str) -> None:
    rng = np.random.default_rng(3)
    for values in (np.zeros((64, 64)), np.full((64, 64), 0.5), np.ones((8, 8)), rng.random((3, 3)),
                   rng.random((1, 1)), rng.random((40, 200)) * 3 - 1):  # fmt: skip
        found = measure(values.astype(np.float32), ANY[to])
        assert [g.id for g in found] == list(that_apply(ANY[to]))
        for gauge in found:
            assert np.isfinite([*gauge.numbers.values(), gauge.at]).all() and gauge.says.endswith(".")
    for level in (0.0, 0.5, 1.0):
        for gauge in measure(np.full((64, 64), level, np.float32), ANY[to]):
            assert gauge.value == "flat" or gauge.id in ("size", "clipping", "border", "polarity")
            if gauge.id in ("seam", "steepness", "banding", "detail", "noise", "centre", "evenness", "repeat"):
                assert gauge.verdict == "good", gauge


def test_a_strip_has_a_border_above_and_below_only() -> None:
    to = ANY["stroke-strip"]
    strip = np.tile(np.hanning(64)[:, None], (1, 200)).astype(np.float32)
    assert one(strip, "border", "stroke-strip").verdict == "good"
    assert {g.id: g for g in measure(strip, ANY["sculpt-stamp"])}["border"].verdict == "fault"
    strip[-1] = 0.3
    assert one(strip, "border", "stroke-strip").numbers["departure"] == pytest.approx(0.3, abs=1e-4)
    assert "border" not in that_apply(ANY["tiling-height"]) and "border" in that_apply(to)


def test_a_tile_that_goes_as_a_stamp_shows_its_square() -> None:
    tile = np.full((64, 64), 0.4, np.float32)
    found = {g.id: g for g in measure(tile, ANY["sculpt-stamp"], (True, True))}
    assert found["border"].verdict == "fault" and "its square" in found["border"].says
    assert "border" not in {g.id for g in measure(tile, ANY["tiling-height"], (True, True))}


def test_every_gauge_is_documented_with_its_zones() -> None:
    from pathlib import Path

    text = (Path(__file__).parents[1] / "docs" / "gauges.md").read_text()
    rows = {line.split("`")[1]: line for line in text.splitlines() if line.startswith("| `")}
    assert list(rows) == list(KINDS) == [*ALL]
    for kind in KINDS.values():
        ends = (kind.usual.good, kind.usual.look) if kind.usual else ()
        for end in (pair[1 if kind.limit == "upper" else 0] for pair in ends[: 1 if kind.advice else 2]):
            assert not end or (f"{end * 100:g} %" if kind.share else f"{end:g}") in rows[kind.id], kind.id
    assert "Immerkær" in text


def test_a_form_that_the_frame_cuts_is_told_and_one_that_touches_is_not() -> None:
    y, x = np.mgrid[0:256, 0:256] + 0.5
    for middle, radius, cut in ((128, 90, False), (90, 90, False), (60, 90, True)):
        disc = np.clip((radius - np.hypot(x - middle, y - 128)) / 4, 0, 1).astype(np.float32)
        gauge = one(disc, "cut-off", "sculpt-stamp")
        assert (gauge.verdict == "look") == cut and ("left edge" in gauge.says) == cut
        # Analytic: the chord that the frame cuts from the disc, at the ground's level.
        chord = 2 * np.sqrt(max(0.0, radius**2 - middle**2)) / 256 / 4 if cut else 0
        assert gauge.numbers["share"] == pytest.approx(chord, abs=0.012)
    assert one(np.full((64, 64), 0.5, np.float32), "cut-off", "sculpt-stamp").verdict == "good"
    assert one(np.zeros((64, 64), np.float32), "cut-off", "sculpt-stamp").value == "flat"


@pytest.mark.parametrize("factor", [2, 3, 5])
def test_the_step_of_stairs_is_the_factor_of_enlarging(factor: int) -> None:
    waves = band_limited(120, 120, 0.03, 5) > 0.5
    large = cv2.resize(waves.astype(np.float32), None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC)
    found = stairs(large)
    assert found.step == pytest.approx(factor, abs=0.03) and found.strength > 0.24
    assert stairs((band_limited(360, 360, 0.01, 5) > 0.5).astype(np.float32)).strength < 0.24
    assert stairs(np.zeros((100, 100), np.float32)) == stairs(np.ones((8, 8), np.float32)) == Stairs(0.0, 0.0)


def test_the_range_is_that_of_all_but_a_few_lone_pixels() -> None:
    """Against a plain sort, on sides that part into blocks and on such that do not."""
    rng = np.random.default_rng(6)
    for side in (64, 77, 256):
        values = (rng.random((side, side)) * 0.6 + 0.1).astype(np.float32)
        values[rng.integers(0, side, 3), rng.integers(0, side, 3)] = 1.0
        gauge = one(values, "range", "sculpt-stamp")
        assert gauge.numbers["highest"] == pytest.approx(float(np.sort(values, axis=None)[-4]), abs=1e-6)
        assert gauge.numbers["lowest"] == pytest.approx(float(np.sort(values, axis=None)[3]), abs=1e-6)
        values[: side // 2] = 0  # ground, which is not counted
        gauge = one(values, "range", "sculpt-stamp")
        assert gauge.numbers["lowest"] == pytest.approx(float(np.sort(values[side // 2 :], axis=None)[3]), abs=1e-6)
        assert not gauge.value.startswith("-")
