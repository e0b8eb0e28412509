"""Kills: a program that edits, saves and exports without rest is killed at any moment; its work must be there."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from engraver.core.errors import EngraverError
from engraver.core.files.read import load
from engraver.core.project import journal
from engraver.core.project.project_file import open_project
from engraver.core.recipe import Project
from engraver.core.sources import SourceStore

# Work of at most so many seconds may be lost.
MOST_LOST = 3.0
EVERY_MS = 30
STAMP = "fade"


@dataclass(frozen=True, slots=True)
class Kill:
    """What one kill left: seconds of work lost, and what was wrong."""

    lost: float
    wrong: str = ""


def live(folder: Path, seed: int) -> None:
    """The program that is killed: a slider dragged without end, with saves and exports in between. Never returns."""
    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    from engraver.app.exporting import ExportWish
    from engraver.app.lanes import favour_the_window
    from engraver.app.prefs import Prefs
    from engraver.app.shell import load_fonts
    from engraver.app.studio import Studio
    from engraver.app.window import Places, Window
    from engraver.core.readiness.export import Order

    app = QApplication([])
    load_fonts()
    favour_the_window()
    chance = random.Random(seed)
    window = Window(Studio(), Places(folder / "config", folder / "state"), Prefs())
    window.show()
    window.filing.open_paths([folder / "cork.png"])
    log = open(folder / "log", "w", buffering=1)  # noqa: SIM115
    count = 0

    def edit() -> None:
        nonlocal count
        studio = window.studio
        uid = next((s.uid for s in studio.steps if s.kind == "falloff"), "")
        if not uid:
            return
        count += 1
        studio.set_params(uid, "Falloff: fade", f"{uid}.fade", **{STAMP: count / 1e6})
        log.write(f"{count} {time.time()}\n")
        roll = chance.random()
        if roll < 0.02:
            window.filing.save_to(folder / f"save-{chance.randrange(2)}.engraver")
        elif roll < 0.03 and window.pictures.full is not None and studio.plate is not None:
            orders = (Order(studio.destination, folder, f"cork-{chance.randrange(2)}"),)
            window.exports.export(studio.plate.id, window.pictures.full, ExportWish(orders, True))
        elif roll < 0.05:
            studio.seal()

    timer = QTimer(interval=EVERY_MS)
    timer.timeout.connect(edit)
    timer.start()
    app.exec()


def _stamp(project: Project) -> int:
    step = next(s for s in project.line(project.plates[0].id) if s.kind == "falloff")
    return round(getattr(step.params, STAMP) * 1e6)


def kill(folder: Path, seed: int) -> Kill:
    """Start it, kill it at a random moment, and look at what is left."""
    folder.mkdir(parents=True)
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:200, 0:260] / 200.0
    tone = 0.05 + 0.8 * np.exp(-((x - 0.6) ** 2 + (y - 0.5) ** 2) * 16) + rng.normal(0, 0.01, x.shape)
    Image.fromarray((np.clip(tone, 0, 1) * 255).astype(np.uint8)).save(folder / "cork.png")
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(Path(__file__).parents[1])}
    child = subprocess.Popen([sys.executable, "-m", "soak.kills", str(folder), str(seed)], env=environment)
    log = folder / "log"
    began = time.monotonic()
    while not (log.is_file() and log.stat().st_size) and time.monotonic() - began < 60 and child.poll() is None:
        time.sleep(0.05)
    time.sleep(random.Random(seed).uniform(0.05, 6.0))
    when = time.time()
    child.send_signal(signal.SIGKILL)
    child.wait()
    return _looked_at(folder, when)


def _looked_at(folder: Path, when: float) -> Kill:
    edits = [line.split() for line in (folder / "log").read_text().splitlines() if line.count(" ") == 1]
    times = {int(n): float(t) for n, t in edits}
    if not times:
        return Kill(0.0, "it did not start")
    kept = 0
    try:
        for left in journal.found(folder / "state" / "journal")[:1]:
            kept = _stamp(journal.recover(left, SourceStore()))
        for path in folder.glob("save-*.engraver"):
            store = SourceStore()
            project = open_project(path, store)
            kept = max(kept, _stamp(project))
            for source in project.sources:
                store.bytes_of(source)
        for path in folder.glob("cork-*.png"):
            load(path.read_bytes(), path.name)
    except EngraverError as error:
        return Kill(0.0, error.sentence())
    except (OSError, ValueError, StopIteration, json.JSONDecodeError) as error:
        return Kill(0.0, f"{type(error).__name__}: {error}")
    first_lost = next((t for n, t in sorted(times.items()) if n > kept), when)
    return Kill(max(0.0, when - first_lost))


def kills(folder: Path, seed: int, count: int, *, seconds: float | None = None) -> list[Kill]:
    """So many kills, or fewer when the time is up."""
    began, found = time.monotonic(), []
    for n in range(count):
        if seconds is not None and time.monotonic() - began > seconds:
            break
        found.append(kill(folder / f"kill-{n}", seed * 1000 + n))
    return found


def words(found: list[Kill]) -> str:
    """What the kills came to."""
    wrong = [k.wrong for k in found if k.wrong]
    lost = sorted(k.lost for k in found if not k.wrong)
    most, middle = (lost[-1], lost[len(lost) // 2]) if lost else (0.0, 0.0)
    lines = [
        f"kills: {len(found)}, whole afterwards: {len(found) - len(wrong)}",
        f"work lost: {middle:.1f} s in the middle, {most:.1f} s at most",
    ]
    return "\n".join([*lines, *(f"  {w}" for w in wrong)])


if __name__ == "__main__":
    live(Path(sys.argv[1]), int(sys.argv[2]))
