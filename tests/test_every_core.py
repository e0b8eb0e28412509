"""Work split over cores: each part once, the same bits on any number of cores, nothing waits for itself."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from importlib import import_module
from threading import Event, Lock

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.polynomial import legendre

from engraver.core.errors import Cancelled
from engraver.core.files.png_write import png
from engraver.core.files.write import quantise
from engraver.core.numeric import shapes, spline, surface, tone
from engraver.core.numeric import split_rows as splitting
from engraver.core.numeric.split_rows import split_rows
from engraver.core.raster import Raster
from engraver.core.readiness import Measured, destination
from engraver.core.steps import StepContext, kind_of

measuring = import_module("engraver.core.readiness.measure")  # a function of the same name hides it

RNG = np.random.default_rng(11)
PICTURE = RNG.random((301, 217), dtype=np.float32)


@given(rows=st.integers(0, 700), band=st.one_of(st.none(), st.integers(1, 90)), cores=st.integers(1, 6))
def test_every_row_is_worked_on_once(rows: int, band: int | None, cores: int) -> None:
    patch = pytest.MonkeyPatch()
    patch.setattr(splitting, "cores", lambda: cores)
    seen, lock = np.zeros(rows, int), Lock()

    def work(first: int, end: int) -> None:
        with lock:
            seen[first:end] += 1

    try:
        split_rows(work, rows, band)
    finally:
        patch.undo()
    assert (seen == 1).all()


def test_no_more_cores_are_used_than_a_process_is_given_or_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """OpenMP's own variable (its API 5.2, 21.1.2, the number from memory), which a batch sets for its processes."""
    monkeypatch.setattr("os.sched_getaffinity", lambda _: {0, 1, 2, 3})
    for said, used in (("", 4), ("2", 2), ("9", 4), ("0", 1), ("4,2", 4), ("many", 4)):
        monkeypatch.setenv("OMP_NUM_THREADS", said)
        assert splitting.cores() == used


def test_a_failure_stops_the_rest_and_is_raised_once_all_have_ended() -> None:
    ended: list[int] = []

    def work(first: int, end: int) -> None:
        if first == 20:
            raise ValueError("the third part")
        ended.append(first)

    with pytest.raises(ValueError, match="third"):
        split_rows(work, 1000, 10)
    assert len(ended) < 100 and 20 not in ended
    count = len(ended)
    split_rows(lambda a, b: None, 1000, 10)  # the helpers are there again
    assert len(ended) == count


def test_parts_may_split_their_work_and_busy_helpers_are_not_waited_for() -> None:
    total, lock, gate = [0], Lock(), Event()

    def inner(first: int, end: int) -> None:
        with lock:
            total[0] += end - first

    split_rows(lambda a, b: split_rows(inner, 400, 20), 100, 10)
    assert total[0] == 10 * 400
    blockers = [splitting._helpers().submit(gate.wait, 20) for _ in range(splitting.cores())]
    with ThreadPoolExecutor(1) as other:  # all helpers stand still: whoever asks does it alone
        asked = other.submit(split_rows, inner, 500, 10)
        asked.result(timeout=10)
    gate.set()
    assert total[0] == 4500 and all(b.result() for b in blockers)


def _even_light() -> np.ndarray:
    kind = kind_of("even-light")
    raster = Raster.of(PICTURE + np.linspace(0, 1, 217, dtype=np.float32))
    facts, params = raster.facts(), kind.params(light="blur", amount=0.8)
    return kind.apply(raster, params, StepContext(facts, facts, raster.pixels.shape)).pixels  # type: ignore[arg-type]


WORK: dict[str, Callable[[], np.ndarray]] = {
    "light": _even_light,
    "histogram": lambda: tone.histogram(PICTURE, 4096, 0, 1),
    "own histogram": lambda: tone.own_histogram(PICTURE - 0.3, 65536)[0],
    "circle": lambda: shapes.depth(301, 217, shapes.Form(margin=0.05)),
    "box": lambda: shapes.depth(301, 217, shapes.Form("rounded", margin=0.1, turn=20.0)),
    "spline": lambda: spline.coefficients(PICTURE, (True, False)),
    "levels": lambda: quantise(PICTURE, "16"),
    "png": lambda: np.frombuffer(png(quantise(PICTURE, "16")), np.uint8),
    "polynomial": lambda: surface.polynomial(301, 217, np.arange(6) / 7, 2, exponential=True),
}


