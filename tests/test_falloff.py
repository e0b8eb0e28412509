"""Falloff: every outline against its analytic form; the outer ring is zero to the last bit."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from engraver.core.engine import Request, StepFailed
from engraver.core.errors import BadValue
from engraver.core.files.write import quantise
from engraver.core.params import Stroke
from engraver.core.raster import Raster
from engraver.core.recipe import Step
from engraver.core.steps import kind_of
from lines import line_of
from test_tone import run

OUTLINES = ("circle", "oval", "square", "rounded", "polygon", "free", "own")
ROUND = (65535 * (np.hypot(*np.mgrid[-1:1:32j, -1:1:32j]) < 0.8)).astype("<u2")
TIP = Stroke.through([(0.5, 0.5)], 0.05, spacing=0.6, turn=180.0, tip=ROUND.tobytes())
DRAWN = (
    Stroke.through([(0.1, 0.1), (0.7, 0.1), (0.7, 0.7), (0.1, 0.7)], 0.01),
    Stroke.through([(0.5, 0.5), (1.2, 0.5), (1.2, 0.9), (0.5, 0.9)], 0.01),
)


def cover(height: int, width: int, **v: Any) -> np.ndarray:
    step = Step.make("falloff", **v).model_copy(update={"uid": "falloff"})  # its name is a part of its seed
    line, engine = line_of(np.ones((height, width), np.float32), step)
    found = engine.evaluate(line, Request(exact=True)).raster.coverage
    assert found is not None
    return found


@given(
    outline=st.sampled_from(OUTLINES),
    profile=st.sampled_from(["straight", "smooth", "round", "sharp", "free"]),
    margin=st.sampled_from([0.0, 0.001, 0.016, 0.2]),
    fade=st.sampled_from([0.0, 0.002, 0.22, 0.5]),
    ragged=st.sampled_from([0.0, 0.3, 1.0]),
    by=st.sampled_from(["noise", "tip"]),
    moved=st.sampled_from([(0.5, 0.5, 0.0), (0.7, 0.4, 25.0)]),
    same=st.booleans(), fill=st.booleans(), zero=st.sampled_from(["black", "mid"]),
)  # fmt: skip
@settings(max_examples=90, deadline=None)
def test_the_outer_ring_is_zero_to_the_last_bit(zero: str, by: str, moved: tuple[float, ...], **v: Any) -> None:
    """Both zeros; 8, 16 and 32 bits."""
    x, y, turn = moved
    make = Step.make("falloff", ragged_by=by, tip=(TIP,), strokes=DRAWN, x=x, y=y, turn=turn, corners=5, **v)
    line, engine = line_of(np.ones((48, 70), np.float32), Step.make("zero", zero=zero, tones="keep"), make)
    flat = engine.evaluate(line, Request(exact=True)).raster.flat()
    for depth, ground in (("float", 0.5), ("16", 32768), ("8", 128)):
        stored = quantise(flat, depth)  # type: ignore[arg-type]
        ring = np.concatenate([stored[0], stored[-1], stored[:, 0], stored[:, -1]])
        assert (ring == (ground if zero == "mid" else 0)).all()


@pytest.mark.parametrize(("outline", "more", "area"), [
    ("circle", {}, math.pi * 90**2),
    ("oval", {}, math.pi * 90 * 140),
    ("square", {}, 180 * 280), ("square", {"fill": False}, 180**2),
    ("rounded", {"corner": 0.5}, 180 * 280 - (4 - math.pi) * 45**2),
    *(("polygon", {"corners": n, "turn": 11.0}, n / 2 * 90**2 * math.sin(2 * math.pi / n)) for n in (3, 5, 6, 12)),
])  # fmt: skip
def test_outlines_have_the_areas_of_their_forms(outline: str, more: dict[str, Any], area: float) -> None:
    """Elementary geometry; the margin is 10 of 200 pixels."""
    found = cover(200, 300, outline=outline, margin=0.05, fade=0.0, ragged=0.0, **more)
    assert float(found.sum()) == pytest.approx(area, rel=0.001)


def test_a_side_that_is_off_does_not_fade_and_goes_on_repeating() -> None:
    strip = {"outline": "square", "left": False, "right": False, "fade": 0.2, "margin": 0.02, "ragged": 0.5}
    found = cover(60, 120, **strip, same=True)
    assert (found[0] == 0).all() and (found[-1] == 0).all() and found[30].min() == 1
    tile = Raster.of(np.ones((60, 120), np.float32), wrap=(True, True))
    kind = kind_of("falloff")
    for values, wrap in ((strip, (True, False)), ({}, (False, False)), ({**strip, "turn": 3.0}, (False, False))):
        assert kind.extent(kind.params(**values), tile.facts()).wrap == wrap
    made = run("falloff", tile, **strip)
    assert made.coverage is not None
    steps = np.abs(np.diff(made.coverage, axis=1)).max()
    assert np.abs(made.coverage[:, 0] - made.coverage[:, -1]).max() <= steps * 1.01


def test_the_fade_is_as_wide_as_asked_and_its_middle_is_half() -> None:
    """A square's depth is the distance to its nearest side; a smoothstep is a half at the middle."""
    found = cover(100, 100, outline="square", margin=0.1, fade=0.2, ragged=0.0)
    depth = np.arange(50) + 0.5 - 10.0
    t = np.clip(depth / 20, 0, 1)
    assert np.abs(found[50, :50] - t * t * (3 - 2 * t)).max() < 1e-5


