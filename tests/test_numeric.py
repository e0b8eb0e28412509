"""Numeric functions against outside references."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage
from scipy.interpolate import PchipInterpolator

from engraver.core.errors import BadPicture
from engraver.core.numeric import blur, monotone, noise, resample, shapes, tone
from engraver.core.numeric.shapes import Form
from engraver.core.raster import Raster
from test_tone import run

RNG = np.random.default_rng(7)
PICTURE = RNG.random((150, 203), dtype=np.float32)


@pytest.mark.parametrize("sigma", [1.0, 2.5, 4.0, 6.0])
@pytest.mark.parametrize(("wrap", "mode"), [((False, False), "reflect"), ((True, True), "wrap")])
def test_gaussian_equals_scipy(sigma: float, wrap: tuple[bool, bool], mode: str) -> None:
    """SciPy's ndimage.gaussian_filter, truncated at 4 sigma, with the same border rule."""
    expected = ndimage.gaussian_filter(PICTURE.astype(np.float64), sigma, mode=mode, truncate=4)
    assert np.abs(blur.gaussian(PICTURE, sigma, wrap) - expected).max() < 2e-6


@pytest.mark.parametrize("sigma", [6.5, 8.5, 11.9, 14.0, 33.0, 70.0])
@pytest.mark.parametrize(("wrap", "mode"), [((False, False), "reflect"), ((True, True), "wrap")])
@pytest.mark.parametrize("picture", ["noise", "ink", "edge", "sliver"])
def test_wide_gaussian_is_scipys_and_keeps_the_mean(
    sigma: float, wrap: tuple[bool, bool], mode: str, picture: str
) -> None:
    """ndimage.gaussian_filter, cut at 6 sigma; a mean over squares for the small picture would be off by 3e-4."""
    values = {
        "noise": PICTURE, "ink": (PICTURE > 0.5).astype(np.float32), "sliver": PICTURE[:9],
        "edge": np.add.outer(np.arange(251), np.arange(300) > 290).astype(np.float32) / 251,
    }[picture]  # fmt: skip
    expected = ndimage.gaussian_filter(values.astype(np.float64), sigma, mode=mode, truncate=6)
    result = blur.gaussian(values, sigma, wrap)
    assert np.abs(result - expected).max() < 1e-4
    assert abs(float(result.mean()) - float(values.mean())) < 1e-5


@pytest.mark.parametrize("sigma", [0.2, 0.5, 0.8, 3.0])
def test_gaussian_damps_a_wave_as_its_transfer_function_says(sigma: float) -> None:
    """exp(-(sigma w)^2 / 2): the Fourier transform of a Gaussian, also far below one pixel."""
    w = 2 * np.pi / 8
    wave = np.cos(w * np.arange(64, dtype=np.float32))[None].repeat(8, 0).astype(np.float32)
    result = blur.gaussian(wave, sigma, (True, True))
    assert result[0, 0] == pytest.approx(np.exp(-0.5 * (sigma * w) ** 2), abs=6e-3)


def test_normalised_blur_ignores_what_is_not_there() -> None:
    cover = np.ones_like(PICTURE)
    cover[:, 100:] = 0
    dirty = np.where(cover > 0, PICTURE, 1e3).astype(np.float32)
    clean = blur.normalised(np.where(cover > 0, PICTURE, 0).astype(np.float32), cover, 4.0, (False, False))
    assert np.allclose(blur.normalised(dirty, cover, 4.0, (False, False))[:, :100], clean[:, :100], atol=1e-4)


def test_guided_filter_equals_its_published_formula() -> None:
    """He, Sun and Tang 2010, eq. 5, 6 and 8 with I = p, written plainly in float64 with SciPy's window."""
    p, sigma, grip = PICTURE.astype(np.float64), 3.0, 0.2

    def mean(v: np.ndarray) -> np.ndarray:
        return ndimage.gaussian_filter(v, sigma, mode="reflect", truncate=4)

    variance = mean(p * p) - mean(p) ** 2
    a = variance / (variance + grip**2)
    b = mean(p) - a * mean(p)
    assert np.abs(blur.edge_keeping(PICTURE, sigma, grip) - (mean(a) * p + mean(b))).max() < 1e-5


