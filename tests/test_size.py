"""Size: filters against their formulas and OpenCV; sides by rule; detail that is held."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from conftest import band_limited
from engraver.core.engine import Request
from engraver.core.numeric import filters
from engraver.core.raster import Raster
from engraver.core.recipe import Step
from engraver.core.steps.size import ruled
from lines import line_of
from test_tone import open_picture, run


def test_mitchell_is_the_published_kernel() -> None:
    """B = C = 1/3: 8/9 at 0, 1/18 at 1, 0 at 2; its shifts sum to one."""
    at = np.array([0.0, 1.0, 2.0, -1.0])
    assert np.allclose(filters.mitchell(at), [8 / 9, 1 / 18, 0, 1 / 18])
    for x in np.linspace(0, 1, 7):
        assert filters.mitchell(x + np.arange(-3, 4)).sum() == pytest.approx(1)


@pytest.mark.parametrize("side", [150, 233, 400])
def test_lanczos_is_opencvs_inside(side: int) -> None:
    values = band_limited(100, 100, 0.1, 4)
    ours = filters.by_filter(values, side, side, "lanczos")
    theirs = cv2.resize(values, (side, side), interpolation=cv2.INTER_LANCZOS4)
    edge = side // 10
    assert np.abs(ours - theirs)[edge:-edge, edge:-edge].max() < 2e-3


@pytest.mark.parametrize("name", ["auto", "area", "lanczos", "mitchell"])
@pytest.mark.parametrize("wrap", [(False, False), (True, True), (True, False)])
def test_a_wave_keeps_its_place_and_goes_on_over_the_border(name: str, wrap: tuple[bool, bool]) -> None:
    """A sine of whole periods, made smaller and larger, is the same sine; mirrored where it does not wrap."""

    def wave(n: int, axis: int, on: bool) -> np.ndarray:
        t = (np.arange(n) + 0.5) / n
        w = 0.5 + 0.2 * (np.sin(2 * np.pi * 2 * t) if on else np.cos(2 * np.pi * t))
        return w[None] if axis else w[:, None]

    def picture(n: int) -> np.ndarray:
        return (wave(n, 1, wrap[0]) * wave(n, 0, wrap[1])).astype(np.float32)

    for old, new in ((120, 80), (120, 180), (120, 311)):
        made = filters.by_filter(picture(old), new, new, name, wrap)  # type: ignore[arg-type]
        room = 4 if name == "area" and new > old else 0  # a linear join has nothing to go by at the border
        whole = np.abs(made - picture(new))[room : new - room, room : new - room]
        assert whole.max() < 0.004, (old, new)


def test_nearest_takes_stored_values_and_area_keeps_the_mean() -> None:
    values = np.random.default_rng(2).random((60, 90), dtype=np.float32)
    assert np.isin(filters.by_filter(values, 47, 133, "nearest"), values).all()
    assert filters.by_filter(values, 20, 30, "area").mean() == pytest.approx(values.mean(), abs=1e-6)


def test_sides_follow_their_rule_and_the_plate_is_never_stretched() -> None:
    assert [ruled(n, "power-of-two") for n in (1000, 1024, 1500, 1)] == [1024, 1024, 1024, 1]
    assert [ruled(n, "power-of-two-plus-one") for n in (1000, 513, 2)] == [1025, 513, 2]
    values = band_limited(60, 90, 0.1, 2)
    line, engine = line_of(values, Step.make("size", side=100, rule="power-of-two-plus-one"))
    made = engine.evaluate(line, Request(exact=True)).raster
    assert (made.width, made.height) == (129, 86)


def test_held_detail_has_the_contrast_of_single_pixels() -> None:
    values = open_picture("gravel")[:400, :400]
    plain, held = ((lambda h: line_of(values, Step.make("size", side=100, hold=h)))(h) for h in (0.0, 1.0))
    flat, sharp = (e.evaluate(line, Request(exact=True)).raster.pixels for line, e in (plain, held))
    single = cv2.resize(values, (100, 100), interpolation=cv2.INTER_NEAREST)

    def fine(v: np.ndarray) -> float:
        return float((v - cv2.GaussianBlur(v, (0, 0), 0.7)).std())

    assert fine(flat) < 0.9 * fine(single) and fine(flat) < fine(sharp) <= 1.35 * fine(single)


def test_size_tells_what_the_plate_truly_holds() -> None:
    small = open_picture("grass")[:256, :256]
    big = cv2.resize(small, (512, 512), interpolation=cv2.INTER_CUBIC)
    made = run("size", Raster.of(big), side=256, hold=0.5)
    assert made.pixels.shape == (512, 512) or made.pixels.shape == (256, 256)
    kind = Step.make("size", hold=0.5).declared
    line, engine = line_of(big, Step.make("size", side=256, hold=0.5))
    found = engine.evaluate(line, Request(exact=True)).autos
    words = kind.tells(kind.params(side=256, hold=0.5), next(iter(found.values())))
    assert "50 %" in words and "Larger adds nothing" in words
