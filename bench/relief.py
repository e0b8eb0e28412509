"""Figures of tone and relief at full size, and of the hand's strokes at the preview's."""

from __future__ import annotations

import time
from typing import Any

import cv2
import numpy as np
from scipy import ndimage

from bench.figures import Figure, at_most, median
from engraver.core.compiled import use_kernel_cache
from engraver.core.engine import Engine, Request, SourceStore
from engraver.core.engine.line import assemble
from engraver.core.numeric import distance
from engraver.core.params import Stroke
from engraver.core.raster import Raster
from engraver.core.recipe import Source, Step
from engraver.core.sources.blank import Blank
from engraver.core.steps import StepContext, kind_of

FULL = 4096
_POINT: tuple[tuple[str, dict[str, Any]], ...] = (
    ("levels", {"find": "held", "black": 0.1, "white": 0.9, "gamma": 1.3}),
    ("curve", {"points": ((0.0, 0.0), (0.3, 0.6), (1.0, 0.9))}), ("exposure", {"stops": 0.5, "gamma": 1.3}),
    ("invert", {}), ("terrace", {}),
)  # fmt: skip
_OTHER: tuple[tuple[str, dict[str, Any]], ...] = (
    ("threshold", {"how": "level"}), ("match", {"tones": ((0.0, 0.1), (0.5, 0.3), (1.0, 0.9))}),
    ("local-contrast", {}), ("sharpen", {}), ("coarse-fine", {"coarse": 0.5, "fine": 2.0}),
)  # fmt: skip


def _step(id: str, raster: Raster, **values: Any) -> float:
    kind = kind_of(id)
    params, facts = kind.params(**values), raster.facts()
    context = StepContext(facts, facts, (raster.height, raster.width))
    if kind.measure is not None and kind.measures(params):
        context = StepContext(
            facts, facts, (raster.height, raster.width), autos=kind.measure(raster, params, context)
        )
    took = []
    for _ in range(4):
        start = time.perf_counter()
        kind.apply(raster, params, context)
        took.append(time.perf_counter() - start)
    return median(took[1:])


def tones() -> list[Figure]:
    """Tone steps on one channel of 4096 squared."""
    use_kernel_cache()
    raster = Raster.of(np.random.default_rng(1).random((FULL, FULL), dtype=np.float32))
    point = {id: _step(id, raster, **values) for id, values in _POINT}
    other = {id: _step(id, raster, **values) for id, values in _OTHER}
    return [
        *(at_most(f"{id} at 4096²", took, "s", 0.04) for id, took in point.items()),
        at_most("coarse and fine at 4096²", other["coarse-fine"], "s", 0.5),
        at_most("all tone steps together at 4096²", sum(point.values()) + sum(other.values()), "s", 0.9),
    ]


def _discs(side: int, count: int) -> np.ndarray:
    """A mask of many shapes with borders between the pixels."""
    rng = np.random.default_rng(2)
    y, x = np.mgrid[0:side, 0:side] + 0.5
    depth = np.full((side, side), -1e9)
    for _ in range(count):
        cx, cy, radius = rng.random() * side, rng.random() * side, rng.uniform(0.01, 0.12) * side
        np.maximum(depth, radius - np.hypot(x - cx, y - cy), out=depth)
    return np.clip(depth + 0.5, 0, 1).astype(np.float32)


def shapes() -> list[Figure]:
    """Exact distance, both sides of the border, and a pillow over many shapes."""
    use_kernel_cache()
    mask = _discs(FULL, 60)
    distance.signed(mask[:64, :64])
    start = time.perf_counter()
    distance.signed(mask)
    ours = time.perf_counter() - start
    hard = (mask > 0.5).astype(np.uint8)
    start = time.perf_counter()
    for part in (hard, 1 - hard):
        cv2.distanceTransform(part, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    theirs = time.perf_counter() - start
    start = time.perf_counter()
    for part in (hard, 1 - hard):
        ndimage.distance_transform_edt(part)
    scipys = time.perf_counter() - start
    pillow = _step("inflate", Raster.of(_discs(2048, 60)))
    against = f"OpenCV {theirs:.2f} s, SciPy {scipys:.1f} s, both to whole pixels"
    return [
        Figure("distance at 4096², both sides", ours, "s", against, theirs / ours, "at most 1.4 s", ours <= 1.4),
        at_most("inflate at 2048², many shapes", pillow, "s", 0.8),
    ]


def hand() -> list[Figure]:
    """The engine's time for one more stroke at preview scale, with 200 behind it, on a plate of 2048 squared."""
    use_kernel_cache()
    rng = np.random.default_rng(3)
    kinds = ("raise", "cut", "level", "smooth", "zero")
    strokes = [
        Stroke.through(
            np.cumsum(rng.normal(0, 0.01, (30, 2)), axis=0) + rng.random(2), 0.02, kinds[n % 5], strength=0.2
        )
        for n in range(200)
    ]
    store = SourceStore()
    source = Source(id="b", kind="blank", name="Blank")
    reading = Blank(side=2048, grey=0.3)
    engine = Engine(store)
    took = []
    step = Step.make("hand", strokes=tuple(strokes)).model_copy(update={"uid": "hand"})
    engine.evaluate(assemble(source, reading, (step,), 1, store), Request(side=520))
    for n in range(40):
        path = [(0.3 + 0.004 * k, 0.5) for k in range(n + 2)]
        step = Step.make("hand", strokes=(*strokes, Stroke.through(path, 0.03, "raise", strength=0.2)))
        step = step.model_copy(update={"uid": "hand"})
        start = time.perf_counter()
        engine.evaluate(assemble(source, reading, (step,), 1, store), Request(side=520))
        took.append((time.perf_counter() - start) * 1000)
    return [at_most("a stroke of the hand, 200 behind it, median", median(took[3:]), "ms", 30)]
