"""Figures of the engine and the proof."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.apart import MAKE, PLAIN, apart
from bench.figures import Figure, at_most, median
from bench.plain import plain_relief
from engraver.core.cache import Cache
from engraver.core.engine import Engine, Line, Request, SourceStore, resolve
from engraver.core.project.recipe_file import save_recipe
from engraver.core.proof.scene import BenchScene
from engraver.core.proof.strength import first_strength
from engraver.core.proof.warm import warm
from engraver.core.recipe import Recipe, edits
from engraver.core.surfaces import Sheet, SurfaceKind, surface
from engraver.demo.photos import barnacle_slab
from engraver.demo.quay import demo_project


def timed(work: Callable[[], object], times: int = 5) -> list[float]:
    """Seconds of each run."""
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return found


def large_demo(side: int) -> tuple[Line, SourceStore, np.ndarray]:
    """The demo's barnacle line on a photo whose crop has ``side`` pixels, delivered at that side."""
    store = SourceStore()
    project = demo_project(store)
    plate = project.plates[0]
    photo = barnacle_slab(round(side / 0.956))
    source = store.add(photo.file(), photo.name)
    sources = tuple(source.model_copy(update={"id": s.id}) if s.id == plate.source else s for s in project.sources)
    project = project.model_copy(update={"sources": sources})
    shorter = min(photo.rgb.shape[:2])
    project = edits.set_params(project, plate.id, "barnacles-crop", width=side / shorter)
    project = edits.set_params(project, plate.id, "barnacles-size", side=side)
    return resolve(project, plate.id, store), store, photo.rgb


def plain_timed(side: int) -> tuple[np.ndarray, float]:
    """The plate by plain library calls, and the seconds they took."""
    line, store, _ = large_demo(side)
    decoded = store.raster(line.source, line.reading, (line.facts[0].height, line.facts[0].width))
    rgb = np.round(decoded.pixels * 255).astype(np.uint8)
    start = time.perf_counter()
    found = plain_relief(rgb, line)
    return found, time.perf_counter() - start


def full_size() -> list[Figure]:
    """The demo recipe at 4096 squared against the same chain in plain library calls, in a plain process."""
    line, store, _ = large_demo(4096)
    decoded = store.raster(line.source, line.reading, (line.facts[0].height, line.facts[0].width))

    def ours() -> np.ndarray:
        engine = Engine(store, Cache(0))
        engine.sources.raster = lambda *_, **__: decoded  # type: ignore[method-assign]
        return engine.evaluate(line, Request(exact=True)).raster.flat()

    result = ours()
    own = median(timed(ours, 3))
    with tempfile.TemporaryDirectory() as folder:
        kept = str(Path(folder) / "plain.npy")
        slow = float(apart(PLAIN, "4096", kept, prepared=False)[0])
        off = np.abs(result - np.load(kept))
    return [
        Figure("full size 4096²", own, "s", "plain scikit-image and SciPy", slow / own, "at least 10 times as fast",
               slow / own >= 10),
        at_most("greatest difference to plain", float(off.max()), "", 1e-3),
    ]  # fmt: skip


def proof() -> list[Figure]:
    """Pressing into a million points and drawing 900 by 700; and while turning."""
    store = SourceStore()
    project = demo_project(store)
    raster = Engine(store).evaluate(resolve(project, project.plates[0].id, store), Request(exact=True)).raster
    height = raster.flat()
    strength = first_strength(height)
    warm()
    figures = []
    for kind in ("flat", "ball"):
        on, scene = surface(kind), BenchScene()
        eye = on.eye
        settled = Sheet(height, strength, 1_000_000, (900, 700), eye=eye)
        moving = Sheet(height, strength, 150_000, (900, 700), eye=eye, smooth=False)

        turned = iter(range(10_000))

        def draw(sheet: Sheet, on: SurfaceKind = on, scene: BenchScene = scene, turned: Iterator = turned) -> None:
            # When it has rested another plate is pressed; while it is turned it is the same one, looked at anew.
            eye = replace(sheet.eye, turn=sheet.eye.turn + next(turned))
            scene.draw(on, replace(sheet, height=sheet.height.copy()) if sheet.smooth else replace(sheet, eye=eye))

        for shown in (settled, moving):
            draw(shown)
        slow = median(timed(lambda d=draw, s=settled: d(s), 9)) * 1000  # type: ignore[misc]
        quick = median(timed(lambda d=draw, s=moving: d(s), 15))  # type: ignore[misc]
        figures.append(at_most(f"proof settled, {kind}", slow, "ms", 70))
        rate = 1 / quick
        figures.append(
            Figure(f"proof turning, {kind}", rate, "1/s", "the limit", rate / 15, "at least 15 1/s", rate >= 15)
        )
    return figures


def memory() -> list[Figure]:
    """Peak memory of ``engraver make`` at 4096 squared with the demo recipe, as a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        photo, recipe, out = (Path(folder) / n for n in ("slab.jpg", "r.recipe", "out.png"))
        line, store, _ = large_demo(4096)
        photo.write_bytes(store.bytes_of(line.source))
        save_recipe(Recipe(id="r", steps=line.steps), recipe)
        words = [str(photo), "--recipe", str(recipe), "--for", "sculpt-stamp", "-o", str(out)]
        start = time.perf_counter()
        _, peak = apart(MAKE, *words)
        took = time.perf_counter() - start
    return [at_most("make 4096², peak memory", peak, "GB", 1.5), Figure("make 4096², whole command", took, "s")]