@pytest.mark.parametrize(("rows", "columns"), [(50, 29), (149, 203), (37, 101)])
def test_area_average_equals_an_exact_box_sum(rows: int, columns: int) -> None:
    """Each new pixel is the integral over its rectangle: differences of the running sum, in float64."""

    def along(values: np.ndarray, count: int) -> np.ndarray:
        total = np.concatenate([np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)])
        edges = np.linspace(0, values.shape[0], count + 1)
        at = np.array([np.interp(edges, np.arange(len(total)), column) for column in total.T]).T
        return np.diff(at, axis=0) * count / values.shape[0]

    expected = along(along(PICTURE.astype(np.float64), rows).T, columns).T
    assert np.abs(resample.area(PICTURE, rows, columns) - expected).max() < 2e-5


def test_lanczos_keeps_constants_follows_waves_and_wraps() -> None:
    assert np.abs(resample.lanczos(np.full((20, 20), 0.3, np.float32), 55, 47) - 0.3).max() < 1e-6
    t = (np.arange(40) + 0.5) / 40
    wave = np.sin(2 * np.pi * 3 * t)[None].repeat(40, 0).astype(np.float32)
    fine = (np.arange(120) + 0.5) / 120
    result = resample.lanczos(wave, 40, 120, wrap=(True, True))
    assert np.abs(result[20] - np.sin(2 * np.pi * 3 * fine)).max() < 0.02


def test_resizing_with_coverage_does_not_bleed() -> None:
    cover = np.zeros((64, 64), np.float32)
    cover[:, :33] = 1
    pixels = np.where(cover > 0, 0.7, 0.0).astype(np.float32)
    out, over = resample.with_coverage(pixels, cover, 16, 16, (False, False))
    assert over is not None
    assert np.abs(out[over > 0.01] - 0.7).max() < 1e-4


@pytest.mark.parametrize("share", [1.0, 0.4])
def test_percentiles_equal_numpy(share: float) -> None:
    values = (RNG.normal(0.3, 2.0, (200, 300)) ** 3).astype(np.float32)
    mask = (RNG.random(values.shape) < share).astype(np.uint8)
    wanted = (0.0, 2.0, 50.0, 99.8, 100.0)
    expected = np.percentile(values[mask > 0], wanted)
    found = tone.percentiles(values, wanted, mask)
    assert np.abs(found - expected).max() < (values.max() - values.min()) / 65536 + 1e-6


def test_percentiles_of_nothing_are_refused() -> None:
    with pytest.raises(BadPicture):
        tone.percentiles(PICTURE, (50.0,), np.zeros(PICTURE.shape, np.uint8))


def test_luma_weights_and_srgb_of_the_standards() -> None:
    """Weights: ITU-R BT.709-6 item 3.2, BT.601-7 2.5.1. sRGB: IEC 61966-2-1, 5.2 (values from its formula)."""
    primaries = np.eye(3, dtype=np.float32)[None]
    assert np.allclose(tone.mix(primaries, tone.LUMA_709), [[0.2126, 0.7152, 0.0722]], atol=1e-7)
    assert np.allclose(tone.mix(primaries, tone.LUMA_601), [[0.299, 0.587, 0.114]], atol=1e-7)
    coded = np.array([[0.0, 0.04045, 0.5, 1.0]], np.float32)
    assert np.allclose(tone.srgb_decode(coded), [[0, 0.0031308, 0.2140411, 1]], atol=1e-6)
    wide = np.linspace(-0.5, 2, 101, dtype=np.float32)[None]
    assert np.abs(tone.srgb_encode(tone.srgb_decode(wide)) - wide).max() < 1e-5


