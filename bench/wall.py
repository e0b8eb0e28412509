"""Figures of the cabinet's desk: the wall of 10,000, scrolled, lit and searched as it is typed."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEventLoop, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication

from bench.cabinet import ENTRIES, WORDS
from bench.figures import Figure, at_most, median, percentile
from engraver.app.lanes import wait_idle
from engraver.app.prefs import Prefs
from engraver.app.shell import load_fonts
from engraver.app.studio import Studio
from engraver.app.window import Places, Window
from engraver.core.cabinet import Cabinet, Entry
from engraver.core.cabinet.likeness import LENGTH
from engraver.core.cabinet.to_keep import ToKeep
from engraver.core.compiled import use_kernel_cache
from engraver.core.files.write import encode
from engraver.core.proof.warm import warm

_PICTURES, _SIDE = 400, 256


def _filled(folder: Path) -> None:
    """So many entries of a few hundred pictures."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[-1 : 1 : _SIDE * 1j, -1 : 1 : _SIDE * 1j]
    r, a = np.hypot(x, y), np.arctan2(y, x)
    pictures = [
        encode((np.clip(1 - r * (1 + 0.3 * np.cos(n % 17 * a + rng.uniform(0, 6))), 0, 1)).astype(np.float32), "png",
               "16") for n in range(_PICTURES)
    ]  # fmt: skip
    rows = rng.normal(size=(ENTRIES, LENGTH)).astype(np.float32)
    rows /= np.linalg.norm(rows, axis=1)[:, None]
    with Cabinet(folder) as cabinet:
        things = [
            ToKeep(Entry(id=f"k-{n}", name=f"{' '.join(rng.choice(WORDS, 2))} {n}", width=_SIDE, height=_SIDE,
                         made=float(n + 1)), pictures[n % _PICTURES], rows[n])
            for n in range(ENTRIES)
        ]  # fmt: skip
        cabinet.keep_all(things)


def wall() -> list[Figure]:
    """A window at the cabinet, with 10,000 entries."""
    app = QApplication.instance() or QApplication([])
    assert isinstance(app, QApplication)
    use_kernel_cache()
    load_fonts()
    warm()
    with tempfile.TemporaryDirectory() as home:
        places = Places(Path(home) / "config", Path(home) / "state")
        _filled(places.cabinet)
        window = Window(Studio(), places, Prefs())
        window.show()
        window.desk("cabinet")
        found = _until_found(window, partial(window.go_to, "cabinet")) / 1000
        began = time.perf_counter()
        _settle(window)
        shown = time.perf_counter() - began
        desk = window.desk("cabinet")
        wall = desk.wall  # type: ignore[attr-defined]
        figures = [
            at_most("the desk with 10,000 opened, all found", found, "s", 0.3),
            at_most("then the first casts made, the drawers counted", shown, "s", 3),
        ]
        bar = wall.verticalScrollBar()
        fresh, again = [], []
        for took, step in ((fresh, 90), (again, -90)):
            for _ in range(220):
                at = time.perf_counter()
                bar.setValue(bar.value() + step)
                wall.viewport().repaint()
                app.processEvents()
                took.append(time.perf_counter() - at)
            _settle(window)
        lit = []
        for n in range(120):
            spot = QPointF(100 + 4 * n, 120 + 3 * n)
            at = time.perf_counter()
            none, no_keys = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier
            wall.mouseMoveEvent(QMouseEvent(QMouseEvent.Type.MouseMove, spot, spot, none, none, no_keys))
            wall.viewport().repaint()
            lit.append(time.perf_counter() - at)
        for words, took in (("scrolled on, casts to be made", fresh), ("scrolled back", again), ("lit anew", lit)):
            figures.append(at_most(f"the wall {words}: a picture (median)", median(took) * 1000, "ms", 16.7))
            figures.append(at_most(f"the wall {words}: a picture (95 %)", percentile(took, 0.95) * 1000, "ms", 33))
        _settle(window)
        typed = []
        for text in ("r", "ro", "rope", "rope n", "rope ne", "cop", "kn 12"):
            typed.append(_until_found(window, partial(window.cabinet.ask, words=text)))
            _settle(window)
        figures.append(at_most("a search as it is typed, found and told (slowest of seven)", max(typed), "ms", 30))
        _until_found(window, partial(window.cabinet.ask, words=""))
        for words in ("first time", "again"):
            took = _until_found(window, partial(window.cabinet.look, near="k-7"))
            figures.append(at_most(f"near this one, found and told, {words}", took, "ms", 100))
            _until_found(window, partial(window.cabinet.look, near=""))
        window.close()
    return figures


def _until_found(window: Window, change: Callable[[], None]) -> float:
    """Milliseconds from a question to its answer on the wall."""
    loop = QEventLoop()
    window.cabinet.found_changed.connect(loop.quit)
    began = time.perf_counter()
    change()
    loop.exec()
    window.cabinet.found_changed.disconnect(loop.quit)
    return (time.perf_counter() - began) * 1000


def _settle(window: Window) -> None:
    for _ in range(3):
        wait_idle([*window.pictures.lanes, *window.filing.lanes, *window.cabinet.lanes], lambda: window.busy)
