"""What a plate is tried on: each declaration held to its promises, and the strength at which a proof begins."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import ndimage

from engraver.core.errors import BadValue, Cancelled, unwatched
from engraver.core.proof.drawing import drawn as drawn_on
from engraver.core.proof.strength import FIRST_STRENGTH, first_strength, steepness
from engraver.core.surfaces import ON_BENCH, SURFACES, Sheet, SurfaceKind, fitting, surface, terrain
from engraver.core.surfaces.view import Eye, Lamp

BODIES = [kind for kind in ON_BENCH.values() if kind.single is not None]
ALL = list(ON_BENCH.values())


def _id(kind: SurfaceKind) -> str:
    return kind.id


def _sheet(height: np.ndarray, **more: object) -> Sheet:
    return Sheet(height.astype(np.float32), 0.05, 40_000, (160, 120), smooth=False, **more)  # type: ignore[arg-type]


def _dome(side: int = 96) -> np.ndarray:
    y, x = np.mgrid[-1 : 1 : side * 1j, -1 : 1 : side * 1j]
    return np.clip(1 - np.hypot(x, y) * 1.3, 0, 1)


@pytest.mark.parametrize("kind", ALL, ids=_id)
def test_a_picture_has_its_size_shows_the_plate_and_is_the_same_again(kind: SurfaceKind) -> None:
    with_dome = drawn_on(kind, _sheet(_dome(), eye=kind.eye), unwatched)
    empty = drawn_on(kind, _sheet(np.zeros((96, 96)), eye=kind.eye), unwatched)
    assert with_dome.shape == (120, 160, 3) and with_dome.dtype == np.uint8
    assert np.array_equal(with_dome, drawn_on(kind, _sheet(_dome(), eye=kind.eye), unwatched))
    assert (np.abs(with_dome.astype(int) - empty).max(axis=-1) > 8).mean() > 0.01


@pytest.mark.parametrize("kind", ALL, ids=_id)
def test_nobody_waits_for_a_picture_any_more(kind: SurfaceKind) -> None:
    def check() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        drawn_on(kind, _sheet(_dome(), eye=kind.eye), check)


@pytest.mark.parametrize("kind", BODIES, ids=_id)
def test_the_lamp_from_the_other_side_lights_the_other_flank(kind: SurfaceKind) -> None:
    """A dome lit from the left is brighter at the left (Lambert), and the other way round."""
    side = []
    for azimuth in (270.0, 90.0):
        drawn = drawn_on(kind, _sheet(_dome(), eye=Eye(0, 0), lamp=Lamp(azimuth, 30.0)), unwatched).mean(axis=-1)
        bare = drawn_on(kind, _sheet(np.zeros((96, 96)), eye=Eye(0, 0), lamp=Lamp(azimuth, 30.0)), unwatched).mean(
            axis=-1
        )
        apart = drawn - bare
        side.append(float(apart[40:80, 50:78].mean() - apart[40:80, 82:110].mean()))
    assert side[0] > 2 and side[1] < -2


@pytest.mark.parametrize("kind", ALL, ids=_id)
def test_declarations_say_what_they_are(kind: SurfaceKind) -> None:
    assert surface(kind.id) is kind and kind.name and kind.command.startswith("Proof on") and kind.key
    low, high = kind.tilts
    assert low <= kind.eye.tilt <= high
    assert len({k.key for k in ALL}) == len({k.command for k in ALL}) == len(ALL)


def test_where_a_destination_is_judged() -> None:
    for kind in ("height", "paint", "mask"):
        for now in SURFACES:
            found = fitting(kind, now)
            assert kind in surface(found).suits
            assert found == now or kind not in surface(now).suits
    with pytest.raises(BadValue, match="There are: flat"):
        surface("shelf")


# -- the strength at which a proof begins ------------------------------------------


def test_a_cone_is_as_steep_as_its_flank() -> None:
    """Height 1 over half a width: slope 2 in widths, so 60 degrees are met at tan 60 / 2."""
    y, x = np.mgrid[-1:1:1024j, -1:1:1024j]
    cone = np.clip(1 - np.hypot(x, y), 0, 1).astype(np.float32)
    assert steepness(cone) == pytest.approx(math.tan(math.radians(60)) / 2, rel=0.02)


@pytest.mark.parametrize("angle", [0.0, 30.0, 45.0, 80.0])
def test_a_slope_is_the_same_whichever_way_it_faces(angle: float) -> None:
    y, x = np.mgrid[0:1:512j, 0:1:512j]
    way = math.cos(math.radians(angle)) * x + math.sin(math.radians(angle)) * y
    ramp = (0.05 + 0.5 * way).astype(np.float32)
    assert steepness(ramp) == pytest.approx(min(1.0, math.tan(math.radians(60)) / 0.5), rel=0.03)
    saw = ((8 * way) % 1 * 0.9 + 0.05).astype(np.float32)
    assert steepness(saw) < 0.3


def test_the_finest_relief_decides_how_strong_a_proof_begins() -> None:
    x = np.linspace(0, 1, 1024, endpoint=False)
    found = []
    for waves in (2, 16, 64):
        row = 0.5 + 0.5 * np.sin(2 * np.pi * waves * x)
        height = np.tile(row, (1024, 1)).astype(np.float32)
        # The 95th percentile of |cos| is cos of 4.5 degrees; the slope of such a wave is pi times its count.
        steep = np.pi * waves * math.cos(math.pi / 2 * 0.05)
        # Sobel's central difference of a sine is shorter by sin(h)/h.
        step = 2 * np.pi * waves / 1024
        expected = math.tan(math.radians(60)) / (steep * math.sin(step) / step)
        found.append(steepness(height))
        assert found[-1] == pytest.approx(min(1.0, expected), rel=0.02)
    assert found[0] > found[1] > found[2]
    assert first_strength(height) == pytest.approx(min(FIRST_STRENGTH, found[-1]))


def test_nothing_to_see_asks_for_no_care() -> None:
    assert steepness(np.zeros((64, 64), np.float32)) == 1.0
    assert first_strength(np.zeros((64, 64), np.float32)) == FIRST_STRENGTH


def test_the_hills_are_a_spline_through_their_knots() -> None:
    """As SciPy's own cubic, inside, to the last digits; at the border it goes through the last knots and stays."""
    x, y = np.random.default_rng(5).uniform(-0.99, 0.99, (2, 5000))
    spline = ndimage.spline_filter(terrain.hills().astype(np.float64), order=3)
    at = [(1 - y) / 2 * 512 - 0.5, (x + 1) / 2 * 512 - 0.5]
    known = ndimage.map_coordinates(spline, at, order=3, mode="mirror", prefilter=False) * terrain.RELIEF
    assert terrain.height_at(x, y) == pytest.approx(known, abs=1e-12)
    middles = (np.arange(512) + 0.5) / 256 - 1
    rim = terrain.height_at(middles, np.ones(512))
    assert rim == pytest.approx(terrain.hills()[0] * terrain.RELIEF, abs=1e-7)
    built = terrain.build(96 * 96, None).points
    assert built[:, 2] == pytest.approx(terrain.height_at(built[:, 0], built[:, 1]), abs=1e-6)
