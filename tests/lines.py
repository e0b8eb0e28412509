"""A line on an array of float values, with no file and no rounding to a file's levels in between."""

from __future__ import annotations

from typing import Any

import numpy as np

from engraver.core.engine import Engine, Request, SourceStore
from engraver.core.engine.line import Line, assemble
from engraver.core.errors import Watch, unwatched
from engraver.core.files.picture import Reading
from engraver.core.params import StepZero
from engraver.core.raster import Facts, Raster
from engraver.core.recipe import Source, SourceFile, Step
from engraver.core.sources.picture import level_for, reduced


def line_of(pixels: np.ndarray | Raster, *steps: Step) -> tuple[Line, Engine]:
    """A line on a picture of float values, kept exactly by a store that hands out this raster."""
    store = ArrayStore(pixels, 1 / 255 if any(s.declared.stands_first for s in steps) else None)
    source = Source(id="src", name="array", files=(SourceFile(sha256="0" * 64),))
    return assemble(source, Reading(), steps, 1, store), Engine(store)


class ArrayStore(SourceStore):
    """A source store that holds one array instead of files, so that no quantising hides errors."""

    def __init__(self, pixels: np.ndarray | Raster, lattice: float | None = None) -> None:
        super().__init__()
        self.whole = pixels if isinstance(pixels, Raster) else Raster.of(pixels.copy(), lattice=lattice)

    def key(self, source: Source, reading: StepZero) -> str:
        return "array"

    def facts(self, source: Source, reading: StepZero) -> Facts:
        return self.whole.facts()

    def raster(
        self, source: Source, reading: StepZero, size: tuple[int, int], check: Watch = unwatched, *,
        coarse: bool = False,
    ) -> Raster:  # fmt: skip
        raster = self.whole
        for _ in range(level_for(raster.facts(), size)):
            raster = reduced(raster, (raster.height // 2, raster.width // 2))
        return reduced(raster, size)


def run(id: str, pixels: np.ndarray | Raster, /, **values: Any) -> Raster:
    line, engine = line_of(pixels, Step.make(id, **values))
    return engine.evaluate(line, Request(exact=True)).raster
