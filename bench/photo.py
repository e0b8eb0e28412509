"""A photo of 48 megapixels dropped into a window: its first look, its gauges, and the memory that takes."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from bench.apart import apart
from bench.figures import Figure, at_most
from bench.window import application
from engraver.app.lanes import wait_idle
from engraver.app.prefs import Prefs
from engraver.app.studio import Studio
from engraver.app.window import Places, Window
from engraver.core.proof.warm import warm
from engraver.demo.photos import barnacle_slab

# The slab's side; with the board round it the photo has 48 million pixels.
_SIDE = 5600
_OPENED = """
import sys
from bench.photo import opened
print(*opened(sys.argv[1]))
"""


def opened(path: str) -> tuple[float, float]:
    """Seconds from opening a photo to its plate in the view, and to the last of its gauges."""
    application()
    warm()
    with tempfile.TemporaryDirectory() as home:
        window = Window(Studio(), Places(Path(home) / "c", Path(home) / "s"), Prefs())
        window.pictures.kernels_ready = True
        window.show()
        seen: list[float] = []
        told: list[float] = []
        window.pictures.looked.connect(lambda look: seen.append(time.perf_counter()) if look is not None else None)
        window.pictures.measured.connect(lambda full: told.append(time.perf_counter()) if full is not None else None)
        begin = time.perf_counter()
        window.filing.open_paths([Path(path)])
        wait_idle([*window.pictures.lanes, *window.filing.lanes], lambda: window.busy)
        window.close()
    return seen[0] - begin, told[-1] - begin


def photo() -> list[Figure]:
    """The window in a process of its own, so that its memory is told."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "slab.jpg"
        path.write_bytes(barnacle_slab(_SIDE).file())
        words, peak = apart(_OPENED, str(path))
    look, gauges = (float(word) for word in words.splitlines()[-1].split())
    return [
        at_most("a photo of 48 megapixels, first look", look, "s", 1.5),
        at_most("its gauges", gauges, "s", 5),
        at_most("its memory at most", peak, "GB", 2),
    ]
