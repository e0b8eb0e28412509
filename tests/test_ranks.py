"""Medians, percentiles, robust deviations and bounds against NumPy's and SciPy's own."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays
from scipy.stats import median_abs_deviation

from engraver.core.numeric.point_bounds import point_bounds
from engraver.core.numeric.ranks import median, percentile, robust_deviation, row_percentiles

VALUES = st.floats(-1e6, 1e6, width=32)


@given(
    arrays(np.float32, array_shapes(min_dims=1, max_dims=3, min_side=1, max_side=9), elements=VALUES),
    st.floats(0, 100) | st.sampled_from([0.0, 50.0, 100.0]),
)
def test_they_are_numpys(values: np.ndarray, percent: float) -> None:
    before, wide = values.copy(), values.astype(np.float64)
    scale = 1e-9 * max(1.0, float(np.abs(values).max()))
    assert percentile(values, percent) == pytest.approx(float(np.percentile(wide, percent)), abs=scale)
    assert median(values) == pytest.approx(float(np.median(wide)), abs=scale)
    assert np.array_equal(values, before)
    assert np.allclose(row_percentiles(values.copy(), percent), np.percentile(wide, percent, axis=-1), atol=scale)


def test_they_are_numpys_of_large_pictures() -> None:
    values = np.random.default_rng(1).normal(size=(900, 1100)).astype(np.float32)
    for percent in (0.1, 50, 99.9):
        assert percentile(values, percent) == pytest.approx(float(np.percentile(values.astype(np.float64), percent)))


@given(arrays(np.float32, st.integers(1, 60), elements=VALUES))
def test_a_robust_deviation_is_scipys(values: np.ndarray) -> None:
    expected = float(median_abs_deviation(values.astype(np.float64), scale="normal"))
    assert robust_deviation(values.astype(np.float64)) == pytest.approx(expected, rel=1e-9, abs=1e-9)
    away = robust_deviation(values.astype(np.float64), 0.0)
    assert away == pytest.approx(float(np.median(np.abs(values.astype(np.float64)))) / 0.6744897501960817)


@given(arrays(np.float32, st.tuples(st.integers(1, 20), st.integers(1, 4)), elements=VALUES))
def test_bounds_are_numpys(points: np.ndarray) -> None:
    low, high = point_bounds(points)
    assert np.array_equal(low, points.min(axis=0)) and np.array_equal(high, points.max(axis=0))
