"""Figures of ``engraver batch``: two jobs against one, and the memory of each."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

from bench.figures import Figure, at_most
from engraver.core.project.recipe_file import save_recipe
from engraver.core.recipe import Recipe, Step
from engraver.demo.photos import sand_ripples

PHOTOS = 40


def _eight_steps() -> Recipe:
    make = Step.make
    return Recipe(id="bench", steps=(
        make("crop", width=0.9), make("grey"), make("even-light"), make("denoise", method="median"),
        make("levels"), make("soften"), make("falloff"), make("size", side=1024),
    ))  # fmt: skip


def _below(pid: int) -> list[int]:
    """The processes that a process began, and those that they did."""
    found = []
    for task in Path(f"/proc/{pid}/task").glob("*/children"):
        try:
            children = [int(child) for child in task.read_text().split()]
        except OSError:
            continue
        found += [*children, *(one for child in children for one in _below(child))]
    return found


def _peaks_below(pid: int, found: dict[int, float], over: threading.Event) -> None:
    """Watch the high-water marks of the processes below one, in GB."""
    while not over.wait(0.2):
        for child in _below(pid):
            try:
                status = Path(f"/proc/{child}/status").read_text()
            except OSError:
                continue
            if "VmHWM:" in status:
                found[child] = int(status.split("VmHWM:")[1].split()[0]) / 1e6


def _run(
    recipe: Path, photos: list[Path], out: Path, jobs: int, hold: Callable[[], None] | None
) -> tuple[float, float]:
    words = [sys.executable, "-m", "engraver.cli.main", "batch", str(recipe), *map(str, photos)]
    start = time.perf_counter()
    done = subprocess.Popen(
        [*words, "-o", str(out), "--for", "sculpt-stamp", "--jobs", str(jobs)],
        preexec_fn=hold, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    peaks: dict[int, float] = {}
    over = threading.Event()
    watch = threading.Thread(target=_peaks_below, args=(done.pid, peaks, over))
    watch.start()
    code = done.wait()
    took = time.perf_counter() - start
    over.set()
    watch.join()
    assert code == 0
    return took, max(peaks.values(), default=0.0)


def batch() -> list[Figure]:
    """40 photos of 12 megapixels with an 8-step recipe to 1024 squared."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        first = home / "photo_00.jpg"
        first.write_bytes(sand_ripples(3000, 4000).file())
        photos = [first]
        for n in range(1, PHOTOS):
            photos.append(home / f"photo_{n:02}.jpg")
            shutil.copy(first, photos[-1])
        recipe = home / "eight.recipe"
        save_recipe(_eight_steps(), recipe)
        took, peak = {1: 0.0, 2: 0.0}, 0.0
        # There and back again, so that a machine that becomes slower or faster meanwhile does so for both.
        for n, jobs in enumerate((1, 2, 2, 1)):
            hold = (lambda: os.sched_setaffinity(0, {0})) if jobs == 1 else None
            seconds, most = _run(recipe, photos, home / f"out {n}", jobs, hold)
            took[jobs], peak = took[jobs] + seconds / 2, max(peak, most)
        alone, two = took[1], took[2]
    return [
        Figure(f"batch of {PHOTOS}, 2 jobs", two, "s", "1 job, one thread", alone / two, "at least 1.9 times as fast",
               alone / two >= 1.9),
        at_most("memory of a job", peak, "GB", 1.2),
    ]  # fmt: skip
