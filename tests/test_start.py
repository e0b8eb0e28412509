"""The start: what is read before the first paint, the frame that is furnished, kernels compiled when first called."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QMetaMethod, QObject, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from shiboken6 import delete

from conftest import drop, settle
from engraver.app.lanes import wait_idle
from engraver.app.last_seen import LastSeen
from engraver.app.shell import Shell
from engraver.app.start import Opening
from engraver.app.start_wish import StartWish
from engraver.app.theme import THEMES
from engraver.app.window import Window
from engraver.core import ready
from engraver.core.compiled import Kernel, kernel
from engraver.core.errors import Cancelled, unwatched

_loop = kernel()
_inline = kernel(inline="always")


@_inline
def _twice(x):  # type: ignore[no-untyped-def]
    """Called by another."""
    return x + x


@_loop
def _folded(values, depth):  # type: ignore[no-untyped-def]
    """Calls another kernel, and itself."""
    if depth == 0:
        return values.sum()
    return _twice(_folded(values, depth - 1))


def test_kernels_call_each_other_and_themselves_and_are_made_once_by_many_threads() -> None:
    folded, twice = _folded, _twice  # as another module has them
    assert isinstance(folded, Kernel) and folded.py_func(np.ones(3), 0) == 3.0
    values = np.arange(5.0)
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda depth: folded(values, depth), range(8)))
    assert found == [10.0 * 2**depth for depth in range(8)]
    assert folded.ready() is folded.ready() is _folded and twice.ready() is _twice
    assert twice(4) == 8


_FIRST = """
import sys
from PySide6.QtWidgets import QApplication
from shiboken6 import delete
from engraver.app import launch
from engraver.app.start_wish import StartWish
seen = []
launch._go_on = lambda shell, *_: seen.append(shell.grab().toImage()) or print(
    [m for m in ("numpy", "cv2", "pydantic", "numba", "scipy", "engraver.core.steps") if m in sys.modules],
    shell.isVisible(), seen[0].pixelColor(4, 400).name(), seen[0].pixelColor(700, 400).name()) or 0
sys.exit(launch.run(StartWish(demo=True), theme="lamp"))
"""
_WHOLE = """
import sys, engraver.app.start, engraver.core.pack
print([m for m in ("numba", "scipy") if m in sys.modules])
"""


def _told(script: str, home: Path) -> str:
    own = {f"XDG_{k}_HOME": str(home / k) for k in ("CONFIG", "STATE", "DATA")}
    done = subprocess.run(
        [sys.executable, "-c", script], env={**os.environ, **own, "QT_QPA_PLATFORM": "offscreen"},
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    return done.stdout.strip()


def test_the_frame_is_painted_before_anything_that_takes_long_is_read(tmp_path: Path) -> None:
    lamp = THEMES["lamp"]
    assert _told(_FIRST, tmp_path) == f"[] True {lamp.panel.lower()} {lamp.paper.lower()}"


def test_the_compiler_is_not_read_for_the_window(tmp_path: Path) -> None:
    assert _told(_WHOLE, tmp_path) == "[]"


def test_a_furnished_frame_is_the_window(make_window: Callable[..., Window]) -> None:
    # Not seen before, as in the program: what a window of its own has drawn outlives its move into the frame badly.
    window = make_window(shown=False)
    shell = Shell(THEMES["day"], 1.0, "Opening…")
    shell.show()
    shell.furnish(window)
    QApplication.processEvents()
    window.studio.add_blank(64)
    settle(window)
    assert shell.centralWidget() is window and not window.isWindow() and window.size() == shell.size()
    assert shell.windowTitle() == window.windowTitle() != "Engraver"
    shell.activateWindow()
    assert QTest.qWaitForWindowActive(shell)
    window.bench.plate_view.canvas.setFocus()
    QTest.keyClick(window.bench.plate_view.canvas, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    assert window.studio.desk == "cabinet"
    shell.close()
    assert not window.isVisible() and not window.filing.busy
    shell.takeCentralWidget()
    delete(shell)


def test_no_lane_takes_a_connection_apart(window: Window, photo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """It would hold Qt's lock of that connection and wait for the interpreter: who connects meanwhile holds that."""
    threads: list[str] = []

    def heard(told: QObject, signal: QMetaMethod) -> None:
        threads.append(threading.current_thread().name)

    monkeypatch.setattr(LastSeen, "disconnectNotify", heard, raising=False)
    window.pictures.seen.answered.connect(lambda _: None, Qt.ConnectionType.SingleShotConnection)
    window.pictures.seen.answered.emit(False)
    assert threads == ["MainThread"], "it is heard where that happens"
    opening = Opening(window, StartWish())
    opening.begin()
    drop(window, photo)
    wait_idle(opening.lanes)
    opening.kernels.end()
    assert window.pictures.seen._sought, "a lane has answered"
    assert threads == ["MainThread"]


def test_on_a_new_machine_processes_of_their_own_compile(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Run as plain Python here, which takes no compiling."""
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "kernels"))
    monkeypatch.setenv("NUMBA_DISABLE_JIT", "1")
    helpers = ready.Helpers(1)
    for n, part in enumerate(ready.PARTS, 1):
        helpers.wait(part, unwatched)
        assert len(helpers._running) in (n, n + 1) and helpers._running[n - 1].returncode == 0  # one after the other
    ready.mark_ready()
    again = ready.Helpers(1)
    again.wait("proof", unwatched)
    assert not again._running
    # Another edition of the code: all over again. Who closes meanwhile leaves nothing running.
    monkeypatch.setattr(ready, "edition", lambda: "other")
    many = ready.Helpers(3)

    def leaves() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        many.wait("meshes", leaves)
    many.end()
    assert all(run.poll() is not None for run in many._running) and len(many._running) <= 3
    ready.mark_ready()
    assert [p.name for p in (tmp_path / "kernels").glob("all-of-*")] == ["all-of-other"]
