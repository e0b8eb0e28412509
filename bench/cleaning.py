"""Figures of preparing: mattes against a published library, banding, and how strokes follow the hand."""

from __future__ import annotations

import time

import numpy as np

from bench.core import timed
from bench.figures import Figure, at_most, median
from engraver.core.cache import Cache
from engraver.core.engine import Engine, Request, SourceStore, resolve
from engraver.core.numeric import deband, kernels, noise
from engraver.core.params import Stroke
from engraver.core.recipe import Step, edits
from engraver.demo.papers import float_on_board
from engraver.demo.quay import demo_project

PREVIEW = 640


def matte() -> list[Figure]:
    """Isolating the demo's cork float at 1024 squared, against pymatting's closed form given the same marks."""
    import pymatting

    kernels.warm()
    photo = float_on_board(1024, 1024)
    store = SourceStore()
    source = store.add(photo.file(), photo.name)
    marks = (
        Stroke.through([(0.42, 0.5), (0.58, 0.5)], 0.06, "keep"),
        Stroke.through([(0.04, 0.04), (0.96, 0.04), (0.96, 0.96), (0.04, 0.96), (0.04, 0.04)], 0.03, "remove"),
    )
    from engraver.core.engine.line import assemble
    from engraver.core.files.picture import Reading

    step = Step.make("isolate", strokes=marks)
    line = assemble(source, Reading(), (step,), 1, store)
    decoded = store.raster(source, Reading(), (1024, 1024))

    def ours() -> np.ndarray:
        engine = Engine(store, Cache(0))
        engine.sources.raster = lambda *_, **__: decoded  # type: ignore[method-assign]
        cover = engine.evaluate(line, Request(upto=step.uid, exact=True)).raster.coverage
        assert cover is not None
        return cover

    result = ours()
    own = median(timed(ours, 5))
    trimap = np.full((1024, 1024), 0.5)
    y, x = np.mgrid[0:1024, 0:1024] / 1024
    trimap[np.hypot(np.maximum(0, np.abs(x - 0.5) - 0.08), y - 0.5) < 0.06] = 1
    trimap[(np.minimum(x, 1 - x) < 0.07) | (np.minimum(y, 1 - y) < 0.07)] = 0
    picture = decoded.pixels.astype(np.float64)
    pymatting.estimate_alpha_cf(picture[::16, ::16], trimap[::16, ::16])  # its compiling does not count
    start = time.perf_counter()
    other = pymatting.estimate_alpha_cf(picture, trimap)
    theirs = time.perf_counter() - start
    assert photo.matte is not None
    error, reference = (float(np.square(a - photo.matte).mean()) for a in (result, other))
    limit = max(0.001, 1.5 * reference)
    return [
        Figure("isolate 1024²", own, "s", "closed form (pymatting)", theirs / own, "at least 20 times as fast",
               theirs / own >= 20),
        Figure("isolate, mean squared error", error, "", f"closed form's {reference:.5f}",
               error / max(reference, 1e-9), "at most 1.5 times, or 0.001", error <= limit),
    ]  # fmt: skip


def terraces() -> list[Figure]:
    """Taking the banding out of 1024 squared."""
    kernels.warm()
    truth = (0.2 + 0.5 * noise.lattice(1024, 1024, 0.5, 3, octaves=2)).astype(np.float32)
    stored = (np.round(truth * 255) / 255).astype(np.float32)
    took = median(timed(lambda: deband.smoothest(stored, 1 / 255), 3))
    after = np.sqrt(np.square(deband.smoothest(stored, 1 / 255) - truth).mean())
    before = np.sqrt(np.square(stored - truth).mean())
    return [
        at_most("remove banding 1024²", took, "s", 3.0),
        at_most("error left of the terraces", float(after / before), "", 0.4, "the stored picture"),
    ]


def strokes() -> list[Figure]:
    """From a stroke or a slider to the preview's pixels, in the demo's plates, as the engine does it."""
    store = SourceStore()
    project = demo_project(store)
    kernels.warm()
    by_name = {p.name: p.id for p in project.plates}
    rng = np.random.default_rng(1)
    figures = []

    def follow(name: str, plate: str, step: Step, values: list[dict[str, object]], limit: float) -> None:
        nonlocal project
        engine = Engine(store)
        base = project
        if all(s.uid != step.uid for s in base.line(plate)):
            place = next((n for n, s in enumerate(base.line(plate)) if s.kind == "levels"), 0)
            base = edits.insert_step(base, plate, step, place)
        uid, took = step.uid, []
        engine.evaluate(resolve(base, plate, store), Request(upto=uid, side=PREVIEW))
        for change in values:
            line = resolve(edits.set_params(base, plate, uid, **change), plate, store)
            start = time.perf_counter()
            engine.evaluate(line, Request(upto=uid, side=PREVIEW))
            took.append((time.perf_counter() - start) * 1000)
        figures.append(at_most(f"{name}, preview", median(took), "ms", limit))

    cork, slab, net = by_name["Cork float"], by_name["Barnacles"], by_name["Net weave"]
    heal = Step.make("heal")
    spots = [{"strokes": tuple(Stroke.through([tuple(v)], 0.012, "auto") for v in rng.uniform(0.3, 0.7, (n, 2)))}
             for n in (1, 2, 3, 4, 5)]  # fmt: skip
    follow("a heal stroke", slab, heal, spots, 60)  # type: ignore[arg-type]
    isolate = next(s for s in project.line(cork) if s.kind == "isolate")
    keeps = [{"strokes": (Stroke.through([(x, 0.5)], 0.04, "keep"),)} for x in (0.42, 0.46, 0.5, 0.54, 0.58)]
    follow("a mark of isolate", cork, isolate, keeps, 300)  # type: ignore[arg-type]
    light = next(s for s in project.line(slab) if s.kind == "even-light")
    follow("even light, order", slab, light, [{"order": n} for n in (1, 3, 4, 2, 1)], 60)
    dust = next(s for s in project.line(net) if s.kind == "dust")
    follow("dust, contrast", net, dust, [{"contrast": c} for c in (0.05, 0.08, 0.1, 0.2, 0.15)], 60)
    for method in ("gaussian", "median", "edge-keeping", "alike"):
        step = Step.make("denoise", method=method)
        follow(f"denoise {method}", slab, step, [{"strength": v} for v in (0.5, 1.2, 1.5, 2.0, 0.8)], 60)
    follow("lines, contrast", slab, Step.make("lines", direction="level"),
           [{"contrast": c} for c in (0.02, 0.03, 0.05, 0.015)], 60)  # fmt: skip
    follow("grey, six hues", slab, next(s for s in project.line(slab) if s.kind == "grey"),
           [{"mix": "hues", "hue_red": v} for v in (0.3, 0.5, 0.8, 1.0)], 60)  # fmt: skip
    return figures
