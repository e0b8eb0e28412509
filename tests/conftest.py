"""Shared pictures, a window with places of its own, and a guard against work left alive."""

from __future__ import annotations

import faulthandler
import gc
import io
import os
import shutil
import tempfile
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the program, before NumPy is loaded

import hypothesis
import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import QCoreApplication, QEvent, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QMessageBox

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from engraver.app.lanes import wait_idle
from engraver.app.prefs import Prefs
from engraver.app.shell import load_fonts
from engraver.app.studio import Studio
from engraver.app.window import Places, Window
from engraver.core.cabinet import Entry
from engraver.core.compiled import use_kernel_cache
from engraver.core.process import prepare
from engraver.core.recipe import first
from engraver.core.starters.kind import Starter

if TYPE_CHECKING:
    from engraver.app.desks.cabinet import CabinetDesk

prepare()
use_kernel_cache()
# The same examples each time: what a run finds, the next one finds too.
hypothesis.settings.register_profile("steady", derandomize=True, deadline=None)
hypothesis.settings.load_profile("steady")
# Of the surface that a plate is pressed into: enough for what tests look at.
PROOF_POINTS = 120_000
# Of a plate that begins as a picture or from nothing, but for tests that are marked as_shipped.
FIRST_SIDE = 512
LEFT = Qt.MouseButton.LeftButton
_TOLD = pytest.StashKey[TextIO]()


# Where workers write what they were at when they crashed; they have it from the process that began them.
if "CRASHES" not in os.environ:
    os.environ["CRASHES"] = tempfile.mkdtemp()
CRASHES = Path(os.environ["CRASHES"])


def pytest_sessionstart(session: pytest.Session) -> None:
    if hasattr(session.config, "workerinput"):
        session.config.stash[_TOLD] = told = (CRASHES / str(os.getpid())).open("w")
        faulthandler.enable(told)


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """Say at the very end where a worker crashed: the long traces of all its threads hide it."""
    for path in CRASHES.glob("*"):
        error, *threads = path.read_text().split("\n\n")
        for thread in (error, *(t for t in threads if t.startswith("Current thread"))):
            terminalreporter.write_line("\n".join(thread.splitlines()[:24]))


def pytest_unconfigure(config: pytest.Config) -> None:
    told = config.stash.get(_TOLD, None)
    if told is not None:
        faulthandler.disable()
        told.close()
    else:
        shutil.rmtree(CRASHES, ignore_errors=True)


def band_limited(height: int, width: int, cycles: float, seed: int, channels: int = 1) -> np.ndarray:
    """A smooth random picture in 0.1..0.9 with at most ``cycles`` cycles per pixel, mirrored at its borders."""
    rng = np.random.default_rng(seed)
    y = (np.arange(height) + 0.5)[:, None] * np.pi / height
    x = (np.arange(width) + 0.5) * np.pi / width
    planes = []
    for _ in range(channels):
        total = np.zeros((height, width))
        for _ in range(24):
            # Cosines with a flat slope at the borders stay band-limited when they are mirrored there.
            u, v = rng.integers(0, int(2 * cycles * width) + 1), rng.integers(0, int(2 * cycles * height) + 1)
            total += rng.normal() / (1 + 0.15 * np.hypot(u, v)) * np.cos(u * x) * np.cos(v * y)
        total -= total.min()
        planes.append(0.1 + 0.8 * total / max(total.max(), 1e-9))
    stacked = planes[0] if channels == 1 else np.stack(planes, axis=-1)
    return stacked.astype(np.float32)


