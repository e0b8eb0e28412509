"""Places: whatever stands before a step, the engine knows where a spot of the source lies in it."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from engraver.core.engine import Request
from engraver.core.params import Stroke
from engraver.core.recipe import Step
from engraver.core.steps import KINDS
from engraver.core.steps.placed import painted, placed
from lines import line_of

QUAD = ((0.06, 0.04), (0.97, 0.09), (0.93, 0.96), (0.02, 0.9))
GEOMETRY: list[tuple[str, dict[str, Any]]] = [
    ("crop", {"width": 0.8, "x": 0.45}), ("crop", {"width": 0.75, "angle": 17.0}),
    ("crop", {"shape": "free", "width": 1.1, "height": 0.7, "angle": -8.0}),
    ("turn", {"quarter": "90"}), ("turn", {"quarter": "180", "mirror": True}),
    ("turn", {"quarter": "270", "flip": True}),
    ("straighten", {"corners": QUAD}), ("straighten", {"how": "level", "find": "held", "angle": 6.0}),
    ("square", {"how": "crop"}), ("square", {"how": "zero"}), ("square", {"how": "border"}),
    ("square", {"how": "stretch"}),
    ("size", {"side": 90}), ("size", {"side": 260}),
]  # fmt: skip


def spotted(x: float, y: float) -> np.ndarray:
    """A soft bright spot on an even ground, 120 by 160."""
    rows, columns = np.mgrid[0:120, 0:160] + 0.5
    return (0.2 + 0.7 * np.exp(-((columns - x) ** 2 + (rows - y) ** 2) / 18)).astype(np.float32)


def centre_of(picture: np.ndarray) -> tuple[float, float]:
    weight = np.clip(picture - 0.45, 0, None)
    rows, columns = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]] + 0.5
    return float((columns * weight).sum() / weight.sum()), float((rows * weight).sum() / weight.sum())


@given(chain=st.lists(st.sampled_from(GEOMETRY), max_size=4), data=st.data())
@settings(max_examples=60, deadline=None)
def test_a_spot_lies_where_the_maps_say(chain: list[tuple[str, dict[str, Any]]], data: st.DataObject) -> None:
    x, y = data.draw(st.floats(60, 100)), data.draw(st.floats(45, 75))
    last = Step.make("soften", radius=0.0)
    line, engine = line_of(spotted(x, y), *(Step.make(kind, **values) for kind, values in chain), last)
    raster = engine.evaluate(line, Request(upto=last.uid, exact=True, before=True)).raster
    u, v, w = engine.into(line, last.uid) @ (x, y, 1.0)
    place = np.array((u / w, v / w))
    room = 8 * max(1.0, raster.shorter / 120)
    if not (room < place[0] < raster.width - room and room < place[1] < raster.height - room):
        return  # cut away by the frame
    assert np.hypot(*(np.array(centre_of(raster.flat())) - place)) < 0.02 * raster.shorter + 0.5


@given(chain=st.lists(st.sampled_from(GEOMETRY), max_size=3))
@settings(max_examples=25, deadline=None)
def test_a_stroke_lies_on_its_spot_at_every_scale(chain: list[tuple[str, dict[str, Any]]]) -> None:
    """The engine hands a step the way from source shares to its pixels; preview and full size are the same place."""
    seen: dict[str, Any] = {}
    line, engine = line_of(spotted(80, 60), *(Step.make(kind, **values) for kind, values in chain))
    stroke = Stroke.through([(0.5, 0.5), (0.52, 0.5)], 0.05, "keep")
    step = Step.make("isolate", strokes=(stroke,))
    line, engine = line_of(spotted(80, 60), *(s for s in line.steps if s.kind != "grey"), step)
    plan = engine._plan
    for side in (None, 70):
        made = plan(line, line.place_before(step.uid) + 1, side, False)
        raster = engine.evaluate(line, Request(upto=step.uid, side=side, before=True)).raster
        i = line.place_before(step.uid)
        context = engine._context(line, made, i, raster, lambda: None, size=(raster.height, raster.width))
        here = placed(stroke, context)
        seen[str(side)] = here.points / (raster.width, raster.height), here.radius / raster.shorter
        cover = painted([here], raster.height, raster.width)
        assert cover.shape == raster.pixels.shape and 0 <= cover.min() <= cover.max() <= 1
    (full, wide), (small, narrow) = seen["None"], seen["70"]
    assert np.abs(full - small).max() < 0.02 and abs(wide - narrow) < 0.03 * max(wide, 0.05)


@pytest.mark.parametrize("id", [k.id for k in KINDS.values() if k.reveal is not None])
def test_what_a_step_found_has_the_size_of_what_entered(id: str) -> None:
    marks = {"strokes": (Stroke.through([(0.5, 0.5)], 0.08, "keep"),)} if id == "isolate" else {}
    step = Step.make(id, **marks)
    line, engine = line_of(spotted(70, 60), step)
    for side in (None, 60):
        entering = engine.evaluate(line, Request(upto=step.uid, before=True, side=side)).raster
        shown = engine.evaluate(line, Request(upto=step.uid, reveal=True, side=side, exact=True)).raster
        assert (shown.height, shown.width) == (entering.height, entering.width)
        assert np.isfinite(shown.flat()).all() and KINDS[id].revealed
    off = step.model_copy(update={"on": False})
    line, engine = line_of(spotted(70, 60), off)
    same = engine.evaluate(line, Request(upto=off.uid, reveal=True, exact=True)).raster
    assert np.array_equal(same.pixels, spotted(70, 60)), "a step that is off has found nothing"


def test_every_step_tells_in_words_or_is_silent() -> None:
    for kind in KINDS.values():
        words = kind.tells(kind.params(), {})
        assert isinstance(words, str) and "{" not in words
