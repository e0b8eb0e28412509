"""Figures of edge, tile, size and readiness, and of a master of 8192 squared."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import cv2
import numpy as np
import skimage.data

from bench.apart import MAKE, apart
from bench.figures import Figure, at_most, median
from engraver.core.compiled import use_kernel_cache
from engraver.core.engine import Engine, Request, SourceStore
from engraver.core.engine.line import assemble
from engraver.core.files.write import encode
from engraver.core.numeric import fields, grow
from engraver.core.project.recipe_file import save_recipe
from engraver.core.raster import Raster
from engraver.core.readiness import Measured, destination
from engraver.core.readiness.measure import SLOW, gauges, that_apply
from engraver.core.recipe import Recipe, Source, Step
from engraver.core.shapes.model import Shape
from engraver.core.sources.blank import Blank
from engraver.core.steps import StepContext, kind_of

SMALL, LARGE = 2048, 8192


def _took(work: Callable[[], object], times: int = 3) -> float:
    work()
    took = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        took.append(time.perf_counter() - start)
    return median(took)


def _sized(values: np.ndarray, side: int) -> float:
    kind, raster = kind_of("size"), Raster.of(values)
    params = kind.params(side=side)
    facts = raster.facts()
    context = StepContext(facts, kind.extent(params, facts), (side, side))
    return _took(lambda: kind.apply(raster, params, context), 7)


def sizes() -> list[Figure]:
    """One channel without coverage, against the same filter's bare OpenCV call."""
    rng = np.random.default_rng(1)
    large, small = (rng.random((n, n), dtype=np.float32) for n in (LARGE, SMALL))
    down, up = _sized(large, SMALL), _sized(small, LARGE)
    area = _took(lambda: cv2.resize(large, (SMALL, SMALL), interpolation=cv2.INTER_AREA), 7)
    lanczos = _took(lambda: cv2.resize(small, (LARGE, LARGE), interpolation=cv2.INTER_LANCZOS4), 7)
    return [
        Figure("size 8192² to 2048²", down, "s", f"OpenCV's area, {area:.3f} s", down / area, "at most 1.3 times",
               down <= 1.3 * area),
        Figure("size 2048² to 8192²", up, "s", f"OpenCV's Lanczos, {lanczos:.3f} s", up / lanczos,
               "at most 1.3 times", up <= 1.3 * lanczos),
    ]  # fmt: skip


def growing() -> list[Figure]:
    """256 squared to 1024 squared, by both methods."""
    sample = np.ascontiguousarray((skimage.data.gravel() / 255).astype(np.float32)[:256, :256])
    made = {"patches": grow.quilted, "blended patches": grow.blended}
    return [
        at_most(f"grow by {name}, 256² to 1024²", _took(lambda m=make: m(sample, 1024, 0.3, 0.25, 1), 1), "s", 6.0)
        for name, make in made.items()
    ]