def test_its_own_shape_is_followed_by_distance() -> None:
    """Of a ring, whose hole is filled, the depth is that of the disc."""
    y, x = np.mgrid[0:200, 0:200] + 0.5
    away = np.hypot(x - 100, y - 90)
    ring = (np.clip(60.5 - away, 0, 1) * np.clip(away - 20, 0, 1)).astype(np.float32)
    made = run("falloff", Raster.of(ring), outline="own", margin=0.0, fade=0.2, ragged=0.0, profile="straight")
    assert made.coverage is not None
    assert np.abs(made.coverage - np.clip((60.48 - away) / 40, 0, 1)).max() < 0.5 / 40
    with pytest.raises((BadValue, StepFailed), match="no shape"):
        run("falloff", Raster.of(np.zeros((40, 40), np.float32)), outline="own")


def test_drawn_outlines_are_joined() -> None:
    found = cover(200, 200, outline="free", strokes=DRAWN, margin=0.0, fade=0.0, ragged=0.0)
    both = np.zeros((200, 200), bool)
    both[20:140, 20:140] = both[100:180, 100:199] = True
    assert np.mean((found > 0.5) != both) < 0.005


def test_same_all_round_favours_no_side() -> None:
    """What is left of the plate has its centre in the middle, and as much on every side; whatever the seed."""
    y, x = np.mgrid[0:256, 0:256] - 127.5

    def lean(seed: int, same: bool) -> float:
        found = cover(256, 256, ragged=1.0, ragged_size=0.3, fade=0.25, seed=seed, same=same)
        return float(np.hypot((found * x).sum(), (found * y).sum()) / found.sum())

    even, plain = ([lean(seed, same) for seed in range(120)] for same in (True, False))
    assert max(even) < 0.1 and np.median(plain) > 3


def test_a_tip_breaks_the_border_and_another_seed_breaks_it_elsewhere() -> None:
    plain, one, two = (
        cover(200, 200, ragged=r, ragged_by="tip", tip=(TIP,), seed=s) for r, s in ((0.0, 0), (1.0, 0), (1.0, 1))
    )
    assert (one <= plain + 1e-6).all() and one.sum() < 0.98 * plain.sum()
    assert np.abs(one - two).max() > 0.1 and one[100, 100] == 1


def test_a_margin_that_takes_all_is_told() -> None:
    with pytest.raises((BadValue, StepFailed), match="nothing of the plate"):
        cover(40, 40, outline="polygon", corners=3, margin=0.45, x=0.0)


def test_the_first_edition_is_read_as_it_was() -> None:
    old = {"uid": "f", "kind": "falloff", "version": 1, "params": {"same": False, "margin": 0.1}}
    new = Step.model_validate(old).params
    assert (new.outline, new.fill, new.same) == ("oval", True, True)  # type: ignore[attr-defined]
    plain = Step.model_validate({**old, "params": {"outline": "square"}}).params
    assert (plain.outline, plain.fill) == ("square", False)  # type: ignore[attr-defined]