def png_bytes(array: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(array).save(out, "PNG")
    return out.getvalue()


@pytest.fixture
def photo(tmp_path: Path) -> Path:
    """A small colour photo of relief on dark ground: a few pale cones."""
    y, x = np.mgrid[0:240, 0:320] / 240.0
    tone = np.full((240, 320), 0.08)
    for cx, cy, r in ((0.5, 0.4, 0.16), (0.85, 0.5, 0.2), (0.55, 0.75, 0.12), (0.95, 0.2, 0.08)):
        tone = np.maximum(tone, 0.9 * (1 - np.hypot(x - cx, y - cy) / r))
    tone = tone + np.random.default_rng(3).normal(0, 0.01, tone.shape)
    rgb = np.clip(tone[..., None] * (1.0, 0.95, 0.85), 0, 1)
    path = tmp_path / "cork_float.jpg"
    Image.fromarray((rgb * 255).astype(np.uint8)).save(path, quality=92)
    return path


@pytest.fixture(autouse=True, scope="session")
def no_waiting_for_the_disk() -> Iterator[None]:
    """Flushing to the platter guards against power cuts, which no test makes; a busy disk would stretch the run."""
    patch = pytest.MonkeyPatch()
    patch.setattr("engraver.core.files.atomic.os.fsync", lambda _: None)
    yield
    patch.undo()


@pytest.fixture(scope="session")
def fonts(qapp: object) -> None:
    load_fonts()


@pytest.fixture
def places(tmp_path: Path) -> Places:
    return Places(tmp_path / "config", tmp_path / "state")


@pytest.fixture
def make_window(
    fonts: None, places: Places, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> Iterator[Callable[..., Window]]:
    """Makes windows as the program does, and closes them."""
    from engraver.core.proof.warm import warm

    warm()
    if request.node.get_closest_marker("as_shipped") is None:
        monkeypatch.setattr(first, "FIRST_SIDE", FIRST_SIDE)
        ground = Starter.ground
        monkeypatch.setattr(Starter, "ground", lambda starter: ground(starter).but(side=FIRST_SIDE))
    made: list[Window] = []

    def make(*, shown: bool = True) -> Window:
        window = Window(Studio(), places, Prefs())
        window.pictures.kernels_ready = True
        window.studio.proof = replace(window.studio.proof, points=PROOF_POINTS)
        window.pictures.pause(20)
        window.pictures.fixing.pause(60_000)  # only tests that ask for it wait for fixes to be tried
        window.filing.pause(20)
        if shown:
            window.show()
        made.append(window)
        return window

    yield make
    for window in made:
        window.close()
        window.deleteLater()


@pytest.fixture
def window(make_window: Callable[..., Window]) -> Window:
    return make_window()


def settle(window: Window) -> None:
    """Wait until every lane of the window is idle and nothing waits for the hand to rest."""
    lanes = [*window.pictures.lanes, *window.filing.lanes]
    wait_idle(lanes, lambda: window.busy)


def offered(window: Window) -> None:
    """Wait until the fixes that the gauges name have been tried, and those that help are offered."""
    settle(window)
    window.pictures.fixing.hurry()
    wait_idle([window.pictures.fixing.lane])


@pytest.fixture(autouse=True, scope="module")
def nothing_left_alive() -> Iterator[None]:
    """After a module's tests no thread of ours may be running."""
    before = set(threading.enumerate())
    yield
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)  # type: ignore[arg-type]
    gc.collect()  # windows hold large pictures, and there are few objects by which they are seen to be garbage
    gc.freeze()  # what is left is pytest's and the libraries': half a second a module to look through again
    left = [
        t.name for t in threading.enumerate() if t not in before and t.name.startswith("engraver") and t.is_alive()
    ]
    assert not left, f"threads left running: {left}"


def drop(window: Window, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    event = QDropEvent(QPointF(300, 300), Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier)
    window.dropEvent(event)
    settle(window)


def in_dialog(kind: type[QDialog], act: Callable[[QDialog], None]) -> None:
    """Act on a dialog as soon as it is open; it does not stay open when that fails."""
    seen: list[bool] = []

    def poll() -> None:
        found = [w for w in QApplication.topLevelWidgets() if isinstance(w, kind) and w.isVisible()]
        if found:
            seen.append(True)
            try:
                act(found[0])
            except BaseException:
                found[0].reject()
                raise
        else:
            QTimer.singleShot(0, poll)

    QTimer.singleShot(0, poll)


def answer(button: str, asked: list[tuple[str, str]] | None = None) -> None:
    """Press a button of the question that is open, and note what it asks. It does not stay open when that fails."""
    box = QApplication.activeModalWidget()
    assert isinstance(box, QMessageBox)
    try:
        if asked is not None:
            asked.append((box.text(), box.informativeText()))
        assert box.textFormat() == Qt.TextFormat.PlainText
        next(b for b in box.buttons() if b.text() == button).click()
    except BaseException:
        box.reject()
        raise


def choose(window: Window, kind: str) -> str:
    uid = next(s.uid for s in window.studio.steps if s.kind == kind)
    card = next(c for c in window.bench.line.cards if c.uid == uid)
    QTest.mouseClick(card, LEFT, pos=QPoint(40, 60))
    assert window.studio.step_uid == uid
    settle(window)
    return uid


def drag(widget: object, start: QPointF, end: QPointF, button: Qt.MouseButton = LEFT) -> None:
    QTest.mousePress(widget, button, pos=start.toPoint())  # type: ignore[call-overload]
    for n in range(1, 5):
        place = start + (end - start) * (n / 4)
        QTest.mouseMove(widget, place.toPoint())  # type: ignore[call-overload]
    QTest.mouseRelease(widget, button, pos=end.toPoint())  # type: ignore[call-overload]


@pytest.fixture
def bench(window: Window, photo: Path) -> Window:
    drop(window, photo)
    return window


@pytest.fixture
def pieces(places: Places) -> dict[str, Entry]:
    """Five pieces in the cabinet."""
    from at_cabinet import kept

    return kept(places)


@pytest.fixture
def desk(pieces: dict[str, Entry], make_window: Callable[[], Window]) -> CabinetDesk:
    """The cabinet's desk with five pieces."""
    from at_cabinet import rest
    from engraver.app.desks.cabinet import CabinetDesk

    window = make_window()
    window.go_to("cabinet")
    rest(window)
    found = window.desk("cabinet")
    assert isinstance(found, CabinetDesk)
    return found