@pytest.mark.parametrize("name", WORK)
def test_any_number_of_cores_gives_the_same_bits(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    found = []
    for cores in (1, 2, 3, 7):
        monkeypatch.setattr(splitting, "cores", lambda n=cores: n)
        found.append(WORK[name]())
    assert all(np.array_equal(found[0], other) for other in found[1:])


@pytest.mark.parametrize("id", ["sculpt-stamp", "tiling-height"])
def test_gauges_beside_each_other_tell_what_they_tell_one_by_one(id: str, monkeypatch: pytest.MonkeyPatch) -> None:
    y, x = np.mgrid[0:256, 0:256] / 256.0
    weave = 0.5 + 0.2 * np.sin(8 * np.pi * x) * np.sin(8 * np.pi * y)
    plate = (weave + np.random.default_rng(5).normal(0, 0.01, x.shape)).astype(np.float32)
    to = destination(id)
    monkeypatch.setattr(measuring, "_BESIDE", 0)
    alone = measuring.measure(plate, to)
    monkeypatch.setattr(measuring, "_BESIDE", plate.size)
    monkeypatch.setattr(splitting, "cores", lambda: 2)
    assert measuring.measure(plate, to) == alone and [g.id for g in alone] == list(measuring.that_apply(to))

    def stopped() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        measuring.gauges(Measured.of(plate, to), stopped)


@given(st.floats(-2, 2), st.floats(0.1, 3), st.integers(0, 3))
def test_counts_are_those_of_numpy(low: float, span: float, masked: int) -> None:
    values = (PICTURE * np.float32(span) + np.float32(low)).astype(np.float32)
    mask = (RNG.random(values.shape) < 0.3 * masked).astype(np.uint8) if masked else None
    kept = values if mask is None else values[mask > 0]
    lo, hi = tone.ends(values, mask)
    assert (lo, hi) == (float(kept.min()), float(kept.max()))
    counts, begin, end = tone.own_histogram(values, 256, mask)
    expected, edges = np.histogram(kept.astype(np.float64), 256, (begin, end))
    assert counts.sum() == kept.size
    # A value within a rounding of an edge may fall on its other side.
    assert np.abs(np.cumsum(counts) - np.cumsum(expected)).max() <= max(4, 2e-4 * kept.size)
    assert edges[0] == lo


@pytest.mark.parametrize("masked", [False, True])
@pytest.mark.parametrize("bins", [65536, 4096])
def test_many_values_are_counted_just_as_numpy_does(bins: int, masked: bool) -> None:
    values = np.random.default_rng(6).normal(0.4, 3, (640, 700)).astype(np.float32)
    mask = (np.random.default_rng(7).random(values.shape) < 0.3).astype(np.uint8) * 255 if masked else None
    counts, begin, end = tone.own_histogram(values, bins, mask)
    kept = values if mask is None else values[mask > 0]
    assert np.array_equal(counts, np.histogram(kept.astype(np.float64), bins, (begin, end))[0])


def test_polynomials_are_numpys_legendre_series() -> None:
    coefficients = RNG.normal(0, 1, 10)
    x, y = ((np.arange(n) + 0.5) * 2 / n - 1 for n in (217, 301))
    grid, n = np.zeros((4, 4)), 0
    for i in range(4):
        for j in range(4 - i):
            grid[j, i] = coefficients[n]
            n += 1
    expected = legendre.leggrid2d(y, x, grid)
    assert np.abs(surface.polynomial(301, 217, coefficients, 3) - expected).max() < 1e-5
    grown = surface.polynomial(301, 217, coefficients, 3, exponential=True)
    assert np.abs(grown / np.exp(expected) - 1).max() < 2e-5
