"""Growing tiles: tones, seams, repeats, chance."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from engraver.core.errors import BadValue
from engraver.core.numeric import grow, seam
from engraver.core.raster import Raster
from test_tone import open_picture, run

METHODS = {"patches": grow.quilted, "blend": grow.blended}


def earth_movers(a: np.ndarray, b: np.ndarray) -> float:
    """Between two distributions of tones: the mean distance of their quantiles, in levels of 256."""
    at = np.linspace(0, 1, 1001)
    return float(np.abs(np.quantile(a, at) - np.quantile(b, at)).mean() * 255)


@pytest.mark.parametrize("method", list(METHODS))
@pytest.mark.parametrize("name", ["grass", "gravel"])
def test_a_grown_tile_keeps_tones_and_grain_and_repeats(name: str, method: str) -> None:
    sample = np.ascontiguousarray(open_picture(name)[100:292, 100:292])
    made = METHODS[method](sample, 512, 0.25, 0.2, 7)
    assert made.shape == (512, 512) and made.dtype == np.float32
    assert earth_movers(made, sample) <= 2
    assert max(seam.seam(made).over, seam.seam_down(made).over) <= seam.GOOD
    # The grain: steps between neighbours are as in the sample.
    steps = [float(np.abs(np.diff(p, axis=1)).mean()) for p in (made, sample)]
    assert steps[0] == pytest.approx(steps[1], rel=0.12)
    assert seam.repeat(made).strength < 0.35


def test_the_same_spot_stands_apart() -> None:
    """A sample of noise with one bright spot: what is grown shows it again only so far away."""
    rng = np.random.default_rng(1)
    sample = (0.3 + 0.05 * rng.random((160, 160))).astype(np.float32)
    sample[60:70, 90:100] = 1.0
    made = METHODS["patches"](sample, 480, 0.2, 0.3, 3)
    bright = cv2.dilate((made > 0.9).astype(np.uint8), np.ones((21, 21)))
    _, _, _, spots = cv2.connectedComponentsWithStats(bright)
    assert len(spots) > 2  # the ground counts as the first
    for n, p in enumerate(spots[1:]):
        for q in spots[1 : n + 1]:
            gaps = [min(abs(a - b), 480 - abs(a - b)) for a, b in zip(p, q, strict=True)]
            assert np.hypot(*gaps) >= 0.27 * 480


@pytest.mark.parametrize("method", list(METHODS))
def test_chance_comes_from_the_seed_alone(method: str) -> None:
    sample = np.ascontiguousarray(open_picture("gravel")[:120, :120])
    one, two, other = (METHODS[method](sample, 200, 0.25, 0.2, s) for s in (1, 1, 2))
    assert np.array_equal(one, two) and np.abs(one - other).mean() > 0.02


def test_a_sample_too_small_is_told_and_a_flat_one_stays_flat() -> None:
    with pytest.raises(BadValue, match="too small to grow"):
        run("grow", Raster.of(np.zeros((3, 3), np.float32)))
    flat = METHODS["patches"](np.full((64, 64), 0.4, np.float32), 128, 0.3, 0.2, 1)
    assert np.abs(flat - 0.4).max() < 1e-6
    assert np.abs(METHODS["blend"](np.full((64, 64), 0.4, np.float32), 128, 0.3, 0.2, 1) - 0.4).max() < 1e-6
