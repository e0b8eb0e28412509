"""A trial by the random hand: what it found, and whether that is good."""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image
from PySide6.QtCore import QEventLoop
from PySide6.QtGui import QDrag

from engraver.app.lanes import favour_the_window, wait_idle
from engraver.app.prefs import Prefs
from engraver.app.studio import Studio
from engraver.app.window import Places, Window
from engraver.core.proof.warm import warm
from engraver.core.recipe import Project
from engraver.core.sources import SourceStore

from .hand import Hand, answer_file_questions
from .watch import Block, Watching, memory

# Longest that the window's thread may stand still: while a sheet or another look is made, and else.
SHEETS, ELSE = 0.100, 0.050


@dataclass(frozen=True, slots=True)
class Report:
    """What a trial came to."""

    actions: int
    seconds: float
    exceptions: tuple[str, ...]
    blocks: tuple[Block, ...]
    memory: tuple[float, ...]
    threads: tuple[str, ...]
    back: bool

    @property
    def longest(self) -> float:
        return max((b.own for b in self.blocks), default=0.0)

    @property
    def silence(self) -> float:
        return max((b.seconds for b in self.blocks), default=0.0)

    @property
    def too_long(self) -> tuple[Block, ...]:
        return tuple(b for b in self.blocks if b.own > (SHEETS if b.sheet else ELSE))

    def words(self) -> str:
        lines = [
            f"{self.actions} actions in {self.seconds:.0f} s",
            f"exceptions: {len(self.exceptions)}",
            f"window's own work at a stretch: {self.longest * 1000:.0f} ms at most, {len(self.too_long)} too long",
            f"no sign from it, others' work on the same cores included: {self.silence * 1000:.0f} ms at most",
            f"memory: {' '.join(f'{m:.2f}' for m in self.memory)} GB",
            f"threads left: {', '.join(self.threads) or 'none'}",
            f"undone to the first project and redone to the last: {'yes' if self.back else 'NO'}",
        ]
        worst = sorted(self.too_long, key=lambda b: -b.own)[:25]
        lines += [f"  {b.own * 1000:5.0f} of {b.seconds * 1000:.0f} ms  {b.doing}  {b.where}" for b in worst]
        lines += [f"--- {text}" for text in dict.fromkeys(self.exceptions)]
        return "\n".join(lines)


def some_sources(folder: Path, seed: int) -> None:
    """A few pictures to take in while it goes on."""
    inside = folder / "sources"
    inside.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:240, 0:320] / 240.0
    for n in range(2):
        tone = np.clip(0.1 + 0.8 * np.exp(-((x - 0.4 - 0.2 * n) ** 2 + (y - 0.5) ** 2) * 20), 0, 1)
        tone = np.clip(tone + rng.normal(0, 0.02, tone.shape), 0, 1)
        Image.fromarray((tone * 255).astype(np.uint8)).save(inside / f"cork_{n}.png")
    (inside / "broken.png").write_bytes(b"\x89PNG\r\n\x1a\n broken")


def trial(
    folder: Path, seed: int, count: int, make: Callable[[SourceStore], Project], *, seconds: float | None = None
) -> Report:
    """Let the hand go over a window with a project.

    Parameters
    ----------
    folder : Path
        For its preferences, journal, saves and exports.
    count : int
        Actions.
    make : callable
        Makes the project.
    seconds : float, optional
        End earlier after so long.
    """
    some_sources(folder, seed)
    favour_the_window()
    warm()
    before = set(threading.enumerate())
    exec_drag, QDrag.exec = QDrag.exec, lambda *a: None  # type: ignore[assignment, method-assign]
    put_back = answer_file_questions(folder)
    window = Window(Studio(), Places(folder / "config", folder / "state"), Prefs())
    window.pictures.kernels_ready = True
    window.files.remember("finished", folder)
    window.show()
    watching, began = Watching(), time.monotonic()
    try:
        window.filing.open_made(make, "Opening…")
        settle(window)
        first = window.studio.project

        def doing(words: str, sheet: bool) -> None:
            watching.doing, watching.sheet = words, sheet
            if hand.left % max(1, count // 12) == 0 and not sheet:
                watching.memory.append(memory())
            if seconds is not None and time.monotonic() - began > seconds:
                hand.left = 0

        hand, loop = Hand(window, seed, count, folder, doing), QEventLoop()
        hand.done.connect(loop.quit)
        watching.start()
        hand.start()
        loop.exec()
        settle(window)
        watching.stop()
        back = there_and_back(window, first)
    finally:
        window.close()
        window.deleteLater()
        QDrag.exec = exec_drag  # type: ignore[method-assign]
        put_back()
    left = tuple(t.name for t in threading.enumerate() if t not in before and t.name.startswith("engraver"))
    gone = time.monotonic() - began
    raised = (*watching.exceptions, *watching.messages)
    return Report(count - hand.left, gone, raised, tuple(watching.blocks), tuple(watching.memory), left, back)


def settle(window: Window) -> None:
    """Wait until nothing is under way."""
    wait_idle([*window.pictures.lanes, *window.filing.lanes], lambda: window.busy)


def there_and_back(window: Window, first: Project) -> bool:
    """Undo to the first project that the history still holds, redo to the last: both as they were."""
    studio = window.studio
    entries, last = studio.history.entries, studio.project
    for _ in entries:
        studio.undo()
    begun = studio.project == entries[0].project and (entries[0].label != "" or studio.project == first)
    for _ in entries:
        studio.redo()
    end = entries[-1].project
    return begun and (studio.project == end or studio.project == last)


def seed_of(text: int | None) -> int:
    """The seed asked for, else another one each time."""
    return text if text is not None else random.SystemRandom().randrange(10**6)
