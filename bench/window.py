"""Figures of the window: its first paint, its first pictures, and how it follows a slider."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import platformdirs
from PySide6.QtCore import QCoreApplication, QEventLoop
from PySide6.QtWidgets import QApplication

from bench.figures import Figure, at_most, median, percentile
from engraver.app.lanes import wait_idle
from engraver.app.prefs import Prefs
from engraver.app.shell import load_fonts
from engraver.app.studio import Studio
from engraver.app.window import Places, Window
from engraver.core.compiled import use_kernel_cache
from engraver.core.recipe import edits
from engraver.demo.quay import demo_project


def start() -> list[Figure]:
    """Process start to first paint, to the window and to the demo drawn: for the first time, again, and cold."""
    with tempfile.TemporaryDirectory() as folder:
        home, own_cache = Path(folder), Path(folder) / "cache"
        kernels = Path(platformdirs.user_cache_dir("engraver")) / "kernels"
        newly = _started(home, own_cache, kernels)  # nothing was seen before, no demo is made
        again = [_started(home, own_cache, kernels) for _ in range(5)]
        cold = _started(home, own_cache, home / "no kernels")
    middle = {what: median([told[what] for told in again]) for what in newly}
    return [
        at_most("first paint, warm kernels", middle["first paint"], "s", 0.8),
        Figure("the window in it", middle["window drawn"], "s"),
        Figure("demo made, plate and proof drawn, the first time", newly["demo drawn"], "s"),
        at_most("demo plate and proof drawn, any other time", middle["demo drawn"], "s", 1.8),
        at_most("first paint, cold kernels", cold["first paint"], "s", 0.8),
    ]


def _started(home: Path, cache: Path, kernels: Path) -> dict[str, float]:
    """Seconds after the start of the process at which something came about, by its words."""
    own = {"XDG_CONFIG_HOME": str(home / "config"), "XDG_STATE_HOME": str(home / "state")}
    own |= {"XDG_CACHE_HOME": str(cache), "NUMBA_CACHE_DIR": str(kernels), "ENGRAVER_TELL_START": "1"}
    done = subprocess.run(
        [sys.executable, "-m", "engraver.cli.main", "demo", "--offscreen-shot", str(home / "shot.png")],
        env={**os.environ, **own}, capture_output=True, text=True, check=True,
    )  # fmt: skip
    return {what: float(when) for what, when in (line.rsplit(" ", 1) for line in done.stdout.splitlines())}


def _until(window: Window, change: Callable[[], None]) -> float:
    """Milliseconds from a gesture to the new plate picture painted on the screen."""
    loop = QEventLoop()
    canvas = window.bench.plate_view.canvas
    done = []

    def shown(_: object) -> None:
        canvas.repaint()
        done.append(time.perf_counter())
        loop.quit()

    window.pictures.looked.connect(shown)
    begin = time.perf_counter()
    change()
    loop.exec()
    window.pictures.looked.disconnect(shown)
    return (done[0] - begin) * 1000


def application() -> None:
    """Make ready what a window needs."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setStyle("Fusion")
    load_fonts()
    use_kernel_cache()


def slider() -> list[Figure]:
    """A falloff slider, and the crop (the first step after the source), in the demo recipe at 2048 squared."""
    application()
    with tempfile.TemporaryDirectory() as home:
        window = Window(Studio(), Places(Path(home) / "c", Path(home) / "s"), Prefs())
        window.show()
        studio = window.studio
        project = demo_project(studio.sources)
        project = edits.set_params(project, project.plates[0].id, "barnacles-size", side=2048)
        studio.replace_project(project, None, saved=True)
        figures = []
        for uid, name, values, limits in (
            ("barnacles-falloff", "fade", [0.1 + n * 0.004 for n in range(60)], (20, 35)),
            ("barnacles-grey", "mix", ["average", "luma-709"] * 15, (150, None)),
            ("barnacles-crop", "x", [0.45 + n * 0.001 for n in range(40)], (150, None)),
        ):
            studio.choose_step(uid)
            wait_idle(window.pictures.lanes, lambda: window.pictures.busy)
            took = [_until(window, partial(studio.set_params, uid, "", "drag", **{name: v})) for v in values]
            figures.append(at_most(f"{name} of {uid.split('-')[1]}, median", median(took), "ms", limits[0]))
            if limits[1]:
                figures.append(
                    at_most(f"{name} of {uid.split('-')[1]}, 95 %", percentile(took, 0.95), "ms", limits[1])
                )
            QCoreApplication.processEvents()
        wait_idle(window.pictures.lanes, lambda: window.pictures.busy)
        window.close()
    return figures