def written() -> list[Figure]:
    """A plate as a 16-bit PNG: rounding, filters, packing."""
    use_kernel_cache()
    figures = []
    for side, limit in ((4096, 0.5), (LARGE, 2.0)):
        y, x = np.mgrid[0:side, 0:side].astype(np.float32) / side
        grain = cv2.resize(np.random.default_rng(1).random((side // 4, side // 4), dtype=np.float32), (side, side))
        plate = np.clip(1 - 2 * np.hypot(x - 0.5, y - 0.5), 0, 1) * (0.6 + 0.4 * grain)
        took = _took(partial(encode, plate, "png", "16"))
        figures.append(at_most(f"16-bit PNG of {side}² written", took, "s", limit))
    return figures


def readiness() -> list[Figure]:
    """The gauges of a stamp and of a tile at 2048 squared."""
    values = cv2.resize((skimage.data.gravel() / 255).astype(np.float32), (SMALL, SMALL))
    values += 0.01 * np.random.default_rng(2).standard_normal(values.shape, dtype=np.float32)
    figures = []
    for id in ("sculpt-stamp", "tiling-height"):
        m = Measured.of(np.clip(values, 0, 1), destination(id))
        cheap = tuple(g for g in that_apply(m.destination, m.wrap) if g not in SLOW)
        figures.append(at_most(f"cheap gauges of {id} at 2048²", _took(partial(gauges, m, only=cheap)), "s", 0.06))
        figures.append(at_most(f"all gauges of {id} at 2048²", _took(partial(gauges, m)), "s", 0.4))
    return figures


def building() -> list[Figure]:
    """Noise of six octaves, many shapes and many copies at 2048 squared."""
    figures = []
    for kind in ("smooth", "ridged", "waves"):
        form = fields.NoiseForm(kind, 0.12, 6)  # type: ignore[arg-type]
        took = _took(partial(fields.noise, SMALL, SMALL, form))
        figures.append(at_most(f"noise, {kind}, six octaves at 2048²", took, "s", 0.25))
    cells = _took(partial(fields.noise, SMALL, SMALL, fields.NoiseForm("cells", 0.12, 1)))
    figures.append(at_most("noise, cells at 2048²", cells, "s", 0.25))
    ground = Raster.of(np.zeros((SMALL, SMALL), np.float32), wrap=(True, True))
    still = Raster.of(np.zeros((SMALL, SMALL), np.float32))
    tip = Raster.of(np.random.default_rng(1).random((256, 256), dtype=np.float32))
    context = StepContext(still.facts(), still.facts(), (SMALL, SMALL), seed=5)
    rng = np.random.default_rng(1)
    kinds = ("disc", "rectangle", "star", "ring", "slot")
    shapes = tuple(
        Shape.model_validate({
            "kind": kinds[n % 5], "x": rng.random(), "y": rng.random(), "width": 0.02 + 0.06 * rng.random(),
            "height": 0.02, "turn": 90 * rng.random(),
        })
        for n in range(500)
    )  # fmt: skip
    for name, items in (("", shapes), (", domed", tuple(s.but(top="domed") for s in shapes))):
        laid = Step.make("shapes", items=items).params
        took = _took(partial(kind_of("shapes").apply, still, laid, context))
        figures.append(at_most(f"500 shapes{name} at 2048²", took, "s", 0.15) if not name else
                       Figure(f"500 shapes{name} at 2048²", took, "s"))  # fmt: skip
    for size in (0.03, 0.06, 0.125):
        strewn = Step.make("scatter", kind="plate", plate="p", count=2000, size=size, least=0.0).params
        around = StepContext(ground.facts(), ground.facts(), (SMALL, SMALL), seed=5, plates={"p": tip})
        took = _took(partial(kind_of("scatter").apply, ground, strewn, around))
        pixels = round(size * SMALL)
        figures.append(at_most(f"2,000 copies of 256² at 2048², {pixels} px wide each", took, "s", 0.5))
    return [*figures, *_moved(shapes[:40])]


def _moved(shapes: tuple[Shape, ...]) -> list[Figure]:
    """One of forty shapes moved, the plate view's picture each time."""
    store = SourceStore()
    source = Source(id="b", kind="blank", name="Blank")
    took, engine = [], Engine(store)
    for n in range(15):
        items = (shapes[0].but(x=0.2 + 0.02 * n), *shapes[1:])
        step = Step.make("shapes", items=items).model_copy(update={"uid": "s"})
        line = assemble(source, Blank(side=SMALL), (step,), 1, store)
        start = time.perf_counter()
        engine.evaluate(line, Request(side=640))
        took.append(time.perf_counter() - start)
    return [at_most("one of 40 shapes moved, median", median(took) * 1000, "ms", 30)]


def master() -> list[Figure]:
    """``engraver make`` on a 16-bit picture of 8192 squared with ten steps, as a process of its own."""
    use_kernel_cache()
    steps = (
        Step.make("crop", width=0.98), Step.make("even-light", light="surface", order=2, method="divide"),
        Step.make("levels", low=2.0, high=99.8), Step.make("curve"), Step.make("local-contrast"),
        Step.make("sharpen"),
        Step.make("soften", radius=0.0006), Step.make("coarse-fine"), Step.make("falloff"),
        Step.make("size", side=8192),
    )  # fmt: skip
    y, x = np.mgrid[0:LARGE, 0:LARGE].astype(np.float32) / LARGE
    grain = np.random.default_rng(1).random((LARGE, LARGE), dtype=np.float32)
    picture = 0.5 + 0.2 * np.sin(40 * x + 9 * y) + 0.1 * grain
    with tempfile.TemporaryDirectory() as folder:
        source, recipe, out = (Path(folder) / n for n in ("m.png", "r.recipe", "o.png"))
        source.write_bytes(encode(picture.astype(np.float32), "png", "16"))
        save_recipe(Recipe(id="r", steps=steps), recipe)
        start = time.perf_counter()
        told, peak = apart(MAKE, str(source), "--recipe", str(recipe), "-o", str(out))
        took = time.perf_counter() - start
    return [
        at_most("a master of 8192², ten steps, evaluated", float(told.split()[0]), "s", 11.0),
        Figure("it, with the program's start and writing the file", took, "s"),
        at_most("its memory at most", peak, "GB", 6.0),
    ]
