"""Medians and percentiles against NumPy's own."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import array_shapes, arrays

from engraver.core.numeric.ranks import median, percentile, row_percentiles

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