points = st.lists(
    st.tuples(st.integers(0, 100), st.integers(0, 100)), min_size=2, max_size=9, unique_by=lambda p: p[0]
).map(lambda ps: tuple(sorted((x / 100, y / 100) for x, y in ps)))


@given(points)
@settings(max_examples=80, deadline=None)
def test_curve_equals_scipy_pchip_and_never_overshoots(ps: tuple[tuple[float, float], ...]) -> None:
    """SciPy's PchipInterpolator; between two points the curve stays between their heights."""
    x, y = (np.array(c) for c in zip(*ps, strict=True))
    at = np.linspace(x[0], x[-1], 400)
    ours = monotone.evaluate(ps, at)
    assert np.abs(ours - PchipInterpolator(x, y)(at)).max() < 1e-9
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(x) - 2)
    low, high = np.minimum(y[k], y[k + 1]), np.maximum(y[k], y[k + 1])
    assert (ours >= low - 1e-9).all() and (ours <= high + 1e-9).all()


def test_a_table_is_joined_and_goes_on_straight() -> None:
    """A look-up that took the nearest entry would leave 4,097 steps at most."""
    values = np.linspace(-0.5, 1.5, 40001, dtype=np.float32)[None]
    result = tone.apply_table(values, monotone.table(((0.0, 0.0), (0.4, 0.5), (1.0, 1.0))))
    inside = result[0, (values[0] >= 0) & (values[0] <= 1)]
    assert len(np.unique(inside)) > 15000
    assert np.diff(result[0]).min() >= 0 and result[0, 0] < -0.3 and result[0, -1] > 1.1


def test_noise_is_the_same_at_every_scale_and_seeded() -> None:
    large, small = noise.lattice(512, 512, 0.08, 5, octaves=1), noise.lattice(128, 128, 0.08, 5, octaves=1)
    assert np.abs(resample.area(large, 128, 128) - small).max() < 0.02
    assert np.array_equal(noise.lattice(64, 64, 0.1, 5), noise.lattice(64, 64, 0.1, 5))
    assert np.abs(noise.lattice(64, 64, 0.1, 5) - noise.lattice(64, 64, 0.1, 6)).max() > 0.1
    assert large.min() >= 0 and large.max() <= 1 and 0.4 < large.mean() < 0.6


def test_outlines_are_true_distances() -> None:
    """Analytic: the depth of a pixel is the distance to a circle, or to the nearest side."""
    y, x = np.mgrid[0:100, 0:100] + 0.5
    assert np.allclose(shapes.depth(100, 100, Form("circle", 0.1)), 40 - np.hypot(x - 50, y - 50), atol=1e-4)
    nearest = np.minimum(np.minimum(x, 100 - x), np.minimum(y, 100 - y))
    assert np.allclose(shapes.depth(100, 100, Form("square")), nearest, atol=1e-4)
    rounded = shapes.depth(100, 100, Form("rounded", corner=0.5))
    # Outside the corner's centre (25, 25) the distance is to an arc of radius 25.
    assert rounded[5, 8] == pytest.approx(25 - np.hypot(25 - 8.5, 25 - 5.5), abs=1e-4)
    assert rounded[50, 3] == pytest.approx(3.5, abs=1e-4)


@pytest.mark.parametrize("radius", [0.014, 0.02, 0.03])
def test_a_wide_edge_keeping_soften_is_the_direct_one(radius: float) -> None:
    """Where it goes over to a reduced picture nothing jumps: white noise on a step, the hardest there is."""
    rng = np.random.default_rng(8)
    values = (np.linspace(0, 1, 900)[None] > 0.5) * np.float32(0.5) + rng.random((900, 900), dtype=np.float32) / 2
    made = run("soften", Raster.of(values), method="edge-keeping", radius=radius).pixels
    direct = blur.edge_keeping(values, radius * 900, 0.1)
    assert np.abs(made - direct).max() < 4e-4 and np.abs(made - direct).max() > 0
